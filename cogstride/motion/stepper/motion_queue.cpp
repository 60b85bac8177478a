#include "cogstride/motion/stepper/motion_queue.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "cogstride/motion/stepper/homing_goal.hpp"

namespace cogstride {

std::optional<OutputPosition> travel_end(const Mechanism& mechanism, const SpeedOrder& order) {
  return order.at.base > Ratio(0) ? mechanism.limits.travel_to : mechanism.limits.travel_from;
}

OutputPosition MotionQueue::end() const {
  if (!is_empty()) {
    const auto* const run = std::get_if<SpeedOrder>(&last().what);
    if (run != nullptr && !travel_end(mechanism_, *run)) {
      throw RangeError(
          fmt::format("{}: it turns without end: redirect it or cancel it first", mechanism_.name));
    }
    if (std::holds_alternative<FollowOrder>(last().what))
      throw RangeError(fmt::format("{}: it follows another: let it go first", mechanism_.name));
  }
  if (end_) return *end_;
  throw RangeError(fmt::format("{}: nobody knows yet where it stands: home it first", mechanism_.name));
}

void MotionQueue::foresee(std::optional<OutputPosition> from) {
  end_ = from;
  for (QueuedMotion& motion : motions_) {
    motion.impossible_now.clear();
    if (std::holds_alternative<HomeOrder>(motion.what)) {
      end_ = mechanism_.homing->position;
    } else if (std::holds_alternative<MeasureOrder>(motion.what)) {
      if (end_) end_ = far_switch_goal(mechanism_, controller_).ends_at;
    } else if (motion.record->status == MotionStatus::running || !end_ ||
               std::holds_alternative<FollowOrder>(motion.what)) {
      continue;  // `from` is the end of a running one
    } else if (const auto* const run = std::get_if<SpeedOrder>(&motion.what)) {
      end_ = travel_end(mechanism_, *run).value_or(*end_);
    } else {
      const auto& move = std::get<MoveOrder>(motion.what);
      try {
        end_ = target_of(mechanism_, *end_, move);
      } catch (const RangeError& error) {  // it is refused when its turn comes
        motion.impossible_now = error.what();
        continue;
      }
    }
    if (end_) motion.ends_at = *end_;
  }
}

std::shared_ptr<MotionRecord> MotionQueue::add(std::string what, QueuedMotion motion) {
  motion.record = std::make_shared<MotionRecord>();
  motion.record->what = std::move(what);
  motions_.push_back(std::move(motion));
  end_ = last().ends_at;
  return last().record;
}

std::shared_ptr<MotionRecord> MotionQueue::replace_first(std::string what, QueuedMotion motion, Tick now) {
  first().record->status = MotionStatus::cancelled;
  first().record->ended = now;
  motion.record = std::make_shared<MotionRecord>();
  motion.record->what = std::move(what);
  motion.record->status = MotionStatus::running;
  motion.record->began = now;
  first() = std::move(motion);
  return first().record;
}

bool MotionQueue::take_back(const MotionRecord& motion, Tick now) {
  const auto found = std::find_if(motions_.begin(), motions_.end(),
                                  [&](const QueuedMotion& m) { return m.record.get() == &motion; });
  if (found == motions_.end()) return false;
  found->record->status = MotionStatus::cancelled;
  found->record->ended = now;
  motions_.erase(found);
  return true;
}

std::shared_ptr<MotionRecord> MotionQueue::end_first(MotionStatus status, Tick now, std::string fault) {
  std::shared_ptr<MotionRecord> record = first().record;
  motions_.pop_front();
  record->status = status;
  record->ended = now;
  record->fault = std::move(fault);
  return record;
}

void MotionQueue::drop(Tick now) {
  while (!is_empty()) (void)take_back(*last().record, now);
}

}  // namespace cogstride
