// Finding the zero of a mechanism, as a state machine that knows neither files nor clocks.
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
// once the output stands. Each stage has a longest way; what does not come ends in `failed` with cause and
// evidence.
#pragma once

#include <optional>
#include <span>
#include <string>

#include "cogstride/motion/inputs.hpp"
#include "cogstride/motion/stepper/homing_goal.hpp"
#include "cogstride/motion/walker.hpp"

namespace cogstride {

class HomingSequence {
 public:
  enum class State {
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

  /// @param inputs  where the switch at the other end is read; may be null
  HomingSequence(HomingGoal goal, const Mechanism& mechanism, ExactFrequency clock,
                 const Inputs* inputs = nullptr);

  /// From rest, anywhere.
  void begin(Walker& walker, Lines& lines);
  void act(Walker& walker, Lines& lines, std::span<const Reading> readings);

  [[nodiscard]] Tick next_act(const Walker& walker) const;
  [[nodiscard]] State state() const { return state_; }
  [[nodiscard]] const HomingGoal& goal() const { return goal_; }
  /// The step of the edge that gives the zero, where it is, and when it came; valid when found.
  [[nodiscard]] std::int64_t edge_step() const { return edge_step_; }
  [[nodiscard]] OutputPosition edge_place() const { return edge_place_; }
  [[nodiscard]] Tick edge_at() const { return edge_at_; }
  /// Why it failed.
  [[nodiscard]] const std::string& failure() const { return failure_; }

 private:
  void take_level(Walker& walker, Lines& lines, bool acts, Tick at);
  void take_index(Walker& walker, Lines& lines, bool high);
  void take_count(Walker& walker, Lines& lines, std::int64_t count);
  void take_first_look(Walker& walker, Lines& lines, bool acts);
  void take_second_look(Walker& walker, Lines& lines, bool acts);
  void take_confirmation(Walker& walker, Lines& lines, bool acts);
  void stage_ended(Walker& walker, Lines& lines);
  void sample(Lines& lines, State state);
  void go(Walker& walker, Lines& lines, State state, std::int64_t way, const RampLimits& limits,
          std::optional<StopOn> stop = {});
  void back_off(Walker& walker, Lines& lines, bool acts);
  void settle_before(State next, const Lines& lines);
  void settled(Walker& walker, Lines& lines);
  void check_other_end(Walker& walker, Lines& lines);
  void edge_found(Walker& walker, const Lines& lines, OutputPosition place);
  void give_up(Walker& walker, Lines& lines, std::string why);
  void fail(std::string why);
  [[nodiscard]] bool other_end_acts() const;
  [[nodiscard]] std::string way_text(std::int64_t steps) const;
  [[nodiscard]] std::string sensor_text() const;
  [[nodiscard]] bool is_moving_to_other() const;

  HomingGoal goal_;
  const Inputs* inputs_;
  Ratio steps_per_base_;
  std::string display_unit_;
  double steps_per_display_unit_;
  Tick settling_ticks_;

  State state_ = State::aligning;
  State after_settling_ = State::found;
  State after_stopping_ = State::seeing;
  Tick settled_at_ = never;
  bool has_acted_ = false;        // the sensor, in this stage
  bool other_acted_ = false;      // at the begin of this stage
  std::int64_t stage_began_ = 0;  // step
  int tries_ = 0;
  std::optional<std::int64_t> fast_edge_;  // step at which it acted on the fast approach
  std::int64_t edge_step_ = 0;
  OutputPosition edge_place_{};
  Tick edge_at_ = never;
  // to a hard end
  std::optional<std::int64_t> first_count_;
  std::int64_t first_count_step_ = 0;
  std::int64_t extreme_count_ = 0;
  std::int64_t last_count_ = 0;
  std::string failure_;
};

}  // namespace cogstride
