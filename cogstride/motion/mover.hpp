// What carries out the orders of one mechanism, or of a cart: all kinds are one to a bench.
//
// A bench asks a mover for the lines it wants, lets it take part in its run, and stops it in one of three
// ways: `stop` (it brakes, and its motion ends as cancelled or done), `halt` (something else failed: it
// brakes as steeply as it may, and its motion ends as faulted), `lines_were_cut` (its lines are at rest
// already).
#pragma once

#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "cogstride/lines/lines.hpp"
#include "cogstride/motion/capabilities.hpp"
#include "cogstride/motion/count_check.hpp"
#include "cogstride/motion/motion_log.hpp"
#include "cogstride/motion/participant.hpp"
#include "cogstride/motion/status.hpp"
#include "cogstride/trace/trace.hpp"
#include "cogstride/trace/verdict.hpp"

namespace cogstride {

class Inputs;
struct Encoder;
struct Mechanism;

/// A kind of mover. Each class of movers has one, in `its_kind`, told from the others by its address.
struct MoverKind {
  std::string_view is_other{};  ///< said of a mechanism of another kind: "is no hobby servo"
  std::string_view name{};      ///< of one that is no mechanism of a rig: "wheeled pair"
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

  [[nodiscard]] virtual const MoverKind& kind() const = 0;
  /// Null for one that is no mechanism of the rig: a cart.
  [[nodiscard]] virtual const Mechanism* parts() const = 0;
  /// What has the sensors that it is told of by, which others may follow.
  [[nodiscard]] virtual const Mechanism* sensed() const { return parts(); }
  [[nodiscard]] virtual std::vector<LineSetup> line_setups() const = 0;
  /// Timers of those lines that carry a duty or a pulse width.
  [[nodiscard]] virtual std::vector<PwmSetup> pwm_setups() const { return {}; }
  /// Loops that whoever plays its lines closes for it.
  [[nodiscard]] virtual std::vector<LoopSetup> loop_setups() const { return {}; }
  /// Axes that they can gear to a count for it.
  [[nodiscard]] virtual std::vector<GearSetup> gear_setups() const { return {}; }
  /// Frames that bring what it has on a bus to rest, whatever else is on it: sent by every cut.
  [[nodiscard]] virtual std::vector<Frame> rest_frames() const { return {}; }
  /// Others that carry out its orders, and stop when it stops: the wheels of a cart.
  [[nodiscard]] virtual std::vector<Mover*> moves() const { return {}; }
  /// It moves for `by` alone until it is let go: orders of its own are refused.
  void hold_for(Mover& by) {
    held_by_ = &by;
    log_.hold_for(by.name());
  }
  void let_go_for(const Mover& by) {
    if (held_by_ != &by) return;
    held_by_ = nullptr;
    log_.hold_for({});
  }
  /// Who is to be stopped when this one is to stop: who holds it, else itself.
  [[nodiscard]] Mover& answers_for() { return held_by_ == nullptr ? *this : *held_by_; }

  /// Where switches, supplies and stops are read; they outlive it.
  virtual void watch(const Inputs&) {}
  /// What holds its encoders against what it does, of those that the controller has counters for.
  [[nodiscard]] virtual std::vector<std::unique_ptr<CountCheck>> count_checks(std::span<const CounterSetup>,
                                                                              ExactFrequency /*clock*/) {
    return {};
  }
  /// For one who is about to prove an encoder, or drives a shaft that stands: that it counts nothing is no
  /// fault.
  virtual void leave_count_unwatched() {}

  // What it can do; null where it cannot.
  [[nodiscard]] virtual Places* places() { return nullptr; }
  [[nodiscard]] virtual Arrivals* arrivals() { return nullptr; }
  [[nodiscard]] virtual Redirects* redirects() { return nullptr; }
  [[nodiscard]] virtual Speeds* speeds() { return nullptr; }
  [[nodiscard]] virtual Duties* duties() { return nullptr; }
  [[nodiscard]] virtual Torques* torques() { return nullptr; }
  [[nodiscard]] virtual Zeroed* zeroed() { return nullptr; }
  [[nodiscard]] virtual Arming* arming() { return nullptr; }
  [[nodiscard]] virtual Ways* ways() { return nullptr; }
  [[nodiscard]] virtual Follows* follows() { return nullptr; }
  /// Its place follows from what it is told, so that others can be geared to that.
  [[nodiscard]] virtual Commanded* commanded() { return nullptr; }
  /// Whether it reads the count of this encoder by itself while the lines are open.
  [[nodiscard]] virtual bool reads(const Encoder&) const { return false; }

