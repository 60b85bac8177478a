#include "cogstride/motion/stepper_mover.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace cogstride {

StepperMover::StepperMover(const Mechanism& mechanism, MechanismId id, const Controller& controller)
    : mechanism_(mechanism),
      controller_(controller),
      steps_per_base_(steps_per_base(mechanism)),
      stream_(mechanism, id, controller.timer_clock) {
  commanded_ = {output_kind(mechanism.train), 0};
  if (!mechanism.homing) {
    origin_ = 0;
    after_all_ = commanded_;
  }
}

std::shared_ptr<MotionRecord> StepperMover::enqueue(std::string what, std::optional<MoveOrder> move) {
  auto record = std::make_shared<MotionRecord>();
  record->what = std::move(what);
  queue_.push_back({record, std::move(move)});
  return record;
}

std::shared_ptr<MotionRecord> StepperMover::home() {
  (void)HomingSequence(mechanism_, controller_, controller_.timer_clock);  // refuses what cannot be homed
  auto record = enqueue("home", std::nullopt);
  after_all_ = mechanism_.homing->position;
  return record;
}

std::shared_ptr<MotionRecord> StepperMover::move(const MoveOrder& order) {
  if (!after_all_) {
    throw RangeError(fmt::format("{}: nobody knows yet where it stands: home it first", mechanism_.name));
  }
  const OutputPosition target = target_of(mechanism_, *after_all_, order);
  (void)ramp_limits(mechanism_, controller_, order.speed, order.acceleration);
  auto record = enqueue(order.to ? "move to " + to_text(*order.to) : "move by " + to_text(*order.by), order);
  after_all_ = target;
  return record;
}

void StepperMover::cancel(Lines& lines, const MotionRecord& motion) {
  const auto found =
      std::find_if(queue_.begin(), queue_.end(), [&](const Order& o) { return o.record.get() == &motion; });
  if (found == queue_.end()) return;
  if (found->record->status == MotionStatus::running) {
    braking_ = true;
    homing_.reset();
    stream_.brake(lines, running_limits_);
    if (!stream_.is_busy()) finish(lines, MotionStatus::cancelled);
    return;
  }
  found->record->status = MotionStatus::cancelled;
  found->record->ended = lines.now();
  queue_.erase(found);
}

std::optional<OutputPosition> StepperMover::position() const {
  return origin_ ? std::optional(commanded_) : std::nullopt;
}

OutputPosition StepperMover::position_of(std::int64_t step) const {
  return {commanded_.kind, Ratio(step - *origin_) / steps_per_base_};
}

void StepperMover::note(Tick at, MotionNote::Kind kind, std::string text) const {
  if (sink_) sink_({at, stream_.driver().id(), kind, std::move(text)});
}

Tick StepperMover::next_act() const {
  if (queue_.empty()) return never;
  if (queue_.front().record->status == MotionStatus::queued) return 0;
  return homing_ ? homing_->next_act(stream_) : stream_.next_act();
}

void StepperMover::begin_move(Lines& lines, const MoveOrder& order) {
  const OutputPosition target = target_of(mechanism_, commanded_, order);
  running_limits_ = ramp_limits(mechanism_, controller_, order.speed, order.acceleration);
  commanded_ = target;
  stream_.start(lines, *origin_ + step_at(mechanism_, target), running_limits_);
}

void StepperMover::begin_next(Lines& lines) {
  Order& order = queue_.front();
  order.record->status = MotionStatus::running;
  order.record->began = lines.now();
  note(lines.now(), MotionNote::Kind::began, order.record->what);
  if (order.move) {
    // Checked when ordered, but a stop in between may have left it elsewhere: then it is refused here.
    try {
      if (!origin_)
        throw RangeError(fmt::format("{}: nobody knows where it stands: home it first", mechanism_.name));
      begin_move(lines, *order.move);
    } catch (const RangeError& error) {
      finish(lines, MotionStatus::faulted, error.what());
    }
    return;
  }
  origin_.reset();
  running_limits_ = ramp_limits(mechanism_, controller_, mechanism_.homing->speed);
  homing_.emplace(mechanism_, controller_, controller_.timer_clock);
  homing_->begin(stream_, lines);
}

/// Notes where it really stands after a stop that was not the planned end.
void StepperMover::stand_at(std::int64_t step) {
  if (origin_) commanded_ = position_of(step);
}

void StepperMover::finish(Lines& lines, MotionStatus status, std::string fault) {
  const std::shared_ptr<MotionRecord> record = queue_.front().record;
  queue_.pop_front();
  record->status = status;
  record->ended = lines.now();
  record->fault = std::move(fault);
  homing_.reset();
  braking_ = false;
  const auto kind = status == MotionStatus::done        ? MotionNote::Kind::done
                    : status == MotionStatus::cancelled ? MotionNote::Kind::cancelled
                                                        : MotionNote::Kind::faulted;
  note(lines.now(), kind, status == MotionStatus::faulted ? record->fault : record->what);
  if (status == MotionStatus::done) return;
  stand_at(stream_.made());
  if (status == MotionStatus::faulted) {
    for (const Order& order : queue_) {
      order.record->status = MotionStatus::cancelled;
      order.record->ended = lines.now();
    }
    queue_.clear();
  }
  if (queue_.empty()) after_all_ = position();
}

void StepperMover::lines_were_cut(Lines& lines) {
  stream_.lines_were_cut(lines);
  if (queue_.empty()) return;
  // A rotor that was moving when its lines fell to rest may have gone anywhere.
  const bool was_moving = queue_.front().record->status == MotionStatus::running;
  finish(lines, MotionStatus::faulted,
         fmt::format("{}: stopped at once, all lines at rest", mechanism_.name));
  if (was_moving && mechanism_.homing) origin_.reset();
  after_all_ = position();
}

void StepperMover::homing_acted(Lines& lines) {
  if (homing_->state() == HomingSequence::State::failed) {
    finish(lines, MotionStatus::faulted, homing_->failure());
    return;
  }
  if (homing_->edge_at() == lines.now()) {
    note(lines.now(), MotionNote::Kind::home_edge,
         fmt::format("home edge: this step is {}", to_text(mechanism_.home_switch()->acts_at)));
  }
  if (homing_->state() != HomingSequence::State::found) return;
  origin_ = homing_->edge_step() - step_at(mechanism_, mechanism_.home_switch()->acts_at);
  commanded_ = mechanism_.homing->position;
  finish(lines, MotionStatus::done);
}

void StepperMover::act(Lines& lines, std::span<const Reading> readings) {
  if (queue_.empty()) return;
  if (queue_.front().record->status == MotionStatus::queued) {
    begin_next(lines);
    return;
  }
  if (homing_) {
    homing_->act(stream_, lines, readings);
    homing_acted(lines);
    return;
  }
  stream_.act(lines);
  if (!stream_.is_busy()) finish(lines, braking_ ? MotionStatus::cancelled : MotionStatus::done);
}

}  // namespace cogstride
