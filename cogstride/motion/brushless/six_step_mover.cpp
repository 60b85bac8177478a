#include "cogstride/motion/brushless/six_step_mover.hpp"
#include "cogstride/motion/quick_lines.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/motion/brushless/beside_watch.hpp"

namespace cogstride {
namespace {

constexpr double latest_row = 0.25;  // of a row, that it may come late

constexpr double stands_after = 0.1;    // s without anything that tells of motion
constexpr double listens_for = 0.02;    // s before a start
constexpr double listens_each = 1e-3;   // s
constexpr double dies_away = 3e-4;      // s, of currents after all gates went off
constexpr double rows_to_catch = 6.0;   // after it was let go, in which it must be known how it turns
constexpr double least_caught = 0.4;    // of the rate of its field, that it must turn with
constexpr std::int64_t most_lag = 3;    // rows that a rotor may be behind its field by its Halls
constexpr double runs_out_for = 120.0;  // s
constexpr double half = 0.5;            // of a period: what is put comes so late on average
constexpr ExactTime between_rotor_looks = ExactTime::from_base({1, 2000});

}  // namespace

const MoverKind SixStepMover::its_kind{"is no bare brushless motor behind six gates"};

SixStepMover::SixStepMover(const Mechanism& mechanism, MechanismId id, const Controller& controller)
    : Mover(id, mechanism.name),
      mechanism_(mechanism),
      output_(mechanism, id, controller),
      ticks_per_second_(controller.timer_clock.base().to_double()),
      rows_per_base_(rows_per_base(mechanism)),
      stride_(std::max(driver().period(), ticks_at_least(between_rotor_looks, controller.timer_clock))),
      limits_(mechanism, controller, seconds(stride_), half * seconds(driver().period()),
              driver().highest_duty()),
      currents_(mechanism, controller),
      hold_(limits_.hold()),
      run_down_(mechanism, model_of(mechanism), ticks_per_second_),
      speed_(ticks_per_second_) {
  if (limits_.halls() != nullptr) halls_.emplace(*limits_.halls(), output_.table());
  if (limits_.back_emf()) {
    back_emf_.emplace(*sensor_of<TerminalVoltages>(mechanism_), *limits_.back_emf(), ticks_per_second_);
    field_watch_.emplace(*limits_.back_emf(), ticks_per_second_);
  }
  if (limits_.open_loop()) run_.emplace(*limits_.open_loop(), ticks_per_second_);
  if (halls_) {
    angle_ = &*halls_;
  } else if (back_emf_) {
    angle_ = &*back_emf_;
  }
}

Tick SixStepMover::ticks(double seconds) const {
  return std::llround(seconds * ticks_per_second_);
}

double SixStepMover::wanted_speed(Tick now) const {
  if (state_ == State::holds) return hold_->wanted_speed(now);
  if (state_ == State::steps || state_ == State::coasts)
    return run_->way() * run_->rate_at(now) / rows_per_base_;
  return 0.0;
}

void SixStepMover::require(const SpeedOrder& order) const {
  const OutputKind kind = output_kind(mechanism_.train);
  if (order.at.kind != kind) require_kind(mechanism_, order.at.kind);
  if (order.by)
    throw RangeError(fmt::format("{}: a speed lasts for a time, or until it is stopped", mechanism_.name));
  limits_.require(order.at);
  if (order.acceleration) limits_.require(*order.acceleration);
  if (order.from || order.in) (void)rows_of(order);
  const double speed = order.at.base.to_double();
  std::optional<double> acceleration;
  if (order.acceleration) acceleration = order.acceleration->base.to_double();
  if (const double least = limits_.shortest(speed, acceleration);
      order.lasts && order.lasts->base().to_double() < least)
    throw RangeError(fmt::format("{}: {} takes {:.3g} s from rest at the least", mechanism_.name,
                                 speed_text(kind, speed), least));
  if (halls_ && !halls_->is_known())
    if (const std::string why = halls_->fault(); !why.empty())
      throw RangeError(fmt::format("{}: {}", mechanism_.name, why));
  const bool is_held = limits_.is_held(std::abs(speed) * rows_per_base_);
  const bool goes_on =
      state_ == State::holds && is_held && (!back_emf_ || speed * hold_->asked_speed() > 0.0);
  if (run_ && state_ != State::off && state_ != State::runs_out && !goes_on)
    throw RangeError(fmt::format("{}: nothing tells its angle at rest: stop it before it turns otherwise",
                                 mechanism_.name));
  log().require_no_obstacle();
}

/// Rows/s that it begins with, and rows/s2: what is ordered by time has to be slow enough to be followed.
std::pair<double, double> SixStepMover::rows_of(const SpeedOrder& order) const {
  if (!run_)
    throw RangeError(
        fmt::format("{}: its sensors say when a row is due: 'from' and 'in' are of one that is stepped by "
                    "time",
                    mechanism_.name));
  if (!order.from || !order.in || !(Ratio(0) < order.from->base) || !(ExactTime() < *order.in))
    throw RangeError(
        fmt::format("{}: rows by time begin with a speed above 0 and take a time above 0", mechanism_.name));
  const double from = order.from->base.to_double() * std::abs(rows_per_base_);
  const double to = std::abs(order.at.base.to_double() * rows_per_base_);
  const OpenLoopStart& start = run_->start();
  // From rest its first row takes sqrt(2 / a): that long a row it follows at once.
  const double jumps_to = std::sqrt(0.5 * start.acceleration);
  if (from > jumps_to)
    throw RangeError(
        fmt::format("{}: it follows at once up to {:.3g} rows/s, {:.3g} ms a row; {:.3g} ms are asked for",
                    mechanism_.name, jumps_to, 1e3 / jumps_to, 1e3 / from));
  const double slope = std::abs(to - from) / order.in->base().to_double();
  if (slope > start.acceleration)
    throw RangeError(fmt::format("{}: that is {:.3g} rows/s2, and it follows {:.3g}: {:.3g} s at the least",
                                 mechanism_.name, slope, start.acceleration,
                                 std::abs(to - from) / start.acceleration));
  return {from, slope};
}

/// What is told of its angle is acted on within a quarter of a row, or the row is the wrong one.
void SixStepMover::require_quick(const Lines& lines, double speed) const {
  const double rows_per_second = std::abs(speed) * rows_per_base_;
  if (!limits_.is_held(rows_per_second)) return;
  require_quick_lines(lines, latest_row / rows_per_second * ticks_per_second_, ticks_per_second_,
                      fmt::format("{}: at {} its commutation", mechanism_.name,
                                  speed_text(output_kind(mechanism_.train), speed)));
}

std::shared_ptr<MotionRecord> SixStepMover::spin(Lines& lines, const SpeedOrder& order) {
  require(order);
  require_quick(lines, order.at.base.to_double());
  const Tick now = lines.now();
  log().end(now, MotionStatus::cancelled);
  follows_.end();
  begin(lines, order);
  std::string what = "spin at " + speed_text(output_kind(mechanism_.train), order.at.base.to_double());
  if (order.lasts) what += fmt::format(" for {:.4g} s", order.lasts->base().to_double());
  next_act_ = now;
  return log().begin(now, std::move(what));
}

void SixStepMover::begin(Lines& lines, const SpeedOrder& order) {
  const Tick now = lines.now();
  wanted_ = order.at.base.to_double();
  acceleration_.reset();
  if (order.acceleration) acceleration_ = order.acceleration->base.to_double();
  rows_.reset();
  if (order.from) rows_ = rows_of(order);
  stops_ = false;
  stops_at_ = never;
  const double lasts = order.lasts ? order.lasts->base().to_double() : 0.0;
  if (!run_ || state_ == State::holds) {
    if (state_ != State::holds) hold_->begin(now, count(), speed_.counts_per_second());
    state_ = State::holds;
    hold_->spin(now, wanted_, acceleration_);
    next_look_ = now;
    const double ramp = run_ ? 0.0 : hold_->range().ramp_seconds(wanted_, acceleration_);
    if (order.lasts) stops_at_ = now + ticks(lasts - ramp);
    return;
  }
  if (order.lasts) stops_at_ = now + ticks(lasts);
  if (back_emf_) {
    state_ = State::listens;
    back_emf_->let_go(now);
    ask_voltages(lines, ticks(listens_each));
    return;
  }
  begin_steps(lines);
}

/// Open loop: to its speed, or until it can be caught.
void SixStepMover::begin_steps(Lines& lines) {
  const Tick now = lines.now();
  state_ = State::steps;
  const double rate = limits_.stepped_to(std::abs(wanted_) * rows_per_base_);
  const int way = wanted_ < 0.0 ? -1 : 1;
  if (rows_) {
    run_->begin(now, way, {0.0, 0.0, rows_->first, rows_->second, rate});
  } else {
    run_->begin(now, way, rate);
  }
  if (field_watch_) field_watch_->begin();
  currents_.ask(lines, driver().on_at(now + lines.lead()), driver().period());
}

Follower SixStepMover::follower() const {
  return HeldFollow::follower(mechanism_, *hold_, rows_exactly(mechanism_));
}

std::shared_ptr<MotionRecord> SixStepMover::follow(Lines& lines, std::unique_ptr<Follow> follow,
                                                   std::string what) {
  if (!halls_->is_known())
    if (const std::string why = halls_->fault(); !why.empty())
      throw RangeError(fmt::format("{}: {}", mechanism_.name, why));
  log().require_no_obstacle();
  const Tick now = lines.now();
  log().end(now, MotionStatus::cancelled);
  if (state_ != State::holds) hold_->begin(now, count(), speed_.counts_per_second());
  state_ = State::holds;
  stops_ = false;
  stops_at_ = never;
  next_look_ = next_act_ = now;
  hold_->stay_where_it_is(now);
  follows_.begin(std::move(follow), lines);
  return log().begin(now, std::move(what));
}

void SixStepMover::let_go(Lines& lines) {
  if (follows_.following() == nullptr) throw RangeError(mechanism_.name + ": follows nothing");
  log().end(lines.now(), MotionStatus::done);
  stop(lines);
}

std::shared_ptr<MotionRecord> SixStepMover::hold_speed(Lines& lines, double speed, std::string what) {
  hold_->range().require(speed);
  require_quick(lines, speed);
  follows_.end();
  const Tick now = lines.now();
  log().end(now, MotionStatus::cancelled);
  acceleration_.reset();
  stops_at_ = never;
  hold_->spin(now, speed, {});
  return log().begin(now, std::move(what));
}

/// Stepped by time for good, it is taken to another rate of rows from where it is.
std::shared_ptr<MotionRecord> SixStepMover::change_steps(Lines& lines, OutputSpeed by) {
  const double from = run_->way() * run_->wanted_rate() / rows_per_base_;
  const double to = from + std::copysign(by.base.to_double(), from * by.base.to_double());
  if (to * from <= 0.0)
    throw RangeError(fmt::format("{}: of its speed nothing would be left; stop it instead", mechanism_.name));
  limits_.require(to);
  const Tick now = lines.now();
  log().end(now, MotionStatus::cancelled);
  wanted_ = to;
  run_->change(now, std::abs(to * rows_per_base_));
  next_act_ = now;
  return log().begin(now, "go on at " + speed_text(by.kind, to));
}

std::shared_ptr<MotionRecord> SixStepMover::change_speed(Lines& lines, OutputSpeed by) {
  if (state_ == State::steps && !limits_.hold()) return change_steps(lines, by);
  const double from = asked_speed();
  if (from == 0.0) throw RangeError(fmt::format("{}: holds no speed", mechanism_.name));
  const double to = from + std::copysign(by.base.to_double(), from * by.base.to_double());
  if (to * from <= 0.0)
    throw RangeError(fmt::format("{}: of its speed nothing would be left; stop it instead", mechanism_.name));
  return hold_speed(lines, to, "go on at " + speed_text(by.kind, to));
}

std::shared_ptr<MotionRecord> SixStepMover::reverse_speed(Lines& lines) {
  const double from = asked_speed();
  if (from == 0.0) throw RangeError(fmt::format("{}: holds no speed", mechanism_.name));
  if (back_emf_)
    throw RangeError(
        fmt::format("{}: nothing tells its angle at rest, which it would pass: stop it, and spin it "
                    "the other way",
                    mechanism_.name));
  return hold_speed(lines, -from, "reverse to " + speed_text(output_kind(mechanism_.train), -from));
}

std::shared_ptr<MotionRecord> SixStepMover::stop(Lines& lines) {
  const Tick now = lines.now();
  follows_.end();
  log().end(now, MotionStatus::cancelled);
  auto record = log().begin(now, "stop");
  stops_at_ = never;
  if (state_ == State::holds && !run_) {
    stops_ = true;
    hold_->spin(now, 0.0, {});
  } else if (state_ == State::off || (!halls_ && !back_emf_)) {
    end(lines, MotionStatus::done);
  } else if (state_ != State::runs_out) {
    run_out_from_here(lines);
  }
  return record;
}

void SixStepMover::halt(Lines& lines, const Why& why) {
  follows_.end();
  log().end(lines.now(), why);
  if (state_ != State::holds || run_) {
    switch_off(lines);
    return;
  }
  stops_ = true;
  stops_at_ = never;
  log().begin(lines.now(), "stop", false);
  hold_->spin(lines.now(), 0.0, {});
}

void SixStepMover::lines_were_cut(Lines& lines, const Why& why) {
  const Tick now = lines.now();
  run_down_.begin(now, likely_speed(now));
  follows_.end();
  log().end(now, why.text.empty() ? Why{why.code, "the lines were cut"} : why);
  output_.lines_were_cut();
  state_ = State::off;
  duty_ = 0.0;
  next_act_ = next_look_ = never;
  asked_ = false;
  if (halls_) halls_->forget();
}

void SixStepMover::ask_voltages(Lines& lines, Tick period) {
  back_emf_->ask(lines, driver().on_at(lines.now() + lines.lead()), period);
}

void SixStepMover::act(Lines& lines, std::span<const Reading> readings) {
  if (!asked_) {
    asked_ = true;
    if (halls_) halls_->ask(lines);
  }
  if (!readings.empty()) take(lines, readings);
  if (follows_.following() != nullptr) follows_.look(lines, readings, lines.now(), *hold_, *this);
  if (next_act_ > lines.now()) return;
  next_act_ = never;
  if (state_ == State::holds) look(lines);
  if (state_ == State::runs_out) run_out(lines);
  if (state_ == State::steps) step(lines);
}

void SixStepMover::take(Lines& lines, std::span<const Reading> readings) {
  if (halls_ && halls_->take(readings)) take_halls(lines);
  if (!driver().is_whole(lines.now())) return;
  if (currents_.has_any() && state_ != State::off)
    if (const auto amperes = currents_.take(readings, driver().gates_on(lines.now())))
      take_current(lines, *amperes);
  if (!back_emf_) return;
  if (const auto sample = back_emf_->take(readings)) take_voltages(lines, *sample);
}

/// The next sector, at once.
void SixStepMover::take_halls(Lines& lines) {
  if (const std::string why = halls_->fault(); !why.empty()) {
    if (state_ == State::holds || state_ == State::steps)
      fail(lines, fmt::format("{}: {}", mechanism_.name, why));
  } else if (state_ == State::holds) {
    commutate(lines);
  }
}

void SixStepMover::take_voltages(Lines& lines, const TerminalSample& sample) {
  const Tick now = lines.now();
  if (state_ == State::steps) {
    if (field_watch_->look(sample, run_->sector(now), run_->rate_at(now)))
      fail(lines, fmt::format("{}: its back-EMF is missing at {} of its field: it does not turn with it",
                              mechanism_.name, speed_text(output_kind(mechanism_.train), wanted_speed(now))));
  } else if (state_ == State::holds) {
    const bool has_crossed = back_emf_->look_driven(sample, driver().gates_on(sample.at) != 0);
    sampled_at_ = now;
    if (now >= next_look_) next_act_ = now;
    if (has_crossed)
      next_act_ =
          std::min(next_act_, std::max(now, back_emf_->next_row_at(driver().period() / 2 + lines.lead())));
    if (!back_emf_->fault().empty()) fail(lines, fmt::format("{}: {}", mechanism_.name, back_emf_->fault()));
  } else if (state_ != State::off) {
    const auto turning = back_emf_->look_free(sample);
    if (state_ == State::listens) listen(lines, turning);
    if (state_ == State::coasts) catch_on(lines, turning);
  }
}

/// Before a start: what turns already is caught, or waited for.
void SixStepMover::listen(Lines& lines, const std::optional<BackEmfAngle::Turning>& turning) {
  const Tick now = lines.now();
  const bool is_fast = turning && turning->way * wanted_ > 0.0 && limits_.is_held(turning->rate());
  if (is_fast && limits_.is_held(std::abs(wanted_) * rows_per_base_)) {
    catch_it(lines, *turning);
  } else if (seconds(back_emf_->quiet_for(now)) > listens_for) {
    begin_steps(lines);
    ask_voltages(lines, driver().period());
    next_act_ = now;
  }
}

/// Let go on its way up: it is caught, or has not followed its field.
void SixStepMover::catch_on(Lines& lines, const std::optional<BackEmfAngle::Turning>& turning) {
  const Tick now = lines.now();
  const double rate = run_->rate_at(now);
  if (turning && turning->way * wanted_ > 0.0 && turning->rate() > least_caught * rate &&
      turning->rate() < rate / least_caught) {
    catch_it(lines, *turning);
  } else if (seconds(now - let_go_at_) > dies_away + rows_to_catch / rate) {
    fail(lines,
         fmt::format(
             "{}: let go at {} of its field, its back-EMF does not tell that it turned with it: it has "
             "not followed",
             mechanism_.name, speed_text(output_kind(mechanism_.train), wanted_speed(now))));
  }
}

void SixStepMover::take_current(Lines& lines, double amperes) {
  if (currents_.is_far_over(amperes)) {
    fail(lines, fmt::format("{}: its current is {:.3g} A, far over its limit of {:.3g} A", mechanism_.name,
                            std::abs(amperes), currents_.limit()));
  } else if (state_ == State::steps) {
    run_->take_current(amperes, seconds(driver().period()));
    next_act_ = std::min(next_act_, lines.now());
  }
}

/// It turns by itself: from now on by its back-EMF.
void SixStepMover::catch_it(Lines& lines, const BackEmfAngle::Turning& turning) {
  const Tick now = lines.now();
  back_emf_->follow(turning, now);
  speed_ = CountSpeed(ticks_per_second_);
  hold_->begin(now, 0, turning.way * turning.rate());
  hold_->spin(now, wanted_, acceleration_);
  state_ = State::holds;
  ask_voltages(lines, driver().period());
  currents_.ask(lines, never, 0);
  next_act_ = next_look_ = now;
}

void SixStepMover::commutate(Lines& lines) {
  if (!angle_->is_known() || std::abs(duty_) < 1e-6) {
    output_.put_off(lines);
  } else if (!output_.put(lines, *angle_, duty_, hold_->emf_duty(), false)) {
    next_act_ = std::min(next_act_, lines.now() + driver().period());
  }
}

/// By sensors: the row that is due, and from look to look the loop's next duty.
void SixStepMover::look(Lines& lines) {
  const Tick now = lines.now();
  const Tick early = driver().period() / 2 + lines.lead();
  if (back_emf_ && back_emf_->next_row_at(early) <= now) {
    back_emf_->enter_next(now);
    if (!back_emf_->fault().empty()) {
      fail(lines, fmt::format("{}: {}", mechanism_.name, back_emf_->fault()));
      return;
    }
  }
  if (now >= stops_at_) {
    stops_at_ = never;
    if (run_) {
      run_out_from_here(lines);
      return;
    }
    stops_ = true;
    hold_->spin(now, 0.0, acceleration_);
  }
  // A crossing is seen with the sample after it: only then is the count that of the instant.
  if (now >= next_look_ && (!back_emf_ || sampled_at_ == now)) {
    next_look_ = now + stride_;
    speed_.look(now, count(), angle_->counted_at());
    duty_ = hold_->look(now, {count(), angle_->counted_at(), speed_.counts_per_second()}, std::nullopt);
    currents_.ask(lines, driver().on_at(now + lines.lead()), 0);
    if (!hold_->fault().empty()) {
      fail(lines, hold_->fault());
      return;
    }
    if (follows_.following() == nullptr && hold_->has_arrived(now)) {
      if (stops_) {
        run_out_from_here(lines);
        return;
      }
      if (stops_at_ == never) log().end(now, MotionStatus::done);
    }
  }
  next_act_ = back_emf_ ? std::max(now + 1, back_emf_->next_row_at(early)) : next_look_;
  commutate(lines);
}

/// All gates off, and it turns on until it stands.
void SixStepMover::run_out_from_here(Lines& lines) {
  const Tick now = lines.now();
  run_down_.begin(now, likely_speed(now));
  output_.put_off(lines);
  duty_ = 0.0;
  state_ = State::runs_out;
  next_act_ = now + stride_;
  let_go_at_ = now;
  currents_.ask(lines, never, 0);
  if (!back_emf_) return;
  back_emf_->let_go(now + driver().period() + ticks(dies_away));
  ask_voltages(lines, ticks(listens_each));
}

/// Without drive, until nothing has told of motion for a while.
void SixStepMover::run_out(Lines& lines) {
  const Tick now = lines.now();
  if (halls_) speed_.look(now, halls_->count(), halls_->counted_at());
  const Tick quiet = halls_ ? now - std::max(halls_->counted_at(), let_go_at_) : back_emf_->quiet_for(now);
  if (seconds(quiet) > stands_after) {
    end(lines, MotionStatus::done);
  } else if (seconds(now - let_go_at_) > runs_out_for) {
    fail(lines, fmt::format("{}: still turns {:.0f} s after all its gates went off: something else turns it",
                            mechanism_.name, runs_out_for));
  } else {
    next_act_ = now + stride_;
  }
}

/// Open loop: aligned first, then row after row.
void SixStepMover::step(Lines& lines) {
  const Tick now = lines.now();
  if (now >= stops_at_) {
    if (halls_ || back_emf_) {
      run_out_from_here(lines);
    } else {
      end(lines, MotionStatus::done);
    }
    return;
  }
  run_->look(now);
  if (halls_ && run_->steps() == 0) hall_lag_ = -halls_->count() * run_->way();
  if (halls_ && run_->steps() - run_->way() * halls_->count() - hall_lag_ > most_lag) {
    fail(lines,
         fmt::format("{}: by its Hall sensors it is {} rows behind its field: it does not turn with it",
                     mechanism_.name, run_->steps() - run_->way() * halls_->count() - hall_lag_));
    return;
  }
  if (run_->has_arrived(now)) {
    if (limits_.is_held(std::abs(wanted_) * rows_per_base_)) {
      run_out_from_here(lines);
      state_ = State::coasts;
      next_act_ = never;
      ask_voltages(lines, driver().period());
      return;
    }
    if (stops_at_ == never) log().end(now, MotionStatus::done);
  }
  duty_ = run_->way() * run_->duty(now);
  const bool is_whole = output_.put(lines, *run_, duty_, run_->way() * run_->emf_duty(now), true);
  next_act_ = std::min(now + stride_, std::max<Tick>(now + 1, run_->next_row_at()));
  if (!is_whole) next_act_ = std::min(next_act_, now + driver().period());
}

/// All gates off.
void SixStepMover::switch_off(Lines& lines) {
  run_down_.begin(lines.now(), likely_speed(lines.now()));
  follows_.end();
  output_.put_off(lines);
  state_ = State::off;
  duty_ = 0.0;
  stops_ = false;
  currents_.forget();
  next_act_ = next_look_ = never;
  currents_.ask(lines, never, 0);
  if (back_emf_) back_emf_->ask(lines, never, 0);
}

void SixStepMover::end(Lines& lines, MotionStatus status) {
  switch_off(lines);
  log().end(lines.now(), status);
}

void SixStepMover::fail(Lines& lines, const std::string& why) {
  switch_off(lines);
  log().fail(lines.now(), why);
}

std::vector<std::unique_ptr<CountCheck>> SixStepMover::count_checks(std::span<const CounterSetup> counters,
                                                                    ExactFrequency clock) {
  std::vector<std::unique_ptr<CountCheck>> checks;
  if (!has_halls()) return checks;
  for (const Sensor& sensor : mechanism_.sensors) {
    const auto* const encoder = std::get_if<Encoder>(&sensor);
    if (encoder == nullptr) continue;
    const auto is_its = [&](const CounterSetup& counter) {
      return counter.source == counter_source(encoder->line_a);
    };
    if (std::any_of(counters.begin(), counters.end(), is_its))
      checks.push_back(std::make_unique<BesideWatch>(*this, *encoder, clock));
  }
  return checks;
}

std::vector<TracedSignal> SixStepMover::signals() const {
  const std::string unit(speed_unit(output_kind(mechanism_.train)));
  std::vector<TracedSignal> signals{{"duty", "%"}, {"wanted_speed", unit}};
  if (angle_ != nullptr) signals.push_back({"measured_speed", unit});
  return with_lag(std::move(signals));
}

void SixStepMover::sample(Tick now, std::span<double> values) const {
  values[0] = 100.0 * duty();
  const double scale = speed_units_per_base(output_kind(mechanism_.train));
  values[1] = scale * wanted_speed(now);
  if (angle_ != nullptr) values[2] = scale * speed_.counts_per_second() / rows_per_base_;
  sample_lag(follows_.following(), values);
}

MoverVerdict SixStepMover::came_to(Tick now) const {
  MoverVerdict verdict = began_verdict();
  const std::string words = add_run_down(verdict, run_down_, output_kind(mechanism_.train), now);
  verdict.sum = words.empty() ? "at rest" : words;
  follows_.add_to(verdict);
  return verdict;
}

std::string SixStepMover::asked(Tick now) const {
  const OutputKind kind = output_kind(mechanism_.train);
  return fmt::format("{:.3g} {} wanted, {:.0f} %", speed_units_per_base(kind) * wanted_speed(now),
                     speed_unit(kind), 100.0 * duty());
}

}  // namespace cogstride
