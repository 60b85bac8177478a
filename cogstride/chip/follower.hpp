// One axis geared to another: it steps by an exact ratio of what a leader counts.
//
//   Follower follower;
//   follower.set_ratio(7, 25);                   // steps for counts: 0.28 of a step a count
//   const int8_t step = follower.count(+1);      // in the leader's interrupt: -1, 0 or 1 step to make now
//   follower.made(step);
//
// In whole numbers alone: after any number of counts to and fro it stands on the very step that their sum
// says, and what is left of a step is kept. A step forwards is made on reaching it, a step backwards on
// reaching the one below, so that a leader that trembles about a place makes no steps. Several steps a count
// come one at a time: the rest is owed.
//
// C++14 with <stdint.h> alone; no division while it follows.
#pragma once

#include <stdint.h>

#include "quadrature.hpp"
#include "tick.hpp"

namespace cogstride {
namespace chip {

/// @tparam Part  signed, of what a step is made of: int32_t, or int16_t where counts are below 2^14, which
/// takes an 8-bit chip less time
template <class Part>
class FollowerOf {
 public:
  /// Steps for counts. What is left of a step stays, to the new ratio's grain towards zero, so nothing jumps.
  /// Interrupts are off. @param steps  signed, at most 32 a count; @param counts  1 to half of what a Part
  /// holds
  /// @return false when it is none: nothing has changed
  COGSTRIDE_ONCE bool set_ratio(int32_t steps, int32_t counts) {
    if (counts < 1 || counts > most_counts) return false;
    const int32_t most = most_counts / counts < 32 ? 2 * most_counts - counts : 32 * counts;
    if (steps > most || steps < -most) return false;
    if (counts != counts_) rest_ = static_cast<Part>(static_cast<int64_t>(rest_) * counts / counts_);
    steps_ = static_cast<Part>(steps);
    counts_ = static_cast<Part>(counts);
    has_several_ = steps > counts || steps < -counts;
    is_more_ = has_several_ || owed_ != 0;
    return true;
  }

  /// The leader counted one up or one down. @return the step to make at once: -1, 0 or 1
  int8_t count(int8_t way) {
    const int8_t step = part_step(way);
    if (!is_more_) return step;
    return with_owed(step);
  }
  /// The same in two parts: what each count takes, and what is owed beside it where is_more() says so.
  int8_t part_step(int8_t way) {
    Part rest = rest_;
    if (way > 0) {
      rest = static_cast<Part>(rest + steps_);
    } else {
      rest = static_cast<Part>(rest - steps_);
    }
    int8_t step = 0;
    const Part counts = counts_;
    if (rest >= counts) {
      rest = static_cast<Part>(rest - counts);
      step = 1;
    } else if (static_cast<Part>(rest + counts) <= 0) {
      rest = static_cast<Part>(rest + counts);
      step = -1;
    }
    rest_ = rest;
    return step;
  }
  bool is_more() const { return is_more_; }
  int8_t with_owed(int8_t step) {
    owed_ = static_cast<int16_t>(owed_ + step);
    for (; rest_ >= counts_; rest_ = static_cast<Part>(rest_ - counts_)) ++owed_;
    for (; rest_ <= static_cast<Part>(-counts_); rest_ = static_cast<Part>(rest_ + counts_)) --owed_;
    return take_owed();
  }
  /// It has been made. Apart from count(), so that the step's edge need not wait for it.
  void made(int8_t step) {
    if (step > 0) {
      ++position_;
    } else if (step < 0) {
      --position_;
    }
  }

  /// A step that is owed beyond the one made at a count: for an interrupt that may make it now.
  int8_t take_owed() {
    if (owed_ > 0) {
      --owed_;
      return 1;
    }
    if (owed_ < 0) {
      ++owed_;
      return -1;
    }
    is_more_ = has_several_;
    return 0;
  }
  bool owes() const { return owed_ != 0; }
  /// Moves it against its leader by steps, which are owed. Interrupts are off.
  void shift(int16_t steps) {
    owed_ = static_cast<int16_t>(owed_ + steps);
    is_more_ = true;
  }

  /// It stands there, with nothing left of a step. Interrupts are off.
  void stands_at(int32_t position) {
    position_ = position;
    rest_ = 0;
    owed_ = 0;
    is_more_ = has_several_;
  }

  /// Net steps made, and what is left of one, in parts of `counts()`.
  int32_t position() const { return position_; }
  int32_t rest() const { return rest_; }
  int32_t counts() const { return counts_; }

  static constexpr int32_t most_counts = sizeof(Part) == 2 ? 0x3fff : 0x3fffffff;

 private:
  Part steps_ = 0;
  Part counts_ = 1;
  Part rest_ = 0;
  bool has_several_ = false;  // steps a count
  bool is_more_ = false;      // the same, or some are owed
  int16_t owed_ = 0;
  int32_t position_ = 0;
};

typedef FollowerOf<int32_t> Follower;

/// The same for one who looks now and then: many counts at once, of several leaders, each by its own ratio.
/// It stands where a Follower would stand that had taken them one by one.
///
///   GearedPlace place;
///   place.set_grain(75);                 // parts of a step
///   place.go_on(14 * counts);            // 14/75 of a step a count
class GearedPlace {
 public:
#ifdef __SIZEOF_INT128__
  __extension__ typedef __int128 Wide;
  static constexpr int64_t finest = int64_t(1) << 40;
#else
  typedef int64_t Wide;
  static constexpr int64_t finest = 0x3fffffff;
#endif

