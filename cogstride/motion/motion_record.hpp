// What is known of one ordered motion, from order to end, and the notes that motions leave behind.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <string>
#include <utility>

#include "cogstride/lines/events.hpp"

namespace cogstride {

enum class MotionStatus { queued, running, done, cancelled, faulted };

/// What ended a motion that was not carried out, for programs; the words say which and why.
enum class FaultCode : std::uint8_t {
  none,
  refused,         ///< when its turn came it could not be had: something stood in its way, a limit
  failed,          ///< by itself: not found, not followed, stuck, too warm
  emergency_stop,  ///< pressed
  limit_switch,    ///< acted outside homing
  board_fault,
  supply_lost,
  other_failed,  ///< another mechanism's motion did, and the rig stops all
  stopped,       ///< somebody stopped the bench
  controller,    ///< its controller could not go on: an edge was too late, a chip is gone
  closed         ///< the bench was closed
};

/// How a running motion is stopped before its end.
enum class Braking {
  on_a_ramp,  ///< at the limits that it runs with
  steepest    ///< as hard as the motor can without losing steps, whatever the limits
};

/// Why something is stopped.
struct Why {
  FaultCode code = FaultCode::stopped;
  std::string text{};
};

struct MotionRecord {
  std::string what;  ///< "move to 92 mm"
  MotionStatus status = MotionStatus::queued;
  Tick began = never;
  Tick ended = never;
  std::string fault;  ///< what went wrong, with the evidence; empty otherwise
  FaultCode code = FaultCode::none;

  [[nodiscard]] bool has_ended() const {
    return status != MotionStatus::queued && status != MotionStatus::running;
  }
};

struct MotionNote {
  /// faulted: it failed by itself; halted: something else stopped it;
  /// told: done at once; homed: done, and its zero is known.
  enum class Kind { began, done, homed, redirected, cancelled, faulted, halted, home_edge, measured, told };
  Tick at;
  MechanismId mechanism;
  Kind kind;
  std::string text;
};
using NoteSink = std::function<void(const MotionNote&)>;

}  // namespace cogstride
