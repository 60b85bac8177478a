#include "cogstride/rig/figures/figure_rows.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "cogstride/board/bus/bus_figures.hpp"
#include "cogstride/plan/drive_figures.hpp"
#include "cogstride/plan/gearing.hpp"
#include "cogstride/plan/motor_estimates.hpp"
#include "cogstride/plan/move.hpp"
#include "cogstride/plan/pulse_scale.hpp"
#include "cogstride/plan/stepper_torque.hpp"
#include "cogstride/rig/figures/derive.hpp"

namespace cogstride {
namespace {

struct StageText {
  std::string operator()(const Belt& belt) const {
    return fmt::format("belt {}:{}", belt.driving, belt.driven);
  }
  std::string operator()(const GearPair& gears) const {
    return fmt::format("gears {}:{}", gears.driving, gears.driven);
  }
  std::string operator()(const Screw& screw) const {
    return fmt::format("screw of {} lead", to_text(OutputPosition(screw.lead)));
  }
  std::string operator()(const ToothedDrive& drive) const {
    return fmt::format("{} teeth of {}", drive.teeth, to_text(OutputPosition(drive.pitch)));
  }
};

/// "800/3 = 266.666667", or the whole number alone.
std::string exact_text(Ratio ratio) {
  if (ratio.is_whole()) return to_text(ratio);
  return fmt::format("{} = {:.9g}", to_text(ratio), ratio.to_double());
}

/// "0.318 N m", and of small motors "5.24 mN m".
std::string torque_text(double newton_metres) {
  return std::abs(newton_metres) < 0.02 ? fmt::format("{:.3g} mN m", 1e3 * newton_metres)
                                        : fmt::format("{:.3g} N m", newton_metres);
}

bool spins(const Motor& motor) {
  return std::holds_alternative<BrushedMotor>(motor) || std::holds_alternative<BrushlessMotor>(motor);
}

class MechanismRows {
 public:
  MechanismRows(const Rig& rig, const Mechanism& mechanism)
      : rig_(rig),
        mechanism_(mechanism),
        limits_(mechanism.limits),
        kind_(output_kind(mechanism.train)),
        unit_(display_unit(kind_, 0)) {}

  std::vector<FigureRow> take() {
    if (std::holds_alternative<Stepper>(mechanism_.motor)) {
      stepper();
    } else if (std::holds_alternative<StepServo>(mechanism_.motor)) {
      step_servo();
    } else if (std::holds_alternative<PulseWidthInput>(mechanism_.board)) {
      pulse_width();
    } else if (mechanism_.has_bus_drive()) {
      bus_drive();
    } else {
      rotary_motor();
    }
    supply();
    stations();
    homing();
    follows();
    for (const Sensor& sensor : mechanism_.sensors) std::visit(*this, sensor);
    leads();
    proven();
    if (!mechanism_.guesses.empty())
      add("guesses", guesses_words(mechanism_.guesses),
          {{"guesses", static_cast<double>(mechanism_.guesses.size())}});
    return std::move(rows_);
  }

