#include "cogstride/rig/findings.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <tuple>

#include "cogstride/plan/stepper_torque.hpp"
#include "cogstride/rig/derive.hpp"

namespace cogstride {
namespace {

/// Checks one mechanism, one subject a function.
class MechanismInspector {
 public:
  MechanismInspector(const Rig& rig, const Mechanism& mechanism, Inspection& found)
      : rig_(rig),
        controller_(rig.controller),
        mechanism_(mechanism),
        found_(found),
        kind_(output_kind(mechanism.train)) {}

  void inspect() {
    polarity();
    pulses();
    inputs();
    supply();
    current();
    labels();
    torque();
    resonance();
    gate();
    heat();
  }

 private:
  void add(const char* code, const std::string& key, std::string what, std::string way_out) {
    const FindingKind& kind = finding_kind(code);
    const auto place = rig_.places.find("mechanism." + mechanism_.name + "." + key);
    found_.findings.push_back({code, kind.severity, mechanism_.name,
                               place == rig_.places.end() ? SourcePlace{"", 0, 0} : place->second,
                               std::move(what), std::move(way_out)});
  }
  void cannot_check(const char* code, const std::string& needs) {
    found_.unchecked.push_back({code, mechanism_.name, needs});
  }

  [[nodiscard]] std::string output_text(double base, int per_time) const {
    return fmt::format("{:.4g} {}", base * display_units_per_base(kind_), display_unit(kind_, per_time));
  }
  static std::string us(Time time) { return fmt::format("{:.4g} us", time.in(units::us)); }

  void polarity() {
    const auto& enable = mechanism_.wiring.enable;
    if (!enable || enable->active == mechanism_.board.enable_active) return;
    const char* wanted = mechanism_.board.enable_active == ActiveLevel::low ? "low" : "high";
    add("enable-inverted", "lines.enable",
        fmt::format("ENABLE is driven the other way than the board wants it, which is {}", wanted),
        fmt::format("write active = \"{}\", or leave it out; where an inverting part stands between, say so "
                    "in board.enable_active",
                    wanted));
  }

  void pulses() {
    const StepDirBoard& board = mechanism_.board;
    const StepDirWiring& wiring = mechanism_.wiring;
    const bool active_high = wiring.step.active == ActiveLevel::high;
    const Time shortest = active_high ? board.shortest_high : board.shortest_low;
    const Time shortest_rest = active_high ? board.shortest_low : board.shortest_high;
    const Ratio rate = mechanism_.limits.speed.base * steps_per_base(mechanism_);
    if (wiring.pulse_width < shortest) {
      add("pulse-too-short", "lines.pulse_width",
          fmt::format("STEP pulses last {}, and the board needs {}", us(wiring.pulse_width), us(shortest)),
          "leave pulse_width out: the board's own figure is used then");
    }
    const Time rest = Time(1.0 / rate.to_double(), units::s) - wiring.pulse_width;
    if (rest < shortest_rest) {
      add("pulse-too-short", "limits.speed",
          fmt::format("at {} STEP rests for {} between pulses, and the board needs {}",
                      to_text(mechanism_.limits.speed), us(rest), us(shortest_rest)),
          fmt::format("at most {} leaves it enough",
                      output_text(1.0 / ((wiring.pulse_width + shortest_rest).base() *
                                         steps_per_base(mechanism_).to_double()),
                                  1)));
    }
    if (wiring.dir_steady_before < board.dir_steady_before) {
      add("dir-too-near", "lines.dir_steady_before",
          fmt::format("DIR stands {} before a step, and the board needs {}", us(wiring.dir_steady_before),
                      us(board.dir_steady_before)),
          "leave dir_steady_before out: the board's own figure is used then");
    }
    if (wiring.dir_steady_after < board.dir_steady_after) {
      add("dir-too-near", "lines.dir_steady_after",
          fmt::format("DIR stands {} after a step, and the board needs {}", us(wiring.dir_steady_after),
                      us(board.dir_steady_after)),
          "leave dir_steady_after out: the board's own figure is used then");
    }
    const Ratio most = controller_.top_step_rate.base();
    if (rate > most) {
      add("pulse-rate-beyond-controller", "limits.speed",
          fmt::format("{} takes {:.6g} steps/s, and this controller makes {:.6g}",
                      to_text(mechanism_.limits.speed), rate.to_double(), most.to_double()),
          fmt::format("{} can be had; fewer microsteps go faster",
                      to_text(OutputSpeed(kind_, most / steps_per_base(mechanism_)))));
    }
  }

