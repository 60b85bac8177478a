// The public face of a bench: mechanisms by name, motions that can be awaited, asked and cancelled.
//
//   SimulatedBench bench{rig};
//   auto traverse = bench.stepper("traverse");
//   traverse.home();                                   // motions of one mechanism queue in order
//   auto lay = traverse.move({.to = 92_mm, .speed = 40_mm_per_s});
//   lay.wait();                                        // throws the fault; lay.result() hands it over
//   instead
//
// Motions of several mechanisms run side by side. Dropping a Motion does not stop the motion.
//
// Threads: one thread owns a bench and all of its handles; nothing here may be called by another.
//   Orders of another thread, and its wish to wait, are refused while the bench runs: post() and
//   request_stop() alone are for others.
// Lifetime: a handle or a Motion may outlive its bench. What was told of a motion stays readable; all else
//   throws RangeError then, and after close().
// Blocking: orders return at once, and nothing moves until somebody waits, serves or runs. wait(), result(),
//   serve(), run(), come_to_rest() and the stop() of a handle return when what they name has happened. What
//   the bench itself calls (a listener, a participant) may order and stop, and is refused when it waits.
// Unserved: live motion goes on by itself. For half of LiveBench::Options::horizon (10 ms as it comes) a
//   program may do something else while something moves; then the next steps are late, which ends in a fault
//   once they are later than the rig bears (`controller.edge_lateness`). After a quarter of a second
//   (LiveLines::planning_may_be_silent) all lines are put at rest. Stops take back what was handed out: a
//   longer horizon makes none later.

#pragma once

#include <atomic>
#include <cstdint>
#include <exception>
#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "cogstride/bench/handles.hpp"
#include "cogstride/bench/posted.hpp"
#include "cogstride/mechanism/stops.hpp"
#include "cogstride/motion/devices/heard.hpp"
#include "cogstride/motion/inputs.hpp"
#include "cogstride/motion/knob.hpp"
#include "cogstride/motion/status.hpp"
#include "cogstride/rig/rig.hpp"

namespace cogstride {

class ArrivingTogether;
class Follow;
class BenchLoop;
class BusClock;
class CountCheck;
class Guard;
class Participant;
class PostBox;
class TimedLines;
struct BusSetup;
struct Cast;
struct CounterSetup;
struct CutOn;
struct Guest;
struct LineSetup;
struct MotionNote;
struct MovedMechanism;
struct MoverKind;
struct TraceEvent;
struct TracedSignal;
struct Trip;

template <class M>
[[nodiscard]] M* as(Mover& mover);

/// A motion's note as an event of a trace.
[[nodiscard]] TraceEvent trace_event_of(const MotionNote& note, const std::string& who);

class Bench {
 public:
  /// A stop that is to be braked for has to be within so long: else all lines are put at rest.
  static constexpr ExactTime planning_answers_within = ExactTime::from_base({1, 10});
  virtual ~Bench();
  Bench(const Bench&) = delete;
  Bench& operator=(const Bench&) = delete;

  /// @throws RangeError when the rig has none of that name.
  [[nodiscard]] StepperHandle stepper(const std::string& name) &;
  StepperHandle stepper(const std::string& name) && = delete;  // it would outlive its bench
  /// What all kinds have: any mechanism or cart. @throws RangeError as above
  [[nodiscard]] MechanismHandle mechanism(const std::string& name) &;
  MechanismHandle mechanism(const std::string& name) && = delete;
  /// One that is driven by duty. @throws RangeError when the rig has none of that name, or it is of another
  /// kind
  [[nodiscard]] BrushedHandle brushed(const std::string& name) &;
  BrushedHandle brushed(const std::string& name) && = delete;
  /// A hobby servo, a motor behind a speed controller. @throws RangeError as above
  [[nodiscard]] ServoHandle servo(const std::string& name) &;
  ServoHandle servo(const std::string& name) && = delete;
  [[nodiscard]] SpeedControllerHandle speed_controller(const std::string& name) &;
  SpeedControllerHandle speed_controller(const std::string& name) && = delete;
  /// A bare brushless motor. @throws RangeError as above
  [[nodiscard]] BrushlessHandle brushless(const std::string& name) &;
  BrushlessHandle brushless(const std::string& name) && = delete;
  /// One with a drive on a bus. @throws RangeError as above
  [[nodiscard]] BusDriveHandle bus_drive(const std::string& name) &;
  BusDriveHandle bus_drive(const std::string& name) && = delete;
  /// A wheeled pair. @throws RangeError when the rig has none of that name
  [[nodiscard]] CartHandle cart(const std::string& name) &;
  CartHandle cart(const std::string& name) && = delete;
  [[nodiscard]] const Rig& rig() const { return rig_; }

