#include "cogstride/motion/motion_log.hpp"

#include "cogstride/quantity/error.hpp"

namespace cogstride {

void MotionLog::require_no_obstacle(std::string_view by) const {
  if (!held_for_.empty() && held_for_ != by)
    throw RangeError(name_ + ": moves for " + held_for_ + " now: stop that first");
  if (const std::string in_the_way = obstacle(); !in_the_way.empty())
    throw RangeError(name_ + ": " + in_the_way);
}

std::shared_ptr<MotionRecord> MotionLog::begin(Tick now, std::string what, bool is_told) {
  is_told_ = is_told && held_for_.empty();
  has_begun_ = true;
  record_ = std::make_shared<MotionRecord>();
  record_->what = std::move(what);
  record_->status = MotionStatus::running;
  record_->began = now;
  if (is_told_) note(now, MotionNote::Kind::began, record_->what);
  return record_;
}

void MotionLog::end(Tick now, MotionStatus status) {
  const std::shared_ptr<MotionRecord> on = std::exchange(record_, nullptr);
  if (!on) return;
  on->status = status;
  on->ended = now;
  if (is_told_)
    note(now, status == MotionStatus::done ? MotionNote::Kind::done : MotionNote::Kind::redirected, on->what);
}

void MotionLog::end(Tick now, const Why& why) {
  const std::shared_ptr<MotionRecord> on = std::exchange(record_, nullptr);
  if (!on) return;
  on->status = MotionStatus::faulted;
  on->ended = now;
  on->fault = why.text;
  on->code = why.code;
  if (is_told_ || !why.text.empty())
    note(now, MotionNote::Kind::halted, why.text.empty() ? on->what : why.text);
}

void MotionLog::fail(Tick now, const std::string& why) {
  if (const std::shared_ptr<MotionRecord> on = std::exchange(record_, nullptr)) {
    on->status = MotionStatus::faulted;
    on->ended = now;
    on->fault = why;
    on->code = FaultCode::failed;
  }
  note(now, MotionNote::Kind::faulted, why);
  if (failure_) failure_(why);
}

void MotionLog::note(Tick at, MotionNote::Kind kind, std::string text) const {
  has_begun_ = has_begun_ || kind == MotionNote::Kind::began || kind == MotionNote::Kind::told;
  if (sink_) sink_({at, id_, kind, std::move(text)});
}

}  // namespace cogstride