  void inputs() {
    const StepDirBoard& board = mechanism_.board;
    if (board.input_resistance) {
      const Voltage across = controller_.logic_level - board.input_drop;
      const Current taken = across / *board.input_resistance;
      if (taken > controller_.line_current) {
        add("line-overloaded", "board.input_resistance",
            fmt::format("an input takes {:.3g} mA, and a line gives {:.3g} mA", taken.in(units::mA),
                        controller_.line_current.in(units::mA)),
            "put a buffer between, or drive the inputs with a transistor");
      }
    } else {
      cannot_check("line-overloaded", "board.input_resistance");
    }
    if (!board.input_threshold) {
      cannot_check("level-too-low", "board.input_threshold");
    } else if (controller_.logic_level < *board.input_threshold) {
      add("level-too-low", "board.input_threshold",
          fmt::format("a line's high level is {:.3g} V, and the board takes {:.3g} V for high",
                      controller_.logic_level.in(units::V), board.input_threshold->in(units::V)),
          "put a level shifter between");
    }
  }

  void supply() {
    const StepDirBoard& board = mechanism_.board;
    const Voltage voltage = mechanism_.supply.voltage;
    if (!board.highest_supply) {
      cannot_check("supply-over-board", "board.highest_supply");
    } else if (voltage > *board.highest_supply) {
      add("supply-over-board", "supply",
          fmt::format("supply {} has {:.4g} V, and the board stands {:.4g} V", mechanism_.supply.name,
                      voltage.in(units::V), board.highest_supply->in(units::V)),
          "feed it from a supply of fewer volts");
    }
    if (board.lowest_supply && voltage < *board.lowest_supply) {
      add("supply-too-low", "supply",
          fmt::format("supply {} has {:.4g} V, and the board needs {:.4g} V", mechanism_.supply.name,
                      voltage.in(units::V), board.lowest_supply->in(units::V)),
          "feed it from a supply of more volts");
    }
    const Voltage needed = board.current * mechanism_.motor.resistance + board.drop;
    if (voltage < needed) {
      add("supply-too-low", "supply",
          fmt::format("supply {} has {:.4g} V, and {:.3g} A through a winding take {:.4g} V",
                      mechanism_.supply.name, voltage.in(units::V), board.current.in(units::A),
                      needed.in(units::V)),
          "feed it from a supply of several times that, or set less current");
    }
  }

  void current() {
    const Current set = mechanism_.board.current;
    const Current rated = mechanism_.motor.rated_current;
    if (set > rated) {
      add("current-over-rating", "board.current",
          fmt::format("the board is set to {:.3g} A, and the motor is rated for {:.3g} A", set.in(units::A),
                      rated.in(units::A)),
          fmt::format("set the board to {:.3g} A or less", rated.in(units::A)));
    }
    const double pull = available_torque(mechanism_, 0.0) - mechanism_.motor.detent_torque.base();
    const double friction = friction_torque(mechanism_, 0.0);
    if (pull <= friction) {
      add("load-stalls", "board.current",
          fmt::format("{:.3g} A give {:.3g} N m, and friction takes {:.3g} N m", set.in(units::A),
                      std::max(pull, 0.0), friction),
          fmt::format("the motor's rated {:.3g} A give {:.3g} N m", rated.in(units::A),
                      (mechanism_.motor.torque_constant() * rated).in(units::Nm)));
    }
  }

  void labels() {
    const BipolarStepper& motor = mechanism_.motor;
    if (!motor.step_angle) {
      cannot_check("step-angle-disagrees", "motor.step_angle");
    } else if (motor.step_angle->base() * Ratio(motor.full_steps) != Ratio(1)) {
      add("step-angle-disagrees", "motor.step_angle",
          fmt::format("{} steps of {} make {:.6g} deg a turn", motor.full_steps,
                      to_text(OutputPosition(*motor.step_angle)),
                      (motor.step_angle->base() * Ratio(motor.full_steps)).to_double() * 360),
          fmt::format("{} steps a turn are {} each", motor.full_steps,
                      to_text(OutputPosition(OutputKind::rotary, Ratio(1, motor.full_steps)))));
    }
    if (!motor.rated_voltage) {
      cannot_check("winding-disagrees", "motor.rated_voltage");
    } else {
      const Voltage follows = motor.rated_current * motor.resistance;
      if (std::abs(motor.rated_voltage->base() / follows.base() - 1.0) > 0.1) {
        add("winding-disagrees", "motor.rated_voltage",
            fmt::format("{:.3g} A through {:.3g} ohm are {:.3g} V, not {:.3g} V",
                        motor.rated_current.in(units::A), motor.resistance.in(units::ohm),
                        follows.in(units::V), motor.rated_voltage->in(units::V)),
            "measure the resistance with a meter; the current is on the label");
      }
    }
    if (!mechanism_.train_sold_as) return;
    const Ratio teeth = motor_turns_per_base(mechanism_.train);
    const Ratio off = (*mechanism_.train_sold_as - teeth) / teeth;  // of an output turn, each turn
    if (off == Ratio(0)) return;
    const double degrees = std::abs(off.to_double()) * 360;
    const double step = 360.0 / steps_per_base(mechanism_).to_double();
    add("ratio-as-sold", "train_sold_as",
        fmt::format("sold as {:.6g}:1, the teeth make {} = {:.6g}:1: {:.4g} deg off a turn, one step after "
                    "{:.3g} turns, one degree "
                    "after {:.3g}",
                    mechanism_.train_sold_as->to_double(), to_text(teeth), teeth.to_double(), degrees,
                    step / degrees, 1.0 / degrees),
        "nothing to do: the teeth are counted");
  }

