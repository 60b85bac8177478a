// What of a rig a small chip drives: its axes, inputs, outputs and hands, each with the names that a program
// has for it, and the pins.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "cogstride/export/chip_hands.hpp"
#include "cogstride/export/chip_program.hpp"
#include "cogstride/mechanism/line_name.hpp"
#include "cogstride/motion/stepper/homing_goal.hpp"

namespace cogstride {

/// A line and the level that means on.
struct PartLine {
  Pin pin{};
  bool active_high = true;
  bool pull_up = false;  ///< the chip's own, of an input
};

struct ChipInput {
  std::string name{};
  PartLine line{};
};

struct ChipAxis {
  const Mechanism* mechanism = nullptr;
  std::string name{};
  bool has_coils = false;
  bool is_first = true;  ///< of the two compares of the timer
  PartLine step{};
  PartLine dir{};
  std::vector<PartLine> coils{};  ///< a_plus, a_minus, b_plus, b_minus
  std::optional<PartLine> enable{};
  std::optional<HomingGoal> goal{};
  std::optional<PartLine> sensor{};
  std::optional<PartLine> other{};
  std::vector<ChipInput> ends{};  ///< switches beyond its travel: none is met but while it homes
  std::int64_t usual_speed = 0;   ///< steps/s by hand
  std::int64_t stands_at = 0;     ///< steps
  std::int64_t least = INT32_MIN;
  std::int64_t most = INT32_MAX;
  RampLimits limits{};
};

struct ChipParts {
  std::string name{};  ///< of the namespace
  std::vector<ChipAxis> axes{};
  std::vector<ChipInput> inputs{};  ///< that the script waits for
  std::vector<ChipInput> stops{};
  std::vector<ChipInput> outputs{};
  /// Shafts that are followed, by their place in the program's leadings' shafts.
  struct Leader {
    std::size_t shaft = 0;  ///< its place in the rig
    std::string name{};
    PartLine a{};
    PartLine b{};
  };
  std::vector<Leader> leaders{};
  ChipHands hands{};
  std::vector<PartLine> key_lines{};  ///< of the keys of these
};

/// @param findings  what it has no pin, timer or interrupt for is added
[[nodiscard]] ChipParts chip_parts(const Rig& rig, const ChipProgram& program,
                                   std::vector<Finding>& findings);

}  // namespace cogstride
