// One axis of steps on a compare channel: an interrupt plays runs that the main program puts in.
//
//   StepAxis<StepChannel, 16> axis;          // StepChannel: of a port, see ports/
//   axis.put(run); axis.put(next);           // the main program
//   axis.start(lead);                        // ticks from now to the start of the first run
//   ISR(...) { if (!axis.step() && !axis.next_run()) axis.next_part(); }      // the channel's interrupt
//
// The compare output makes the rising edge, on its tick however late the interrupt is; the interrupt ends the
// pulse and says when the next one comes. A port may do its two parts apart. There is no division and no loop
// in it.
//
// A run that is not the last (run_ends) and that nothing follows in time is a fault: it stands, and starved()
// says so. What was ended like that or by end_here() takes nothing and begins nothing until it has been
// cleared: runs that the main program was just about to put belong to what is over.
//
// C++14 with <stdint.h> alone.
#pragma once

#include <stdint.h>

#include "pulse_run.hpp"
#include "run_ring.hpp"
#include "tick.hpp"

namespace cogstride {
namespace chip {

/// What an axis is for the main program, whichever its channel: several share its code.
/// @tparam Lock  of a port: interrupts are off while it lives @tparam room  runs that wait, a power of two
template <class Lock, uint8_t room = 16>
class AxisRuns {
 public:
  typedef Lock Off;  ///< interrupts are, while it lives

  AxisRuns(const AxisRuns&) = delete;
  AxisRuns& operator=(const AxisRuns&) = delete;

  /// @return false: no room just now, or it would go beyond a limit; nothing was put
  COGSTRIDE_ONCE bool put(const NarrowPulseRun& run) {
    const int32_t ends = put_end_ + way_of(run);
    if (halted_ || run.steps == 0 || ends < least_ || ends > most_) return false;
    if (!ring_.put(run)) return false;
    put_end_ = ends;
    return true;
  }
  bool is_full() const { return ring_.is_full(); }
  /// Runs that wait.
  uint8_t queued() const { return static_cast<uint8_t>(room - 1 - ring_.free()); }

  /// Steps between which it stays: a run beyond is not taken.
  void limit(int32_t least, int32_t most) {
    least_ = least;
    most_ = most;
  }

  int32_t least() const { return least_; }
  int32_t most() const { return most_; }

  /// Begins with the runs that were put. @param lead  ticks from now to the start of the first, enough for
  /// this call.
  /// @return false when nothing was put, it is playing already, or it has been ended and not cleared
  bool start(uint16_t lead) { return channel_.start(*this, lead); }
  /// Ends all at once, wherever it is: a reaction to an edge, an emergency stop. A pulse that has begun is
  /// made whole. Interrupts are off.
  void end_here() { channel_.end_here(*this); }
  /// Nothing begins any more until a reset, whatever the main program was just about to do: an emergency
  /// stop.
  void bar() { barred_ = true; }

  bool is_playing() const { return playing_; }
  /// Whether it had to stop because the next run was not there in time.
  bool starved() const { return starved_; }

  /// Whether it was ended before its last run: by end_here(), or starved.
  bool is_halted() const { return halted_; }
  /// Ready for the next motion.
  COGSTRIDE_ONCE void clear() {
    Lock lock;
    if (playing_) return;
    ring_.drop();
    put_end_ = base_;
    starved_ = false;
    halted_ = false;
  }

