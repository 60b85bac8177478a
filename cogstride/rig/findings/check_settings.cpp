// What is said twice, or set on switches: currents, microsteps, steps a turn, ratios, labels.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <utility>

#include "cogstride/plan/stepper_torque.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/rig/figures/figure_rows.hpp"
#include "cogstride/rig/findings/finding_sheet.hpp"

namespace cogstride {
namespace {

/// A current that a board may be set to: no more than it gives for ever.
double highest_setting(const Mechanism& mechanism, double wanted) {
  const auto& most = stage_of(mechanism.board).highest_current;
  return most ? std::min(wanted, most->base()) : wanted;
}

void check_current(MechanismSheet& sheet) {
  const Mechanism& mechanism = sheet.mechanism;
  if (const auto* const motor = std::get_if<Stepper>(&mechanism.motor)) {
    const StepperDrive drive = stepper_drive(mechanism);
    const Current rated = motor->winding().rated_current;
    const bool dual = std::holds_alternative<DualHBridge>(mechanism.board);
    if (drive.is_limited && drive.current > 1.0001 * rated.base()) {
      sheet.add("current-over-rating", dual ? "board.current_limit" : "board.current",
                fmt::format("the board is set to {:.3g} A, and the motor is rated for {:.3g} A",
                            drive.current, rated.base()),
                fmt::format("set the board to {:.3g} A or less", highest_setting(mechanism, rated.base())));
    }
    const double pull = available_torque(mechanism, 0.0) - motor->detent_torque.base();
    const double friction = friction_torque(mechanism, 0.0);
    if (pull <= friction) {
      sheet.add("load-stalls", drive.is_limited && !dual ? "board.current" : "load.coulomb_friction",
                fmt::format("{:.3g} A give {:.3g} N m, and friction takes {:.3g} N m", drive.current,
                            std::max(pull, 0.0), friction),
                fmt::format("the motor's rated {:.3g} A give {:.3g} N m{}", rated.base(),
                            drive.field * (motor->torque_constant() * rated).in(units::Nm),
                            highest_setting(mechanism, rated.base()) < rated.base()
                                ? fmt::format("; this board gives {:.3g} A for ever",
                                              highest_setting(mechanism, rated.base()))
                                : ""));
    }
  }
  const auto& most = stage_of(mechanism.board).highest_current;
  std::optional<double> asked;
  const char* key = "limits.current";
  if (std::holds_alternative<Stepper>(mechanism.motor)) {
    asked = stepper_drive(mechanism).current;
    key = std::holds_alternative<StepDirBoard>(mechanism.board) ? "board.current" : "board.highest_current";
  } else if (mechanism.limits.current) {
    asked = mechanism.limits.current->base();
  } else if (const auto* const inverter = std::get_if<SixGateInverter>(&mechanism.board)) {
    asked = inverter->current_limit.base();
    key = "board.current_limit";
  }
  const bool own_stage = std::holds_alternative<PulseWidthInput>(mechanism.board) ||
                         std::holds_alternative<StepServo>(mechanism.motor);
  if (!most || !asked) {
    if (!own_stage)
      sheet.cannot_check("board-over-current", most ? "limits.current" : "board.highest_current");
  } else if (*asked > most->base()) {
    sheet.add(
        "board-over-current", key,
        fmt::format("{:.3g} A are asked of an output, and it gives {:.3g} A for ever", *asked, most->base()),
        "less current, or a stronger board");
  }
}

/// Switches as they are set against what is declared.
void check_switches_set(MechanismSheet& sheet) {
  const auto* const board = std::get_if<StepDirBoard>(&sheet.mechanism.board);
  if (board == nullptr || std::holds_alternative<StepServo>(sheet.mechanism.motor)) return;
  const auto& selects = std::get<StepDirWiring>(sheet.mechanism.wiring).microstep_select;
  if (!selects.empty()) {
    const bool has_row = std::any_of(board->microsteps_by_switch.begin(), board->microsteps_by_switch.end(),
                                     [&](const auto& row) { return row.second == board->microsteps; });
    if (!has_row)
      sheet.add("switches-disagree", "board.microsteps",
                fmt::format("no position of the select lines sets {} microsteps", board->microsteps),
                "put right microsteps_by_switch, or take microsteps that it has");
  } else if (!board->microstep_switches) {
    sheet.cannot_check("switches-disagree", "board.microstep_switches");
  } else {
    const auto row = board->microsteps_by_switch.find(*board->microstep_switches);
    if (row != board->microsteps_by_switch.end() && row->second != board->microsteps)
      sheet.add(
          "switches-disagree", "board.microstep_switches",
          fmt::format(
              "switches at {} set {} microsteps, and microsteps says {}: every move is {:.4g} times as "
              "long",
              row->first, row->second, board->microsteps,
              static_cast<double>(board->microsteps) / static_cast<double>(row->second)),
          fmt::format("set the switches for {}, or write microsteps = {}", board->microsteps, row->second));
  }
  if (!board->current_switches) return;
  const auto row = board->current_by_switch.find(*board->current_switches);
  if (row != board->current_by_switch.end() &&
      std::abs(row->second.base() / board->current.base() - 1.0) > 0.01)
    sheet.add("switches-disagree", "board.current_switches",
              fmt::format("switches at {} set {:.3g} A, and current says {:.3g} A", row->first,
                          row->second.base(), board->current.base()),
              fmt::format("set the switches for {:.3g} A, or write what they set", board->current.base()));
}

void check_poles(MechanismSheet& sheet) {
  const auto* const motor = std::get_if<BrushlessMotor>(&sheet.mechanism.motor);
  if (motor == nullptr || !motor->magnets || *motor->magnets == 2 * motor->pole_pairs) return;
  const bool are_poles = *motor->magnets == motor->pole_pairs;
  sheet.add("poles-disagree", "motor.magnets",
            fmt::format("{} magnets are {:.3g} pole pairs, and pole_pairs says {}", *motor->magnets,
                        0.5 * static_cast<double>(*motor->magnets), motor->pole_pairs),
            are_poles || *motor->magnets % 2 == 0
                ? fmt::format("write pole_pairs = {}; or count the magnets again: {} belong to {} pairs",
                              *motor->magnets / 2, 2 * motor->pole_pairs, motor->pole_pairs)
                : std::string("count the magnets again: they come in pairs"));
}

/// Homing goes by steps: nothing carries it out for what is driven by duty or by the width of a pulse.
void check_homing(MechanismSheet& sheet) {
  const Mechanism& mechanism = sheet.mechanism;
  if (!mechanism.homing || mechanism.is_movable()) return;
  sheet.add("homing-by-duty", "homing.sensor",
            fmt::format("a {} behind a {} is not homed: it has no steps to count from the switch",
                        kind_name(mechanism.motor), kind_name(mechanism.board)),
            "take the table out, and go to the switch in a script: `spin` until it acts; or a stepper");
}

void check_labels(MechanismSheet& sheet, const Stepper& motor) {
  if (!motor.step_angle) {
    sheet.cannot_check("step-angle-disagrees", "motor.step_angle");
  } else if (motor.step_angle->base() * Ratio(motor.full_steps) != Ratio(1)) {
    sheet.add("step-angle-disagrees", "motor.step_angle",
              fmt::format("{} steps of {} make {:.6g} deg a turn", motor.full_steps,
                          to_text(OutputPosition(*motor.step_angle)),
                          (motor.step_angle->base() * Ratio(motor.full_steps)).to_double() * 360),
              fmt::format("write step_angle = \"{}\" for {} steps a turn, or full_steps = {} for steps of {}",
                          to_text(OutputPosition(OutputKind::rotary, Ratio(1, motor.full_steps))),
                          motor.full_steps, to_text(Ratio(1) / motor.step_angle->base()),
                          to_text(OutputPosition(*motor.step_angle))));
  }
  if (!motor.rated_voltage) return sheet.cannot_check("winding-disagrees", "motor.rated_voltage");
  const Voltage follows = motor.rated_current * motor.resistance;
  if (std::abs(motor.rated_voltage->base() / follows.base() - 1.0) <= 0.1) return;
  sheet.add(
      "winding-disagrees", "motor.rated_voltage",
      fmt::format("{:.3g} A through {:.3g} ohm are {:.3g} V, not {:.3g} V", motor.rated_current.in(units::A),
                  motor.resistance.in(units::ohm), follows.in(units::V), motor.rated_voltage->in(units::V)),
      fmt::format(
          "measure the resistance with a meter, and read the current on the label: at {:.3g} V it is {:.3g} "
          "ohm, or {:.3g} A",
          motor.rated_voltage->base(), motor.rated_voltage->base() / motor.rated_current.base(),
          motor.rated_voltage->base() / motor.resistance.base()));
}

/// Steps as the maker's own notes count them against those of the board.
void check_steps_per_turn(MechanismSheet& sheet) {
  const Mechanism& mechanism = sheet.mechanism;
  const std::int64_t makes = steps_per_motor_turn(mechanism);
  if (makes == 0) return;
  if (!mechanism.steps_per_turn) {
    if (std::holds_alternative<CoilWiring>(mechanism.wiring))
      sheet.cannot_check("steps-mixed", "steps_per_turn");
    return;
  }
  if (*mechanism.steps_per_turn == makes) return;
  const double times = static_cast<double>(*mechanism.steps_per_turn) / static_cast<double>(makes);
  sheet.add(
      "steps-mixed", "steps_per_turn",
      fmt::format("counted are {} steps a turn of the motor, and so switched it makes {}: a turn becomes {}",
                  *mechanism.steps_per_turn, makes,
                  times == 2.0   ? std::string("two")
                  : times == 0.5 ? std::string("half of one")
                                 : fmt::format("{:.4g}", times)),
      fmt::format("count {}, or switch the coils otherwise (full, half, microsteps)", makes));
}

void check_sold_ratio(MechanismSheet& sheet) {
  const Mechanism& mechanism = sheet.mechanism;
  if (!mechanism.train_sold_as) return;
  const Ratio teeth = gear_ratio(mechanism.train);
  const Ratio sold = *mechanism.train_sold_as;
  const Ratio off = (sold - teeth) / teeth;  // of a turn behind the gears, each turn
  if (off == Ratio(0)) return;
  // A label is rounded by less than that.
  constexpr double rounded_by = 0.02;
  if (std::abs(off.to_double()) > rounded_by) {
    const double turned = (sold * teeth).to_double();  // 1 when it is upside down
    sheet.add(
        "ratio-disagrees", "train_sold_as",
        fmt::format("sold as {:.6g}:1, and the teeth make {} = {:.6g}:1: no label is rounded by so much",
                    sold.to_double(), to_text(teeth), teeth.to_double()),
        std::abs(turned - 1.0) <= rounded_by
            ? "one of the two is upside down: write train_sold_as as motor turns to one of the output, or "
              "change driving for driven in the train"
            : "count the teeth again, or the stages of the train; or correct what the label says");
    return;
  }
  const double degrees = std::abs(off.to_double()) * 360;
  std::string until_step;
  if (steps_per_motor_turn(mechanism) != 0)
    until_step = fmt::format(
        "one step after {:.3g} turns, ",
        1.0 / (static_cast<double>(steps_per_motor_turn(mechanism)) * std::abs((sold - teeth).to_double())));
  sheet.add("ratio-as-sold", "train_sold_as",
            fmt::format("sold as {:.6g}:1, the teeth make {} = {:.6g}:1: {:.4g} deg off a turn behind the "
                        "gears, {}one degree after "
                        "{:.3g}",
                        mechanism.train_sold_as->to_double(), to_text(teeth), teeth.to_double(), degrees,
                        until_step, 1.0 / degrees),
            "nothing to do: the teeth are counted");
}

/// A program that waits in whole milliseconds has only a few speeds.
void check_interval(MechanismSheet& sheet) {
  const auto& resolution = sheet.rig.controller.interval_resolution;
  const Ratio rate = sheet.mechanism.limits.speed.base * steps_per_base(sheet.mechanism);
  if (!resolution || rate == Ratio(0)) return;
  const double counts = 1.0 / (rate.to_double() * resolution->base().to_double());
  const double whole = std::max(1.0, std::ceil(counts - 1e-9));  // never faster than asked
  const double error = counts / whole - 1.0;
  if (std::abs(error) <= 0.01) return;
  const double next = sheet.mechanism.limits.speed.base.to_double() * counts / whole;
  sheet.add(
      "interval-too-coarse", "limits.speed",
      fmt::format(
          "{} takes a step each {:.4g} ms, and in steps of {} the interval is {:.4g} ms: {} by {:.3g} %",
          speed_text(sheet.mechanism, sheet.mechanism.limits.speed), 1000.0 / rate.to_double(),
          to_text(Time(*resolution), "ms"), whole * resolution->base().to_double() * 1e3,
          error < 0 ? "too slow" : "too fast", std::abs(error) * 100.0),
      fmt::format("time the steps by a timer, or ask for {}", sheet.output_text(next, 1)));
}

}  // namespace

void check_settings(MechanismSheet& sheet) {
  check_current(sheet);
  check_switches_set(sheet);
  if (const auto* const motor = std::get_if<Stepper>(&sheet.mechanism.motor)) check_labels(sheet, *motor);
  check_poles(sheet);
  check_homing(sheet);
  check_steps_per_turn(sheet);
  check_sold_ratio(sheet);
  check_interval(sheet);
}

void check_shared(const Rig& rig, FindingSheet& sheet) {
  std::map<std::pair<std::string, std::int64_t>, std::string> channels;
  for (const Mechanism& mechanism : rig.mechanisms) {
    const auto* const bridge = std::get_if<HBridge>(&mechanism.board);
    if (bridge == nullptr || bridge->form != HBridge::Form::four_channel) continue;
    const auto [other, is_new] =
        channels.emplace(std::pair(bridge->board_name, bridge->channel), mechanism.name);
    if (is_new) continue;
    sheet.add(
        "channel-used-twice", "mechanism." + mechanism.name + ".board.channel",
        fmt::format("channel {} of {} drives {} already", bridge->channel, bridge->board_name, other->second),
        "another channel of it, or another board (board.board_name)");
  }
  for (const WheeledPair& pair : rig.pairs) {
    const double left = pair.left_wheel.base();
    const double right = pair.right_wheel.base();
    constexpr double apart = 1.2;  // tyres wear, and differ by a few in a hundred
    if (std::max(left, right) <= apart * std::min(left, right)) continue;
    sheet.add("wheels-differ", "pair." + pair.name + ".right_wheel",
              fmt::format("the left wheel is {:.4g} mm, the right one {:.4g} mm", 1e3 * left, 1e3 * right),
              "measure both under load; of two equal wheels a few parts in a hundred are much");
  }
}

}  // namespace cogstride
