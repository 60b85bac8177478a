// Finding the zero of a mechanism: what to do next, decided without words, clocks or floating point. Whoever
// walks tells what happens and does what it is told; a host puts words to what goes wrong.
//
//   aligning -> looking -> approaching -> stopping -> seeing -+
//                     \                                       v
//                      +--------------------------------> backing off -> clearing -> creeping -> confirming
//                                                                                                    |
//                                                  found <- returning <- [to the index] <------------+
//
//   to a hard end:  aligning -> pressing -> leaving -> returning -> found
//
// with a pause to settle wherever it turns round, and at the end. Switched on, a rotor springs to the nearest
// place of rest, or hangs by friction where the field holds it back just as much either way; stepped at once
// it might never catch on. So the first stage, away from the sensor, is one electrical period long and slow.
// The step that counts is the one on which the sensor acts during the last slow approach: it is always passed
// in the same direction and at the same speed, so it is the same step from wherever homing began, the
// sensor's own place included. An edge that bounces is taken at its first change; that it holds is looked at
// once the output stands. Each stage has a longest way; what does not come ends in `failed` with a fault.
//
//   Homing<int32_t> homing(goal);
//   HomingOrder<int32_t> order = homing.begin(false);
//   // ... settle, go, brake, look as it says; tell settled(), at_rest(), level()
//
// C++14 with <stdint.h> alone.
#pragma once

#include <stdint.h>

#include "tick.hpp"

namespace cogstride {
namespace chip {

enum class HomingKind : uint8_t { end_switch, window, hard_end };

enum class HomingState : uint8_t {
  aligning,
  looking,
  approaching,
  stopping,
  seeing,
  backing_off,
  clearing,
  settling,
  creeping,
  confirming,
  indexing,
  pressing,
  leaving,
  returning,
  giving_up,
  found,
  failed
};

/// Why it failed.
enum class HomingFault : uint8_t {
  none,
  both_ends_act,    ///< the switches of both ends at once
  let_go_again,     ///< it acted on the fast approach, and not when the output stood, three times
  acts_again,       ///< it let go while backing off, and acted when the output stood, three times
  does_not_hold,    ///< it acted on the slow approach, and not when the output stood
  steps_lost,       ///< it acted at another place than on the fast approach
  other_end_acted,  ///< the switch at the other end, on the way to this one
  never_acted,      ///< on the whole fast approach
  still_acts,       ///< after the whole way back
  neither_acted,    ///< nor the switch to turn round at
  not_again,        ///< it did not act on the slow approach
  no_index,
  no_hard_end,
  counts_wrong  ///< pressed against a hard end, the counter does not follow the steps
};

/// Ways and places, in steps.
template <class Count>
struct HomingGoal {
  HomingKind kind = HomingKind::end_switch;
  int8_t towards = -1;        ///< the way on which the edge counts
  bool turns_round = false;   ///< a window inside a travel: looked for backwards first
  bool is_brief = false;      ///< an index: gone again at once
  bool then_index = false;    ///< the zero is the next index of an encoder
  Count alignment_way = 0;    ///< one electrical period
  Count approach_range = 0;   ///< beyond which the fast approach gives up
  Count back_off_range = 0;   ///< and the way back
  Count clear_range = 0;      ///< and the slow approach
  Count index_range = 0;      ///< and the way to the index
  Count return_way = 0;       ///< from the edge that counts to where it is to stand afterwards
  Count counts_per_step = 0;  ///< of a hard end's counter: a fraction, reduced, with its sign
  Count counts_for_steps = 1;
};

enum class HomingAct : uint8_t {
  nothing,
  settle,         ///< stand for the settling time, then tell settled()
  look,           ///< read the sensor, then tell level()
  go,             ///< by `way`, then tell at_rest(); levels that change on the way are told as they come
  go_to_edge,     ///< the same, and end at once at the sensor's edge
  go_to_index,    ///< the same, at the index's
  brake,          ///< to rest on a ramp, then tell at_rest()
  brake_steeply,  ///< the same, with the jerk unbounded
  end_here,       ///< at once, then as settle
  found,
  failed
};
enum class HomingPace : uint8_t { fast, slow, creep };

template <class Count>
struct HomingOrder {
  HomingAct act = HomingAct::nothing;
  HomingPace pace = HomingPace::fast;
  Count way = 0;  ///< signed steps from where it stands
};

/// @tparam Count  int32_t on a chip, int64_t on a host
template <class Count>
class Homing {
 public:
  typedef HomingOrder<Count> Order;

