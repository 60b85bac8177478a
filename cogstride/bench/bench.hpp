// The public face of a bench: mechanisms by name, motions that can be awaited, asked and cancelled.
//
//   SimulatedBench bench{rig};
//   auto traverse = bench.mechanism("traverse");
//   traverse.home();                                   // motions of one mechanism queue in order
//   auto lay = traverse.move({.to = 92_mm, .speed = 40_mm_per_s});
//   lay.wait();                                        // throws the fault; lay.result() hands it over
//   instead
//
// Dropping a Motion does not stop the motion. Motions of several mechanisms run side by side.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "cogstride/bench/bench_inputs.hpp"
#include "cogstride/bench/run_loop.hpp"
#include "cogstride/motion/duty_mover.hpp"
#include "cogstride/motion/encoder_watch.hpp"
#include "cogstride/motion/knob.hpp"
#include "cogstride/motion/pair_mover.hpp"
#include "cogstride/motion/six_step_mover.hpp"
#include "cogstride/motion/stage.hpp"
#include "cogstride/motion/stepper_mover.hpp"
#include "cogstride/rig/rig.hpp"
#include "cogstride/trace/trace.hpp"

namespace cogstride {

/// A motion ended otherwise than ordered: what() says why.
class MotionFault : public Error {
 public:
  using Error::Error;
};

class Bench;

/// A motion's note as an event of a trace.
[[nodiscard]] TraceEvent trace_event_of(const MotionNote& note, const std::string& who);

/// A motion that has been ordered.
class Motion {
 public:
  /// Lets the bench run until the motion has ended. @throws MotionFault when it ended by a fault.
  void wait();
  /// The same, but hands the fault over: empty when all is well.
  [[nodiscard]] std::string result();
  /// Takes it back when it has not begun, else brakes it; wait() then waits for the stop.
  void cancel(Braking how = Braking::on_a_ramp);
  [[nodiscard]] MotionStatus status() const { return record_->status; }
  [[nodiscard]] bool has_ended() const { return record_->has_ended(); }
  /// From the order being taken up to its end, once it has ended.
  [[nodiscard]] std::optional<Time> duration() const;

 private:
  friend class MechanismHandle;
  friend class Bench;
  friend class DriveHandle;
  friend class ServoHandle;
  friend class ThrottleHandle;
  friend class PairHandle;
  friend class SixStepHandle;
  Motion(Bench& bench, StepperMover& mover, std::shared_ptr<MotionRecord> record)
      : bench_(&bench), mover_(&mover), record_(std::move(record)) {}
  Motion(Bench& bench, DutyMover& drive, std::shared_ptr<MotionRecord> record)
      : bench_(&bench), drive_(&drive), record_(std::move(record)) {}

  Motion(Bench& bench, ServoMover& servo, std::shared_ptr<MotionRecord> record)
      : bench_(&bench), servo_(&servo), record_(std::move(record)) {}
  Motion(Bench& bench, ThrottleMover& throttle, std::shared_ptr<MotionRecord> record)
      : bench_(&bench), throttle_(&throttle), record_(std::move(record)) {}

  Motion(Bench& bench, PairMover& pair, std::shared_ptr<MotionRecord> record)
      : bench_(&bench), pair_(&pair), record_(std::move(record)) {}
  Motion(Bench& bench, SixStepMover& six_step, std::shared_ptr<MotionRecord> record)
      : bench_(&bench), six_step_(&six_step), record_(std::move(record)) {}

  Bench* bench_;
  StepperMover* mover_ = nullptr;  // one of these
  DutyMover* drive_ = nullptr;
  ServoMover* servo_ = nullptr;
  ThrottleMover* throttle_ = nullptr;
  PairMover* pair_ = nullptr;
  SixStepMover* six_step_ = nullptr;
  std::shared_ptr<MotionRecord> record_;
};

/// What an encoder says of a mechanism.
struct Measured {
  std::string encoder{};
  std::int64_t count = 0;
  std::optional<OutputPosition> position{};  ///< of the output, exact by counts; nothing before homing
  double speed = 0.0;                        ///< of the output, m/s or turns/s
  double speed_error = 0.0;                  ///< that it may be off by at the most
};

/// A mechanism on a bench.
class MechanismHandle {
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
  Motion redirect(const SpeedOrder& order);
  /// The spin that is on goes so much faster or slower, or the other way round. The Motion handed out for it
  /// before ends as cancelled. @throws RangeError when none is on, or nothing of the speed is left
  Motion faster(OutputSpeed by);
  Motion slower(OutputSpeed by);
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
  [[nodiscard]] const Mechanism& parts() const { return mover_->mechanism(); }