  void operator()(const PlaceSwitch& place_switch) {
    std::string where = place_switch.is_window
                            ? fmt::format("acts from {} to {}", to_text(place_switch.window_from),
                                          to_text(place_switch.window_to))
                            : fmt::format("acts at {}, releases at {}", to_text(place_switch.acts_at),
                                          to_text(place_switch.releases_at));
    const bool stepped = steps_per_base(mechanism_) != Ratio(0);
    if (stepped && place_switch.noise.base != Ratio(0)) {
      const double steps = (place_switch.noise.base * steps_per_base(mechanism_)).to_double();
      add(place_switch.name, fmt::format("{}; its noise is {:.2g} of a step", where, steps),
          {{place_switch.name + "_noise_steps", steps}});
      return;
    }
    add(place_switch.name, std::move(where));
  }
  void operator()(const Encoder& encoder) {
    const Ratio counts = counts_per_base(mechanism_, encoder) / Ratio(display_units_per_base(kind_));
    const double rate = std::abs((counts_per_base(mechanism_, encoder) * limits_.speed.base).to_double());
    add(encoder.name,
        fmt::format("{} counts a {}, {:.4g} {} each; {:.4g} counts/s at top speed", exact_text(counts), unit_,
                    std::abs(1.0 / counts.to_double()), unit_, rate),
        {{in(encoder.name + "_counts_per"), counts}, {encoder.name + "_top_rate_counts_per_s", rate}});
  }
  void operator()(const HallSet& halls) {
    add(halls.name, fmt::format("tells the electrical angle to 60 deg, sensors {} apart",
                                to_text(OutputPosition(halls.spacing))));
  }
  void operator()(const Shunt& shunt) {
    const double volts_per_ampere = (shunt.resistance * static_cast<double>(shunt.gain)).base();
    std::string text = fmt::format("{:.4g} mV an ampere", volts_per_ampere * 1000.0);
    std::vector<std::pair<std::string, FigureValue>> values{{shunt.name + "_V_per_A", volts_per_ampere}};
    if (const auto& analogue = rig_.controller.analogue) {
      const double code = analogue->volts_per_code();
      text += fmt::format(": {:.3g} mA a code, up to {:.3g} A", code / volts_per_ampere * 1000.0,
                          analogue->full_scale.base() / volts_per_ampere);
      values.emplace_back(shunt.name + "_A_per_code", code / volts_per_ampere);
    }
    add(shunt.name, std::move(text), std::move(values));
  }
  void operator()(const TerminalVoltages& terminals) {
    const double scale = terminals.scale();
    std::string text = fmt::format("{:.4g} V at a terminal are a volt", scale);
    std::vector<std::pair<std::string, FigureValue>> values{{terminals.name + "_V_per_V", scale}};
    if (const auto& analogue = rig_.controller.analogue) {
      const double code = analogue->volts_per_code() * scale;
      text += fmt::format(": {:.3g} mV a code, up to {:.3g} V", code * 1000.0,
                          analogue->full_scale.base() * scale);
      values.emplace_back(terminals.name + "_V_per_code", code);
    }
    add(terminals.name, std::move(text), std::move(values));
  }
  void operator()(const TemperatureProbe& probe) {
    if (!rig_.controller.analogue) return;
    const AnalogueInputs& analogue = *rig_.controller.analogue;
    const double code = analogue.volts_per_code();
    const double kelvin = std::abs(code / probe.per_kelvin.base());
    add(probe.name, fmt::format("{:.3g} K a code, on the {}", kelvin, probe.on_motor ? "motor" : "board"),
        {{probe.name + "_K_per_code", kelvin}});
  }

 private:
  using Values = std::vector<std::pair<std::string, FigureValue>>;

  /// With the unit of the output, or of that a second or a second squared: "top_speed_mm_per_s".
  [[nodiscard]] std::string in(std::string_view name, int derivative = 0) const {
    return with_unit(name, display_unit(kind_, derivative));
  }

  void add(std::string label, std::string text, Values values = {}) {
    rows_.push_back({std::move(label), std::move(text), std::move(values)});
  }

  void stepper() {
    const StepperFigures figures = stepper_figures(mechanism_, rig_.controller);
    steps(figures.steps_per_unit);
    const bool linear = kind_ == OutputKind::linear;
    add("top speed",
        fmt::format("{} = {:.6g} steps/s; this controller makes {:.6g}{}", to_text(limits_.speed),
                    figures.top_step_rate, figures.controller_step_rate,
                    figures.controller_can() ? "" : ": TOO FAST FOR IT"),
        {{in("top_speed", 1), figures.top_speed},
         {"top_rate_steps_per_s", figures.top_step_rate},
         {"controller_rate_steps_per_s", figures.controller_step_rate},
         {"controller_can", figures.controller_can()}});
    const double electrical = shaft_speed(mechanism_, limits_.speed.base.to_double()) / (2.0 * pi) *
                              static_cast<double>(mechanism_.stepper().full_steps) / 4.0;
    add("electrical", fmt::format("{:.4g} Hz in the windings at top speed", electrical),
        {{"electrical_Hz", electrical}});
    step_interval(figures.top_step_rate);
    add("ramp",
        fmt::format("{}{}, from {} to top speed in {} over {:.4g} {}", to_text(limits_.acceleration),
                    limits_.jerk ? fmt::format(" and {}", to_text(*limits_.jerk)) : "",
                    to_text(limits_.start_speed), seconds_text(figures.ramp_time), figures.ramp_way, unit_),
        {{"ramp_s", figures.ramp_time}, {in("ramp_way"), figures.ramp_way}});
    travel(figures.travel_steps, figures.travel_time);
    add("torque",
        fmt::format("{} at rest, {} left at top speed: about {} {} can be had",
                    torque_text(figures.torque_at_rest), torque_text(figures.torque_left),
                    figures.usable_acceleration < 1000.0 ? fmt::format("{:.4g}", figures.usable_acceleration)
                                                         : fmt::format("{:.0f}", figures.usable_acceleration),
                    display_unit(kind_, 2)),
        {{"torque_at_rest_Nm", figures.torque_at_rest},
         {"torque_left_Nm", figures.torque_left},
         {in("usable_acceleration", 2), figures.usable_acceleration}});
    add("start",
        fmt::format("can jump to about {:.3g} {}; oscillates at {:.3g} Hz ({:.3g} to {:.3g} by detent)",
                    figures.pull_in_speed, linear ? "mm/s" : "deg/s", figures.natural_frequency,
                    natural_frequency_at(mechanism_, pi / 4.0), natural_frequency_at(mechanism_, 0.0)),
        {{in("pull_in_speed", 1), figures.pull_in_speed},
         {"natural_frequency_Hz", figures.natural_frequency}});
    losses(mechanism_.stepper().heat, "held for ever");
  }