  /// Moves of several mechanisms, from rest, that begin and arrive together, once each one's queue has come
  /// to it: the slowest goes as fast as it can, the others gentler.
  /// @throws RangeError when one is refused or a mechanism is named twice; nothing is queued then
  std::vector<Motion> move_together(const std::vector<std::pair<std::string, MoveOrder>>& orders);

  /// A shaft that nothing of ours drives. @throws RangeError when the rig has none of that name
  [[nodiscard]] ShaftHandle shaft(const std::string& name) &;
  ShaftHandle shaft(const std::string& name) && = delete;
  /// Gears a mechanism to one or two others, as its rig says or otherwise (`order.to`).
  /// @throws RangeError when it is refused; what is on goes on
  FollowerHandle gear(const std::string& follower, const GearOrder& order) &;
  FollowerHandle gear(const std::string& follower, const GearOrder& order) && = delete;
  /// The same as the rig says, and no otherwise. @throws RangeError when it says nothing (follows), or as
  /// above
  FollowerHandle gear(const std::string& follower) &;
  FollowerHandle gear(const std::string& follower) && = delete;

  /// A plain output: a lamp. @throws RangeError when the rig has none of that name
  [[nodiscard]] OutputHandle output(const std::string& name) &;
  OutputHandle output(const std::string& name) && = delete;
  /// A knob, followed from now on: what its analogue input says, as a share of its travel.
  /// @throws RangeError when the rig has none of that name
  [[nodiscard]] const Knob& knob(const std::string& name);
  /// What the devices of the rig have said: a display, a remote, a pad, a sensor.
  [[nodiscard]] const HeardControls& heard() const { return heard_; }
  /// One of them says something now: "panel.station 5" (HeardControls::read). From another thread by post().
  /// @param by  who says so, for those who listen
  /// @throws RangeError when no device of the rig says that
  void hear(const std::string& words, const std::string& by = "a device");
  /// Told of all that is heard, from the bench's thread, as long as `listener` is kept.
  using Listener = std::function<void(const HeardControls::Hearing&, const std::string& by)>;
  void on_heard(std::weak_ptr<Listener> listener) { listeners_.push_back(std::move(listener)); }
  /// Told when a sensor on a bus has raised its interrupt line, and again as long as it is not served, as
  /// long as `listener` is kept: its place in the rig.
  using Interrupted = std::function<void(std::size_t sensor)>;
  void on_interrupt(std::weak_ptr<Interrupted> listener) { interrupted_.push_back(std::move(listener)); }
  /// What a script has to do with here.
  [[nodiscard]] Cast cast();
  /// At the end: what still turns is stopped as the rig says (`stops.end`), and stands when this returns.
  void come_to_rest();

  /// Time on the bench since it was opened.
  [[nodiscard]] Time now() const;
  /// Lets the bench run for a time: for a maker with a loop of their own.
  /// @throws RangeError when `span` is no time, or when called by what the bench itself calls (a listener, a
  /// participant), as everything here that waits does
  void serve(Time span);
  /// Lets it run until all ordered motions have ended.
  void wait_for_all();
  /// Lets `guest` (a script, a control loop) take part until `finished`.
  void run(Participant& guest, const std::function<bool()>& finished);
  /// Lets it run until the first of several things has come about: a key, a message, a place. They are looked
  /// at after each act, and each millisecond.
  /// @param longest  it waits at the most
  /// @return its place among them, of two at once the lower one; nothing: none has come about in time
  /// @throws RangeError when `longest` is no time, or as run()
  std::optional<std::size_t> wait_for_first(const std::vector<std::function<bool()>>& happenings,
                                            Time longest);
  /// Everything to rest, now. Motions that had not ended are faulted.
  void stop();
  /// Stops everything in one of the two ways that a rig knows, and says why; motions that had not ended are
  /// faulted, and nothing is queued any more.
  void stop(StopBy how, const std::string& why, FaultCode code = FaultCode::stopped);
  /// From any thread: an order, carried out between two acts of the run, or when it runs next. It may order,
  /// stop and read, and not wait. @param what  in words, for the record
  Posted post(std::string what, std::function<void()> order);
  /// From any thread or signal handler, as often as one likes: everything is stopped as the rig says of an
  /// interrupt (`stops.interrupt`), as soon as the bench runs.
  void request_stop() noexcept;
  /// How often everything was stopped because somebody wanted it so: an emergency stop, a stop that was
  /// requested.
  [[nodiscard]] std::int64_t times_stopped() const { return times_stopped_; }
  /// Told of every fault: an emergency stop, a limit switch, a board, a supply, a motion that failed. What
  /// had to be stopped is being stopped by then, as the rig says. The listener is called while the bench
  /// runs: it may stop and order, but cannot wait. What it throws comes out of the call that waits, once all
  /// faults of that instant are told; nested in the MotionFault where the motion that is waited for has ended
  /// by one.
  void on_fault(std::function<void(const std::string&)> listener) { fault_listener_ = std::move(listener); }
  /// Encoders are read and not held against the steps: for one who is about to prove them.
  void leave_encoders_unchecked();
  /// An event of a guest (a script) in the trace, where there is one.
  virtual void trace_event(TraceEvent);
  /// What the input lines say: switches, hand controls, supplies.
  [[nodiscard]] const Inputs& inputs() const { return *inputs_; }
  /// What stands in the way of motion of a mechanism now; "" when nothing does.
  [[nodiscard]] std::string obstacle(const Mechanism& mechanism) const;

