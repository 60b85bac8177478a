// What is known of one ordered motion, from order to end, and the notes that motions leave behind.
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <utility>

#include "cogstride/lines/events.hpp"

namespace cogstride {

enum class MotionStatus { queued, running, done, cancelled, faulted };

struct MotionRecord {
  std::string what;  ///< "move to 92 mm"
  MotionStatus status = MotionStatus::queued;
  Tick began = never;
  Tick ended = never;
  std::string fault;  ///< what went wrong, with the evidence; empty otherwise

  [[nodiscard]] bool has_ended() const {
    return status != MotionStatus::queued && status != MotionStatus::running;
  }
};

/// Of a motion that begins at once.
[[nodiscard]] inline std::shared_ptr<MotionRecord> running_record(Tick now, std::string what) {
  auto record = std::make_shared<MotionRecord>();
  record->what = std::move(what);
  record->status = MotionStatus::running;
  record->began = now;
  return record;
}

struct MotionNote {
  /// faulted: it failed by itself; halted: something else stopped it;
  /// told: done at once.
  enum class Kind { began, done, redirected, cancelled, faulted, halted, home_edge, measured, told };
  Tick at;
  MechanismId mechanism;
  Kind kind;
  std::string text;
};
using NoteSink = std::function<void(const MotionNote&)>;

/// Ends a motion that runs, and says what there is to note of it.
[[nodiscard]] inline MotionNote end_record(MotionRecord& record, Tick now, MechanismId mechanism,
                                           MotionStatus status, std::string fault) {
  record.status = status;
  record.ended = now;
  record.fault = std::move(fault);
  using Kind = MotionNote::Kind;
  const Kind kind = status == MotionStatus::done        ? Kind::done
                    : status == MotionStatus::cancelled ? Kind::redirected
                                                        : Kind::halted;
  return {now, mechanism, kind, record.fault.empty() ? record.what : record.fault};
}

}  // namespace cogstride