  void step_servo() {
    const auto& motor = std::get<StepServo>(mechanism_.motor);
    steps(steps_per_base(mechanism_) / Ratio(display_units_per_base(kind_)));
    const double rate = (limits_.speed.base * steps_per_base(mechanism_)).to_double();
    const double shaft = shaft_speed(mechanism_, limits_.speed.base.to_double());
    add("top speed",
        fmt::format("{} = {:.6g} steps/s, {:.4g} rpm of the motor; this controller makes {:.6g} steps/s",
                    to_text(limits_.speed), rate, shaft * 30.0 / pi,
                    rig_.controller.top_step_rate.base().to_double()),
        {{"top_rate_steps_per_s", rate}, {"motor_rpm", shaft * 30.0 / pi}});
    step_interval(rate);
    const double acceleration = shaft_speed(mechanism_, limits_.acceleration.base.to_double());
    const double torque =
        acceleration * moved_inertia(mechanism_).base() + friction_torque(mechanism_, shaft);
    add("torque",
        fmt::format("a ramp takes {:.3g} N m of {:.3g}, top speed {:.3g} of {:.3g}", torque,
                    motor.peak_torque.base(), friction_torque(mechanism_, shaft), motor.rated_torque.base()),
        {{"ramp_torque_Nm", torque}, {"running_torque_Nm", friction_torque(mechanism_, shaft)}});
    const double off =
        step_servo_pushed_off(mechanism_) / (2.0 * pi) * static_cast<double>(motor.steps_per_turn);
    add("stiffness",
        fmt::format("its loop of {:.3g} Hz: friction that turns round pushes it {:.3g} steps off for about "
                    "{:.2g} ms, and it stands within half a step",
                    motor.bandwidth.in(units::Hz), off,
                    1e3 * 6.0 / (2.0 * pi * motor.bandwidth.in(units::Hz))),
        {{"bandwidth_Hz", motor.bandwidth.in(units::Hz)}, {"pushed_off_steps", off}});
    std::optional<std::int64_t> travel_steps;
    if (limits_.travel_from)
      travel_steps = step_at(mechanism_, *limits_.travel_to) - step_at(mechanism_, *limits_.travel_from);
    travel(travel_steps, std::nullopt);
  }

  void rotary_motor() {
    const RotaryMotorModel model = with_commutations(mechanism_);
    const double shaft = shaft_speed(mechanism_, limits_.speed.base.to_double());
    const SteadyRun run = steady_run(model, shaft);
    const double duty = run.duty;
    const SwitchedCurrent& current = run.current;
    const double left = torque_left(model, shaft);
    turns(shaft);
    if (const auto* const brushless = std::get_if<BrushlessMotor>(&mechanism_.motor)) {
      const double electrical = shaft / (2.0 * pi) * static_cast<double>(brushless->pole_pairs);
      add("electrical",
          fmt::format("{:.4g} Hz at top speed, {:.4g} six-step commutations a second", electrical,
                      6.0 * electrical),
          {{"electrical_Hz", electrical}});
    }
    const double run_up = run_up_time(model, shaft);
    const double turn_acceleration = left / model.inertia / shaft_speed(mechanism_, 1.0);
    add("torque",
        fmt::format("{} left at top speed, {} with its inertia of {:.3g} kg m2", torque_text(left),
                    std::isfinite(run_up)
                        ? fmt::format("{} in {} at the soonest", speed_text(mechanism_, limits_.speed),
                                      seconds_text(run_up))
                        : "not enough",
                    model.inertia),
        {{"torque_left_Nm", left},
         {"run_up_s", run_up},
         {in("usable_acceleration", 2), turn_acceleration * display_units_per_base(kind_)}});
    const double start = start_duty(model);
    const double spin_down = spin_down_time(model, shaft, limits_.slows_by);
    add("duty",
        fmt::format("breaks loose at {:.3g} %, takes {:.3g} % at top speed", start * 100.0, duty * 100.0),
        {{"start_duty_share", start}, {"top_speed_duty_share", duty}});
    add("current",
        fmt::format("{:.3g} A on average at top speed; switched, up to {:.3g} A", current.mean,
                    current.highest),
        {{"top_speed_current_A", current.mean}, {"top_speed_highest_current_A", current.highest}});
    pwm();
    const char* const slows = limits_.slows_by == SlowsBy::braking ? "braking" : "coasting";
    add("slowing",
        std::isfinite(spin_down) ? fmt::format("stands {} after the drive is taken away at top speed, {}",
                                               seconds_text(spin_down), slows)
                                 : fmt::format("without friction it never stands by itself, {}", slows),
        {{"spin_down_s", spin_down}});
    if (limits_.travel_from) travel(std::nullopt, std::nullopt);
    const MotorHeat& heat = std::visit(
        [](const auto& motor) -> const MotorHeat& {
          if constexpr (requires { motor.heat; }) return motor.heat;
          throw RangeError("no heat figures for this motor");
        },
        mechanism_.motor);
    losses(heat, "at top speed");
  }

