// What a bench hands out: a mechanism by its kind, and motions that can be awaited, asked and cancelled.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <utility>

#include "cogstride/mechanism/output.hpp"
#include "cogstride/motion/measured.hpp"
#include "cogstride/motion/motion_record.hpp"
#include "cogstride/motion/orders.hpp"
#include "cogstride/plan/move.hpp"

namespace cogstride {

class Bench;
class BusDriveMover;
class DutyMover;
class Follow;
class Lines;
class Mover;
class OutputSwitch;
class PairMover;
class ServoMover;
class ShaftMover;
class SixStepMover;
class StepperMover;
class ThrottleMover;
struct Mechanism;
struct Shaft;
struct WheeledPair;

/// A motion ended otherwise than ordered: what() says why, code() what kind of reason it was.
class MotionFault : public Error {
 public:
  MotionFault(const std::string& what, FaultCode code) : Error(what), code_(code) {}
  [[nodiscard]] FaultCode code() const { return code_; }

 private:
  FaultCode code_;
};

/// A motion that has been ordered. It may be kept longer than its bench: what was told of it stays.
class Motion {
 public:
  /// Lets the bench run until the motion has ended.
  /// @return done, or cancelled when it was taken back or another took its place
  /// @throws MotionFault when it ended by a fault, RangeError when its bench is closed or gone
  MotionStatus wait();
  /// The same for so long at the most. @return queued or running when it goes on. @throws as wait()
  MotionStatus wait_for(Time most);
  /// As wait(), but hands the fault over: empty when all is well.
  [[nodiscard]] std::string result();
  /// Takes it back when it has not begun, else brakes it; wait() then waits for the stop.
  void cancel(Braking how = Braking::on_a_ramp);
  /// As it is now; nothing is waited for.
  [[nodiscard]] MotionStatus status() const { return record_->status; }
  /// Done, cancelled or faulted.
  [[nodiscard]] bool has_ended() const { return record_->has_ended(); }
  /// Of a motion that ended by a fault; else none.
  [[nodiscard]] FaultCode code() const { return record_->code; }
  /// From the order being taken up to its end, once it has ended.
  [[nodiscard]] std::optional<Time> duration() const;

 private:
  friend class Bench;
  template <class M>
  friend class HandleOf;
  Motion(Bench& bench, Mover& mover, std::shared_ptr<MotionRecord> record);
  [[nodiscard]] Bench& bench() const;
  void run(Tick until);
  MotionStatus ended() const;

  std::weak_ptr<Bench*> bench_;
  double ticks_per_second_;
  Mover* mover_;
  std::shared_ptr<MotionRecord> record_;
};

/// What all handles are: a mover, on a bench. A handle whose bench is gone throws RangeError, and so does an
/// order to one that is closed.
template <class M>
class HandleOf {
 protected:
  HandleOf(Bench& bench, M& mover);
  [[nodiscard]] Bench& bench() const;
  [[nodiscard]] M& mover() const;
  /// For an order. @throws RangeError when the bench is closed
  [[nodiscard]] Lines& lines() const;
  [[nodiscard]] Tick now() const;
  [[nodiscard]] Motion motion(std::shared_ptr<MotionRecord> record) const;
  /// Lets the bench run until it has come to rest.
  void wait_for_rest() const;

 private:
  std::weak_ptr<Bench*> bench_;
  M* mover_;
};

/// What all kinds have: a mechanism or a cart on a bench.
class MechanismHandle : private HandleOf<Mover> {
 public:
  /// As the rig names it.
  [[nodiscard]] const std::string& name() const;
  /// Null for a cart.
  [[nodiscard]] const Mechanism* parts() const;
  /// Whether all that was ordered has ended. A steady spin has, and is driven all the same.
  [[nodiscard]] bool has_ended() const;
  /// Whether something drives it now.
  [[nodiscard]] bool is_driven() const;
  /// What stands in the way of motion now; "" when nothing does.
  [[nodiscard]] std::string obstacle() const;
  /// Brings it to rest, as steeply as it may, and waits until it is.
  void stop();