  Homing() {}
  explicit Homing(const HomingGoal<Count>& goal) : goal_(goal) {}

  /// From rest, anywhere. @param aligned  its motor held before
  Order begin(bool aligned) { return settle_before(aligned ? first_stage() : HomingState::aligning); }

  HomingState state() const { return state_; }
  HomingFault fault() const { return fault_; }
  /// What goes with the fault: steps.
  Count fault_way() const { return fault_way_; }
  Count fault_counts() const { return fault_counts_; }
  uint8_t tries() const { return tries_; }
  /// The step of the edge that counts, when found.
  Count edge_step() const { return edge_step_; }
  /// Of a hard end: how many counts it stands from where it was pressed furthest.
  Count counts_from_end() const { return last_count_ - extreme_count_; }
  /// From the edge to where it is to stand, where that is known only then.
  void set_return_way(Count way) { goal_.return_way = way; }

  /// Whether the other end's switch says something when it begins to act.
  bool minds_other_end() const {
    if (goal_.turns_round) return state_ == HomingState::backing_off;
    return state_ == HomingState::approaching || state_ == HomingState::creeping;
  }

  /// It has settled. @param step  where it stands; @param other_acts  the switch at the other end
  COGSTRIDE_ONCE Order settled(Count step, bool other_acts) {
    switch (after_settling_) {
      case HomingState::aligning:
        return go(HomingState::aligning, step, -goal_.towards * goal_.alignment_way, HomingPace::slow,
                  other_acts);
      case HomingState::looking:
      case HomingState::seeing:
      case HomingState::confirming:
      case HomingState::clearing:
        state_ = after_settling_;
        stands_ = true;
        return order(HomingAct::look);
      case HomingState::approaching:
        return approach(step, other_acts);
      case HomingState::creeping:
        return go(HomingState::creeping, step, goal_.towards * goal_.clear_range, HomingPace::creep,
                  other_acts, HomingAct::go_to_edge);
      case HomingState::indexing:
        return go(HomingState::indexing, step, -goal_.towards * goal_.index_range, HomingPace::creep,
                  other_acts, HomingAct::go_to_index);
      case HomingState::pressing:
        has_first_count_ = false;
        return go(HomingState::pressing, step, goal_.towards * goal_.approach_range, HomingPace::fast,
                  other_acts);
      case HomingState::leaving:
        return go(HomingState::leaving, step, -goal_.towards * goal_.back_off_range, HomingPace::slow,
                  other_acts);
      case HomingState::returning:
        return go(HomingState::returning, step, edge_step_ + goal_.return_way - step, HomingPace::fast,
                  other_acts);
      default:
        state_ = after_settling_;
        return order(HomingAct::found);
    }
  }

  /// It has come to rest at a step, at the end of its way or braked.
  COGSTRIDE_ONCE Order at_rest(Count step) {
    stands_ = true;
    switch (state_) {
      case HomingState::aligning:
        return settle_before(first_stage());
      case HomingState::approaching:
        return fail(HomingFault::never_acted, goal_.approach_range);
      case HomingState::backing_off:
        return fail(has_acted_ || !goal_.turns_round ? HomingFault::still_acts : HomingFault::neither_acted,
                    goal_.back_off_range);
      case HomingState::creeping:
        return fail(HomingFault::not_again, goal_.clear_range);
      case HomingState::indexing:
        return fail(HomingFault::no_index, goal_.index_range);
      case HomingState::pressing:
        return fail(HomingFault::no_hard_end, goal_.approach_range);
      case HomingState::leaving:
        edge_step_ = step;
        return settle_before(HomingState::returning);
      case HomingState::stopping: {
        const HomingState next = after_stopping_;
        after_stopping_ = HomingState::seeing;
        return settle_before(next);
      }
      case HomingState::clearing:
        return settle_before(HomingState::clearing);
      case HomingState::returning:
        return settle_before(HomingState::found);
      case HomingState::giving_up:
        state_ = HomingState::failed;
        return order(HomingAct::failed);
      default:
        return order(HomingAct::nothing);
    }
  }