  void bus_drive() {
    const RotaryMotorModel model = model_of(mechanism_);
    const double shaft = shaft_speed(mechanism_, limits_.speed.base.to_double());
    const SwitchedCurrent current = current_at(model, shaft);
    const Ratio counts = steps_per_base(mechanism_) / Ratio(display_units_per_base(kind_));
    const RampLimits ramp = drive_limits(mechanism_);
    turns(shaft);
    add("counts",
        fmt::format("{} counts of its drive a {}; {:.4g} counts/s at top speed", exact_text(counts), unit_,
                    ramp.speed),
        {{in("counts_per"), counts}, {"top_rate_counts_per_s", ramp.speed}});
    const double left = torque_left(model, shaft);
    const double ramp_torque = drive_ramp_torque(mechanism_);
    add("torque",
        fmt::format("{} left at top speed; its ramp takes {}", torque_text(left), torque_text(ramp_torque)),
        {{"torque_left_Nm", left}, {"ramp_torque_Nm", ramp_torque}});
    add("ramp",
        fmt::format("{} to top speed, over {:.4g} {}", seconds_text(ramp.speed / ramp.acceleration),
                    0.5 * ramp.speed * ramp.speed / ramp.acceleration / counts.to_double(), unit_),
        {{"ramp_s", ramp.speed / ramp.acceleration}});
    const double most = limits_.current ? limits_.current->base() : model.current_limit;
    add("current",
        fmt::format("{:.3g} A at top speed; {:.3g} A of the motor and {:.3g} A of its supply at the most",
                    current.mean, most, std::get<BusDrive>(mechanism_.board).supply_current.base()),
        {{"top_speed_current_A", current.mean}});
    if (limits_.travel_from) travel(std::nullopt, std::nullopt);
    losses(drive_motor_figures(mechanism_).heat, "at top speed");
  }

  void pulse_width() {
    const auto& input = std::get<PulseWidthInput>(mechanism_.board);
    const TimerChoice choice = chosen(input.frame_rate, Alignment::edge);
    const double period = 1.0 / input.frame_rate.base().to_double();
    // A period counts as many as the timer makes of it: one count is the smallest change of a pulse.
    const double count = period * choice.duty_step;
    const PulseScale scale(mechanism_);
    if (const auto* const servo = std::get_if<HobbyServo>(&mechanism_.motor)) {
      servo_pulse(*servo, input, scale, count);
    } else {
      throttle_pulse(std::get<ThrottledMotor>(mechanism_.motor), input, scale, count);
    }
  }

  void servo_pulse(const HobbyServo& servo, const PulseWidthInput& input, const PulseScale& scale,
                   double count) {
    const OutputPosition swing = range_of(mechanism_);
    const double units = swing.base.to_double() * display_units_per_base(kind_);
    const double units_per_second = units / (input.longest_pulse - input.shortest_pulse).base();
    add("pulse",
        fmt::format("{:.4g} to {:.4g} ms over {}: {:.4g} us a {}", scale.pulse_at(0.0) * 1e3,
                    scale.pulse_at(1.0) * 1e3, to_text(swing), 1e6 / units_per_second, unit_name()),
        {{kind_ == OutputKind::rotary ? "pulse_s_per_deg" : "pulse_s_per_mm", 1.0 / units_per_second}});
    add("resolution",
        fmt::format("one count is {} = {:.3g} {}; its dead band is {:.3g} {}", seconds_text(count),
                    count * units_per_second, unit_, servo.dead_band.base() * units_per_second, unit_),
        {{"count_s", count},
         {in("resolution"), count * units_per_second},
         {in("dead_band"), servo.dead_band.base() * units_per_second}});
    if (limits_.travel_from && limits_.travel_to) {
      const auto pulse_at = [&](const OutputPosition& place) {
        return scale.pulse_at((place.base / swing.base).to_double());
      };
      const double time =
          ((limits_.travel_to->base - limits_.travel_from->base) / limits_.speed.base).to_double();
      add("travel",
          fmt::format("{} to {} = {:.4g} to {:.4g} ms, end to end in {}", to_text(*limits_.travel_from),
                      to_text(*limits_.travel_to), pulse_at(*limits_.travel_from) * 1e3,
                      pulse_at(*limits_.travel_to) * 1e3, seconds_text(time)),
          {{"travel_s", time},
           {"travel_from_pulse_s", pulse_at(*limits_.travel_from)},
           {"travel_to_pulse_s", pulse_at(*limits_.travel_to)}});
    }
    servo_heat(servo);
  }