  /// Takes back the last steps of what was put, those of silent runs too.
  /// @return how many of them have gone out, or are about to
  COGSTRIDE_ONCE uint32_t take_back(uint32_t steps) {
    while (steps != 0) {
      Lock lock;
      if (ring_.is_empty()) break;
      NarrowPulseRun& last = ring_.back();
      const uint8_t taken = steps < last.steps ? static_cast<uint8_t>(steps) : last.steps;
      put_end_ -= way_of(last.flags, taken);
      last.steps = static_cast<uint8_t>(last.steps - taken);
      if (last.steps == 0) ring_.take_back();
      steps -= taken;
    }
    Lock lock;
    if (steps == 0 || !playing_) return steps;
    if (slow_.steps != 0) {
      const uint8_t taken = steps < slow_.steps ? static_cast<uint8_t>(steps) : slow_.steps;
      put_end_ -= way_of(slow_.flags, taken);
      slow_.steps = static_cast<uint8_t>(slow_.steps - taken);
      if (slow_.steps == 0) is_silent_ = false;
      steps -= taken;
    } else {
      const uint8_t left = static_cast<uint8_t>(player_.left());
      const uint8_t taken = steps < left ? static_cast<uint8_t>(steps) : left;
      put_end_ -= way_of(player_.rest().flags, taken);
      player_.shorten(taken);
      steps_ = static_cast<uint8_t>(steps_ - taken);
      steps -= taken;
    }
    return steps;
  }

  /// What is still to come of what was put.
  struct Ahead {
    /// Of the run that is on, a slow one as such: without the step that is armed, its gap the one behind
    /// that.
    NarrowPulseRun rest;
    bool more;  ///< others wait behind it
  };
  COGSTRIDE_ONCE Ahead ahead() const {
    Lock lock;
    if ((player_.rest().flags & run_slow) == 0) return Ahead{player_.rest(), !ring_.is_empty()};
    Ahead ahead{slow_, !ring_.is_empty()};
    if (is_silent_) --ahead.rest.steps;  // its silence is on: it comes soon
    return ahead;
  }
  /// The last of those that wait. @return false: none does
  COGSTRIDE_ONCE bool last(NarrowPulseRun& run) {
    Lock lock;
    if (ring_.is_empty()) return false;
    run = ring_.back();
    return true;
  }
  /// Ticks that what it plays and what waits still take. @param without  so many of the last are not counted
  template <class TicksOf>
  COGSTRIDE_ONCE uint32_t ticks_ahead(TicksOf ticks_of, uint8_t without) {
    uint32_t sum = 0;
    // Those that are taken meanwhile are counted again as what plays, and never left out.
    for (uint8_t i = without; i < queued(); ++i) {
      NarrowPulseRun run;
      {
        Lock lock;
        if (i >= queued()) break;
        run = ring_.before_back(i);
      }
      const uint32_t ticks = ticks_of(run, run.steps);
      sum = sum > 0x7fffffffUL - ticks ? 0x7fffffffUL : sum + ticks;
    }
    const Ahead now = ahead();
    const uint32_t ticks = ticks_of(now.rest, now.rest.steps);
    return sum > 0x7fffffffUL - ticks ? 0x7fffffffUL : sum + ticks;
  }
  /// Whether an edge is to end what it plays. Interrupts are off.
  bool stops() const { return playing_ && player_.stops(); }

  /// Net steps made since the chip began.
  COGSTRIDE_ONCE int32_t position() const {
    Lock lock;
    return position_now();
  }
  /// Where it stands is called `position`; not while it plays. Runs that wait are dropped.
  void set_position(int32_t position) {
    Lock lock;
    ring_.drop();
    base_ = put_end_ = position;
  }
  /// Where all that was put leads to.
  int32_t put_end() const { return put_end_; }

  /// With interrupts off.
  COGSTRIDE_IN_INTERRUPT int32_t position_now() const {
    if (!playing_) return base_;
    if (!player_.makes_pulses()) return base_;
    const uint8_t made = static_cast<uint8_t>(steps_ - 1 - player_.left());
    return player_.is_backwards() ? base_ - made : base_ + made;
  }

 protected:
  /// What its channel has to do with.
  struct OfChannel {
    bool (*start)(AxisRuns& self, uint16_t lead);
    void (*end_here)(AxisRuns& self);
  };
  explicit AxisRuns(const OfChannel& channel) : channel_(channel) {}