  /// The sensor's level, as it changes or as it was looked at. @param step  where it stood then
  COGSTRIDE_ONCE Order level(bool acts, Count step, bool other_acts) {
    switch (state_) {
      case HomingState::looking:
        if (acts && !goal_.turns_round && other_acts) return fail(HomingFault::both_ends_act, 0);
        if (acts || (goal_.turns_round && !other_acts)) return back_off(step, acts, other_acts);
        return approach(step, other_acts);
      case HomingState::seeing:
        // After the fast approach it stands within the sensor's reach, or beyond a window.
        if (acts || goal_.kind == HomingKind::window) return back_off(step, acts, other_acts);
        if (++tries_ < most_tries) return approach(step, other_acts);
        return fail(HomingFault::let_go_again, 0);
      case HomingState::confirming:
        return confirm(acts);
      case HomingState::clearing:
        // Standing: clear, or a glitch had looked like it.
        if (!stands_) break;
        if (!acts) return settle_before(HomingState::creeping);
        if (++tries_ < most_tries) return back_off(step, true, other_acts);
        return fail(HomingFault::acts_again, 0);
      case HomingState::approaching:
        if (!acts) break;
        fast_edge_ = step;
        has_fast_edge_ = true;
        state_ = HomingState::stopping;
        return order(HomingAct::brake);
      case HomingState::backing_off:
        if (acts) {
          has_acted_ = true;
          acted_step_ = step;
        } else if (has_acted_ && step != acted_step_) {  // a contact that bounces has not let go
          state_ = HomingState::clearing;
          return order(HomingAct::brake);
        }
        break;
      case HomingState::creeping:
        if (!acts) break;
        edge_step_ = step;
        after_settling_ = HomingState::confirming;
        state_ = HomingState::settling;
        return order(HomingAct::end_here);
      default:
        break;
    }
    return order(HomingAct::nothing);
  }

  /// The encoder's index rose.
  Order index(Count step) {
    if (state_ != HomingState::indexing) return order(HomingAct::nothing);
    edge_step_ = step;
    after_settling_ = HomingState::returning;
    state_ = HomingState::settling;
    return order(HomingAct::end_here);
  }

  /// The switch at the other end acts; call while minds_other_end() as long as it does.
  Order other_end(Count step) {
    if (!minds_other_end() || other_acted_) return order(HomingAct::nothing);
    if (goal_.turns_round) {
      other_acted_ = true;
      state_ = HomingState::stopping;
      after_stopping_ = HomingState::approaching;
      return order(HomingAct::brake);
    }
    return give_up(HomingFault::other_end_acted, step - stage_began_);
  }
  /// Whether it acted when this stage began already.
  bool other_acted_before() const { return other_acted_; }

  /// A hard end's counter. Pressed against the end, the count stays where it is while the steps go on.
  Order count(Count counted, Count step) {
    last_count_ = counted;
    const bool counts_up = (goal_.counts_per_step > 0) == (goal_.towards > 0);
    if (state_ != HomingState::pressing && state_ != HomingState::leaving && state_ != HomingState::settling)
      return order(HomingAct::nothing);
    if (state_ == HomingState::pressing && !has_first_count_) {
      has_first_count_ = true;
      first_count_ = extreme_count_ = counted;
      first_count_step_ = step;
      return order(HomingAct::nothing);
    }
    if (counts_up ? counted > extreme_count_ : counted < extreme_count_) extreme_count_ = counted;
    if (state_ != HomingState::pressing) return order(HomingAct::nothing);
    // In steps times counts_per_step, so that nothing is divided.
    const int64_t unit =
        goal_.counts_per_step < 0 ? -static_cast<int64_t>(goal_.counts_per_step) : goal_.counts_per_step;
    const int64_t sign = goal_.counts_per_step < 0 ? -1 : 1;
    const int64_t went = sign * (counted - first_count_) * goal_.counts_for_steps;
    const int64_t behind = goal_.towards * ((step - first_count_step_) * unit - went);
    const int64_t period = goal_.alignment_way * unit;
    if (behind < 2 * period && behind > -2 * period) return order(HomingAct::nothing);
    if (behind > 4 * period || 2 * goal_.towards * went < -period) {
      fault_counts_ = counted - first_count_;
      return give_up(HomingFault::counts_wrong, step - first_count_step_);
    }
    after_settling_ = HomingState::leaving;
    state_ = HomingState::settling;
    return order(HomingAct::end_here);
  }

