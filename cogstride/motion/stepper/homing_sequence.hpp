// Finding the zero of a mechanism on lines: chip/homing.hpp decides, a Walker walks, and here what goes wrong
// gets its words.
#pragma once

#include <optional>
#include <span>
#include <string>

#include "cogstride/chip/homing.hpp"
#include "cogstride/motion/inputs.hpp"
#include "cogstride/motion/stepper/homing_goal.hpp"
#include "cogstride/motion/walker.hpp"

namespace cogstride {

class HomingSequence {
 public:
  using State = chip::HomingState;

  /// @param inputs  where the switch at the other end is read; may be null
  HomingSequence(HomingGoal goal, const Mechanism& mechanism, ExactFrequency clock,
                 const Inputs* inputs = nullptr);

  /// From rest, anywhere.
  void begin(Walker& walker, Lines& lines);
  void act(Walker& walker, Lines& lines, std::span<const Reading> readings);

  [[nodiscard]] Tick next_act(const Walker& walker) const;
  [[nodiscard]] State state() const { return decisions_.state(); }
  [[nodiscard]] const HomingGoal& goal() const { return goal_; }
  /// The step of the edge that gives the zero, where it is, and when it came; valid when found.
  [[nodiscard]] std::int64_t edge_step() const { return decisions_.edge_step(); }
  [[nodiscard]] OutputPosition edge_place() const { return edge_place_; }
  [[nodiscard]] Tick edge_at() const { return edge_at_; }
  /// Why it failed.
  [[nodiscard]] const std::string& failure() const { return failure_; }

 private:
  using Decisions = chip::Homing<std::int64_t>;

  void take_level(Walker& walker, Lines& lines, bool acts, Tick at);
  void take_count(Walker& walker, Lines& lines, std::int64_t count);
  void carry_out(Walker& walker, Lines& lines, const Decisions::Order& order);
  void edge_found(const Lines& lines, OutputPosition place);
  [[nodiscard]] bool other_end_acts() const;
  [[nodiscard]] std::string way_text(std::int64_t steps) const;
  [[nodiscard]] std::string sensor_text() const;
  [[nodiscard]] std::string other_text() const;
  [[nodiscard]] std::string fault_text() const;
  [[nodiscard]] const RampLimits& limits_of(chip::HomingPace pace) const;

  HomingGoal goal_;
  const Inputs* inputs_;
  Ratio steps_per_base_;
  std::string display_unit_;
  double steps_per_display_unit_;
  Tick settling_ticks_;

  Decisions decisions_;
  Tick settled_at_ = never;
  OutputPosition edge_place_{};
  Tick edge_at_ = never;
  std::string failure_;
};

}  // namespace cogstride