 private:
  friend class Bench;
  MechanismHandle(Bench& bench, StepperMover& mover) : bench_(&bench), mover_(&mover) {}

  Bench* bench_;
  StepperMover* mover_;
};

/// A mechanism that is driven by duty, on a bench.
class DriveHandle {
 public:
  /// To a duty, and on until told otherwise or for a time. @throws RangeError when it is refused; what is on
  /// goes on
  Motion spin(const DutyOrder& order);
  /// To a signed fraction of what it may be given: the smallest one turns it. @param fraction  -1 to 1
  Motion spin_fraction(double fraction, std::optional<ExactTime> ramp = {});
  /// To a speed that its encoder holds. @throws RangeError when it has none, or the speed cannot be had
  Motion spin(const SpeedOrder& order);
  Motion faster(OutputSpeed by);
  Motion slower(OutputSpeed by);
  /// To a place, by its encoder, where it is held until told otherwise. Done when its count is there.
  Motion move(const MoveOrder& order);
  /// So much more or less duty the way it turns. @throws RangeError when it does not spin, or nothing would
  /// be left
  Motion faster(ExactFraction by);
  Motion slower(ExactFraction by);
  /// The same duty the other way: down, a pause without drive, and up. @throws RangeError when it does not
  /// spin
  Motion reverse(std::optional<ExactTime> ramp = {});
  /// Down to none on a ramp, then what the rig says it slows by.
  Motion stop(std::optional<ExactTime> ramp = {});
  /// No drive, at once: shorted, or let go. @throws RangeError when it cannot be let go
  void brake();
  void coast();
  /// The duty that is asked for now, -1 to 1.
  [[nodiscard]] double duty() const;
  /// By its encoder, looked at each millisecond. @throws RangeError when it has none
  [[nodiscard]] Measured measured() const;
  /// By its shunt, A. @throws RangeError when it has none
  [[nodiscard]] double measured_current() const;
  [[nodiscard]] const Mechanism& parts() const { return drive_->mechanism(); }

 private:
  friend class Bench;
  DriveHandle(Bench& bench, DutyMover& drive) : bench_(&bench), drive_(&drive) {}

  Bench* bench_;
  DutyMover* drive_;
};

/// A hobby servo on a bench.
class ServoHandle {
 public:
  /// To an angle, with a speed and an acceleration; done when it must have come there. The first one goes as
  /// fast as the servo can. @throws RangeError when it is refused; what is on goes on
  Motion swing(const MoveOrder& order);
  /// Brakes, and holds where it comes to rest.
  Motion stop();
  /// No pulse: it goes limp.
  void release();
  /// Where it was sent; nothing before its first swing and after a release.
  [[nodiscard]] std::optional<OutputPosition> position() const { return servo_->position(); }
  [[nodiscard]] const Mechanism& parts() const { return servo_->mechanism(); }

 private:
  friend class Bench;
  ServoHandle(Bench& bench, ServoMover& servo) : bench_(&bench), servo_(&servo) {}

  Bench* bench_;
  ServoMover* servo_;
};

/// A motor behind a speed controller, on a bench.
class ThrottleHandle {
 public:
  /// The stages of the rig, and then the pulse of no throttle. @throws RangeError when it is armed
  Motion arm();
  [[nodiscard]] bool is_armed() const { return throttle_->is_armed(); }
  /// To a throttle, and on until told otherwise or for a time. @throws RangeError when it is not armed, or is
  /// refused; what is on goes on
  Motion throttle(const DutyOrder& order);
  Motion faster(ExactFraction by);
  Motion slower(ExactFraction by);
  Motion reverse(std::optional<ExactTime> ramp = {});
  /// Down to none, where it stays armed.
  Motion stop(std::optional<ExactTime> ramp = {});
  /// No pulse: it stops, and must be armed again.
  void release();
  /// The throttle that is asked for now, -1 to 1.
  [[nodiscard]] double throttle() const;
  [[nodiscard]] const Mechanism& parts() const { return throttle_->mechanism(); }

 private:
  friend class Bench;
  ThrottleHandle(Bench& bench, ThrottleMover& throttle) : bench_(&bench), throttle_(&throttle) {}