  static int32_t way_of(const NarrowPulseRun& run) { return way_of(run.flags, run.steps); }
  static int32_t way_of(uint8_t flags, uint8_t steps) {
    if ((flags & run_silent) != 0) return 0;
    return (flags & run_backwards) != 0 ? -static_cast<int32_t>(steps) : static_cast<int32_t>(steps);
  }
  COGSTRIDE_IN_INTERRUPT int32_t position_after_run() const {
    if (!player_.makes_pulses()) return base_;
    return player_.is_backwards() ? base_ - steps_ : base_ + steps_;
  }
  /// One more than position_now(): its edge is out, its interrupt has not come.
  COGSTRIDE_IN_INTERRUPT int32_t at_with_pulse() const {
    const uint8_t made = static_cast<uint8_t>(steps_ - player_.left());
    return player_.is_backwards() ? base_ - made : base_ + made;
  }

  /// A step of a slow run: whole silent gaps, and then the pulse.
  COGSTRIDE_ONCE void slow_part(NarrowPulseRun& part) {
    constexpr uint32_t silent_ticks = 0xf000;
    if (slow_.steps == 0) {
      slow_ = ring_.front();
      ring_.pop();
    }
    const uint8_t way = static_cast<uint8_t>(slow_.flags & (run_backwards | run_stops | run_slow));
    uint32_t gap = slow_.gap << 4;
    uint8_t silences = static_cast<uint8_t>(slow_.gap >> 28);
    if (silences != 0) {
      // What the silent ones leave of a turn each.
      uint32_t ticks = static_cast<uint32_t>((gap >> 16) + silences * (0x10000UL - silent_ticks));
      if (ticks > 0xffff) {
        ticks -= silent_ticks;
        ++silences;
      }
      gap = (ticks << 16) | (gap & 0xffff);
      if (!is_silent_) {
        is_silent_ = true;
        part = NarrowPulseRun{silent_ticks << 16, 0, 0, silences, static_cast<uint8_t>(way | run_silent)};
        return;
      }
    }
    is_silent_ = false;
    --slow_.steps;
    part = NarrowPulseRun{gap, 0, 0, 1,
                          static_cast<uint8_t>(way | (slow_.steps == 0 ? slow_.flags & run_ends : 0))};
    slow_.gap += static_cast<uint32_t>(slow_.change);
    slow_.change += slow_.bend;
  }

  COGSTRIDE_ONCE void forget_slow() {
    slow_.steps = 0;
    is_silent_ = false;
  }
  COGSTRIDE_IN_INTERRUPT void stand() {
    playing_ = false;
    ring_.drop();
    slow_.steps = 0;
    is_silent_ = false;
    put_end_ = base_;
  }

  PulsePlayer<NarrowPulseRun, CompareTime> player_{};
  uint8_t steps_ = 0;                   // of the run that is playing
  NarrowPulseRun slow_{0, 0, 0, 0, 0};  // what is left of a slow one
  bool is_silent_ = false;              // its silent gaps are on
  volatile bool playing_ = false;
  volatile bool starved_ = false;
  volatile bool halted_ = false;
  volatile bool barred_ = false;
  int32_t base_ = 0;  // position before the run that is playing
  RunRing<NarrowPulseRun, room> ring_{};

 private:
  int32_t put_end_ = 0;
  int32_t least_ = INT32_MIN;
  int32_t most_ = INT32_MAX;
  const OfChannel channel_;
};

/// @tparam Channel  of a port; docs/chip.md has its functions, all static, and its Lock
/// @tparam room  runs that wait, a power of two
template <class Channel, uint8_t room = 16>
class StepAxis : public AxisRuns<typename Channel::Lock, room> {
 public:
  typedef typename Channel::Lock Lock;
  /// What walks, feeds and homes it.
  typedef AxisRuns<Lock, room> Runs;

  StepAxis() : Runs(typename Runs::OfChannel{start_this, end_this}) {}