  /// Held fast it warms up by its stall current alone.
  void servo_heat(const HobbyServo& servo) {
    const MotorHeat& heat = servo.heat;
    const std::optional<double> most = highest_rise(mechanism_, heat);
    if (!heat.thermal_resistance || !heat.heat_capacity || !most) return;
    const double watts = servo.stall_current.base() * servo.rated_voltage.base();
    const double final_rise = watts * heat.thermal_resistance->base();
    const double constant = heat.thermal_resistance->base() * heat.heat_capacity->base();
    const double stands = *most;
    if (final_rise <= stands) {
      add("heat",
          fmt::format("held fast it takes {:.3g} W and comes to {:.3g} K over the air; it stands {:.3g} K",
                      watts, final_rise, stands),
          {{"stall_power_W", watts}, {"stall_rise_K", final_rise}});
      return;
    }
    const double reached = -constant * std::log(1.0 - stands / final_rise);
    const double rest = constant * std::log(2.0);
    add("heat",
        fmt::format(
            "held fast it takes {:.3g} W and reaches the {:.3g} K that it stands in {:.3g} s; then it must "
            "rest for {:.3g} s to be half as warm",
            watts, stands, reached, rest),
        {{"stall_power_W", watts}, {"stall_s", reached}, {"rest_s", rest}});
  }

  void throttle_pulse(const ThrottledMotor& motor, const PulseWidthInput& input, const PulseScale& scale,
                      double count) {
    const double start = motor.start_throttle.base().to_double();
    add("pulse",
        scale.goes_both_ways()
            ? fmt::format(
                  "{:.4g} ms is no throttle, {:.4g} ms full forwards, {:.4g} ms full backwards; it starts "
                  "at {:.4g} ms",
                  scale.safe_pulse() * 1e3, scale.pulse_at(1.0) * 1e3, scale.pulse_at(-1.0) * 1e3,
                  scale.pulse_at(start) * 1e3)
            : fmt::format("{:.4g} ms is no throttle, {:.4g} ms is full; it starts at {:.4g} ms",
                          scale.safe_pulse() * 1e3, scale.pulse_at(1.0) * 1e3, scale.pulse_at(start) * 1e3),
        {{"start_pulse_s", scale.pulse_at(start)}});
    const double shares = count / std::abs(scale.seconds_per_share(1.0));
    add("resolution",
        fmt::format("one count is {} = {:.3g} % of throttle", seconds_text(count), 100.0 * shares),
        {{"count_s", count}, {"resolution_share", shares}});
    double arming = 0.0;
    for (const PulseWidthInput::ArmingStage& stage : input.arming) arming += stage.lasts.base();
    add("arming", input.arming.empty() ? "none" : fmt::format("takes {}", seconds_text(arming)),
        {{"arming_s", arming}});
  }

  [[nodiscard]] const char* unit_name() const { return kind_ == OutputKind::rotary ? "degree" : "mm"; }

  void steps(Ratio per_unit) {
    const double resolution = 1.0 / per_unit.to_double();
    add("steps",
        fmt::format("{} a {}{}", to_text(per_unit), unit_,
                    per_unit.is_whole() ? "" : fmt::format(" = {:.9g}", per_unit.to_double())),
        {{in("steps_per"), per_unit}});
    add("one step",
        kind_ == OutputKind::linear ? fmt::format("{:.6g} um", resolution * 1000.0)
                                    : fmt::format("{:.6g} deg", resolution),
        {{in("resolution"), resolution}});
  }

  /// The step intervals that the controller's clock has next to the one of top speed.
  void step_interval(double rate) {
    const double tick = static_cast<double>(step_grain(mechanism_, rig_.controller)) /
                        rig_.controller.timer_clock.base().to_double();
    const double ticks = 1.0 / (rate * tick);
    const double units_per_step = display_units_per_base(kind_) / steps_per_base(mechanism_).to_double();
    const bool is_coarse = step_grain(mechanism_, rig_.controller) > 1;
    // What comes is never faster than asked; of single ticks a player makes means between them.
    const double whole = std::max(1.0, is_coarse ? std::ceil(ticks - 1e-9) : std::round(ticks));
    const auto speed = [&](double count) { return units_per_step / (count * tick); };
    const std::string_view speed_unit = display_unit(kind_, 1);
    const std::string made =
        is_coarse ? fmt::format("{:.0f} of them make {:.6g} {}, and those", whole, speed(whole), speed_unit)
                  : "whole ticks";
    add("interval",
        fmt::format("{:.8g} {} {} at top speed; {} next to it make {:.6g} and {:.6g} {}", ticks,
                    is_coarse ? "times" : "ticks of", seconds_text(tick), made, speed(whole + 1.0),
                    speed(std::max(1.0, whole - 1.0)), speed_unit),
        {{"interval_ticks", ticks},
         {"tick_s", tick},
         {in("speed_of_next_interval", 1), speed(whole + 1.0)},
         {in("speed_of_previous_interval", 1), speed(std::max(1.0, whole - 1.0))}});
  }

