// What planning hands to the player of live lines, and what comes back: plain values through queues without
// locks.
#pragma once

#include <array>
#include <cstdint>

#include "cogstride/lines/lines.hpp"

namespace cogstride {

struct LiveCommand {
  enum class Kind : std::uint8_t {
    levels,
    run,
    duties,
    frame,
    withdraw,
    sample,
    answered,  ///< planning acts on what the player has reacted to
    watch      ///< whether what reacts for a mechanism is to react
  };
  Kind kind = Kind::levels;
  Tick at = 0;  ///< of the levels or duties; from when to withdraw; of the first sample

  std::uint8_t level_count = 0;
  std::array<Level, most_levels_together> levels{};

  std::uint8_t compare_count = 0;
  std::array<Compare, most_duties_together> compares{};

  LineId line{};  ///< that makes the pulses, or is sampled
  SourceId source{};
  FineTick start{0, 0};
  chip::PulseRun run{};
  bool has_stop = false;
  StopOn stop{};

  BusId bus{};
  Frame frame{};

  MechanismId mechanism{};  ///< whose frame it is, whose queues are emptied, or whose switches are watched
  bool is_watched = true;
  Tick period = 0;  ///< of samples
};

/// Why the player has put all lines at rest.
enum class CutBy : std::uint8_t {
  planning,   ///< as it was told to
  reaction,   ///< an emergency stop or a limit switch acted
  no_answer,  ///< one acted for which planning was to brake, and it did not in time
  silence     ///< something moved and planning gave no sign of life
};

struct PlayerReport {
  enum class Kind : std::uint8_t {
    reading,    ///< an edge of an input, or a sample
    came_in,    ///< a frame that another has sent
    written,    ///< a level that went out
    withdrawn,  ///< the answer to a withdrawal
    too_late,   ///< an edge was later than the bound
    cut         ///< all lines are at rest
  };
  Kind kind = Kind::reading;
  Tick at = 0;
  LineId line{};
  bool high = false;
  bool is_edge = false;  ///< of a reading: not a sample
  SourceId source{};
  BusId bus{};
  Frame frame{};
  Withdrawn left{};
  Tick late = 0;  ///< by how much
  CutBy cut_by = CutBy::planning;
};

}  // namespace cogstride
