// What carries out the orders of one mechanism, or of a cart: all kinds are one to a bench.
//
// A bench asks a mover for the lines it wants, lets it take part in its run, and stops it in one of three
// ways: `stop` (it brakes, and its motion ends as cancelled or done), `halt` (something else failed: it
// brakes as steeply as it may, and its motion ends as faulted), `lines_were_cut` (its lines are at rest
// already).
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "cogstride/lines/lines.hpp"
#include "cogstride/motion/motion_log.hpp"
#include "cogstride/motion/participant.hpp"

namespace cogstride {

struct Mechanism;

/// How a running motion is stopped before its end.
enum class Braking {
  on_a_ramp,  ///< at the limits that it runs with
  steepest    ///< as hard as the motor can without losing steps, whatever the limits
};

class Mover : public Participant {
 public:
  Mover(MechanismId id, std::string name) : log_(id, std::move(name)) {}
  Mover(const Mover&) = delete;
  Mover& operator=(const Mover&) = delete;

  [[nodiscard]] const std::string& name() const { return log_.name(); }
  [[nodiscard]] MechanismId id() const { return log_.id(); }
  [[nodiscard]] MotionLog& log() { return log_; }
  [[nodiscard]] const MotionLog& log() const { return log_; }

  /// Null for one that has no lines of its own: a cart.
  [[nodiscard]] virtual const Mechanism* parts() const = 0;
  [[nodiscard]] virtual std::vector<LineSetup> line_setups() const = 0;
  /// Nothing is ordered that has not ended. A steady spin has ended as an order, and is driven all the same.
  [[nodiscard]] virtual bool has_ended() const = 0;
  /// Whether something drives it, or is about to, at an instant.
  [[nodiscard]] virtual bool is_driven(Tick now) const = 0;
  /// Brings it to rest; nothing when it is at rest. What is queued is taken back.
  virtual void come_to_rest(Lines& lines) = 0;
  /// Takes one of its motions back: it is stopped if it is on.
  virtual void cancel(Lines& lines, const MotionRecord& motion, Braking /*how*/) {
    if (!motion.has_ended()) come_to_rest(lines);
  }
  virtual void halt(Lines& lines, const Why& why) = 0;
  virtual void lines_were_cut(Lines& lines, const Why& why) = 0;

 private:
  MotionLog log_;
};

}  // namespace cogstride
