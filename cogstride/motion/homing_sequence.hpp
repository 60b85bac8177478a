// Finding the zero of a mechanism with a light gate, as a state machine that knows neither files nor clocks.
//
//   aligning -> looking -> approaching -> stopping -+
//                     \                             v
//                      +-----------------------> backing off -> clearing -> creeping -> returning -> found
//
// with a pause to settle wherever it turns round, and at the end. Switched on, a rotor springs to the nearest
// place of rest, or hangs by friction where the field holds it back just as much either way; stepped at once
// it might never catch on. So the first stage, away from the gate, is one electrical period long and slow.
// The step that counts is the one on which the gate blocks during the last slow approach: it is always passed
// in the same direction and at the same speed, so it is the same step from wherever homing began, the gate
// included. Each stage has a longest way; an edge that does not come ends in `failed` with the evidence.
#pragma once

#include <span>
#include <string>

#include "cogstride/motion/step_stream.hpp"
#include "cogstride/plan/move.hpp"

namespace cogstride {

class HomingSequence {
 public:
  enum class State {
    aligning,
    looking,
    approaching,
    stopping,
    backing_off,
    clearing,
    settling,
    creeping,
    returning,
    found,
    failed
  };

  /// @throws RangeError when the mechanism has no gate or no homing speeds, or no way to bound the search.
  HomingSequence(const Mechanism& mechanism, const Controller& controller, ExactFrequency clock);

  /// From rest, anywhere.
  void begin(StepStream& stream, Lines& lines);
  void act(StepStream& stream, Lines& lines, std::span<const Reading> readings);

  [[nodiscard]] Tick next_act(const StepStream& stream) const;
  [[nodiscard]] State state() const { return state_; }
  /// The step of the edge and when it came; valid when found.
  [[nodiscard]] std::int64_t edge_step() const { return edge_step_; }
  [[nodiscard]] Tick edge_at() const { return edge_at_; }
  /// Why it failed.
  [[nodiscard]] const std::string& failure() const { return failure_; }

 private:
  void take_reading(StepStream& stream, Lines& lines, bool blocked);
  void stage_ended(const Lines& lines);
  void look(Lines& lines);
  void approach(StepStream& stream, Lines& lines);
  void back_off(StepStream& stream, Lines& lines);
  void creep(StepStream& stream, Lines& lines);
  void settle_before(State next, const Lines& lines);
  void settled(StepStream& stream, Lines& lines);
  void fail(std::string why);

  std::string name_;
  std::int64_t gate_line_;
  bool blocked_level_;
  int towards_;  // +1 or -1: the way to the gate
  RampLimits fast_;
  RampLimits slow_;
  RampLimits creep_;             // the same, begun softly
  std::int64_t approach_range_;  // steps
  std::int64_t back_off_range_;
  std::int64_t return_way_;  // from the edge to the home position
  double steps_a_display_unit_;
  std::string display_unit_;
  Tick settling_ticks_;

  std::int64_t alignment_way_;  // one electrical period
  State state_ = State::aligning;
  State after_settling_ = State::found;
  Tick settled_at_ = never;
  std::int64_t edge_step_ = 0;
  Tick edge_at_ = never;
  std::string failure_;
};

}  // namespace cogstride
