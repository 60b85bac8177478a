// Plays a script that a host has worked out: what moves lies in tables of runs, and this goes from one to the
// next.
//
//   ScriptPlay<Machine> script(steps);
//   script.begin(now);
//   while (script.serve(now)) {}                 // the main program; now: milliseconds, of a clock that may
//   wrap
//
// What there is to home, to play and to look at, the machine knows: a struct of static functions, which
// `cogstride export` writes.
//
// C++14 with <stdint.h> alone.
#pragma once

#include <stdint.h>

#include "tick.hpp"

namespace cogstride {
namespace chip {

enum class ScriptDoes : uint8_t {
  end,
  home,      ///< which: axes, bit 0 the first
  hold,      ///< which: axes, which get their current
  play,      ///< much: the stretch
  pause,     ///< ms: which is the high byte of it
  wait_on,   ///< which: an input; much: tenths of a second at the longest, 0: however long
  wait_off,  ///< the same until it lets go
  put_on,    ///< which: an output
  put_off,
  later_on,  ///< behind a `play`: as much ms have passed of it
  later_off,
  repeat,   ///< which: a counter; much: how often, 0: without end
  go_back,  ///< which: the counter; much: to that step, as long as there is something left
  go_to,    ///< much: to that step
  look,     ///< a row of the next three is looked at again and again
  if_on,    ///< which: an input; much: to that step
  if_off,
  if_after,  ///< much: as `which` * 65536 ms have passed and so many since the row was come to, to the step
             ///< of the `go_to` behind it
  follow,    ///< which: an axis; much: one of the ways to go along with a leader
  let_go,    ///< which: the axis
  wait_followed  ///< which: the axis; much: one of the ways of its leader
};

struct ScriptStep {
  ScriptDoes does;
  uint8_t which;
  uint16_t much;
};

enum class ScriptFault : uint8_t {
  none,
  not_homed,  ///< homing of an axis failed
  ended,      ///< an axis was ended in mid-motion, or starved
  too_long    ///< what was waited for did not come in time
};

/// What a machine has that follows nothing.
struct FollowsNothing {
  static constexpr bool may_follow = false;
  static void follow(uint8_t, uint16_t) {}
  static void let_go(uint8_t) {}
  static bool has_followed(uint8_t, uint16_t) { return true; }
};

/// @tparam Machine  has, static: step(index), hold(axes), home(axes, now), is_homing(now), has_homed(),
/// play(stretch), is_playing(), has_been_ended(), acts(input), put(output, on), and what FollowsNothing has
/// @tparam counters  repeats inside one another
template <class Machine, uint8_t counters = 4>
class ScriptPlay {
 public:
  /// From the first step.
  void begin(uint16_t now) {
    at_ = 0;
    fault_ = ScriptFault::none;
    is_on_ = true;
    enter(now);
  }
  void stop() { is_on_ = false; }

  bool is_on() const { return is_on_; }
  ScriptFault fault() const { return fault_; }
  /// The step that is on, or failed.
  uint16_t at() const { return at_; }

  /// @return whether it goes on
  COGSTRIDE_ONCE bool serve(uint16_t now) {
    if (!is_on_) return false;
    const uint16_t passed = static_cast<uint16_t>(now - looked_at_);
    looked_at_ = now;
    waited_ += passed;
    switch (step_.does) {
      case ScriptDoes::home:
        if (Machine::is_homing(now)) return true;
        return Machine::has_homed() ? go_on(now) : fails(ScriptFault::not_homed);
      case ScriptDoes::play:
        if (Machine::has_been_ended()) return fails(ScriptFault::ended);
        switch_later();
        if (Machine::is_playing()) return true;
        waited_ = UINT32_MAX;
        switch_later();  // what is left
        at_ = static_cast<uint16_t>(at_ + later_);
        return go_on(now);
      case ScriptDoes::pause:
        return waited_ < span() ? true : go_on(now);
      case ScriptDoes::wait_on:
      case ScriptDoes::wait_off:
        if (Machine::acts(step_.which) == (step_.does == ScriptDoes::wait_on)) return go_on(now);
        return step_.much != 0 && waited_ >= step_.much * 100UL ? fails(ScriptFault::too_long) : true;
      case ScriptDoes::look:
        return look(now);
      case ScriptDoes::wait_followed:
        if (Machine::may_follow && Machine::has_been_ended()) return fails(ScriptFault::ended);
        return Machine::has_followed(step_.which, step_.much) ? go_on(now) : true;
      default:
        return go_on(now);
    }
  }