 private:
  friend class Bench;
  MechanismHandle(Bench& bench, Mover& mover) : HandleOf(bench, mover) {}
};

/// A mechanism on a bench.
class StepperHandle : private HandleOf<StepperMover> {
 public:
  /// @throws RangeError when it has nothing to home with.
  Motion home();
  /// @throws RangeError when the move is refused; nothing is queued then.
  Motion move(const MoveOrder& order);
  /// Goes at a speed: for a time, for a way, or on until the end of the travel, or without end where there is
  /// none.
  /// @throws RangeError when it is refused
  Motion spin(const SpeedOrder& order);
  /// To an angle or a station, the short way or a way that is said. @throws RangeError when it is refused
  Motion turn(const TurnOrder& order);
  /// In mid-motion, from the state it is in: a new target, speed or limits for the motion that is on. The
  /// Motion handed out for it before ends as cancelled. @throws RangeError when it is refused; the motion
  /// then goes on
  Motion redirect(const MoveOrder& order);
  /// The same to a speed, on until told otherwise. @throws RangeError as above
  Motion redirect(const SpeedOrder& order);
  /// The spin that is on goes so much faster or slower, or the other way round. The Motion handed out for it
  /// before ends as cancelled. @throws RangeError when none is on, or nothing of the speed is left
  Motion faster(OutputSpeed by);
  /// The same slower. @throws RangeError as above
  Motion slower(OutputSpeed by);
  /// The same speed the other way. @throws RangeError when no spin is on
  Motion reverse();
  /// Brakes what is on, takes back all that is queued, and waits until it stands.
  void stop(Braking how = Braking::on_a_ramp);
  /// Outputs on: the motor holds where it stands. @throws RangeError when something stands in the way
  void hold();
  /// Outputs off: detent and friction alone hold it until the next motion. @throws RangeError while it moves
  void release();
  /// The commanded position: exact; nothing before homing.
  [[nodiscard]] std::optional<OutputPosition> position() const;
  /// By its encoder, looked at each millisecond. @throws RangeError when it has none
  [[nodiscard]] Measured measured() const;
  /// Goes to the switch at the other end and finds its edge; the travel between the two must be as the rig
  /// says.
  /// @throws RangeError when it has no two switches, or no position is known
  Motion measure();
  /// What the rig says of it.
  [[nodiscard]] const Mechanism& parts() const;

 private:
  friend class Bench;
  StepperHandle(Bench& bench, StepperMover& mover) : HandleOf(bench, mover) {}
};

/// A mechanism that is driven by duty, on a bench.
class BrushedHandle : private HandleOf<DutyMover> {
 public:
  /// To a duty, and on until told otherwise or for a time. @throws RangeError when it is refused; what is on
  /// goes on
  Motion spin(const DutyOrder& order);
  /// To a signed share of what it may be given: the smallest one turns it. @param fraction  -100 % to 100 %
  Motion spin_fraction(Fraction fraction, std::optional<ExactTime> ramp = {});
  /// To a speed that its encoder holds; done when it is measured to turn with it, within a tenth.
  /// @throws RangeError when it has none, or the speed cannot be had
  Motion spin(const SpeedOrder& order);
  /// So much faster the way it is held to turn. @throws RangeError when it holds no speed, or it cannot be
  /// had
  Motion faster(OutputSpeed by);
  /// The same slower. @throws RangeError as above, or when nothing of the speed would be left
  Motion slower(OutputSpeed by);
  /// To a place, by its encoder, where it is held until told otherwise. Done when its count is there.
  /// @throws RangeError when it has none, or the place or a limit cannot be had
  Motion move(const MoveOrder& order);
  /// So much more or less duty the way it turns. @throws RangeError when it does not spin, or nothing would
  /// be left
  Motion faster(ExactFraction by);
  /// The same less. @throws RangeError as above
  Motion slower(ExactFraction by);
  /// The same duty the other way: down, a pause without drive, and up. @throws RangeError when it does not
  /// spin
  Motion reverse(std::optional<ExactTime> ramp = {});
  /// Down to none on a ramp, then what the rig says it slows by.
  Motion stop(std::optional<ExactTime> ramp = {});
  /// No drive, at once: both terminals of the motor are joined, which slows it down.
  void brake();
  /// No drive, at once: it is let go. @throws RangeError when no line switches its bridge off
  void coast();
  /// The duty that is asked for now, -100 % to 100 %.
  [[nodiscard]] Fraction duty() const;
  /// By its encoder, looked at each millisecond. @throws RangeError when it has none
  [[nodiscard]] Measured measured() const;
  /// By its shunt. @throws RangeError when it has none
  [[nodiscard]] Current measured_current() const;
  /// What the rig says of it.
  [[nodiscard]] const Mechanism& parts() const;

