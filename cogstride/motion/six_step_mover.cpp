#include "cogstride/motion/six_step_mover.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/mechanism/ticks.hpp"

namespace cogstride {
namespace {

constexpr double first_share = 0.3;   // of aligning, in another row than the last
constexpr double stands_after = 0.1;  // s without a Hall edge
constexpr ExactTime between_looks = ExactTime::from_base({1, 2000});

std::optional<HallSet> halls_of(const Mechanism& mechanism) {
  for (const Sensor& sensor : mechanism.sensors)
    if (const auto* const halls = std::get_if<HallSet>(&sensor)) return *halls;
  return std::nullopt;
}

double rows_a_base(const Mechanism& mechanism) {
  return 6.0 * static_cast<double>(std::get<BrushlessMotor>(mechanism.motor).pole_pairs) *
         motor_turns_per_base(mechanism.train).to_double();
}

}  // namespace

SixStepMover::SixStepMover(const Mechanism& mechanism, MechanismId id, PwmGroup group,
                           const Controller& controller)
    : mechanism_(mechanism),
      driver_(mechanism, id, group, controller),
      table_(commutation_of(mechanism).table),
      ticks_per_second_(controller.timer_clock.base().to_double()),
      stride_(std::max(driver_.period(), ticks_at_least(between_looks, controller.timer_clock))),
      halls_(halls_of(mechanism)),
      speed_(ticks_per_second_) {
  const RotaryMotorModel model = six_step_model(mechanism);
  if (halls_) {
    const double winding = std::get<BrushlessMotor>(mechanism.motor).inductance.base() / model.resistance;
    hold_.emplace(mechanism_, CountSource{halls_->name, rows_a_base(mechanism_), model, winding},
                  ticks_per_second_, seconds(stride_), 0.5 * seconds(driver_.period()));
  } else {
    open_loop_ = open_loop_start(mechanism_, model);
  }
}

double SixStepMover::wanted_speed(Tick now) const {
  if (state_ == State::by_halls) return hold_->wanted_speed(now);
  if (state_ != State::open_loop) return 0.0;
  const double since = seconds(now - began_) - open_loop_->align_seconds;
  return way_ * open_loop_->rate_at(std::max(0.0, since), asked_speed_) / rows_a_base(mechanism_);
}

std::shared_ptr<MotionRecord> SixStepMover::spin(Lines& lines, const SpeedOrder& order) {
  const OutputKind kind = output_kind(mechanism_.train);
  if (order.at.kind != kind) require_kind(mechanism_, order.at.kind);
  if (order.by)
    throw RangeError(fmt::format("{}: a speed lasts for a time, or until it is stopped", mechanism_.name));
  const double speed = order.at.base.to_double();
  const double lasts = order.lasts ? order.lasts->base().to_double() : 0.0;
  double ramps = 0.0;
  if (halls_) {
    hold_->require(speed);
    if (order.acceleration) hold_->require_acceleration(order.acceleration->base.to_double());
    acceleration_.reset();
    if (order.acceleration) acceleration_ = order.acceleration->base.to_double();
    ramps = 2.0 * hold_->ramp_seconds(speed, acceleration_);
  } else {
    const double rate = std::abs(speed) * rows_a_base(mechanism_);
    SixStepLimits(mechanism_, {}, open_loop_).require(order.at);
    if (state_ == State::open_loop)
      throw RangeError(
          fmt::format("{}: turns without sensors: stop it before it turns otherwise", mechanism_.name));
    ramps = open_loop_->align_seconds + rate / open_loop_->acceleration;
  }
  if (order.lasts && lasts < ramps)
    throw RangeError(fmt::format("{}: {} takes {:.3g} s from rest at the least", mechanism_.name,
                                 speed_text(kind, speed), ramps));
  if (sector_ == cannot_be)
    throw RangeError(
        fmt::format("{}: its Hall sensors {} say what cannot be: a wire is broken, they have no supply, or "
                    "their spacing is another",
                    mechanism_.name, halls_->name));
  if (const std::string in_the_way = obstacle_ ? obstacle_(mechanism_) : ""; !in_the_way.empty())
    throw RangeError(fmt::format("{}: {}", mechanism_.name, in_the_way));
  const Tick now = lines.now();
  finish(now, MotionStatus::cancelled);
  stops_ = false;
  stops_at_ = never;
  if (halls_) {
    if (state_ != State::by_halls) hold_->begin(now, count_, speed_.counts_per_second());
    state_ = State::by_halls;
    hold_->spin(now, speed, acceleration_);
    if (order.lasts) stops_at_ = now + std::llround((lasts - 0.5 * ramps) * ticks_per_second_);
  } else {
    state_ = State::open_loop;
    way_ = speed < 0.0 ? -1 : 1;
    asked_speed_ = std::abs(speed) * rows_a_base(mechanism_);
    steps_ = 0;
    began_ = now;
    duty_ = way_ * open_loop_->align_duty;
    if (order.lasts) stops_at_ = now + std::llround(lasts * ticks_per_second_);
  }
  std::string what = "spin at " + speed_text(kind, speed);
  if (order.lasts) what += fmt::format(" for {:.4g} s", lasts);
  record_ = running_record(now, std::move(what));
  note(now, MotionNote::Kind::began, record_->what);
  next_act_ = now;
  return record_;
}

std::shared_ptr<MotionRecord> SixStepMover::hold(Lines& lines, double speed, std::string what) {
  hold_->require(speed);
  const Tick now = lines.now();
  finish(now, MotionStatus::cancelled);
  acceleration_.reset();
  stops_at_ = never;
  hold_->spin(now, speed, {});
  record_ = running_record(now, std::move(what));
  note(now, MotionNote::Kind::began, record_->what);
  return record_;
}

std::shared_ptr<MotionRecord> SixStepMover::change_speed(Lines& lines, OutputSpeed by) {
  const double from = asked_speed();
  if (from == 0.0) throw RangeError(fmt::format("{}: holds no speed", mechanism_.name));
  const double to = from + std::copysign(by.base.to_double(), from * by.base.to_double());
  if (to * from <= 0.0)
    throw RangeError(fmt::format("{}: of its speed nothing would be left; stop it instead", mechanism_.name));
  return hold(lines, to, "go on at " + speed_text(by.kind, to));
}

std::shared_ptr<MotionRecord> SixStepMover::reverse(Lines& lines) {
  const double from = asked_speed();
  if (from == 0.0) throw RangeError(fmt::format("{}: holds no speed", mechanism_.name));
  return hold(lines, -from, "reverse to " + speed_text(output_kind(mechanism_.train), -from));
}

std::shared_ptr<MotionRecord> SixStepMover::stop(Lines& lines) {
  const Tick now = lines.now();
  finish(now, MotionStatus::cancelled);
  record_ = running_record(now, "stop");
  note(now, MotionNote::Kind::began, record_->what);
  const auto record = record_;
  if (state_ == State::by_halls) {
    stops_ = true;
    stops_at_ = never;
    hold_->spin(now, 0.0, {});
  } else if (state_ == State::runs_out) {
    next_act_ = now;
  } else {
    end(lines, MotionStatus::done);
  }
  return record;
}

void SixStepMover::halt(Lines& lines, const std::string& why) {
  const bool turns = state_ == State::by_halls;
  finish(lines.now(), MotionStatus::faulted, why);
  if (!turns) {
    end(lines, MotionStatus::faulted, why);
    return;
  }
  stops_ = true;
  stops_at_ = never;
  record_ = running_record(lines.now(), "stop");
  hold_->spin(lines.now(), 0.0, {});
}

void SixStepMover::lines_were_cut(Tick now, const std::string& why) {
  finish(now, MotionStatus::faulted, why.empty() ? "the lines were cut" : why);
  driver_.lines_were_cut();
  state_ = State::off;
  duty_ = 0.0;
  next_act_ = never;
  asked_ = false;
  levels_ = {};
  sector_ = not_known;
}

void SixStepMover::act(Lines& lines, std::span<const Reading> readings) {
  if (!asked_) {
    asked_ = true;
    if (halls_)
      for (const std::int64_t line : halls_->lines)
        lines.sample(static_cast<SourceId>(line), lines.now() + lines.lead(), 0);
  }
  if (!readings.empty() && halls_) take_edges(lines, readings);
  if (next_act_ > lines.now()) return;
  next_act_ = never;
  if (state_ == State::by_halls) look(lines);
  if (state_ == State::runs_out) run_out(lines);
  if (state_ == State::open_loop) step(lines);
}

/// A Hall edge: the next sector, at once.
void SixStepMover::take_edges(Lines& lines, std::span<const Reading> readings) {
  Tick at = -1;
  for (const Reading& reading : readings)
    for (std::size_t i = 0; i < 3; ++i)
      if (reading.source == static_cast<SourceId>(halls_->lines[i])) {
        levels_[i] = reading.raw != 0;
        at = reading.at;
      }
  if (at < 0 ||
      !std::all_of(levels_.begin(), levels_.end(), [](const auto& level) { return level.has_value(); }))
    return;
  const int code = (*levels_[0] ? 1 : 0) | (*levels_[1] ? 2 : 0) | (*levels_[2] ? 4 : 0);
  const int sector = table_.sector_of_hall[code];
  if (sector == sector_) return;
  if (sector < 0) {
    sector_ = cannot_be;
    if (state_ == State::by_halls)
      fail(lines,
           fmt::format("{}: its Hall sensors {} say {}{}{}, which cannot be: a wire is broken, or their "
                       "spacing is another",
                       mechanism_.name, halls_->name, code & 1, code >> 1 & 1, code >> 2 & 1));
    return;
  }
  const int way = sector_ < 0 ? 0 : (sector - sector_ + 6) % 6;
  const bool is_jump = way != 0 && way != 1 && way != 5;
  if (is_jump && state_ == State::by_halls) {
    fail(lines,
         fmt::format("{}: its Hall sensors {} jump over {} sectors", mechanism_.name, halls_->name, way));
    sector_ = sector;
    return;
  }
  if (way == 1) ++count_;
  if (way == 5) --count_;
  if (way == 1 || way == 5) counted_at_ = at;
  sector_ = sector;
  if (state_ == State::by_halls) commutate(lines);
}

void SixStepMover::commutate(Lines& lines) {
  const Tick at = lines.now() + lines.lead();
  if (sector_ < 0 || std::abs(duty_) < 1e-6) {
    driver_.put_off(lines, at);
    return;
  }
  const chip::SixStepRow& row = (duty_ < 0.0 ? table_.backwards : table_.forwards)[sector_];
  is_whole_ = driver_.put(lines, at, row, std::abs(duty_));
  if (!is_whole_) next_act_ = std::min(next_act_, lines.now() + driver_.period());
}

/// The loop says the next duty.
void SixStepMover::look(Lines& lines) {
  const Tick now = lines.now();
  if (now >= stops_at_) {
    stops_at_ = never;
    stops_ = true;
    hold_->spin(now, 0.0, acceleration_);
  }
  speed_.look(now, count_, counted_at_);
  duty_ = hold_->look(now, {count_, counted_at_, speed_.counts_per_second()}, std::nullopt);
  next_act_ = now + stride_;
  if (!hold_->fault().empty()) {
    fail(lines, hold_->fault());
    return;
  }
  if (hold_->has_arrived(now)) {
    if (stops_) {
      driver_.put_off(lines, now + lines.lead());
      state_ = State::runs_out;
      duty_ = 0.0;
      return;
    }
    if (stops_at_ == never) finish(now, MotionStatus::done);
  }
  commutate(lines);
}

/// Without drive, until no Hall edge has come for a while.
void SixStepMover::run_out(Lines& lines) {
  const Tick now = lines.now();
  speed_.look(now, count_, counted_at_);
  if (seconds(now - counted_at_) > stands_after) {
    end(lines, MotionStatus::done);
  } else {
    next_act_ = now + stride_;
  }
}

/// Open loop: aligned first, then row after row.
void SixStepMover::step(Lines& lines) {
  const Tick now = lines.now();
  if (now >= stops_at_) {
    end(lines, MotionStatus::done);
    return;
  }
  const double since = seconds(now - began_) - open_loop_->align_seconds;
  const double rate = open_loop_->rate_at(std::max(0.0, since), asked_speed_);
  duty_ = way_ * open_loop_->duty_at(rate);
  while (since >= open_loop_->begins(steps_ + 1, asked_speed_)) ++steps_;
  if (rate >= asked_speed_ && stops_at_ == never) finish(now, MotionStatus::done);
  // Aligned in sector 0's row, after a while in another: opposite to one of them it would stand and not turn.
  // Forwards the rows follow in their order.
  const bool is_first = seconds(now - began_) < first_share * open_loop_->align_seconds;
  const std::int64_t at = is_first ? -2 * way_ : way_ * steps_;
  const auto sector = static_cast<std::size_t>((at % 6 + 6) % 6);
  const chip::SixStepRow& row = (way_ < 0 ? table_.backwards : table_.forwards)[sector];
  is_whole_ = driver_.put(lines, now + lines.lead(), row, std::abs(duty_));
  const double next = open_loop_->align_seconds + open_loop_->begins(steps_ + 1, asked_speed_);
  next_act_ = std::min(now + stride_,
                       std::max<Tick>(now + 1, began_ + std::llround(std::ceil(next * ticks_per_second_))));
  if (!is_whole_) next_act_ = std::min(next_act_, now + driver_.period());
}

/// All gates off.
void SixStepMover::end(Lines& lines, MotionStatus status, const std::string& fault) {
  driver_.put_off(lines, lines.now() + lines.lead());
  state_ = State::off;
  duty_ = 0.0;
  stops_ = false;
  next_act_ = never;
  finish(lines.now(), status, fault);
}

void SixStepMover::fail(Lines& lines, const std::string& why) {
  end(lines, MotionStatus::faulted, why);
  if (failure_) failure_(why);
}

void SixStepMover::finish(Tick now, MotionStatus status, const std::string& fault) {
  const std::shared_ptr<MotionRecord> on = std::move(record_);
  record_.reset();
  if (on == nullptr) return;
  const MotionNote ended = end_record(*on, now, driver_.id(), status, fault);
  if (sink_) sink_(ended);
}

void SixStepMover::note(Tick at, MotionNote::Kind kind, const std::string& text) const {
  if (sink_) sink_({at, driver_.id(), kind, text});
}

void SixStepLimits::require(OutputSpeed speed) const {
  if (hold_) {
    hold_->require(speed.base.to_double());
    return;
  }
  const double rate = std::abs(speed.base.to_double()) * rows_a_base(*mechanism_);
  const double limit = mechanism_->limits.speed.base.to_double() * rows_a_base(*mechanism_);
  const double most = limit > 0.0 ? std::min(limit, open_loop_->top_rate) : open_loop_->top_rate;
  if (rate > 0.0 && rate <= most * (1.0 + 1e-9)) return;
  throw RangeError(fmt::format("{}: {} cannot be had without sensors: up to {} can", mechanism_->name,
                               speed_text(speed.kind, speed.base.to_double()),
                               speed_text(speed.kind, most / rows_a_base(*mechanism_))));
}

void SixStepLimits::require(OutputAcceleration acceleration) const {
  if (hold_) {
    hold_->require_acceleration(acceleration.base.to_double());
    return;
  }
  throw RangeError(
      fmt::format("{}: without sensors torque and inertia say how fast it is started", mechanism_->name));
}

SixStepLimits six_step_limits(const Mechanism& mechanism, const Controller& controller) {
  const RotaryMotorModel model = six_step_model(mechanism);
  const std::optional<HallSet> halls = halls_of(mechanism);
  if (!halls) return {mechanism, {}, open_loop_start(mechanism, model)};
  const double winding = std::get<BrushlessMotor>(mechanism.motor).inductance.base() / model.resistance;
  return {mechanism,
          SpeedHold(mechanism, CountSource{halls->name, rows_a_base(mechanism), model, winding},
                    controller.timer_clock.base().to_double(), 1e-3, 0.0),
          {}};
}

}  // namespace cogstride