  void travel(std::optional<std::int64_t> steps, std::optional<double> seconds) {
    if (!limits_.travel_from || !limits_.travel_to) {
      add("travel", "endless");
      return;
    }
    Values values;
    std::string text = fmt::format("{} to {}", to_text(*limits_.travel_from), to_text(*limits_.travel_to));
    if (steps) {
      text += fmt::format(" = {} steps", *steps);
      values.emplace_back("travel_steps", *steps);
    }
    if (seconds) {
      text += fmt::format(", end to end in {}", seconds_text(*seconds));
      values.emplace_back("travel_s", *seconds);
    }
    add("travel", std::move(text), std::move(values));
  }

  void turns(double shaft) {
    const Ratio ratio = motor_turns_per_base(mechanism_.train);
    const double rpm = shaft * 30.0 / pi;
    if (!mechanism_.train.stages.empty()) {
      add("train",
          fmt::format("{} motor turns a {}",
                      exact_text(ratio / Ratio(kind_ == OutputKind::linear ? 1000 : 1)),
                      kind_ == OutputKind::linear ? "mm" : "turn"),
          {{kind_ == OutputKind::linear ? "motor_turns_per_m" : "motor_turns_per_turn", ratio}});
    }
    const bool direct = mechanism_.train.stages.empty();
    add("top speed",
        speed_text(mechanism_, limits_.speed) + (direct ? "" : fmt::format(", {:.5g} rpm of the motor", rpm)),
        {{in("top_speed", 1), limits_.speed.base.to_double() * display_units_per_base(kind_)},
         {"motor_rpm", rpm}});
  }

  [[nodiscard]] TimerUnit timer() const {
    const TimerUnit* const named =
        mechanism_.common.timer ? find_timer(rig_, *mechanism_.common.timer) : nullptr;
    return named != nullptr ? *named : TimerUnit{"", 32, 1, 0, 0};
  }
  [[nodiscard]] TimerChoice chosen(ExactFrequency wanted, Alignment alignment) const {
    return choose_counts(rig_.controller.timer_clock, timer(), wanted, alignment);
  }

  void pwm() {
    const std::optional<WantedFrequency> wanted = wanted_frequency(mechanism_);
    if (!wanted) return;
    const ExactFrequency clock = rig_.controller.timer_clock;
    const TimerChoice choice = chosen(wanted->frequency, wanted->alignment);
    const auto beside = [&](std::int64_t counts) {
      return with_counts(clock, timer(), wanted->frequency, wanted->alignment, counts).frequency.to_double();
    };
    add("PWM",
        fmt::format(
            "{:.6g} Hz in {} counts{}: {:.3g} % a count, {:.3g} bits; next to it {:.6g} and {:.6g} Hz",
            choice.frequency.to_double(), choice.counts,
            wanted->alignment == Alignment::centre ? " up and down" : "", 100.0 * choice.duty_step,
            std::log2(static_cast<double>(choice.counts)), beside(choice.counts + 1),
            beside(std::max<std::int64_t>(1, choice.counts - 1))),
        {{"pwm_Hz", choice.frequency},
         {"pwm_counts", choice.counts},
         {"pwm_error_share", choice.error},
         {"pwm_bits", std::log2(static_cast<double>(choice.counts))}});
  }

  void losses(const MotorHeat& heat, const char* when) {
    const std::optional<Losses> lost = steady_losses(mechanism_);
    if (!lost) return;
    Values values{{"winding_current_A", lost->current},
                  {"winding_loss_W", lost->winding},
                  {"board_loss_W", lost->board}};
    std::string text =
        fmt::format("{}, {:.3g} A lose {:.3g} W in the windings", when, lost->current, lost->winding);
    if (heat.thermal_resistance) {
      const double rise = lost->winding * heat.thermal_resistance->base();
      text += fmt::format(" ({:.3g} K over the air)", rise);
      values.emplace_back("winding_rise_K", rise);
    }
    text += fmt::format(", {:.3g} W in the board", lost->board);
    if (const auto& resistance = stage_of(mechanism_.board).thermal_resistance) {
      const double rise = lost->board * resistance->base();
      text += fmt::format(" ({:.3g} K)", rise);
      values.emplace_back("board_rise_K", rise);
    }
    add("heat", std::move(text), std::move(values));
  }