  /// How a mechanism, a cart or a guest is now. @throws RangeError when there is none of that name
  [[nodiscard]] Status status(const std::string& name) const;
  /// What a record of the run shows of a mover now, by its name there and in its unit there:
  /// "traverse.asked", "feeder.measured_speed"; on the simulated bench "traverse.made" too. NaN where it is
  /// not known.
  /// @throws RangeError when there is no such signal, with those that there are
  [[nodiscard]] double signal(const std::string& name) const;
  /// Names and units of all of them, in the order of a record.
  [[nodiscard]] virtual std::vector<TracedSignal> signals() const;

  /// What carries out the orders of a mechanism, a cart or a guest. @throws RangeError when there is none
  [[nodiscard]] Mover& mover(const std::string& name) const;
  /// The same as what it is. @throws RangeError when it is of another kind
  template <class M>
  [[nodiscard]] M& mover_as(const std::string& name) const {
    if (M* const own = as<M>(mover(name))) return *own;
    refuse_kind(name, M::its_kind);
  }
  /// An order of its own to a mover that no handle knows: a guest. `give` hands over the record of what it
  /// began. @throws RangeError when there is no such mover, the bench is closed, or as `give` does
  Motion order(const std::string& name,
               const std::function<std::shared_ptr<MotionRecord>(Mover&, Lines&)>& give);
  /// Of all mechanisms that are moved, in the rig's order, then its carts, then guests; a mover's MechanismId
  /// is its place here.
  [[nodiscard]] const std::vector<std::unique_ptr<Mover>>& movers() const { return movers_; }

 protected:
  explicit Bench(Rig rig, std::span<const Guest> guests);
  [[nodiscard]] virtual TimedLines& lines() = 0;
  [[nodiscard]] virtual const TimedLines& lines() const = 0;
  /// Those that act before all others: what happens from outside.
  [[nodiscard]] virtual std::vector<Participant*> surroundings();
  /// Whether a stop was requested since it was asked last.
  [[nodiscard]] virtual bool take_stop_request();
  /// Until an edge of an encoder is known here, s at the most.
  [[nodiscard]] virtual double edges_come_late() const { return 0.0; }
  /// s within which the time of an encoder's edge is known; 0: to a tick.
  [[nodiscard]] virtual double edges_known_within(const Encoder&) const { return 0.0; }
  /// Told of a post before it is carried out.
  virtual void posted(const std::string& what);
  /// Called before posts are looked for: those of a run that is played again are carried out here.
  virtual void replay_posts() {}
  /// Told of all notes of motions, and of what stopped the bench.
  virtual void noted(const MotionNote&);
  virtual void stopped(Tick, const Trip&);
  [[nodiscard]] const std::vector<std::unique_ptr<OutputSwitch>>& outputs() const { return outputs_; }
  [[nodiscard]] BenchLoop& loop();
  /// From now on nothing is ordered or waited for; motions that had not ended do, with the code `closed`.
  /// Its lines are at rest by then, or this puts them there.
  void end_all();
  /// All mechanisms that are moved, in the order of their MechanismIds.
  [[nodiscard]] std::vector<MovedMechanism> moved() const;
  [[nodiscard]] bool is_closed() const { return is_closed_; }
  /// The name of a mechanism, a cart or a guest.
  [[nodiscard]] const std::string& name_of(MechanismId id) const;
  /// Values of all signals at an instant that is now.
  virtual void sample_signals(Tick at, std::span<double> values) const;
  /// What a mover publishes: what is asked of it and what is measured; names without the mover's.
  [[nodiscard]] std::vector<TracedSignal> signals_of(const Mover& mover) const;
  /// "41.2 mm". @throws RangeError when it publishes nothing of that name
  [[nodiscard]] std::string signal_text(const Mover& mover, const std::string& name) const;
  /// @return what is left of `values` behind those of the mover
  [[nodiscard]] std::span<double> sample_signals_of(const Mover& mover, Tick at,
                                                    std::span<double> values) const;
  /// Of everything that the rig has lines for: movers, inputs, plain outputs.
  [[nodiscard]] std::vector<LineSetup> line_setups() const;
  /// Its bus, where drives are on it.
  [[nodiscard]] std::vector<BusSetup> bus_setups() const;
  /// What whoever plays the lines acts on by itself: emergency stops, and the limit switches of what moves.
  [[nodiscard]] std::vector<CutOn> cut_on_inputs() const;
  /// @throws RangeError when `span` is below 0, no number or has no end
  [[nodiscard]] Tick ticks(Time span) const;
  void tell_fault(const std::string& why);