 private:
  uint32_t span() const { return (static_cast<uint32_t>(step_.which) << 16) + step_.much; }

  bool go_on(uint16_t now) { return go_to(static_cast<uint16_t>(at_ + 1), now); }
  bool go_to(uint16_t step, uint16_t now) {
    at_ = step;
    enter(now);
    return is_on_;
  }
  bool fails(ScriptFault fault) {
    fault_ = fault;
    is_on_ = false;
    return false;
  }

  /// What begins with a step; those that take no time follow at once.
  void enter(uint16_t now) {
    for (;;) {
      step_ = Machine::step(at_);
      looked_at_ = now;
      waited_ = 0;
      later_ = 0;
      switch (step_.does) {
        case ScriptDoes::end:
          is_on_ = false;
          return;
        case ScriptDoes::home:
          Machine::home(step_.which, now);
          return;
        case ScriptDoes::play:
          Machine::play(step_.much);
          return;
        case ScriptDoes::hold:
          Machine::hold(step_.which);
          break;
        case ScriptDoes::follow:
          Machine::follow(step_.which, step_.much);
          break;
        case ScriptDoes::let_go:
          if (Machine::may_follow && Machine::has_been_ended()) {
            fails(ScriptFault::ended);
            return;
          }
          Machine::let_go(step_.which);
          break;
        case ScriptDoes::put_on:
        case ScriptDoes::put_off:
          Machine::put(step_.which, step_.does == ScriptDoes::put_on);
          break;
        case ScriptDoes::repeat:
          left_[step_.which] = step_.much;
          break;
        case ScriptDoes::go_back:
          // One that is without end began with none.
          if (left_[step_.which] == 0 || --left_[step_.which] != 0) {
            at_ = step_.much;
            continue;
          }
          break;
        case ScriptDoes::go_to:
          at_ = step_.much;
          continue;
        default:
          return;
      }
      ++at_;
    }
  }

  /// What is to be switched while it plays.
  void switch_later() {
    for (;;) {
      const ScriptStep each = Machine::step(static_cast<uint16_t>(at_ + 1 + later_));
      const bool on = each.does == ScriptDoes::later_on;
      if ((!on && each.does != ScriptDoes::later_off) || waited_ < each.much) return;
      Machine::put(each.which, on);
      ++later_;
    }
  }

  /// The row behind it: the first that has come about is gone to.
  bool look(uint16_t now) {
    for (uint16_t step = static_cast<uint16_t>(at_ + 1);; ++step) {
      const ScriptStep each = Machine::step(step);
      const bool is_input = each.does == ScriptDoes::if_on || each.does == ScriptDoes::if_off;
      if (is_input && Machine::acts(each.which) == (each.does == ScriptDoes::if_on))
        return go_to(each.much, now);
      if (each.does == ScriptDoes::if_after) {
        if (waited_ >= (static_cast<uint32_t>(each.which) << 16) + each.much)
          return go_to(static_cast<uint16_t>(step + 1), now);
        ++step;  // its own go_to
        continue;
      }
      if (!is_input) return true;
    }
  }

  uint16_t at_ = 0;
  ScriptStep step_{ScriptDoes::end, 0, 0};
  bool is_on_ = false;
  ScriptFault fault_ = ScriptFault::none;
  uint16_t looked_at_ = 0;
  uint32_t waited_ = 0;  // ms, in this step
  uint8_t later_ = 0;    // of those behind it, done
  uint16_t left_[counters] = {};
};

}  // namespace chip
}  // namespace cogstride