 private:
  friend class Bench;
  BrushedHandle(Bench& bench, DutyMover& mover) : HandleOf(bench, mover) {}
};

/// A hobby servo on a bench.
class ServoHandle : private HandleOf<ServoMover> {
 public:
  /// To an angle, with a speed and an acceleration; done when it must have come there. The first one goes as
  /// fast as the servo can. @throws RangeError when it is refused; what is on goes on
  Motion swing(const MoveOrder& order);
  /// Brakes, and holds where it comes to rest.
  Motion stop();
  /// No pulse: it goes limp.
  void release();
  /// Where it was sent; nothing before its first swing and after a release.
  [[nodiscard]] std::optional<OutputPosition> position() const;
  /// What the rig says of it.
  [[nodiscard]] const Mechanism& parts() const;

 private:
  friend class Bench;
  ServoHandle(Bench& bench, ServoMover& mover) : HandleOf(bench, mover) {}
};

/// A motor behind a speed controller, on a bench.
class SpeedControllerHandle : private HandleOf<ThrottleMover> {
 public:
  /// The stages of the rig, and then the pulse of no throttle. @throws RangeError when it is armed
  Motion arm();
  /// Whether a throttle would turn it.
  [[nodiscard]] bool is_armed() const;
  /// To a throttle, and on until told otherwise or for a time. @throws RangeError when it is not armed, or is
  /// refused; what is on goes on
  Motion throttle(const DutyOrder& order);
  /// So much more throttle the way it turns. @throws RangeError when it has none, or it cannot be had
  Motion faster(ExactFraction by);
  /// The same less. @throws RangeError as above, or when none would be left
  Motion slower(ExactFraction by);
  /// The same throttle the other way: down, a pause without drive, and up. @throws RangeError when it has
  /// none
  Motion reverse(std::optional<ExactTime> ramp = {});
  /// Down to none, where it stays armed.
  Motion stop(std::optional<ExactTime> ramp = {});
  /// No pulse: it stops, and must be armed again.
  void release();
  /// The throttle that is asked for now, -100 % to 100 %.
  [[nodiscard]] Fraction throttle() const;
  /// What the rig says of it.
  [[nodiscard]] const Mechanism& parts() const;

 private:
  friend class Bench;
  SpeedControllerHandle(Bench& bench, ThrottleMover& mover) : HandleOf(bench, mover) {}
};

/// A bare brushless motor behind six gates, on a bench.
class BrushlessHandle : private HandleOf<SixStepMover> {
 public:
  /// To a speed, by its Hall sensors or, without them, open loop; for a time, or on until told otherwise.
  /// @throws RangeError when it is refused; what is on goes on
  Motion spin(const SpeedOrder& order);
  /// So much faster the way it is held to turn. @throws RangeError when it holds no speed, or it cannot be
  /// had
  Motion faster(OutputSpeed by);
  /// The same slower. @throws RangeError as above, or when nothing of the speed would be left
  Motion slower(OutputSpeed by);
  /// The same speed the other way. @throws RangeError when it holds no speed, or nothing tells its angle at
  /// rest
  Motion reverse();
  /// Down as its loop and its friction can, and all gates off; without sensors they go off at once.
  Motion stop();
  /// Of the output, that is wanted now.
  [[nodiscard]] InexactSpeed wanted_speed() const;
  /// The duty that is given, -100 % to 100 %.
  [[nodiscard]] Fraction duty() const;
  /// What the rig says of it.
  [[nodiscard]] const Mechanism& parts() const;

 private:
  friend class Bench;
  BrushlessHandle(Bench& bench, SixStepMover& mover) : HandleOf(bench, mover) {}
};

/// What a drive on a bus has told last; figures that it does not tell are none.
struct DriveTold {
  OutputPosition place{};
  InexactSpeed speed{};
  Current current{};  ///< of its motor
  Torque torque{};    ///< of its motor
  Voltage supply{};
  std::optional<Current> supply_current{};
  std::optional<Voltage> applied{};  ///< at its motor
  std::optional<double> degrees_celsius{};
  std::string state{};  ///< "driven", "in a fault"
};

/// A mechanism whose drive is on a bus, on a bench.
class BusDriveHandle : private HandleOf<BusDriveMover> {
 public:
  /// To a place, by a way: on a ramp that is told cycle by cycle. What is ordered before its drive is up
  /// begins when it is. @throws RangeError when it is refused; what is on goes on
  Motion move(const MoveOrder& order);
  /// At a speed, for a time or a way, or on until told otherwise. @throws RangeError as above
  Motion spin(const SpeedOrder& order);
  /// At a share of its top speed, -100 % to 100 %. @throws RangeError as above
  Motion spin(const DutyOrder& order);
  /// With a torque of its motor, at whatever speed that gives, until told otherwise.
  /// @throws RangeError when it is more than its current gives
  Motion pull(Torque torque);
  Motion stop();
  /// What was wrong is no more: its fault is reset, and it is brought up anew where that is needed.
  Motion arm();
  /// Whether it is up, and without a fault.
  [[nodiscard]] bool is_armed() const;
  /// Driven while it stands.
  void hold();
  /// No current: its shaft can be turned.
  void release();
  /// Why it cannot be driven; "" when it can, or is being brought up.
  [[nodiscard]] std::string fault() const;
  /// Nothing: it has told nothing yet.
  [[nodiscard]] std::optional<DriveTold> told() const;
  /// What the rig says of it.
  [[nodiscard]] const Mechanism& parts() const;