  void torque() {
    const Limits& limits = mechanism_.limits;
    const double speed = limits.speed.base.to_double();
    const double start = limits.start_speed.base.to_double();
    if (available_torque(mechanism_, 0.0) - mechanism_.motor.detent_torque.base() <=
        friction_torque(mechanism_, 0.0))
      return;
    const double pull_in = pull_in_speed(mechanism_);
    if (start > pull_in) {
      add("start-above-pull-in", "limits.start_speed",
          fmt::format("the motor can jump to about {}, and is asked for {}", output_text(pull_in, 1),
                      to_text(limits.start_speed)),
          "start below half of it, and ramp from there");
      return;
    }
    const double shaft = shaft_speed(mechanism_, speed);
    const double left = available_torque(mechanism_, shaft) - mechanism_.motor.detent_torque.base();
    const double friction = friction_torque(mechanism_, shaft);
    if (left <= friction) {
      add("speed-beyond-torque", "limits.speed",
          fmt::format("at {} the windings give {:.3g} N m, and friction takes {:.3g} N m",
                      to_text(limits.speed), std::max(0.0, left), friction),
          fmt::format("about {} can be had", output_text(fastest_speed(), 1)));
      return;
    }
    const double usable = usable_acceleration(mechanism_, speed);
    if (limits.acceleration.base.to_double() > usable) {
      add("acceleration-beyond-torque", "limits.acceleration",
          fmt::format("{} is more than the torque at top speed gives, swing included",
                      to_text(limits.acceleration)),
          usable > 0.0
              ? fmt::format("about {} can be had up to {}", output_text(usable, 2), to_text(limits.speed))
              : std::string("give a lower top speed"));
    }
  }

  /// Whole and half steps at the rate of the rotor's own swing.
  void resonance() {
    if (mechanism_.board.microsteps >= 4) return;
    const double swing = natural_frequency(mechanism_);
    const double full_steps =
        static_cast<double>(mechanism_.motor.full_steps) * motor_turns_per_base(mechanism_.train).to_double();
    const auto check = [&](const char* key, OutputSpeed speed) {
      const double rate = speed.base.to_double() * full_steps;
      if (std::abs(rate - swing) > 0.15 * swing) return;
      add("on-resonance", key,
          fmt::format("{} makes {:.3g} full steps/s, and the rotor swings at {:.3g} Hz", to_text(speed), rate,
                      swing),
          fmt::format("take 4 microsteps or more, or keep away from {}", output_text(swing / full_steps, 1)));
    };
    check("limits.speed", mechanism_.limits.speed);
    if (!mechanism_.homing) return;
    check("homing.speed", mechanism_.homing->speed);
    check("homing.slow_speed", mechanism_.homing->slow_speed);
  }

  /// Where torque and friction meet, by bisection.
  [[nodiscard]] double fastest_speed() const {
    double sound = 0.0;
    double beyond = mechanism_.limits.speed.base.to_double();
    for (int i = 0; i < 60; ++i) {
      const double middle = 0.5 * (sound + beyond);
      const double shaft = shaft_speed(mechanism_, middle);
      const double left = available_torque(mechanism_, shaft) - mechanism_.motor.detent_torque.base();
      (left > friction_torque(mechanism_, shaft) ? sound : beyond) = middle;
    }
    return sound;
  }