  Bench* bench_;
  ThrottleMover* throttle_;
};

/// A bare brushless motor behind six gates, on a bench.
class SixStepHandle {
 public:
  /// To a speed, by its Hall sensors or, without them, open loop; for a time, or on until told otherwise.
  /// @throws RangeError when it is refused; what is on goes on
  Motion spin(const SpeedOrder& order);
  Motion faster(OutputSpeed by);
  Motion slower(OutputSpeed by);
  Motion reverse();
  /// Down as its loop and its friction can, and all gates off; without sensors they go off at once.
  Motion stop();
  /// Of the output, turns/s, that is wanted now.
  [[nodiscard]] double wanted_speed() const;
  /// The duty that is given, -1 to 1.
  [[nodiscard]] double duty() const { return six_step_->duty(); }
  [[nodiscard]] const Mechanism& parts() const { return six_step_->mechanism(); }

 private:
  friend class Bench;
  SixStepHandle(Bench& bench, SixStepMover& six_step) : bench_(&bench), six_step_(&six_step) {}

  Bench* bench_;
  SixStepMover* six_step_;
};

/// A wheeled pair on a bench.
class PairHandle {
 public:
  /// Straight on, on an arc or round on the spot; both wheels slow down together where one is held back.
  /// @throws RangeError when it is refused, or the way before has not ended
  Motion drive(const CartOrder& order);
  void stop();
  /// Where it thinks it is, by the counts of its wheels, from where it stood when the bench was opened.
  [[nodiscard]] const CartPose& thinks() const { return pair_->thinks(); }
  [[nodiscard]] const WheeledPair& parts() const { return pair_->pair(); }

 private:
  friend class Bench;
  PairHandle(Bench& bench, PairMover& pair) : bench_(&bench), pair_(&pair) {}

  Bench* bench_;
  PairMover* pair_;
};

/// A plain output on a bench.
class OutputHandle {
 public:
  void on();
  void off();
  /// To a share of full duty, 0 to 1, evenly in that time; the bench goes on meanwhile.
  /// @throws RangeError when it is only switched, or the share is none
  void fade(double share, Time lasts);

 private:
  friend class Bench;
  OutputHandle(Bench& bench, OutputSwitch& output) : bench_(&bench), output_(&output) {}

  Bench* bench_;
  OutputSwitch* output_;
};

class Bench {
 public:
  virtual ~Bench() = default;
  Bench(const Bench&) = delete;
  Bench& operator=(const Bench&) = delete;

  /// @throws RangeError when the rig has none of that name.
  [[nodiscard]] MechanismHandle mechanism(const std::string& name);
  /// One that is driven by duty. @throws RangeError when the rig has none of that name, or it is of another
  /// kind
  [[nodiscard]] DriveHandle drive(const std::string& name);
  /// A hobby servo, a motor behind a speed controller. @throws RangeError as above
  [[nodiscard]] ServoHandle servo(const std::string& name);
  [[nodiscard]] ThrottleHandle throttled(const std::string& name);
  /// A bare brushless motor. @throws RangeError as above
  [[nodiscard]] SixStepHandle brushless(const std::string& name);
  /// A wheeled pair. @throws RangeError when the rig has none of that name
  [[nodiscard]] PairHandle pair(const std::string& name);
  [[nodiscard]] const Rig& rig() const { return rig_; }

  /// Moves of several mechanisms, from rest, that begin and arrive together, once each one's queue has come
  /// to it: the slowest goes as fast as it can, the others gentler.
  /// @throws RangeError when one is refused or a mechanism is named twice; nothing is queued then
  std::vector<Motion> move_together(const std::vector<std::pair<std::string, MoveOrder>>& orders);

  /// A plain output: a lamp. @throws RangeError when the rig has none of that name
  [[nodiscard]] OutputHandle output(const std::string& name);
  /// A knob, followed from now on: what its analogue input says, as a share of its travel.
  /// @throws RangeError when the rig has none of that name
  [[nodiscard]] const Knob& knob(const std::string& name);
  /// What a script has to do with here.
  [[nodiscard]] Stage stage();
  /// At the end: what still turns is stopped as the rig says (`stops.end`), and stands when this returns.
  void come_to_rest();

  /// Time on the bench since it was opened.
  [[nodiscard]] Time now() const;
  /// Lets the bench run for a time: for a maker with a loop of their own.
  void serve(Time span);
  /// Lets it run until all ordered motions have ended.
  void wait_for_all();
  /// Lets `guest` (a script, a control loop) take part until `finished`.
  void run(Participant& guest, const std::function<bool()>& finished);
  /// Everything to rest, now. Motions that had not ended are faulted.
  void stop();
  /// Stops everything in one of the two ways that a rig knows, and says why; motions that had not ended are
  /// faulted, and nothing is queued any more.
  void stop(StopBy how, const std::string& why);
  /// Told of every fault: an emergency stop, a limit switch, a board, a supply, a motion that failed. What
  /// had to be stopped is being stopped by then, as the rig says.
  void on_fault(std::function<void(const std::string&)> listener) { fault_listener_ = std::move(listener); }
  /// Encoders are read and not held against the steps: for one who is about to prove them.
  void leave_encoders_unchecked() { checks_encoders_ = false; }
  /// An event of a guest (a script) in the trace, where there is one.
  virtual void trace_event(TraceEvent) {}
  /// What the input lines say: switches, hand controls, supplies.
  [[nodiscard]] const Inputs& inputs() const { return *inputs_; }
  /// What stands in the way of motion of a mechanism now; "" when nothing does.
  [[nodiscard]] std::string obstacle(const Mechanism& mechanism) const;