 private:
  friend class Motion;
  template <class M>
  friend class HandleOf;
  friend class MechanismHandle;
  friend class StepperHandle;
  friend class CartHandle;
  friend class ShaftHandle;
  friend class FollowerHandle;
  friend class OutputHandle;
  [[noreturn]] void refuse_kind(const std::string& name, const MoverKind& wanted) const;
  std::shared_ptr<MotionRecord> gear_mover(Mover& follower, const GearOrder& order);
  void change_gear(Mover& follower, const Following& to);
  [[nodiscard]] std::vector<Mover*> leaders_of(const Following& to) const;
  std::vector<std::shared_ptr<MotionRecord>> arrive_together(
      const std::vector<std::pair<Mover*, MoveOrder>>& orders);
  void take_posts();
  [[nodiscard]] std::size_t own_signals(const Mover& mover) const;
  [[nodiscard]] MechanismId next_id() const { return static_cast<MechanismId>(movers_.size()); }
  void add_movers(std::span<const Guest> guests);
  void connect(Mover& mover);
  void noted_first(const MotionNote& note);
  [[nodiscard]] std::string obstacle_of(const std::string& name) const;
  [[nodiscard]] std::vector<Mover*> as_they_stop() const;
  void tripped(Lines& lines, const Trip& trip);
  [[nodiscard]] Mover& mover_of(MechanismId id) const;
  /// Lets the loop run until then, and until what has failed by then has been told.
  void run_until(const std::function<bool()>& finished);
  void run_until(const std::function<bool()>& finished, Tick until);
  /// The same; what a listener throws is kept for throw_what_a_listener_threw().
  void run_and_keep(const std::function<bool()>& finished, Tick until);
  void throw_what_a_listener_threw();
  void require_open() const;
  [[nodiscard]] bool all_are_idle() const;
  /// The same after a stop was ordered; a stop that a listener orders goes on by itself.
  void wait_for_stop(const std::function<bool()>& stands);

  Rig rig_;
  std::vector<std::unique_ptr<Mover>> movers_;  // by MechanismId
  std::vector<std::unique_ptr<OutputSwitch>> outputs_;
  struct Check;
  std::vector<CounterSetup> counters_{};      // of encoders
  std::vector<Check> checks_;                 // of encoders against movers
  std::vector<std::unique_ptr<Knob>> knobs_;  // those that somebody has asked for
  std::unique_ptr<Inputs> inputs_;
  HeardControls heard_;
  std::vector<std::weak_ptr<Listener>> listeners_{};
  std::vector<std::weak_ptr<Interrupted>> interrupted_{};
  std::vector<std::unique_ptr<Participant>> devices_{};  // those that are heard at lines
  std::unique_ptr<Guard> guard_;
  std::unique_ptr<BusClock> bus_clock_;
  class SwitchWatch;
  std::unique_ptr<SwitchWatch> switch_watch_;
  std::vector<std::unique_ptr<ArrivingTogether>> arriving_;
  bool checks_encoders_ = true;
  std::int64_t times_stopped_ = 0;
  mutable std::vector<std::size_t> own_signals_{};  // how many, by MechanismId
  std::pair<Tick, std::string> told_trip_{never, {}};
  std::function<void(const std::string&)> fault_listener_;
  std::exception_ptr thrown_by_listener_{};
  std::unique_ptr<BenchLoop> loop_;
  std::unique_ptr<PostBox> posts_;
  std::atomic<bool> stop_is_requested_{false};
  std::atomic<TimedLines*> waits_on_{nullptr};  // while it runs: whom to wake
  bool is_closed_ = false;
  std::shared_ptr<Bench*> self_ = std::make_shared<Bench*>(this);  // handles ask whether it is there
};

}  // namespace cogstride