  /// As start(), from a tick on; interrupts are off.
  bool start_at(uint16_t tick, uint16_t fraction = 0) {
    if (this->playing_ || this->halted_ || this->barred_ || this->ring_.is_empty()) return false;
    this->playing_ = true;
    // A silence of no step ends there.
    this->player_.load(NarrowPulseRun{0, 0, 0, 0, run_silent});
    begin_at(this->player_.clock(), tick, fraction);
    set_compare<Channel>(this->player_.clock());
    Channel::makes_pulses(false);
    Channel::on();
    return true;
  }

  // With interrupts off: an interrupt's side.

  /// The compare has matched: the edge that was armed, if it was one, has just gone out; the next is armed.
  /// @return false at the end of a run: next_run() has to follow
  COGSTRIDE_IN_INTERRUPT bool step() {
    if (__builtin_expect(this->player_.left() == 0, 0)) {
      Channel::end_pulse();
      return false;
    }
    this->player_.to_next();
    set_compare<Channel>(this->player_.clock());
    this->player_.prepare();
    Channel::end_pulse();
    return true;
  }
  /// The run has ended: its last edge has just gone out.
  /// @return false: next_part() has to follow
  COGSTRIDE_IN_INTERRUPT bool next_run() {
    if (__builtin_expect(this->slow_.steps != 0, 0)) return false;
    if (this->ring_.is_empty()) {
      Channel::off();
      this->base_ = this->position_after_run();
      this->starved_ = !this->player_.ends();
      if (this->starved_) this->halted_ = true;
      this->stand();
      return true;
    }
    const NarrowPulseRun& run = this->ring_.front();
    if (__builtin_expect((run.flags & run_slow) != 0, 0)) return false;
    // First of all the next compare, which is not far.
    let_pass(run.gap);
    this->base_ = this->position_after_run();
    load(run);
    this->ring_.pop();
    return true;
  }
  /// A part of a slow run is next. A port may do it in three, with interrupts on in the second: it takes
  /// long, its own compare is far away, and another axis' may not be.
  COGSTRIDE_ONCE void next_part() {
    begin_part();
    NarrowPulseRun part;
    this->slow_part(part);
    take_part(part);
  }
  COGSTRIDE_IN_INTERRUPT void begin_part() {
    this->base_ = this->position_after_run();
    this->steps_ = 1;  // none of them is to be counted again
  }
  using Runs::slow_part;
  COGSTRIDE_IN_INTERRUPT void take_part(const NarrowPulseRun& part) {
    if (__builtin_expect(!this->playing_, 0)) return this->forget_slow();  // ended meanwhile
    let_pass(part.gap);
    load(part);
    Channel::direction((part.flags & run_backwards) != 0);
  }

  /// The same as its Runs', by whoever knows the channel.
  COGSTRIDE_IN_INTERRUPT void end_here() {
    this->halted_ = true;
    if (!this->playing_) return;
    // No match comes from now on; one that has come in these last cycles shows at the output.
    Channel::at(static_cast<uint16_t>(Channel::now() - 1));
    const bool is_out = this->player_.makes_pulses() && Channel::is_high();
    this->base_ = is_out ? this->at_with_pulse() : this->position_now();
    if (is_out) Channel::end_pulse_when_long_enough();
    Channel::off();
    this->stand();
  }

 private:
  static bool start_this(Runs& self, uint16_t lead) {
    Lock lock;
    return static_cast<StepAxis&>(self).start_at(static_cast<uint16_t>(Channel::now() + lead));
  }
  static void end_this(Runs& self) { static_cast<StepAxis&>(self).end_here(); }
  COGSTRIDE_IN_INTERRUPT void let_pass(uint32_t gap) {
    pass(this->player_.clock(), gap);
    set_compare<Channel>(this->player_.clock());
  }
  /// One whose first compare is set.
  COGSTRIDE_IN_INTERRUPT void load(const NarrowPulseRun& run) {
    this->player_.load(run);
    this->steps_ = static_cast<uint8_t>(this->player_.left());
    Channel::makes_pulses(this->player_.makes_pulses());
    if (this->player_.makes_pulses()) Channel::direction(this->player_.is_backwards());
    this->player_.prepare();
  }
};

}  // namespace chip
}  // namespace cogstride
