// Speeds, ramps, duties and angles against what the motor gives.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/plan/gearing.hpp"
#include "cogstride/plan/motor_estimates.hpp"
#include "cogstride/plan/move.hpp"
#include "cogstride/plan/pulse_scale.hpp"
#include "cogstride/plan/stepper_torque.hpp"
#include "cogstride/rig/figures/figure_rows.hpp"
#include "cogstride/rig/findings/finding_sheet.hpp"

namespace cogstride {
namespace {

/// Where a torque left over at a shaft speed falls to nothing, in output base units a second; by bisection.
template <class Left>
double fastest_speed(const Mechanism& mechanism, Left left) {
  double sound = 0.0;
  double beyond = mechanism.limits.speed.base.to_double();
  for (int i = 0; i < 60; ++i) {
    const double middle = 0.5 * (sound + beyond);
    (left(shaft_speed(mechanism, middle)) > 0.0 ? sound : beyond) = middle;
  }
  return sound;
}

/// Torque of a stepper that is left at a shaft speed, N m.
double stepper_torque_left(const Mechanism& mechanism, double shaft) {
  return available_torque(mechanism, shaft) - mechanism.stepper().detent_torque.base() -
         friction_torque(mechanism, shaft);
}

/// What its motor turns it with, m/s or turns/s, up to limits.speed.
double speed_by_torque(const Mechanism& mechanism) {
  const double asked = mechanism.limits.speed.base.to_double();
  const auto up_to = [&](auto left) {
    return left(shaft_speed(mechanism, asked)) > 0.0 ? asked : fastest_speed(mechanism, left);
  };
  if (mechanism.is_movable_stepper())
    return up_to([&](double shaft) { return stepper_torque_left(mechanism, shaft); });
  if (const auto* const servo = std::get_if<StepServo>(&mechanism.motor))
    return std::min(asked,
                    servo->top_speed.base().to_double() / motor_turns_per_base(mechanism.train).to_double());
  if (const auto* const servo = std::get_if<HobbyServo>(&mechanism.motor))
    return std::min(asked, (servo->speed.base() / motor_turns_per_base(mechanism.train)).to_double());
  if (mechanism.is_driven_by_duty() || mechanism.has_six_gates())
    return up_to([model = with_commutations(mechanism)](double shaft) { return torque_left(model, shaft); });
  return asked;
}

void check_stepper(MechanismSheet& sheet, const Stepper& motor) {
  const Mechanism& mechanism = sheet.mechanism;
  const Limits& limits = mechanism.limits;
  const auto left = [&](double shaft) { return stepper_torque_left(mechanism, shaft); };
  if (left(0.0) <= 0.0) return;  // load-stalls says so
  const double pull_in = pull_in_speed(mechanism);
  if (limits.start_speed.base.to_double() > pull_in) {
    sheet.add("start-above-pull-in", "limits.start_speed",
              fmt::format("the motor can jump to about {}, and is asked for {}",
                          sheet.output_text(pull_in, 1), to_text(limits.start_speed)),
              "start below half of it, and ramp from there");
    return;
  }
  // Set to much less current than the motor is rated for, its torque is what is missing.
  const StepperDrive drive = stepper_drive(mechanism);
  const double rated = motor.winding().rated_current.base();
  const std::string by_current =
      drive.is_limited && drive.current < 0.7 * rated
          ? fmt::format("; its board is set to {:.3g} A of the {:.3g} A that the motor is rated for",
                        drive.current, rated)
          : "";
  const double speed = limits.speed.base.to_double();
  const double shaft = shaft_speed(mechanism, speed);
  if (left(shaft) <= 0.0) {
    const double gives = available_torque(mechanism, shaft) - motor.detent_torque.base();
    sheet.add("speed-beyond-torque", "limits.speed",
              fmt::format("at {} the windings give {:.3g} N m, and friction takes {:.3g} N m",
                          to_text(limits.speed), std::max(0.0, gives), friction_torque(mechanism, shaft)),
              fmt::format("about {} can be had{}",
                          sheet.output_text(speed_to_be_had(sheet.rig, mechanism), 1), by_current));
    return;
  }
  const double usable = usable_acceleration(mechanism, speed);
  if (hardest_acceleration(mechanism) > usable * shaft_speed(mechanism, 1.0)) {
    sheet.add("acceleration-beyond-torque", "limits.acceleration",
              fmt::format("{} is more than the torque at top speed gives, oscillation included",
                          to_text(limits.acceleration)),
              (usable > 0.0 ? fmt::format("about {} can be had up to {}", sheet.output_text(usable, 2),
                                          to_text(limits.speed))
                            : std::string("give a lower top speed")) +
                  by_current);
  }
}

/// Whole and half steps at the rate of the rotor's own oscillation.
void check_resonance(MechanismSheet& sheet, const Stepper& motor) {
  const Mechanism& mechanism = sheet.mechanism;
  const auto* const board = std::get_if<StepDirBoard>(&mechanism.board);
  if (board != nullptr && board->microsteps >= 4) return;
  const double oscillation = natural_frequency(mechanism);
  const double full_steps =
      static_cast<double>(motor.full_steps) * motor_turns_per_base(mechanism.train).to_double();
  const auto check = [&](const char* key, OutputSpeed speed) {
    const double rate = speed.base.to_double() * full_steps;
    if (std::abs(rate - oscillation) > 0.15 * oscillation) return;
    sheet.add("on-resonance", key,
              fmt::format("{} makes {:.3g} full steps/s, and the rotor oscillates at {:.3g} Hz",
                          to_text(speed), rate, oscillation),
              fmt::format("take 4 microsteps or more, or keep away from {}",
                          sheet.output_text(oscillation / full_steps, 1)));
  };
  check("limits.speed", mechanism.limits.speed);
  if (!mechanism.homing) return;
  check("homing.speed", mechanism.homing->speed);
  check("homing.slow_speed", mechanism.homing->slow_speed);
}

void check_rotary(MechanismSheet& sheet, const RotaryMotorModel& model) {
  const Mechanism& mechanism = sheet.mechanism;
  const Limits& limits = mechanism.limits;
  const double shaft = shaft_speed(mechanism, limits.speed.base.to_double());
  const double held =
      model.torque_per_ampere * std::min(model.current_limit, model.supply / model.resistance);
  if (held <= model.stiction + model.steady) {
    sheet.add("load-stalls", "load",
              fmt::format("{:.3g} A give {:.3g} N m, and to break loose takes {:.3g} N m",
                          std::min(model.current_limit, model.supply / model.resistance), held,
                          model.stiction + model.steady),
              "more current, or a train that turns slower");
    return;
  }
  const double left = torque_left(model, shaft);
  if (left <= 0.0) {
    sheet.add(
        "speed-beyond-torque", "limits.speed",
        fmt::format("{} takes {:.3g} V against its load, and {} gives {:.3g} V",
                    speed_text(mechanism, limits.speed), duty_for(model, shaft) * model.supply,
                    mechanism.supply.name, model.supply),
        fmt::format("about {} can be had", sheet.output_text(speed_to_be_had(sheet.rig, mechanism), 1)));
    return;
  }
  const SwitchedCurrent current = current_at(model, shaft);
  if (current.mean < model.board_limit && current.highest > model.board_limit)
    sheet.add(
        "ripple-over-limit", "lines.pwm_frequency",
        fmt::format("{:.3g} A on average at {} ripple up to {:.3g} A, and the board's limit is {:.3g} A",
                    current.mean, speed_text(mechanism, limits.speed), current.highest, model.board_limit),
        "a higher frequency, or a choke in series: half the period or twice the inductance, half the "
        "ripple");
  const double usable = left / model.inertia / shaft_speed(mechanism, 1.0);
  if (limits.acceleration.base.to_double() > usable)
    sheet.add("acceleration-beyond-torque", "limits.acceleration",
              fmt::format("{} is more than the torque at top speed gives", to_text(limits.acceleration)),
              fmt::format("about {} can be had up to {}", sheet.output_text(usable, 2),
                          speed_text(mechanism, limits.speed)));
}

void check_duty(MechanismSheet& sheet, const RotaryMotorModel& model) {
  const Limits& limits = sheet.mechanism.limits;
  const bool brushed = std::holds_alternative<BrushedMotor>(sheet.mechanism.motor);
  if (limits.lowest_duty) {
    const double start = start_duty(model);
    const double lowest = limits.lowest_duty->base().to_double();
    if (start > lowest)
      sheet.add("start-duty-too-high", "limits.lowest_duty",
                fmt::format("it breaks loose at {:.3g} % duty, and is asked to turn with {:.3g} %",
                            100.0 * start, 100.0 * lowest),
                fmt::format("ask for {:.3g} % or more, or give it a kick first", std::ceil(100.0 * start)));
  } else if (brushed) {
    sheet.cannot_check("start-duty-too-high", "limits.lowest_duty");
  }
  if (!brushed) return;
  if (!limits.reversal_pause) return sheet.cannot_check("reversal-too-soon", "limits.reversal_pause");
  const double shaft = shaft_speed(sheet.mechanism, limits.speed.base.to_double());
  const double needed = spin_down_time(model, shaft, limits.slows_by);
  if (limits.reversal_pause->base() >= needed) return;
  sheet.add("reversal-too-soon", "limits.reversal_pause",
            fmt::format("it is reversed after {}, and {}", seconds_text(limits.reversal_pause->base()),
                        std::isfinite(needed) ? "stands after " + seconds_text(needed)
                                              : std::string("without friction it never stands by itself")),
            limits.slows_by == SlowsBy::coasting
                ? fmt::format("pause longer, or brake it: then it stands after {}",
                              seconds_text(spin_down_time(model, shaft, SlowsBy::braking)))
                : std::string("pause longer"));
}

void check_servo(MechanismSheet& sheet, const HobbyServo& servo) {
  const Limits& limits = sheet.mechanism.limits;
  const Ratio swing = range_of(sheet.mechanism).base;
  const Ratio top = servo.speed.base() / motor_turns_per_base(sheet.mechanism.train);
  const OutputKind kind = output_kind(sheet.mechanism.train);
  if (limits.travel_from && (limits.travel_from->base < Ratio(0) || limits.travel_to->base > swing)) {
    sheet.add("servo-beyond-ends", "limits.travel",
              fmt::format("{} to {} are asked for, and its measured end points lie at 0 {} and {}",
                          to_text(*limits.travel_from), to_text(*limits.travel_to), display_unit(kind, 0),
                          to_text(range_of(sheet.mechanism))),
              "keep the travel between the end points: beyond them it pulls its stall current");
  }
  if (limits.speed.base > top)
    sheet.add("speed-beyond-torque", "limits.speed",
              fmt::format("it turns with {} at the most", to_text(OutputSpeed{kind, top})),
              fmt::format("{} can be had", to_text(OutputSpeed{kind, top})));
}

void check_throttle(MechanismSheet& sheet, const ThrottledMotor& motor) {
  const auto& lowest = sheet.mechanism.limits.lowest_duty;
  if (!lowest) return sheet.cannot_check("start-duty-too-high", "limits.lowest_throttle");
  if (*lowest >= motor.start_throttle) return;
  sheet.add("start-duty-too-high", "limits.lowest_throttle",
            fmt::format("it starts at {:.3g} % throttle, and is asked to turn with {:.3g} %",
                        motor.start_throttle.base().to_double() * 100.0, lowest->base().to_double() * 100.0),
            fmt::format("ask for {:.3g} % or more", motor.start_throttle.base().to_double() * 100.0));
}

void check_step_servo(MechanismSheet& sheet, const StepServo& motor) {
  const Mechanism& mechanism = sheet.mechanism;
  const Limits& limits = mechanism.limits;
  const double shaft = shaft_speed(mechanism, limits.speed.base.to_double());
  const double top = 2.0 * pi * motor.top_speed.base().to_double();
  const double friction = friction_torque(mechanism, shaft);
  if (shaft > top || friction > motor.rated_torque.base()) {
    sheet.add(
        "speed-beyond-torque", "limits.speed",
        fmt::format(
            "{} takes {:.4g} rpm and {:.3g} N m, and the motor gives {:.4g} rpm and {:.3g} N m for ever",
            to_text(limits.speed), shaft * 30.0 / pi, friction, top * 30.0 / pi, motor.rated_torque.base()),
        fmt::format("{} is what its top speed makes",
                    sheet.output_text(top / shaft_speed(mechanism, 1.0), 1)));
    return;
  }
  const double off = step_servo_pushed_off(mechanism) / (2.0 * pi);
  if (off > step_servo_gives_up)
    sheet.add(
        "servo-gives-up", "motor.bandwidth",
        fmt::format("friction of {:.3g} N m that turns round pushes it {:.3g} of a turn off, and it gives "
                    "up at {:.3g}",
                    mechanism.load.coulomb_friction.base(), off, step_servo_gives_up),
        fmt::format("a loop of {:.3g} Hz or more, or more inertia, or less friction",
                    motor.bandwidth.in(units::Hz)*std::sqrt(off / step_servo_gives_up)));
  const double radians = shaft_speed(mechanism, 1.0);
  const double usable = (motor.peak_torque.base() - friction) / moved_inertia(mechanism).base() / radians;
  if (hardest_acceleration(mechanism) > usable * radians)
    sheet.add("acceleration-beyond-torque", "limits.acceleration",
              fmt::format("{} takes more than its peak torque of {:.3g} N m", to_text(limits.acceleration),
                          motor.peak_torque.base()),
              fmt::format("about {} can be had", sheet.output_text(std::max(0.0, usable), 2)));
}

void check_following(MechanismSheet& sheet) {
  const auto& follows = sheet.mechanism.follows;
  if (!follows) return;
  const Mechanism leader = leader_named(sheet.rig, follows->first.leader);
  const Ratio ratio = way_per_base(follows->first);
  if (const auto* const encoder = sensor_of<Encoder>(leader);
      encoder != nullptr && sheet.mechanism.is_movable() && !leader.is_movable()) {
    const double steps =
        std::abs((ratio * steps_per_base(sheet.mechanism) / counts_per_base(leader, *encoder)).to_double());
    const double full = static_cast<double>(steps_lost_at_once(sheet.mechanism)) / 4.0;
    if (steps > full)
      sheet.add("leader-counts-coarse", "follows.by",
                fmt::format("a count of {} is {:.3g} steps, and a full step of the motor is {:.3g}",
                            leader.name, steps, full),
                fmt::format("an encoder of {:.0f} lines or more",
                            std::ceil(static_cast<double>(encoder->lines_per_turn) * steps / full)));
  }
  if (const auto& play = sheet.mechanism.load.backlash; play && sheet.mechanism.is_movable()) {
    const double steps = std::abs((play->base * steps_per_base(sheet.mechanism)).to_double());
    if (steps > 1.0)
      sheet.add("follower-has-play", "load.backlash",
                fmt::format("{} of play are {:.3g} steps", to_text(*play), steps),
                "a train without play, or ends so far apart that it does not matter");
  }
  const double asked = std::abs((ratio * leader.limits.speed.base).to_double());
  const double most = sheet.mechanism.limits.speed.base.to_double();
  if (asked <= most) return;
  sheet.add(
      "follower-too-slow", "follows.by",
      fmt::format("at {}'s top speed it would go {}, and its own is {}", leader.name,
                  sheet.output_text(asked, 1), speed_text(sheet.mechanism, sheet.mechanism.limits.speed)),
      fmt::format(
          "it can follow {} up to {}", leader.name,
          to_text(OutputSpeed(follows->first.for_each.kind,
                              sheet.mechanism.limits.speed.base / (ratio < Ratio(0) ? -ratio : ratio)))));
}

}  // namespace

double speed_to_be_had(const Rig& rig, const Mechanism& mechanism) {
  double speed = speed_by_torque(mechanism);
  const double steps = std::abs(steps_per_base(mechanism).to_double());
  const auto up_to = [&](double rate, double per_base) {
    if (per_base > 0.0) speed = std::min(speed, rate / per_base);
  };
  up_to(rig.controller.top_step_rate.base().to_double(), steps);
  const auto& through = mechanism.common.through;
  if (const BetweenPart* const part = through ? find_part(rig, *through) : nullptr;
      part != nullptr && part->top_rate)
    up_to(0.5 * part->top_rate->base().to_double(), steps);
  if (const auto* const board = std::get_if<StepDirBoard>(&mechanism.board))
    up_to(1.0 / std::max(1e-12, (std::max(mechanism.step_dir_lines().pulse_width, board->shortest_high) +
                                 board->shortest_low)
                                    .base()),
          steps);
  if (rig.controller.counters)
    for (const Sensor& sensor : mechanism.sensors)
      if (const auto* const encoder = std::get_if<Encoder>(&sensor))
        up_to(rig.controller.counters->top_rate.base().to_double(),
              std::abs(counts_per_base(mechanism, *encoder).to_double()));
  return speed;
}

void check_motion(MechanismSheet& sheet) {
  const Motor& motor = sheet.mechanism.motor;
  if (const auto* const stepper = std::get_if<Stepper>(&motor)) {
    check_stepper(sheet, *stepper);
    check_resonance(sheet, *stepper);
  } else if (const auto* const servo = std::get_if<HobbyServo>(&motor)) {
    check_servo(sheet, *servo);
  } else if (const auto* const throttled = std::get_if<ThrottledMotor>(&motor)) {
    check_throttle(sheet, *throttled);
  } else if (const auto* const step_servo = std::get_if<StepServo>(&motor)) {
    check_step_servo(sheet, *step_servo);
  } else {
    const RotaryMotorModel model = with_commutations(sheet.mechanism);
    check_rotary(sheet, model);
    check_duty(sheet, model);
  }
  check_following(sheet);
}

}  // namespace cogstride
