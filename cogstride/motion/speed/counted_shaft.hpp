// Where a shaft is and how fast, by the counts of its encoder and by what it was given in between.
#pragma once

#include "cogstride/chip/tick.hpp"
#include "cogstride/plan/speed_loop.hpp"

namespace cogstride {

/// What an encoder says at a look.
struct Counted {
  std::int64_t count = 0;
  chip::Tick at = 0;        ///< of the edge that was counted last
  double per_second = 0.0;  ///< see CountSpeed
};

class CountedShaft {
 public:
  /// @param sign  of raw counts, forwards: 1 or -1
  CountedShaft(const DutyAnswer& answer, double sign, double ticks_per_second);

  /// @param counts_per_second  raw, with their sign
  void begin(chip::Tick now, std::int64_t count, double counts_per_second);
  /// @param duty  that it was given since the look before
  void look(chip::Tick now, const Counted& counted, double duty);

  // Counts forwards, whichever way the encoder counts.
  [[nodiscard]] double place() const { return observer_.place(); }
  [[nodiscard]] double speed() const { return observer_.speed(); }  ///< counts/s
  /// The raw count of the last look, and when it changed last.
  [[nodiscard]] std::int64_t count() const { return count_; }
  [[nodiscard]] chip::Tick counted_at() const { return counted_at_; }
  [[nodiscard]] chip::Tick looked_at() const { return looked_at_; }
  /// Whether an edge has come since it began.
  [[nodiscard]] bool has_turned() const { return has_turned_; }

 private:
  [[nodiscard]] double seconds(chip::Tick ticks) const {
    return static_cast<double>(ticks) / ticks_per_second_;
  }

  SpeedObserver observer_;
  double sign_;
  double ticks_per_second_;
  chip::Tick looked_at_ = 0;
  chip::Tick counted_at_ = 0;
  std::int64_t count_ = 0;
  bool has_turned_ = false;
  int last_way_ = 1;
};

}  // namespace cogstride
