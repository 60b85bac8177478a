// What trials of a stepper on a bench found out: where it begins to lose steps, and how quietly it turns.
#pragma once

#include <string>
#include <vector>

namespace cogstride {

enum class SweepOf { acceleration, speed };

struct SweepTrial {
  double value = 0.0;      ///< display units (mm or degrees) a second, or a second squared
  bool holds = true;       ///< nothing was lost
  double worst_lag = 0.0;  ///< behind the command, electrical degrees, until the first loss; the worst phase
  double lost_at = 0.0;    ///< s
};

struct SweepResult {
  std::string mechanism{};
  SweepOf of = SweepOf::acceleration;
  std::string unit{};                        ///< "mm/s2"
  int phases = 0;                            ///< of the field at the start, from which each was tried
  std::vector<SweepTrial> trials{};          ///< in the order of their values
  std::vector<SweepTrial> predicted_lags{};  ///< the same as predicted, evenly spaced
  /// The highest that held, as did all tried below it; within 1 % of one that did not.
  double found = 0.0;
  bool is_limit = true;  ///< false: nothing was lost up to `found`, the controller's own limit or a jump
  double predicted = 0.0;
  double rig_says = 0.0;
  double natural_period = 0.0;         ///< s
  double periods_at_full = 0.0;        ///< that the run-up at `found` holds its full acceleration for
  std::vector<std::string> guesses{};  ///< figures of the rig that it rests on, and nobody has checked
};

struct ModeTrial {
  double speed = 0.0;  ///< display units (mm or degrees) a second
  bool holds = true;
  double oscillation = 0.0;  ///< about steady motion, peak to peak, full steps
};

struct ModeCurve {
  std::string mode{};  ///< "half steps"
  std::vector<ModeTrial> trials{};
  /// The largest oscillation, and the speed at which it came; those that lost steps do not count.
  [[nodiscard]] const ModeTrial* worst() const;
  [[nodiscard]] std::size_t losses() const;
};

struct ModeComparison {
  std::string mechanism{};
  std::string unit{};              ///< of speeds, "mm/s"
  double natural_frequency = 0.0;  ///< Hz
  double resonant_speed = 0.0;     ///< at which full steps come at that frequency, display units a second
  std::vector<ModeCurve> modes{};
  std::vector<std::string> guesses{};  ///< figures of the rig that it rests on, and nobody has checked
};

}  // namespace cogstride