  void gate() {
    if (!mechanism_.gate) return;
    const OpticalGate& gate = *mechanism_.gate;
    const Limits& limits = mechanism_.limits;
    const std::string key = "sensor";
    if (limits.travel_from && gate.blocks_at.base > limits.travel_from->base &&
        gate.blocks_at.base < limits.travel_to->base) {
      add("gate-in-travel", key,
          fmt::format("the gate blocks at {}, inside the travel of {} to {}", to_text(gate.blocks_at),
                      to_text(*limits.travel_from), to_text(*limits.travel_to)),
          "move the gate, or let the travel begin behind it");
    }
    if (!mechanism_.hard_ends) {
      cannot_check("homing-overruns", "limits.hard_ends");
      return;
    }
    const bool gate_is_low = gate.blocks_at.base < gate.clears_at.base;
    const OutputPosition end = gate_is_low ? mechanism_.hard_ends->from : mechanism_.hard_ends->to;
    const double room = (gate.blocks_at.base - end.base).to_double() * (gate_is_low ? 1.0 : -1.0);
    if (room <= 0.0) {
      add("gate-out-of-reach", key,
          fmt::format("the gate blocks at {}, and the hard end is at {}", to_text(gate.blocks_at),
                      to_text(end)),
          "move the gate inside the hard end");
      return;
    }
    if (!mechanism_.homing) return;
    const double speed = mechanism_.homing->speed.base.to_double();
    const double acceleration = limits.acceleration.base.to_double();
    const double stop = speed * speed / (2.0 * acceleration);
    if (stop >= room) {
      add("homing-overruns", "homing.speed",
          fmt::format("stopping from {} takes {}, and behind the gate there are {}",
                      to_text(mechanism_.homing->speed), output_text(stop, 0), output_text(room, 0)),
          fmt::format("home at {} or less", output_text(std::sqrt(room * acceleration), 1)));
    }
  }

  void heat() {
    const BipolarStepper& motor = mechanism_.motor;
    if (!motor.thermal_resistance || !motor.highest_rise) {
      cannot_check("winding-too-hot",
                   motor.thermal_resistance ? "motor.highest_rise" : "motor.thermal_resistance");
      return;
    }
    // Microstepping, the squares of both currents always add up to the square of the peak.
    const Power lost = mechanism_.board.current * (mechanism_.board.current * motor.resistance);
    const Temperature rise = lost * *motor.thermal_resistance;
    if (rise <= *motor.highest_rise) return;
    std::string minutes;
    if (motor.heat_capacity) {
      const double constant = motor.thermal_resistance->base() * motor.heat_capacity->base();
      minutes = fmt::format(", after {:.3g} minutes",
                            -constant * std::log(1.0 - motor.highest_rise->base() / rise.base()) / 60.0);
    }
    const double possible =
        std::sqrt(motor.highest_rise->base() / (motor.thermal_resistance->base() * motor.resistance.base()));
    add("winding-too-hot", "board.current",
        fmt::format("{:.3g} W in the windings warm them by {:.3g} K, over the {:.3g} K they stand{}",
                    lost.base(), rise.base(), motor.highest_rise->base(), minutes),
        fmt::format("{:.3g} A can be held for ever", possible));
  }

  const Rig& rig_;
  const Controller& controller_;
  const Mechanism& mechanism_;
  Inspection& found_;
  OutputKind kind_;
};

void inspect_supplies(const Rig& rig, Inspection& found) {
  for (const Supply& supply : rig.supplies) {
    double sum = 0.0;
    std::string who;
    for (const Mechanism& mechanism : rig.mechanisms) {
      if (mechanism.supply.name != supply.name) continue;
      sum += figures_of(mechanism, rig.controller).supply_current;
      who += (who.empty() ? "" : ", ") + mechanism.name;
    }
    if (sum <= supply.current.base()) continue;
    const auto place = rig.places.find("supply." + supply.name + ".current");
    found.findings.push_back({"supply-too-small", Severity::error, "",
                              place == rig.places.end() ? SourcePlace{"", 0, 0} : place->second,
                              fmt::format("{} can take {:.3g} A together, and supply {} gives {:.3g} A", who,
                                          sum, supply.name, supply.current.base()),
                              "a stronger supply, or fewer motors at a time"});
  }
}

}  // namespace

bool Inspection::is_sound() const {
  return std::all_of(findings.begin(), findings.end(),
                     [](const Finding& f) { return f.severity == Severity::note; });
}

Inspection inspect_rig(const Rig& rig) {
  Inspection found;
  inspect_supplies(rig, found);
  for (const Mechanism& mechanism : rig.mechanisms) MechanismInspector(rig, mechanism, found).inspect();
  std::stable_sort(found.findings.begin(), found.findings.end(), [](const Finding& a, const Finding& b) {
    return std::tie(a.place.line, a.place.column) < std::tie(b.place.line, b.place.column);
  });
  return found;
}

}  // namespace cogstride
