// The tick that a chip's timer shows at an instant of the computer's clock, from questions and answers: an
// answer's tick lies between when it was asked for and when it was heard.
//
//   TickClock clock(16e6);
//   clock.take(sent_ns, heard_ns, tick);         // 32 bits of it
//   clock.at(now_ns) +- clock.error(now_ns)
#pragma once

#include <cstdint>
#include <deque>

#include "cogstride/chip/tick.hpp"

namespace cogstride {

class TickClock {
 public:
  /// Both clocks run as they say within this: two plain quartzes, or one and a good resonator.
  static constexpr double most_drift = 0.002;

  /// @param ticks_per_second  that the chip's timer is to make
  explicit TickClock(double ticks_per_second) : per_ns_(1e-9 * ticks_per_second), rate_(per_ns_) {}

  void take(std::int64_t sent_ns, std::int64_t heard_ns, std::uint32_t tick);
  [[nodiscard]] bool is_known() const { return !samples_.empty(); }
  /// Whole, of 32 bits of one that is not half of them away.
  [[nodiscard]] chip::Tick whole(std::uint32_t tick) const;
  [[nodiscard]] chip::Tick at(std::int64_t ns) const;
  /// So far the true one may be from it.
  [[nodiscard]] chip::Tick error(std::int64_t ns) const;
  [[nodiscard]] std::int64_t ns_of(chip::Tick tick) const;
  /// How fast the chip's clock goes, as a share of what it is to.
  [[nodiscard]] double rate() const { return rate_ / per_ns_; }

 private:
  struct Sample {
    std::int64_t ns = 0;      // in the middle
    std::int64_t within = 0;  // ns either way
    chip::Tick tick = 0;
  };
  [[nodiscard]] const Sample& best(std::int64_t ns) const;
  [[nodiscard]] double spread(const Sample& sample, std::int64_t ns) const;

  double per_ns_;
  double rate_;                   // ticks a ns, as measured
  double rate_off_ = most_drift;  // of it, either way
  std::deque<Sample> samples_{};  // the best of each second, the last one of the second that is on
};

}  // namespace cogstride
