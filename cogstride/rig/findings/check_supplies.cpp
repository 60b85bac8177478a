// Supplies: volts and amperes for boards, motors and sensors, and what comes back from braking.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "cogstride/plan/drive_figures.hpp"
#include "cogstride/plan/motor_estimates.hpp"
#include "cogstride/plan/move.hpp"
#include "cogstride/plan/stepper_torque.hpp"
#include "cogstride/rig/figures/derive.hpp"
#include "cogstride/rig/figures/figure_rows.hpp"
#include "cogstride/rig/findings/finding_sheet.hpp"

namespace cogstride {
namespace {

std::string volts(double voltage) {
  return fmt::format("{:.4g} V", voltage);
}

void check_board_voltage(MechanismSheet& sheet) {
  const BoardStage& stage = stage_of(sheet.mechanism.board);
  const Supply& supply = sheet.mechanism.supply;
  const double has = supply.voltage.base();
  if (!stage.highest_supply) {
    sheet.cannot_check("supply-over-board", "board.highest_supply");
  } else if (supply.voltage > *stage.highest_supply) {
    sheet.add("supply-over-board", "supply",
              fmt::format("supply {} has {}, and the board stands {}", supply.name, volts(has),
                          volts(stage.highest_supply->base())),
              "feed it from a supply of fewer volts");
  }
  if (stage.lowest_supply && supply.voltage < *stage.lowest_supply) {
    sheet.add("supply-too-low", "supply",
              fmt::format("supply {} has {}, and the board needs {}", supply.name, volts(has),
                          volts(stage.lowest_supply->base())),
              "feed it from a supply of more volts");
  }
}

/// A supply that its board takes: as many volts as are wanted, or how many there may be.
std::string supply_words(const MechanismSheet& sheet, double wanted) {
  const BoardStage& stage = stage_of(sheet.mechanism.board);
  if (stage.highest_supply && wanted > stage.highest_supply->base())
    return fmt::format("a supply of up to {}, which is the most that its board stands",
                       volts(stage.highest_supply->base()));
  if (stage.lowest_supply && wanted < stage.lowest_supply->base())
    return fmt::format("a motor for more volts: its board wants {} at least",
                       volts(stage.lowest_supply->base()));
  return fmt::format("a supply of about {}", volts(wanted));
}

void check_coils(MechanismSheet& sheet) {
  const auto* const motor = std::get_if<Stepper>(&sheet.mechanism.motor);
  if (motor == nullptr) return;
  const Supply& supply = sheet.mechanism.supply;
  const StepperDrive drive = stepper_drive(sheet.mechanism);
  const StepperWinding winding = motor->winding();
  const double drop = stage_of(sheet.mechanism.board).drop.base();
  if (drive.is_limited) {
    const double needed = drive.current * drive.resistance + drop;
    if (supply.voltage.base() >= needed) return;
    sheet.add("supply-too-low", "supply",
              fmt::format("supply {} has {}, and {:.3g} A through a winding take {}", supply.name,
                          volts(supply.voltage.base()), drive.current, volts(needed)),
              supply_words(sheet, 3.0 * needed) + ", or set less current");
    return;
  }
  const double rated = winding.rated_current.base();
  const double right = rated * drive.resistance + drop;
  if (drive.current > 1.05 * rated) {
    sheet.add(
        "coil-overdriven", "supply",
        fmt::format("this board has no current control: {} of {} drive {:.3g} A through a coil of {:.3g} A",
                    volts(drive.volts), supply.name, drive.current, rated),
        supply_words(sheet, right) + ", or a board with current control");
  } else if (drive.current < 0.5 * rated) {
    sheet.add("supply-too-low", "supply",
              fmt::format("supply {} drives {:.3g} A through a coil of {:.3g} A", supply.name, drive.current,
                          rated),
              supply_words(sheet, right));
  }
}

/// Servos and speed controllers take their volts as they are.
void check_rated_voltage(MechanismSheet& sheet) {
  const Voltage* const rated = std::visit(
      [](const auto& motor) -> const Voltage* {
        using Kind = std::decay_t<decltype(motor)>;
        if constexpr (std::is_same_v<Kind, HobbyServo> || std::is_same_v<Kind, ThrottledMotor>)
          return &motor.rated_voltage;
        return nullptr;
      },
      sheet.mechanism.motor);
  if (rated == nullptr) return;
  const Supply& supply = sheet.mechanism.supply;
  const double share = supply.voltage.base() / rated->base();
  if (0.75 <= share && share <= 1.25) return;
  sheet.add(share < 1.0 ? "supply-too-low" : "supply-over-board", "supply",
            fmt::format("supply {} has {}, and the motor is made for {}", supply.name,
                        volts(supply.voltage.base()), volts(rated->base())),
            fmt::format("feed it from a supply of about {}", volts(rated->base())));
}

/// A brushed motor takes what its supply gives: held fast by its resistance alone, and turning by its volts.
void check_brushed(MechanismSheet& sheet) {
  const Mechanism& mechanism = sheet.mechanism;
  const auto* const motor = std::get_if<BrushedMotor>(&mechanism.motor);
  const auto* const bridge = std::get_if<HBridge>(&mechanism.board);
  if (motor == nullptr || bridge == nullptr) return;
  const double most = mechanism.limits.highest_duty ? mechanism.limits.highest_duty->base().to_double() : 1.0;
  const double has = most * mechanism.supply.voltage.base();
  const double rated = motor->rated_voltage.base();
  constexpr double spare = 1.15;
  if (rated > 0.0 && has > spare * rated)
    sheet.add("volts-over-motor", "motor.rated_voltage",
              fmt::format("supply {} gives it up to {}, and it is rated for {}", mechanism.supply.name,
                          volts(has), volts(rated)),
              fmt::format("limits.highest_duty = {:.0f} %, or a supply of about {}",
                          100.0 * rated / mechanism.supply.voltage.base(), volts(rated)));
  const bool is_watched = mechanism.limits.current && sensor_of<Shunt>(mechanism) != nullptr;
  if (bridge->current_limit || is_watched || !bridge->stage.highest_current) return;
  const RotaryMotorModel model = model_of(mechanism);
  const double held = has / (model.resistance + model.supply_resistance);
  constexpr double for_a_moment = 2.0;  // times what it gives for ever, until somebody or its own heat acts
  if (held <= for_a_moment * bridge->stage.highest_current->base()) return;
  sheet.add(
      "stall-over-board", "board.highest_current",
      fmt::format("held fast it takes {:.3g} A, the board gives {:.3g} A for ever, and nothing limits it",
                  held, bridge->stage.highest_current->base()),
      "a board with a current limit (board.current_limit), a shunt by which the controller holds it back "
      "(limits.current), or a stronger board");
}

void check_dividers(MechanismSheet& sheet) {
  if (const auto* const shunt = sensor_of<Shunt>(sheet.mechanism);
      shunt != nullptr && sheet.rig.controller.analogue && sheet.mechanism.limits.current) {
    const double reads = sheet.rig.controller.analogue->full_scale.base();
    const double by_current =
        sheet.mechanism.limits.current->base() * shunt->resistance.base() * static_cast<double>(shunt->gain);
    const double at_rest = shunt->at_no_current.base();
    const double at_most = at_rest + by_current;
    if (at_most > reads)
      sheet.add("shunt-over-range", "sensor." + shunt->name + ".resistance",
                fmt::format("at {:.3g} A (limits.current) it gives {}, and its input reads up to {}",
                            sheet.mechanism.limits.current->base(), volts(at_most), volts(reads)),
                fmt::format("at most {:.3g} ohm at this gain",
                            shunt->resistance.base() * std::max(0.0, reads - at_rest) / by_current));
  }

  const auto* const terminals = sensor_of<TerminalVoltages>(sheet.mechanism);
  if (terminals == nullptr || !sheet.rig.controller.analogue) return;
  const Supply& supply = sheet.mechanism.supply;
  const double highest = supply.clamp_voltage.value_or(supply.voltage).base();
  const double reads = sheet.rig.controller.analogue->full_scale.base();
  if (highest / terminals->scale() <= reads) return;
  sheet.add("divider-over-range", "sensor." + terminals->name + ".lower",
            fmt::format("{} at a terminal come to {} at its input, which reads up to {}", volts(highest),
                        volts(highest / terminals->scale()), volts(reads)),
            fmt::format("a divider of {:.3g} to 1 or more", std::ceil(10.0 * highest / reads) / 10.0));
}

void check_sensor_supplies(MechanismSheet& sheet) {
  for (const Sensor& sensor : sheet.mechanism.sensors) {
    const SensorFeed* const feed = std::visit(
        [](const auto& part) -> const SensorFeed* {
          if constexpr (requires { part.feed; }) return &part.feed;
          return nullptr;
        },
        sensor);
    if (feed == nullptr || !feed->supply) continue;
    const std::string key = "sensor." + name_of(sensor);
    if (!feed->output_level) sheet.cannot_check("input-over-voltage", key + ".output_level");
    if (!feed->lowest || !feed->highest) {
      sheet.cannot_check("sensor-supply", key + (feed->lowest ? ".highest_supply" : ".lowest_supply"));
      continue;
    }
    const Supply& supply = *find_supply(sheet.rig, *feed->supply);
    if (*feed->lowest <= supply.voltage && supply.voltage <= *feed->highest) continue;
    sheet.add(
        "sensor-supply", key + ".supply",
        fmt::format("supply {} has {}, and the sensor works with {} to {}", supply.name,
                    volts(supply.voltage.base()), volts(feed->lowest->base()), volts(feed->highest->base())),
        "feed it from another supply, or through a regulator");
  }
}

/// What a mechanism can pump back into its supply.
struct Returned {
  double energy = 0.0;  ///< J, of its motion at top speed
  double power = 0.0;   ///< W, at the hardest braking
};

/// Whether its board can make a motor that turns give its motion back. Six steps without complementary
/// switching and bridges that coast between leave it to diodes, which no back-EMF below the supply opens.
bool can_brake(const Mechanism& mechanism) {
  if (const auto* const gates = std::get_if<GateWiring>(&mechanism.wiring)) return gates->complementary;
  if (const auto* const bridge = std::get_if<BridgeWiring>(&mechanism.wiring))
    return bridge->decay == Decay::slow;
  return true;
}

Returned returned_by(const Mechanism& mechanism) {
  const double shaft = shaft_speed(mechanism, mechanism.limits.speed.base.to_double());
  Returned returned;
  if (!can_brake(mechanism)) return returned;
  const double inertia = most_moved_inertia(mechanism).base();
  returned.energy = 0.5 * inertia * shaft * shaft;
  // A drive on a bus stops as steeply as its current lets it, on every cut.
  const double ramp =
      mechanism.has_bus_drive()
          ? drive_steepest(mechanism) / static_cast<double>(steps_per_motor_turn(mechanism)) * 2.0 * pi
      : mechanism.is_movable() ? hardest_acceleration(mechanism)
                               : shaft_speed(mechanism, mechanism.limits.acceleration.base.to_double());
  if (std::holds_alternative<BrushedMotor>(mechanism.motor) ||
      std::holds_alternative<BrushlessMotor>(mechanism.motor)) {
    const RotaryMotorModel model = model_of(mechanism);
    double current = std::min(model.current_limit, model.supply / model.resistance);
    if (ramp > 0.0) current = std::min(current, inertia * ramp / model.torque_per_ampere);
    returned.power = model.torque_per_ampere * current * shaft - model.winding_loss * current * current;
  } else if (std::holds_alternative<Stepper>(mechanism.motor)) {
    returned.power = inertia * ramp * shaft - steady_losses(mechanism)->winding;
  } else if (std::holds_alternative<StepServo>(mechanism.motor)) {
    returned.power = inertia * ramp * shaft;
  }
  return returned;
}

/// What a regulator needs and stands at its input; one that does not switch only takes away.
void check_regulator(const Supply& regulator, const Supply& input, FindingSheet& sheet) {
  const std::string key = "supply." + regulator.name + ".fed_by";
  const double has = input.voltage.base();
  const double needs = std::max(regulator.lowest_supply.value_or(Voltage()).base(),
                                regulator.efficiency ? 0.0 : regulator.voltage.base());
  if (has < needs)
    sheet.add("supply-too-low", key,
              fmt::format("supply {} has {}, and the regulator {} needs {} to give {}", input.name,
                          volts(has), regulator.name, volts(needs), volts(regulator.voltage.base())),
              "feed it from a supply of more volts");
  if (regulator.highest_supply && has > regulator.highest_supply->base())
    sheet.add("supply-over-board", key,
              fmt::format("supply {} has {}, and the regulator {} stands {}", input.name, volts(has),
                          regulator.name, volts(regulator.highest_supply->base())),
              "feed it from a supply of fewer volts");
}

void check_braking(const Rig& rig, const Supply& supply, FindingSheet& sheet) {
  const std::string key = "supply." + supply.name;
  Returned all;
  std::optional<double> stands;
  for (const Mechanism& mechanism : rig.mechanisms) {
    if (mechanism.supply.name != supply.name) continue;
    const auto& highest = stage_of(mechanism.board).highest_supply;
    if (highest) stands = std::min(stands.value_or(highest->base()), highest->base());
    const Returned one = returned_by(mechanism);
    if (one.power <= 0.0) continue;  // its own windings take what its motion holds
    all.energy += one.energy;
    all.power += one.power;
  }
  const bool is_over = stands && supply.voltage.base() > *stands;  // supply-over-board says so
  if (supply.clamp_voltage && stands && !is_over && supply.clamp_voltage->base() > *stands)
    return sheet.add("braking-energy", key + ".clamp_voltage",
                     fmt::format("the clamp begins at {}, and a board on this supply stands {}",
                                 volts(supply.clamp_voltage->base()), volts(*stands)),
                     "a clamp that begins lower");
  if (supply.charge) return;                // a battery takes what comes back
  if (all.power <= 0.0 || !stands) return;  // supply-over-board says which figure is missing
  const double volts_now = supply.voltage.base();
  if (volts_now > *stands) return;  // supply-over-board says so
  if (supply.clamp_voltage) {
    if (!supply.clamp_resistance) return sheet.cannot_check("braking-energy", key + ".clamp_resistance");
    const double clamp = supply.clamp_voltage->base();
    const double taken = clamp * clamp / supply.clamp_resistance->base();
    if (taken < all.power)
      sheet.add(
          "braking-energy", key + ".clamp_resistance",
          fmt::format("braking hardest, its motors pump back {:.3g} W, and the clamp takes {:.3g} W at {}",
                      all.power, taken, volts(clamp)),
          fmt::format("a clamp of {:.2g} ohm or less, or less current to brake with",
                      clamp * clamp / all.power));
    return;
  }
  if (!supply.capacitance) return sheet.cannot_check("braking-energy", key + ".capacitance");
  const double capacitance = supply.capacitance->base();
  const double pumped = std::sqrt(volts_now * volts_now + 2.0 * all.energy / capacitance);
  if (pumped <= *stands) return;
  const double needed = 2.0 * all.energy / (*stands * *stands - volts_now * volts_now);
  sheet.add(
      "braking-energy", key + ".capacitance",
      fmt::format("{:.3g} J of motion pump {:.3g} uF from {} up to {}, and a board on this supply stands {}",
                  all.energy, capacitance * 1e6, volts(volts_now), volts(pumped), volts(*stands)),
      *stands > volts_now ? fmt::format("a clamp, or {:.3g} uF", needed * 1e6) : std::string("a clamp"));
}

}  // namespace

void check_supply(MechanismSheet& sheet) {
  check_board_voltage(sheet);
  check_coils(sheet);
  check_rated_voltage(sheet);
  check_brushed(sheet);
  check_sensor_supplies(sheet);
  check_dividers(sheet);
  const auto& own = sheet.rig.controller.supply;
  if (own && *own == sheet.mechanism.supply.name) {
    sheet.add("fed-by-controller", "supply",
              fmt::format("supply {} feeds the controller too", sheet.mechanism.supply.name),
              "a supply of its own for the motor, with the grounds joined");
  }
}

/// A battery empties by what its motors take together; mostly they take less, and never for long more.
void check_battery(const Supply& supply, const SupplyLoad& load, FindingSheet& sheet) {
  if (!supply.runs_for) return;
  if (!supply.charge) return sheet.cannot_check("battery-too-small", "supply." + supply.name + ".charge");
  const double lasts = supply.charge->base() / std::max(1e-9, load.draw.most);
  if (lasts >= supply.runs_for->base()) return;
  sheet.add("battery-too-small", "supply." + supply.name + ".runs_for",
            fmt::format("at {:.3g} A, which {} take together, its charge lasts {}, and {} are wanted",
                        load.draw.most, fmt::join(load.fed, ", "), seconds_text(lasts),
                        seconds_text(supply.runs_for->base())),
            fmt::format("a battery of {:.2g} A h, or less at a time",
                        load.draw.most * supply.runs_for->base() / 3600.0));
}

void check_supplies(const Rig& rig, FindingSheet& sheet) {
  if (!rig.controller.supply) sheet.cannot_check("fed-by-controller", "controller.supply");
  for (const Supply& supply : rig.supplies) {
    const SupplyLoad load = supply_load(rig, supply);
    const double sum = load.draw.most;
    check_battery(supply, load, sheet);
    if (sum > supply.current.base())
      sheet.add("supply-too-small", "supply." + supply.name + ".current",
                fmt::format("{} can take {:.3g} A together, and supply {} gives {:.3g} A",
                            fmt::join(load.fed, ", "), sum, supply.name, supply.current.base()),
                "a stronger supply, or fewer motors at a time");
    if (supply.fed_by) check_regulator(supply, *find_supply(rig, *supply.fed_by), sheet);
    check_braking(rig, supply, sheet);
  }
}

}  // namespace cogstride
