// What a run on live lines came to: where everything stands, and how well the edges kept their times.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace cogstride {

struct LiveTally {
  struct Mechanism {
    std::string name{};
    std::string unit{};
    std::optional<double> stands_at{};  ///< by the steps that went out; nothing when it is not known
    std::int64_t steps = 0;             ///< net, that went out
  };
  /// What turned when its drive was taken away, at the end of the run: by its friction alone, so at the most.
  struct RunsDown {
    double speed = 0.0;
    std::string speed_unit{};  ///< rpm or mm/s
    double stands_in = 0.0;  ///< s; 0: it stands; infinite: its load may turn it, and `speed` is not the most
  };
  struct Drive {
    std::string name{};
    double highest_duty = 0.0;    ///< that was asked for, 0 to 1
    double driven_seconds = 0.0;  ///< with a duty
    RunsDown runs_down{};
  };
  /// Of a hobby servo or a speed controller.
  struct Pulsed {
    std::string name{};
    bool swings = true;
    std::optional<double> asked{};  ///< at the end: share of the swing, or throttle; nothing without pulses
    double cut_with = 0.0;          ///< throttle that its motor had when its pulses were cut
    double cut_before = 0.0;        ///< s from there to the end
  };
  /// Of a bare brushless motor.
  struct Brushless {
    std::string name{};
    RunsDown runs_down{};
  };
  double seconds = 0.0;  ///< of the bench's time
  std::string fault{};   ///< empty: none
  std::vector<Mechanism> mechanisms{};
  std::vector<Drive> drives{};
  std::vector<Pulsed> pulsed{};
  std::vector<Brushless> brushless{};

  std::int64_t edges = 0;           ///< written
  std::int64_t edges_too_late = 0;  ///< by more than the bound
  double late_99 = 0.0;             ///< s, that 99 of 100 edges were not later than
  double late_worst = 0.0;          ///< s
  double bound = 0.0;               ///< s
  double stood_still = 0.0;         ///< s, for which all lines waited
  std::string conditions{};         ///< of the player, in words
  std::string record_failure{};  ///< why there is no record of the run; empty: there is, or none was wanted
};

}  // namespace cogstride