  void supply() {
    const SupplyDraw draw = supply_draw(mechanism_);
    add("supply",
        fmt::format("takes up to {:.3g} A from {}, {:.3g} A running", draw.most, mechanism_.supply.name,
                    draw.running),
        {{"supply", mechanism_.supply.name},
         {"supply_current_A", draw.most},
         {"running_current_A", draw.running}});
  }

  void stations() {
    if (!limits_.stations) return;
    const Ratio steps = steps_per_base(mechanism_);
    const OutputPosition second = station_at(mechanism_, 1);
    add("stations",
        fmt::format("{}, {} apart{}", *limits_.stations, to_text(second),
                    steps == Ratio(0) ? "" : fmt::format(" = {} steps", exact_text(second.base * steps))),
        {{"stations", *limits_.stations}});
  }

  void homing() {
    if (mechanism_.homing) {
      add("homing", fmt::format("to {} at {}, then {}; stands at {} afterwards", mechanism_.homing->sensor,
                                to_text(mechanism_.homing->speed), to_text(mechanism_.homing->slow_speed),
                                to_text(mechanism_.homing->position)));
    } else if (std::holds_alternative<Stepper>(mechanism_.motor) ||
               std::holds_alternative<StepServo>(mechanism_.motor)) {
      add("homing", fmt::format("none: it stands at 0 {} when it is switched on", unit_));
    }
  }

  void follows() {
    if (!mechanism_.follows) return;
    const Following& follows = *mechanism_.follows;
    const Leading& first = follows.first;
    const Ratio per_turn = way_per_base(first);
    const bool is_turn = first.for_each.kind == OutputKind::rotary;
    std::string text =
        fmt::format("{} by {} for each {}", first.leader, to_text(first.by),
                    is_turn ? to_text(first.for_each.base) + " turn" : to_text(first.for_each));
    Values values{{"follows", first.leader}};
    if (steps_per_base(mechanism_) != Ratio(0)) {
      const Ratio steps = per_turn * steps_per_base(mechanism_);
      text += is_turn ? fmt::format(": {} steps a turn", exact_text(steps))
                      : fmt::format(": {} steps a mm", exact_text(steps / Ratio(1000)));
      values.emplace_back(is_turn ? "steps_per_leader_turn" : "steps_per_leader_metre", steps);
    }
    if (const auto& also = follows.also)
      text += fmt::format("; and {} by {}", also->leader, to_text(also->by));
    add("follows", std::move(text), std::move(values));
  }

  /// The colours of a stepper's leads beside their ends.
  void leads() {
    const auto* const motor = std::get_if<Stepper>(&mechanism_.motor);
    if (motor == nullptr || motor->wires.empty()) return;
    const std::vector<std::string> names = lead_names(motor->leads);
    std::vector<std::string> pairs;
    for (std::size_t i = 0; i < names.size() && i < motor->wires.size(); ++i)
      pairs.push_back(names[i] + " " + motor->wires[i]);
    add("leads", fmt::format("{}", fmt::join(pairs, ", ")));
  }

  void proven() {
    if (!mechanism_.proven) return;
    add("proven",
        fmt::format(
            "{}{}", fmt::join(mechanism_.proven->stages, ", "),
            mechanism_.proven->still_holds ? "" : "; with other parts than those of now: prove it again"),
        {{"proven_holds", mechanism_.proven->still_holds}});
  }