 private:
  static constexpr uint8_t most_tries = 3;

  static Order order(HomingAct act) {
    Order made;
    made.act = act;
    return made;
  }
  HomingState first_stage() const {
    return goal_.kind == HomingKind::hard_end ? HomingState::pressing : HomingState::looking;
  }
  Order settle_before(HomingState next) {
    state_ = HomingState::settling;
    after_settling_ = next;
    return order(HomingAct::settle);
  }
  Order go(HomingState state, Count step, Count way, HomingPace pace, bool other_acts,
           HomingAct act = HomingAct::go) {
    state_ = state;
    has_acted_ = false;
    stands_ = false;
    other_acted_ = other_acts;
    stage_began_ = step;
    Order made;
    made.act = act;
    made.pace = pace;
    made.way = way;
    return made;
  }
  Order approach(Count step, bool other_acts) {
    return go(HomingState::approaching, step, goal_.towards * goal_.approach_range, HomingPace::fast,
              other_acts);
  }
  Order back_off(Count step, bool acts, bool other_acts) {
    const Order made = go(HomingState::backing_off, step, -goal_.towards * goal_.back_off_range,
                          HomingPace::fast, other_acts);
    has_acted_ = acts;
    acted_step_ = step;
    return made;
  }
  /// The edge must hold, and lie where the fast approach met it: lost steps come in electrical periods.
  Order confirm(bool acts) {
    if (!acts && !goal_.is_brief) return fail(HomingFault::does_not_hold, 0);
    const Count off = has_fast_edge_ ? edge_step_ - fast_edge_ : 0;
    if (4 * (off < 0 ? -off : off) > 3 * goal_.alignment_way) return fail(HomingFault::steps_lost, off);
    return settle_before(goal_.then_index ? HomingState::indexing : HomingState::returning);
  }
  Order fail(HomingFault fault, Count way) {
    state_ = HomingState::failed;
    fault_ = fault;
    fault_way_ = way;
    return order(HomingAct::failed);
  }
  /// Comes to rest first, as on the way to the sensor.
  Order give_up(HomingFault fault, Count way) {
    state_ = HomingState::giving_up;
    fault_ = fault;
    fault_way_ = way;
    return order(HomingAct::brake_steeply);
  }

  HomingGoal<Count> goal_{};
  HomingState state_ = HomingState::aligning;
  HomingState after_settling_ = HomingState::found;
  HomingState after_stopping_ = HomingState::seeing;
  HomingFault fault_ = HomingFault::none;
  bool has_acted_ = false;    // the sensor, in this stage
  Count acted_step_ = 0;      // and where
  bool other_acted_ = false;  // at the begin of this stage
  bool stands_ = true;
  bool has_fast_edge_ = false;
  bool has_first_count_ = false;
  uint8_t tries_ = 0;
  Count stage_began_ = 0;  // step
  Count fast_edge_ = 0;    // step at which it acted on the fast approach
  Count edge_step_ = 0;
  Count fault_way_ = 0;
  Count fault_counts_ = 0;
  Count first_count_ = 0;  // to a hard end
  Count first_count_step_ = 0;
  Count extreme_count_ = 0;
  Count last_count_ = 0;
};

}  // namespace chip
}  // namespace cogstride
