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

}  // namespace cogstride