  /// What is asked of it, as a record of the run shows it: names and units.
  [[nodiscard]] virtual std::vector<TracedSignal> signals() const { return {}; }
  /// Their values at an instant, NaN where they are not known.
  virtual void sample(Tick, std::span<double>) const {}
  /// What it has counted since the lines were opened: steps, or what its encoder counts. Nothing: it counts
  /// nothing.
  [[nodiscard]] virtual std::optional<std::int64_t> counted(Tick) const { return std::nullopt; }
  /// What is asked of it now, for one who looks on: "41.2 mm, 40 mm/s". "" where there is nothing to say.
  [[nodiscard]] virtual std::string asked(Tick) const { return {}; }
  /// Of its output as it is asked for now, m/s or turns/s, where that is known exactly; else a signal tells.
  [[nodiscard]] virtual std::optional<double> asked_speed(Tick) const { return std::nullopt; }
  /// The motion that is on; "" when none is.
  [[nodiscard]] virtual std::string doing() const { return log_.doing(); }
  [[nodiscard]] Status status(Tick now) const;
  /// What it came to, by what was put on its lines and read there: all that there is on live lines.
  [[nodiscard]] virtual MoverVerdict came_to(Tick /*now*/) const { return began_verdict(); }
  /// Whether its place is in doubt when an edge of its lines comes so late.
  [[nodiscard]] virtual bool loses_place(Tick /*now*/, Tick /*late*/) const { return false; }
  /// Nothing is ordered that has not ended. A steady spin has ended as an order, and is driven all the same.
  [[nodiscard]] virtual bool has_ended() const = 0;
  /// Whether something drives it, or is about to, at an instant.
  [[nodiscard]] virtual bool is_driven(Tick now) const = 0;
  /// It is on by itself, whatever becomes of the lines, until it has been told off and has said so: a drive
  /// with an id on a bus.
  [[nodiscard]] virtual bool stays_on() const { return false; }
  /// Whether it stands, or will without a further act: what it moves has ended too.
  [[nodiscard]] bool stands() const {
    for (const Mover* const other : moves())
      if (!other->has_ended()) return false;
    return has_ended();
  }
  /// Stops it in its way of stopping. What is queued is taken back.
  virtual void stop(Lines& lines, Braking how) = 0;
  /// The same as steeply as it may; nothing when it is at rest.
  void come_to_rest(Lines& lines) {
    if (is_driven(lines.now()) || !has_ended()) stop(lines, Braking::steepest);
  }
  /// Takes one of its motions back: it is stopped if it is on.
  virtual void cancel(Lines& lines, const MotionRecord& motion, Braking how) {
    if (!motion.has_ended()) stop(lines, how);
  }
  /// Outputs on or off while it stands. @throws RangeError when it has no such thing
  virtual void hold(Lines&) { throw RangeError(name() + ": has nothing to hold with"); }
  virtual void release(Lines&) { throw RangeError(name() + ": cannot be let go"); }
  virtual void halt(Lines& lines, const Why& why) = 0;
  virtual void lines_were_cut(Lines& lines, const Why& why) = 0;

 protected:
  /// Of one whose rig says that it follows another: a signal more, by how much it is behind; NaN while it
  /// follows nothing.
  [[nodiscard]] std::vector<TracedSignal> with_lag(std::vector<TracedSignal> own) const;
  void sample_lag(const Follow* following, std::span<double> values) const;
  /// Its name, its kind, and whether it has moved.
  [[nodiscard]] MoverVerdict began_verdict() const;

 private:
  MotionLog log_;
  Mover* held_by_ = nullptr;
};

/// A mover as what it is; null when it is of another kind.
template <class M>
[[nodiscard]] M* as(Mover& mover) {
  return &mover.kind() == &M::its_kind ? static_cast<M*>(&mover) : nullptr;
}

}  // namespace cogstride