  /// Parts of a step from now on. What is left of a step stays, to the new grain towards zero.
  /// @param grain  1 to finest
  void set_grain(int64_t grain) {
    rest_ = static_cast<int64_t>(static_cast<Wide>(rest_) * grain / grain_);
    grain_ = grain;
  }
  /// So many parts on; a step is made as a Follower makes it. @param parts  below 2^62 @return net steps
  int64_t go_on(int64_t parts) {
    const int64_t sum = rest_ + parts;
    const int64_t steps = sum / grain_;
    rest_ = sum % grain_;
    position_ += steps;
    return steps;
  }
  /// On another step, with the same rest or none.
  void stand_at(int64_t position) {
    position_ = position;
  }
  void forget_rest() {
    rest_ = 0;
  }

  int64_t position() const {
    return position_;
  }
  /// What is left of a step, in parts; -grain() < rest() < grain().
  int64_t rest() const {
    return rest_;
  }
  int64_t grain() const {
    return grain_;
  }

 private:
  int64_t grain_ = 1;
  int64_t rest_ = 0;
  int64_t position_ = 0;
};

/// An axis that follows an encoder's tracks, step by step, in the tracks' interrupt.
///
///   FollowAxis<Channel, int16_t> axis;
///   ISR(...) { if (!axis.edge(tracks)) axis.rest_of_edge(); }      // a port may do it in two parts
///
/// @tparam Channel  has, static: step(high), direction(backwards), wait_direction(), wait_pulse()
template <class Channel, class Part = int32_t>
class FollowAxis {
 public:
  FollowerOf<Part>& follower() { return follower_; }
  const FollowerOf<Part>& follower() const { return follower_; }
  QuadratureTracks& tracks() { return tracks_; }

  /// The tracks have changed. @return false: rest_of_edge() has to follow
  bool edge(uint8_t tracks) {
    const int8_t way = tracks_.take(tracks);
    if (way == 0) return true;
    const int8_t step = follower_.part_step(way);
    if (__builtin_expect(follower_.is_more() || (step != 0 && step != way_), 0)) {
      step_ = step;
      return false;
    }
    if (step == 0) return true;
    Channel::step(true);
    follower_.made(step);
    Channel::wait_pulse();
    Channel::step(false);
    return true;
  }
  /// The way turns, or more than one step is owed.
  void rest_of_edge() { make(follower_.is_more() ? follower_.with_owed(step_) : step_); }
  /// One step that is owed, where one is: call it as often as steps may come. Interrupts are off.
  void make_owed() {
    if (follower_.owes()) make(follower_.take_owed());
  }
  /// Where DIR stood is not known any more.
  void face_forwards() {
    way_ = 1;
    Channel::direction(false);
    Channel::wait_direction();
  }
  /// A step, or none. Interrupts are off.
  void make(int8_t step) {
    if (step == 0) return;
    if (step != way_) {
      way_ = step;
      Channel::direction(step < 0);
      Channel::wait_direction();
    }
    Channel::step(true);
    follower_.made(step);
    Channel::wait_pulse();
    Channel::step(false);
  }

 private:
  QuadratureTracks tracks_;
  FollowerOf<Part> follower_;
  int8_t way_ = 1;
  int8_t step_ = 0;
};

/// The same inside a travel, which begins and ends: what drives an axis otherwise has it back then.
/// At an end of its travel it stands, and is_held_up(): it no longer belongs to its leader.
template <class Channel, class Part = int32_t>
class FollowTravel {
 public:
  /// Steps for counts, as FollowerOf takes them: a step a count at the most. It does not follow.
  bool set_ratio(int32_t steps, int32_t counts) { return axis_.follower().set_ratio(steps, counts); }
  /// From where it stands on. Interrupts are off.
  void begin(uint8_t tracks, int32_t at, int32_t least, int32_t most) {
    axis_.tracks().begin(tracks);
    axis_.follower().stands_at(at);
    axis_.face_forwards();
    least_ = least;
    most_ = most;
    counted_ = 0;
    is_held_up_ = false;
    is_on_ = true;
  }
  void end() { is_on_ = false; }
  /// It is ended, where it should go on.
  void hold_up() {
    is_held_up_ = is_on_ || is_held_up_;
    is_on_ = false;
  }

  bool is_on() const { return is_on_; }
  bool is_held_up() const { return is_held_up_; }
  int32_t position() const { return axis_.follower().position(); }
  /// Counts of its leader since it began.
  int32_t counted() const { return counted_; }

  /// In the tracks' interrupt.
  void edge(uint8_t tracks) {
    if (!is_on_) return;
    const int8_t way = axis_.tracks().take(tracks);
    if (way == 0) return;
    counted_ += way;
    const int8_t step = axis_.follower().part_step(way);
    if (step == 0) return;
    const int32_t at = axis_.follower().position();
    if (step > 0 ? at >= most_ : at <= least_) return hold_up();
    axis_.make(step);
  }

 private:
  FollowAxis<Channel, Part> axis_;
  int32_t least_ = INT32_MIN;
  int32_t most_ = INT32_MAX;
  int32_t counted_ = 0;
  volatile bool is_on_ = false;
  volatile bool is_held_up_ = false;
};

}  // namespace chip
}  // namespace cogstride
