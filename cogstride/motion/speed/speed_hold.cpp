#include "cogstride/motion/speed/speed_hold.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/plan/motor_estimates.hpp"

namespace cogstride {
namespace {

constexpr double observer_bandwidth = 300.0;  // rad/s
constexpr double of_a_count = 0.5;            // of the time between two counts, that what is done comes later
constexpr double reserve = 0.7;               // of what the current limit leaves for acceleration
constexpr double speed_reserve = 0.97;        // of the speed that full duty leaves
constexpr double press_on_time = 0.05;        // s
constexpr double counts_lately = 0.05;        // s

double counts_per_rad(const Mechanism& mechanism, const CountSource& source) {
  return std::abs(source.counts_per_base) /
         (2.0 * pi * std::abs(motor_turns_per_base(mechanism.train).to_double()));
}

}  // namespace

std::string speed_text(OutputKind kind, double speed) {
  return kind == OutputKind::rotary ? fmt::format("{:.4g} rpm", 60.0 * speed)
                                    : fmt::format("{:.4g} mm/s", 1e3 * speed);
}

CountSource count_source(const Mechanism& mechanism, const Encoder& encoder) {
  const auto* const motor = std::get_if<BrushedMotor>(&mechanism.motor);
  if (motor == nullptr) throw RangeError(mechanism.name + ": is no brushed motor");
  const RotaryMotorModel model = model_of(mechanism);
  return {encoder.name, counts_per_base(mechanism, encoder).to_double(), model,
          motor->inductance.base() / model.resistance};
}

SpeedHold::SpeedHold(const Mechanism& mechanism, const CountSource& source, double ticks_per_second,
                     double looks, double lead)
    : name_(mechanism.name),
      encoder_(source.name),
      ticks_per_second_(ticks_per_second),
      counts_per_base_(std::abs(source.counts_per_base)),
      sign_(source.counts_per_base < 0.0 ? -1.0 : 1.0),
      kind_(output_kind(mechanism.train)),
      most_duty_(std::min(source.most_duty, mechanism.limits.highest_duty
                                                ? mechanism.limits.highest_duty->base().to_double()
                                                : 1.0)),
      answer_(duty_answer(source.model, mechanism.load.slackens, counts_per_rad(mechanism, source))),
      observer_(answer_, observer_bandwidth),
      source_kind_(source.kind),
      or_its_supply_(mechanism.supply.power_good_line || mechanism.supply.name.empty()
                         ? ""
                         : fmt::format(", or its supply {} is gone: no line says whether it is up",
                                       mechanism.supply.name)),
      noticed_after_(source.noticed_after),
      can_brake_(source.can_brake),
      lowest_(source.lowest) {
  const RotaryMotorModel& model = source.model;
  limit_ = std::min(model.current_limit, model.supply / model.resistance);
  // A count is seen half a look late on average, and what follows works through the winding.
  delay_ = 0.5 * looks + lead + source.winding;
  const double per_rad = counts_per_rad(mechanism, source);
  double rad_per_s = model.supply / model.emf;
  while (rad_per_s > 0.0 &&
         (duty_for(model, rad_per_s) > most_duty_ * speed_reserve ||
          load_torque(model, rad_per_s) > speed_reserve * limit_ * model.torque_per_ampere))
    rad_per_s -= 0.002 * model.supply / model.emf;
  highest_ = std::max(0.0, rad_per_s * per_rad);
  if (mechanism.limits.speed.base > Ratio(0))
    highest_ = std::min(highest_, mechanism.limits.speed.base.to_double() * counts_per_base_);
  const double torque = limit_ * model.torque_per_ampere - load_torque(model, rad_per_s);
  acceleration_ = reserve * std::max(0.0, torque) / model.inertia * per_rad;
  if (mechanism.limits.acceleration.base > Ratio(0))
    acceleration_ =
        std::min(acceleration_, mechanism.limits.acceleration.base.to_double() * counts_per_base_);
}

void SpeedHold::require(double speed) const {
  const double counts = std::abs(speed) * counts_per_base_;
  if (counts < lowest_ * (1.0 - 1e-9))
    throw RangeError(fmt::format("{}: {} cannot be held: {} counts too rarely below {}", name_,
                                 speed_text(kind_, speed), encoder_, speed_text(kind_, lowest_speed())));
  if (counts > highest_ * (1.0 + 1e-9))
    throw RangeError(
        fmt::format("{}: {} cannot be held: full duty, its current limit and the rig's limits leave {}",
                    name_, speed_text(kind_, speed), speed_text(kind_, highest_speed())));
}

double SpeedHold::acceleration_of(std::optional<double> asked) const {
  return asked ? *asked * counts_per_base_ : acceleration_;
}

void SpeedHold::require_acceleration(double acceleration) const {
  if (acceleration > 0.0 && acceleration * counts_per_base_ <= acceleration_ * (1.0 + 1e-9)) return;
  throw RangeError(
      fmt::format("{}: {} a second cannot be had: its current limit and its load leave {} a second", name_,
                  speed_text(kind_, acceleration), speed_text(kind_, acceleration_ / counts_per_base_)));
}

double SpeedHold::ramp_seconds(double speed, std::optional<double> acceleration) const {
  return std::abs(speed) * counts_per_base_ / acceleration_of(acceleration);
}

void SpeedHold::begin(chip::Tick now, std::int64_t count, double counts_per_second) {
  fault_.clear();
  count_ = count;
  shift_ = 0.0;
  counted_at_ = quiet_since_ = now;
  wrong_since_ = short_since_ = no_current_since_ = -1;
  begin_ramp(now);
  arrives_ = 0.0;
  looked_at_ = now;
  has_turned_ = false;
  observer_.begin(sign_ * static_cast<double>(count) + 0.5, sign_ * counts_per_second);
  ramp_ = Ramp({static_cast<std::int64_t>(sign_ * static_cast<double>(count)), 0.0});
  if (counts_per_second != 0.0) ramp_.append_cruise(sign_ * counts_per_second);
}

MotionState SpeedHold::ramp_state(chip::Tick now) const {
  MotionState state = ramp_.state_at(ramp_time(now));
  state.speed *= pace_;
  state.acceleration *= pace_ * pace_;
  return state;
}

SpeedWanted SpeedHold::wanted(chip::Tick now) const {
  const MotionState state = ramp_state(now);
  return {state.position.to_double() - shift_, state.speed, state.acceleration};
}

void SpeedHold::spin(chip::Tick now, double speed, std::optional<double> acceleration) {
  const MotionState from = ramp_state(now);
  RampLimits limits;
  limits.speed = std::max({highest_, std::abs(from.speed), std::abs(speed) * counts_per_base_});
  limits.acceleration = acceleration_of(acceleration);
  ramp_ = plan_speed(from, speed * counts_per_base_, limits);
  begin_ramp(now);
  arrives_ = speed == 0.0 ? ramp_.duration() : ramp_.phases().back().start;
  holds_speed_ = true;
  asked_ = speed;
  quiet_since_ = now;
}

void SpeedHold::move(chip::Tick now, std::int64_t target, std::optional<double> speed,
                     std::optional<double> acceleration) {
  MotionState from = ramp_state(now);
  from.position = from.position.moved(-shift_);
  shift_ = -0.5;  // a ramp goes from whole count to whole count: half a one further lies its middle
  const double most = speed ? std::min(*speed * counts_per_base_, highest_) : highest_;
  const auto forwards = static_cast<std::int64_t>(sign_) * target;
  ramp_ = plan_ramp(from, sign_ > 0.0 ? forwards : forwards - 1, {most, acceleration_of(acceleration)});
  begin_ramp(now);
  arrives_ = ramp_.duration();
  holds_speed_ = false;
  asked_ = 0.0;
  target_ = target;
  quiet_since_ = now;
}

/// At the end of a move friction may hold it a count or two off: it is pressed on until its count is there.
void SpeedHold::stay_at_place(chip::Tick now, double looked) {
  if (holds_speed_ || ramp_time(now) < arrives_ || is_at_target()) return;
  const double off = ramp_.end().to_double() + 0.5 - observer_.place();
  shift_ -= off * looked / press_on_time;
  if (ramp_time(now) > arrives_ + settles_in)
    fault_ = fmt::format("{}: stands {} counts of {} off the place it was sent to: something holds it", name_,
                         std::abs(target_ - count_), encoder_);
}

/// A count names the quarter of a line that lies above its lower edge, where counts run forwards.
void SpeedHold::take_count(chip::Tick now, const Counted& counted) {
  const double lower =
      sign_ > 0.0 ? static_cast<double>(counted.count) : -static_cast<double>(counted.count) - 1.0;
  observer_.predict(seconds(now - looked_at_), duty_);
  looked_at_ = now;
  if (counted.count == count_) {
    observer_.confine(lower, lower + 1.0, seconds(now - counted_at_));
    return;
  }
  const int way = sign_ * static_cast<double>(counted.count - count_) > 0.0 ? 1 : -1;
  const double edge = way > 0 ? lower : lower + 1.0;
  if (has_turned_ && way == last_way_) {
    observer_.correct(edge, seconds(now - counted.at), seconds(counted.at - counted_at_));
  } else {  // where it was before, nobody knows
    observer_.begin(edge, way * std::max(0.0, way * observer_.speed()));
  }
  observer_.confine(lower, lower + 1.0, 0.0);
  has_turned_ = true;
  last_way_ = way;
  count_ = counted.count;
  counted_at_ = quiet_since_ = counted.at;
}

double SpeedHold::look(chip::Tick now, const Counted& counted, std::optional<double> amperes) {
  const double looked = seconds(now - looked_at_);
  take_count(now, counted);
  stay_at_place(now, looked);
  const double speed = observer_.speed();
  const SpeedWanted want = wanted(now);
  DutyRange range = duty_range(answer_, limit_, speed, most_duty_);
  if (!can_brake_) range = {std::min(0.0, range.least), std::max(0.0, range.most)};
  const double between = 1.0 / std::max(lowest_, std::abs(want.speed));
  const SpeedGains gains = speed_gains(answer_, bandwidth_for(delay_ + of_a_count * between));
  const LoopStep step = loop_step(gains, want, observer_.place(), speed, range);
  if (holds_speed_) shift_ += step.beyond;
  // Where it was sent it needs no more than what its load takes; friction holds the rest.
  duty_ =
      !holds_speed_ && has_arrived(now) ? std::clamp(answer_.load_else, range.least, range.most) : step.duty;
  lag_ = want.place - observer_.place();
  watch(now, want, step.beyond != 0.0, amperes);
  return duty_;
}

bool SpeedHold::lasts(chip::Tick& since, bool is_so, chip::Tick now, double longest) const {
  if (!is_so) {
    since = -1;
  } else if (since < 0) {
    since = now;
  }
  return is_so && seconds(now - since) > longest;
}

bool SpeedHold::surely_turns(double duty) const {
  return std::abs(duty) > 1.2 * (answer_.stiction + (duty > 0.0 ? answer_.load : 0.0));
}

double SpeedHold::first_counts_within(double duty) const {
  const double driving = std::abs(duty) - answer_.friction - (duty > 0.0 ? answer_.load : 0.0);
  if (driving <= 0.0) return 0.0;
  const double counts_per_second = answer_.full_speed * driving;
  return 2.0 * std::sqrt(answer_.time_constant / counts_per_second) + 2.0 / counts_per_second;
}

std::string SpeedHold::fault_of_quiet(double duty, double quiet, std::optional<double> amperes) const {
  if (!surely_turns(duty) || quiet <= noticed_after_) return {};
  std::string cause = fmt::format("its shaft is stuck, or a wire of its motor or of its {} is broken{}",
                                  source_kind_, or_its_supply_);
  if (amperes)
    cause = std::abs(*amperes) > 0.8 * std::abs(duty) / answer_.per_ampere
                ? "its current is that of a shaft that is stuck"
                : fmt::format(
                      "its current is not that of a shaft that is stuck: a wire of its {} or of its motor "
                      "is broken{}",
                      source_kind_, or_its_supply_);
  return fmt::format("{}: {} has not counted for {:.2g} s at {:.3g} % duty: {}", name_, encoder_,
                     noticed_after_, 100.0 * std::abs(duty), cause);
}

void SpeedHold::watch(chip::Tick now, const SpeedWanted& want, bool is_held_back,
                      std::optional<double> amperes) {
  const double speed = observer_.speed();
  const double expected = std::abs(want.speed);
  const bool drives = surely_turns(duty_);
  const double current = (duty_ - answer_.emf * speed) / answer_.per_ampere;
  const std::string at_duty = fmt::format("at {:.3g} % duty", 100.0 * std::abs(duty_));

  const bool counts = has_turned_ && seconds(now - counted_at_) < counts_lately;
  const bool no_current =
      amperes && counts && std::abs(current) > 0.2 * limit_ && std::abs(*amperes) < 0.1 * std::abs(current);
  if (lasts(no_current_since_, no_current, now, 0.5 * noticed_after_)) {
    fault_ = fmt::format("{}: no current flows {}: a wire of its motor is broken{}", name_, at_duty,
                         or_its_supply_);
    return;
  }

  const bool wants_motion = expected > 0.5 * lowest_ || std::abs(lag_) > 2.0;
  if (!drives || !wants_motion) quiet_since_ = now;
  fault_ = fault_of_quiet(duty_, seconds(now - quiet_since_), amperes);
  if (!fault_.empty()) return;

  // It is driven one way and runs away the other.
  const bool is_wrong = speed * duty_ < 0.0 && want.speed * duty_ > 0.0;
  if (wrong_since_ < 0) wrong_speed_ = std::abs(speed);
  if (lasts(wrong_since_, is_wrong, now, 0.3 * noticed_after_)) {
    if (std::abs(speed) > 0.9 * wrong_speed_) {
      fault_ = fmt::format(
          "{}: {} counts {} while it is driven {}: its lines are swapped, or the motor's wires "
          "(counts_backwards, reversed)",
          name_, encoder_, speed > 0.0 ? "forwards" : "backwards", duty_ > 0.0 ? "forwards" : "backwards");
      return;
    }
    wrong_since_ = -1;
  }

  // As long as it becomes faster, it may yet come to it.
  const bool is_short = is_held_back && std::abs(speed) < far_below * expected;
  if (short_since_ < 0) short_speed_ = std::abs(speed);
  if (!lasts(short_since_, is_short, now, short_of_it)) return;
  short_since_ = -1;
  if (std::abs(speed) > short_speed_ + 0.5 * (1.0 - far_below) * expected) return;
  fault_ = fmt::format(
      "{}: has {} of {}, with {:.3g} % duty and its current limit of {:.3g} A used up: its load is "
      "heavier than the rig says, or a wire of its motor is broken{}",
      name_, speed_text(kind_, speed / counts_per_base_), speed_text(kind_, want.speed / counts_per_base_),
      100.0 * std::abs(duty_), limit_, or_its_supply_);
}

bool has_encoder(const Mechanism& mechanism) {
  return std::any_of(mechanism.sensors.begin(), mechanism.sensors.end(),
                     [](const Sensor& sensor) { return std::holds_alternative<Encoder>(sensor); });
}

SpeedHold held_speeds(const Mechanism& mechanism, const Controller& controller) {
  for (const Sensor& sensor : mechanism.sensors)
    if (const auto* const encoder = std::get_if<Encoder>(&sensor))
      return {mechanism, count_source(mechanism, *encoder), controller.timer_clock.base().to_double(), 1e-3,
              0.0};
  throw RangeError(mechanism.name + ": has no encoder, so no speed can be held: give it a duty");
}

}  // namespace cogstride
