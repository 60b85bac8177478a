// A script for a small chip, as plain values: what moves as tables of runs, and the steps that lead from one
// to the next (chip/script_play.hpp).
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "cogstride/chip/pulse_run.hpp"
#include "cogstride/chip/script_play.hpp"
#include "cogstride/lines/events.hpp"
#include "cogstride/rig/findings/findings.hpp"
#include "cogstride/rig/rig.hpp"

namespace cogstride {

/// Runs of one axis: a motion, or silence between two.
struct RunTable {
  std::size_t axis = 0;
  std::vector<chip::NarrowPulseRun> runs{};
  std::string what{};      ///< "move carriage to 80 mm", the first that it was made for
  std::int64_t steps = 0;  ///< net
  double seconds = 0.0;    ///< from its start to its last step
  double top_rate = 0.0;   ///< steps/s
};

/// What moves at once: tables of each axis, one after another, which begin on the same tick.
struct ChipStretch {
  std::vector<std::vector<std::size_t>> tables{};  ///< by axis; the last says that nothing follows
  double seconds = 0.0;
};

struct ChipStep {
  chip::ScriptStep step{};
  std::string what{};  ///< the statement
  friend bool operator==(const ChipStep& a, const ChipStep& b) {
    return a.step.does == b.step.does && a.step.which == b.step.which && a.step.much == b.step.much;
  }
};

/// How an axis goes along with a shaft that an encoder counts.
struct ChipLeading {
  std::size_t axis = 0;
  std::size_t shaft = 0;    ///< its place in the rig
  std::int64_t steps = 0;   ///< for ...
  std::int64_t counts = 1;  ///< ... so many counts
  double top_rate = 0.0;    ///< steps/s at the leader's top speed
  friend bool operator==(const ChipLeading&, const ChipLeading&) = default;
};

struct ChipProgram {
  std::vector<std::size_t> axes{};    ///< mechanisms that move, by their place in the rig
  std::vector<std::string> inputs{};  ///< that are waited for, by name
  std::vector<LineId> input_lines{};
  std::vector<std::size_t> outputs{};  ///< places in the rig
  std::vector<RunTable> tables{};
  std::vector<ChipStretch> stretches{};
  std::vector<ChipLeading> leadings{};
  std::vector<std::int64_t> followed{};  ///< counts of a leader that are waited for
  std::vector<ChipStep> steps{};         ///< ends with `end`

  [[nodiscard]] std::size_t runs() const {
    std::size_t sum = 0;
    for (const RunTable& table : tables) sum += table.runs.size();
    return sum;
  }
};

}  // namespace cogstride