 private:
  friend class Bench;
  BusDriveHandle(Bench& bench, BusDriveMover& mover) : HandleOf(bench, mover) {}
};

/// A wheeled pair on a bench.
class CartHandle : private HandleOf<PairMover> {
 public:
  /// Straight on, on an arc or round on the spot; both wheels slow down together where one is held back.
  /// @throws RangeError when it is refused, or the way before has not ended
  Motion drive(const CartOrder& order);
  /// Both wheels down as their limits allow; returns when they stand.
  void stop();
  /// Where it thinks it is, by the counts of its wheels, from where it stood when the bench was opened.
  [[nodiscard]] const CartPose& thinks() const;
  /// What the rig says of it.
  [[nodiscard]] const WheeledPair& parts() const;

 private:
  friend class Bench;
  CartHandle(Bench& bench, PairMover& mover) : HandleOf(bench, mover) {}
};

/// A shaft that nothing of ours drives, on a bench.
class ShaftHandle : private HandleOf<ShaftMover> {
 public:
  /// A master speed: on a ramp to it, and on; with `by` for a way, then none.
  /// @throws RangeError when another machine turns it, or it is too fast
  Motion spin(const SpeedOrder& order);
  /// A master speed: down to none, and waits until it is.
  void stop();
  /// What the rig says of it.
  [[nodiscard]] const Shaft& parts() const;

 private:
  friend class Bench;
  ShaftHandle(Bench& bench, ShaftMover& mover) : HandleOf(bench, mover) {}
};

/// One mechanism geared to others, on a bench: from its order until it is let go.
class FollowerHandle : private HandleOf<Mover> {
 public:
  /// Of what was ordered: done when it was let go, or with its leaders.
  [[nodiscard]] Motion& motion() { return motion_; }
  /// Whether it has come to its leaders, and goes along.
  [[nodiscard]] bool goes_along() const;
  /// By how much it is behind where it belongs by now, in its steps (or counts of its own encoder).
  [[nodiscard]] double lag_in_steps() const;
  /// The same of its output: m or turns.
  [[nodiscard]] double lag() const;
  /// Its steps (or counts) for a count, or a step, of its first leader, exactly.
  [[nodiscard]] Ratio ratio() const;
  /// What its first leader has gone since it set off, in turns or m, exactly.
  [[nodiscard]] Ratio phase() const;
  /// Layers that are done, of one that goes to and fro.
  [[nodiscard]] std::int64_t layers() const;
  /// From here on by another ratio, without a jump. @throws RangeError when it follows nothing any more, or
  /// cannot
  void change(const Following& to);
  /// Other ends, of one that goes to and fro. @throws RangeError as above
  void change_ends(OutputPosition from, OutputPosition to);
  /// Against its leaders. @throws RangeError as above
  void nudge(OutputPosition by);
  /// To rest on its own ramp; returns when it stands.
  void let_go();

 private:
  friend class Bench;
  FollowerHandle(Bench& bench, Mover& mover, Motion motion);
  /// @throws RangeError when it follows nothing
  [[nodiscard]] Follow& follow() const;
  Motion motion_;
};

/// A plain output on a bench.
class OutputHandle : private HandleOf<OutputSwitch> {
 public:
  /// Switched on, or to full duty, at once.
  void on();
  /// Switched off at once.
  void off();
  /// To a share of full duty, 0 to 100 %, evenly in that time; the bench goes on meanwhile.
  /// @throws RangeError when it is only switched, or the share is none
  void fade(Fraction share, Time lasts);

 private:
  friend class Bench;
  OutputHandle(Bench& bench, OutputSwitch& mover) : HandleOf(bench, mover) {}
};

}  // namespace cogstride
