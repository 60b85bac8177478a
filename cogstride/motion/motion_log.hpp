// What a mover keeps of its motions and tells of them: the record of the one that is on, notes of what
// happens, what stands in the way of a new one, and what fails by itself.
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <string_view>
#include <utility>

#include "cogstride/motion/motion_record.hpp"

namespace cogstride {

class MotionLog {
 public:
  /// @param name  of the mechanism or cart, for messages
  MotionLog(MechanismId id, std::string name) : id_(id), name_(std::move(name)) {}

  [[nodiscard]] MechanismId id() const { return id_; }
  [[nodiscard]] const std::string& name() const { return name_; }

  /// Notes of what motions do, as they do it.
  void on_note(NoteSink sink) { sink_ = std::move(sink); }
  /// Asked before each motion: what stands in its way now ("" when nothing does).
  void on_begin(std::function<std::string()> obstacle) { obstacle_ = std::move(obstacle); }
  /// Told of what fails by itself, after it was noted: whoever runs the bench stops the others.
  void on_failure(std::function<void(const std::string&)> listener) { failure_ = std::move(listener); }

  [[nodiscard]] std::string obstacle() const { return obstacle_ ? obstacle_() : std::string(); }
  /// @param by  who orders, where it is held by somebody; else itself
  /// @throws RangeError with the mover's name and what stands in the way, or who else holds it
  void require_no_obstacle(std::string_view by = {}) const;
  /// From now on it moves for somebody else, who tells of its motions (its faults aside). "": for itself
  /// again
  void hold_for(std::string by) { held_for_ = std::move(by); }

  /// Whether a motion has begun so far.
  [[nodiscard]] bool has_begun() const { return has_begun_; }
  /// The motion that is on; "" when none is.
  [[nodiscard]] std::string doing() const { return record_ ? record_->what : std::string(); }
  /// Whether a motion is on that has not ended.
  [[nodiscard]] bool is_on() const { return record_ != nullptr; }
  /// A motion begins now. @param is_told  else it is only what an ended one leaves behind: coming to rest
  std::shared_ptr<MotionRecord> begin(Tick now, std::string what, bool is_told = true);
  /// The motion that is on ends; nothing when there is none.
  void end(Tick now, MotionStatus status);
  /// It ends as faulted.
  void end(Tick now, const Why& why);
  /// What is on ends by a fault of its own, or it fails without a motion.
  void fail(Tick now, const std::string& why);
  void note(Tick at, MotionNote::Kind kind, std::string text) const;

 private:
  MechanismId id_;
  std::string name_;
  std::shared_ptr<MotionRecord> record_{};
  std::string held_for_{};
  bool is_told_ = true;  // the motion that is on
  mutable bool has_begun_ = false;
  NoteSink sink_{};
  std::function<std::string()> obstacle_{};
  std::function<void(const std::string&)> failure_{};
};

}  // namespace cogstride