  /// @throws RangeError when the rig has none of that name, or it is of a kind that cannot be moved so far.
  [[nodiscard]] StepperMover& mover(const std::string& name);
  /// Of the mechanisms that can be moved, in the rig's order; a mover's MechanismId is its place here.
  [[nodiscard]] const Movers& movers() const { return movers_; }
  /// Of those that are driven by duty; their MechanismIds come after the movers'.
  [[nodiscard]] const std::vector<std::unique_ptr<DutyMover>>& drives() const { return drives_; }
  /// @throws RangeError when the rig has none of that name, or it is of another kind
  [[nodiscard]] DutyMover& duty_mover(const std::string& name);
  /// Of those that take a pulse width, in the rig's order; their MechanismIds come last.
  [[nodiscard]] const std::vector<std::unique_ptr<PulseMover>>& pulsed() const { return pulsed_; }
  /// Of bare brushless motors behind six gates; their MechanismIds come after those.
  [[nodiscard]] const std::vector<std::unique_ptr<SixStepMover>>& six_steps() const { return six_steps_; }
  /// Wheeled pairs, in the rig's order; theirs come last.
  [[nodiscard]] const std::vector<std::unique_ptr<PairMover>>& pairs() const { return pairs_; }

 protected:
  explicit Bench(Rig rig);
  [[nodiscard]] virtual TimedLines& lines() = 0;
  [[nodiscard]] virtual const TimedLines& lines() const = 0;
  /// Told of all notes of motions, and of what stopped the bench.
  virtual void noted(const MotionNote&) {}
  virtual void stopped(Tick, const Trip&) {}
  [[nodiscard]] const std::vector<std::unique_ptr<OutputSwitch>>& outputs() const { return outputs_; }
  [[nodiscard]] RunLoop& loop();
  /// All mechanisms that are moved, in the order of their MechanismIds.
  [[nodiscard]] MovedMechanisms moved() const;
  /// The mechanism of a MechanismId, and the name of it or of a pair.
  [[nodiscard]] const Mechanism& mechanism_of(MechanismId id) const;
  [[nodiscard]] const std::string& name_of(MechanismId id) const;
  /// Of everything that the rig has lines for: movers, inputs, plain outputs.
  [[nodiscard]] std::vector<LineSetup> line_setups() const;
  [[nodiscard]] Tick ticks(Time span) const;
  void tell_fault(const std::string& why) const {
    if (fault_listener_) fault_listener_(why);
  }

 private:
  friend class Motion;
  friend class MechanismHandle;
  friend class DriveHandle;
  friend class ServoHandle;
  friend class ThrottleHandle;
  friend class PairHandle;
  friend class SixStepHandle;
  friend class OutputHandle;
  template <class Mover>
  [[nodiscard]] Mover& pulse_mover(const std::string& name, const char* what);
  void tripped(Lines& lines, const Trip& trip);
  [[nodiscard]] StepperMover* mover_of(MechanismId id) const;
  /// Lets the loop run until then, and until what has failed by then has been told.
  void run_until(const std::function<bool()>& finished);

  Rig rig_;
  Movers movers_;
  std::vector<std::unique_ptr<DutyMover>> drives_;
  std::vector<std::unique_ptr<PulseMover>> pulsed_;
  std::vector<std::unique_ptr<SixStepMover>> six_steps_;
  std::vector<std::unique_ptr<PairMover>> pairs_;
  std::vector<std::unique_ptr<OutputSwitch>> outputs_;
  std::vector<std::unique_ptr<EncoderWatch>> encoders_;
  std::vector<std::unique_ptr<Knob>> knobs_;  // those that somebody has asked for
  std::unique_ptr<Inputs> inputs_;
  std::unique_ptr<Guard> guard_;
  bool checks_encoders_ = true;
  std::function<void(const std::string&)> fault_listener_;
  std::unique_ptr<RunLoop> loop_;
};

}  // namespace cogstride