  const Rig& rig_;
  const Mechanism& mechanism_;
  const Limits& limits_;
  OutputKind kind_;
  std::string_view unit_;
  std::vector<FigureRow> rows_{};
};

}  // namespace

std::string speed_text(const Mechanism& mechanism, double base) {
  const OutputKind kind = output_kind(mechanism.train);
  if (kind == OutputKind::rotary && spins(mechanism.motor)) return fmt::format("{:.4g} rpm", base * 60.0);
  return fmt::format("{:.4g} {}", base * display_units_per_base(kind), display_unit(kind, 1));
}

std::string speed_text(const Mechanism& mechanism, OutputSpeed speed) {
  const Ratio rpm = speed.base * Ratio(60);
  if (speed.kind == OutputKind::rotary && spins(mechanism.motor) && rpm.is_whole())
    return to_text(rpm) + " rpm";
  return to_text(speed);
}

std::string with_unit(std::string_view name, std::string_view unit) {
  std::string text = fmt::format("{}_", name);
  for (const char c : unit) {
    if (c == '/') {
      text += "_per_";
    } else if (c == '%') {
      text += "percent";
    } else if (c != ' ') {
      text += c;
    }
  }
  return text;
}

std::string seconds_text(double seconds) {
  if (seconds != 0.0 && std::abs(seconds) < 1e-6) return fmt::format("{:.4g} ns", seconds * 1e9);
  if (seconds != 0.0 && std::abs(seconds) < 1e-3) return fmt::format("{:.4g} us", seconds * 1e6);
  if (seconds != 0.0 && std::abs(seconds) < 1.0) return fmt::format("{:.4g} ms", seconds * 1e3);
  return fmt::format("{:.4f} s", seconds);
}

std::string parts_text(const Mechanism& mechanism) {
  const bool is_stepper = std::holds_alternative<Stepper>(mechanism.motor);
  std::vector<std::string> parts{kind_name(mechanism.motor), kind_name(mechanism.board)};
  if (std::holds_alternative<BrushedMotor>(mechanism.motor) ||
      std::holds_alternative<BrushlessMotor>(mechanism.motor))
    parts[0] += " motor";
  const auto* const board = std::get_if<StepDirBoard>(&mechanism.board);
  if (board != nullptr) parts[1] += " board";
  if (board != nullptr && is_stepper) parts[1] += fmt::format(" at {} microsteps", board->microsteps);
  for (const TrainStage& stage : mechanism.train.stages) parts.push_back(std::visit(StageText{}, stage));
  if (mechanism.reversed) parts.emplace_back("reversed");
  return fmt::format("{}", fmt::join(parts, ", "));
}

std::vector<FigureRow> figure_rows(const Rig& rig, const Mechanism& mechanism) {
  return MechanismRows(rig, mechanism).take();
}

std::vector<FigureRow> figure_rows(const Rig& rig, const Supply& supply) {
  const auto& [sum, fed] = supply_load(rig, supply);
  std::vector<FigureRow> rows;
  std::string text = fmt::format("{:.4g} V, gives {:.3g} A", supply.voltage.base(), supply.current.base());
  if (supply.fed_by)
    text += supply.efficiency ? fmt::format("; a regulator of {:.4g} % fed by {}",
                                            supply.efficiency->base().to_double() * 100.0, *supply.fed_by)
                              : fmt::format("; a linear regulator fed by {}", *supply.fed_by);
  if (!fed.empty())
    text += fmt::format("; {} can take {:.3g} A{}, {:.3g} A running", fmt::join(fed, ", "), sum.most,
                        fed.size() > 1 ? " together" : "", sum.running);
  if (rig.controller.supply == supply.name) text += "; feeds the controller";
  rows.push_back({supply.name,
                  std::move(text),
                  {{"voltage_V", supply.voltage.base()},
                   {"current_A", supply.current.base()},
                   {"most_A", sum.most},
                   {"running_A", sum.running}}});
  if (supply.charge && sum.running > 0.0) {
    const double hours = supply.charge->in(units::Ah) / sum.running;
    rows.push_back({"",
                    fmt::format("{:.3g} A h last {:.3g} h of running", supply.charge->in(units::Ah), hours),
                    {{"run_h", hours}}});
  }
  return rows;
}

namespace {

/// Its bus, by what its drives say on it.
FigureRow bus_row(const Rig& rig) {
  const FieldBus& bus = *rig.controller.bus;
  const BusFigures figures = bus_figures(bus, drives_of(rig.mechanisms));
  return {
      "bus",
      fmt::format(
          "{} at {} kbit/s: {} drives each {:.3g} ms keep it busy for {:.3g} % of its time; orders take {}, "
          "all have told after {}, the last one has heard of a cut after {} at the most",
          bus.interface_name, static_cast<double>(bus.bit_rate) / 1000.0, figures.drives,
          1e3 * bus.cycle.base(), 100.0 * figures.load, seconds_text(figures.orders_take),
          seconds_text(figures.told_take), seconds_text(figures.cut_within)),
      {{"bus_load_share", figures.load},
       {"orders_take_s", figures.orders_take},
       {"told_take_s", figures.told_take},
       {"cut_within_s", figures.cut_within}}};
}

}  // namespace

std::vector<FigureRow> controller_rows(const Rig& rig) {
  std::vector<FigureRow> rows;
  double sum = 0.0;
  bool all_known = true;
  std::int64_t outputs = 0;
  const std::vector<RigLine> lines = rig_lines(rig);
  for (const RigLine& line : lines) {
    if (!line.is_output) continue;
    ++outputs;
    const std::optional<Current> current = line_current(rig, line);
    all_known = all_known && current.has_value();
    sum += current ? current->base() : 0.0;
  }
  rows.push_back(
      {"lines",
       fmt::format("{} outputs take {}{:.3g} mA if all are high, {} inputs", outputs,
                   all_known ? "" : "at least ", sum * 1e3, lines.size() - static_cast<std::size_t>(outputs)),
       {{"outputs", outputs},
        {"inputs", static_cast<std::int64_t>(lines.size()) - outputs},
        {"all_lines_current_A", sum}}});
  if (rig.controller.bus) rows.push_back(bus_row(rig));
  return rows;
}

}  // namespace cogstride
