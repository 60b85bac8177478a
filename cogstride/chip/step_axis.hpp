// One axis of steps on a compare channel: an interrupt plays runs that the main program puts in.
//
//   StepAxis<StepChannel, 16> axis;          // StepChannel: of a port, see ports/
//   axis.put(run); axis.put(next);           // the main program
//   axis.start(lead);                        // ticks from now to the start of the first run
//   ISR(...) { if (!axis.step()) axis.next_run(); }          // the channel's interrupt
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

/// @tparam Channel  of a port; docs/chip.md has its functions, all static, and its Lock
/// @tparam room  runs that wait, a power of two
template <class Channel, uint8_t room = 16>
class StepAxis {
 public:
  typedef typename Channel::Lock Lock;

  // The main program's side.

  /// @return false: no room just now, or it would go beyond a limit; nothing was put
  bool put(const NarrowPulseRun& run) {
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
  bool start(uint16_t lead) {
    Lock lock;
    return start_at(static_cast<uint16_t>(Channel::now() + lead));
  }
  /// The same from a tick on; interrupts are off.
  bool start_at(uint16_t tick) {
    if (playing_ || halted_ || ring_.is_empty()) return false;
    playing_ = true;
    // A silence of no step ends there.
    player_.load(NarrowPulseRun{0, 0, 0, 0, run_silent});
    begin_at(player_.clock(), tick);
    Channel::makes_pulses(false);
    Channel::on();
    return true;
  }

  bool is_playing() const { return playing_; }
  /// Whether it had to stop because the next run was not there in time.
  bool starved() const { return starved_; }

  /// Whether it was ended before its last run: by end_here(), or starved.
  bool is_halted() const { return halted_; }
  /// Ready for the next motion.
  void clear() {
    Lock lock;
    if (playing_) return;
    ring_.drop();
    put_end_ = base_;
    starved_ = false;
    halted_ = false;
  }

  /// Net steps made since the chip began.
  int32_t position() const {
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

  // With interrupts off: an interrupt's side.

  /// The compare has matched: the edge that was armed, if it was one, has just gone out; the next is armed.
  /// @return false at the end of a run: next_run() has to follow
  bool step() {
    if (__builtin_expect(player_.left() == 0, 0)) return false;
    player_.advance();
    Channel::end_pulse();
    return true;
  }
  /// The run has ended: its last edge has just gone out.
  void next_run() {
    Channel::end_pulse();
    if (ring_.is_empty()) {
      Channel::off();
      base_ = position_after_run();
      starved_ = !player_.ends();
      if (starved_) halted_ = true;
      stand();
      return;
    }
    // First of all the next compare, which is not far.
    pass(player_.clock(), ring_.front().gap);
    base_ = position_after_run();
    load_next();
  }

  /// Ends all at once, wherever it is: a reaction to an edge, an emergency stop. A pulse that has begun is
  /// made whole.
  void end_here() {
    halted_ = true;
    if (!playing_) return;
    // No match comes from now on; one that has come in these last cycles shows at the output.
    Channel::at(static_cast<uint16_t>(Channel::now() - 1));
    const bool is_out = player_.makes_pulses() && Channel::is_high();
    base_ = is_out ? at_with_pulse() : position_now();
    if (is_out) Channel::end_pulse_when_long_enough();
    Channel::off();
    stand();
  }

  int32_t position_now() const {
    if (!playing_) return base_;
    if (!player_.makes_pulses()) return base_;
    const uint8_t made = static_cast<uint8_t>(steps_ - 1 - player_.left());
    return player_.is_backwards() ? base_ - made : base_ + made;
  }

 private:
  static int32_t way_of(const NarrowPulseRun& run) {
    if ((run.flags & run_silent) != 0) return 0;
    return (run.flags & run_backwards) != 0 ? -static_cast<int32_t>(run.steps)
                                            : static_cast<int32_t>(run.steps);
  }
  int32_t position_after_run() const {
    if (!player_.makes_pulses()) return base_;
    return player_.is_backwards() ? base_ - steps_ : base_ + steps_;
  }
  /// One more than position_now(): its edge is out, its interrupt has not come.
  int32_t at_with_pulse() const {
    const uint8_t made = static_cast<uint8_t>(steps_ - player_.left());
    return player_.is_backwards() ? base_ - made : base_ + made;
  }

  /// The run whose first compare is set.
  void load_next() {
    player_.load(ring_.front());
    ring_.pop();
    steps_ = static_cast<uint8_t>(player_.left());
    Channel::makes_pulses(player_.makes_pulses());
    if (player_.makes_pulses()) Channel::direction(player_.is_backwards());
    player_.prepare();
  }

  void stand() {
    playing_ = false;
    ring_.drop();
    put_end_ = base_;
  }

  PulsePlayer<NarrowPulseRun, CompareTime<Channel>> player_{};
  uint8_t steps_ = 0;  // of the run that is playing
  volatile bool playing_ = false;
  volatile bool starved_ = false;
  volatile bool halted_ = false;
  int32_t base_ = 0;  // position before the run that is playing
  RunRing<NarrowPulseRun, room> ring_;
  int32_t put_end_ = 0;
  int32_t least_ = INT32_MIN;
  int32_t most_ = INT32_MAX;
};

}  // namespace chip
}  // namespace cogstride
