// What the sensors of a brushed motor say: its encoder's count and speed, its shunt's current, its probe's
// warmth.
#pragma once

#include <optional>
#include <span>

#include "cogstride/lines/lines.hpp"
#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/motion/speed/count_speed.hpp"
#include "cogstride/motion/speed/counted_shaft.hpp"

namespace cogstride {

class BrushedFeedback {
 public:
  /// @param mechanism  must outlive it
  BrushedFeedback(const Mechanism& mechanism, const Controller& controller);

  [[nodiscard]] const Encoder* encoder() const { return encoder_; }  ///< null where it has none
  [[nodiscard]] bool has_shunt() const { return shunt_ != nullptr; }
  [[nodiscard]] bool is_asked() const { return asked_; }
  /// Samples from now on. @param stride @param pwm_period  ticks from one duty to the next, of one period
  void ask(Lines& lines, Tick stride, Tick pwm_period);
  /// The lines were cut: nothing is sampled any more.
  void forget() { asked_ = false; }

  struct News {
    bool has_count = false;    ///< it was looked at
    bool has_counted = false;  ///< and has changed
    bool has_current = false;
    std::optional<double> too_warm{};  ///< K above what it was at first, where that is more than it may be
  };
  [[nodiscard]] News read(Tick now, std::span<const Reading> readings);
  [[nodiscard]] const TemperatureProbe* probe() const { return probe_; }
  /// That the probe's part may be warmer than when it was switched on, K.
  [[nodiscard]] std::optional<double> highest_rise() const;

  /// Counts since the lines were opened; nothing before the first look.
  [[nodiscard]] std::optional<std::int64_t> count() const { return count_; }
  /// Of what instant that is.
  [[nodiscard]] Tick counted_when() const { return looked_at_; }
  [[nodiscard]] Counted counted() const {
    return {count_.value_or(0), counted_at_, speed_.counts_per_second()};
  }
  /// Counts of a metre or a turn of the output, exact, below 0 where they run backwards. There is an encoder.
  [[nodiscard]] Ratio counts_per_base() const { return cogstride::counts_per_base(mechanism_, *encoder_); }
  /// By its count, exact. There is an encoder.
  [[nodiscard]] OutputPosition position() const;
  /// Of the output, m/s or turns/s, and what it may be off by; 0 without an encoder.
  [[nodiscard]] double speed() const;
  [[nodiscard]] double speed_error() const;
  /// A; nothing without a shunt, or before it was read.
  [[nodiscard]] std::optional<double> current() const { return current_; }

 private:
  const Mechanism& mechanism_;
  const Encoder* encoder_;
  const Shunt* shunt_;
  const TemperatureProbe* probe_;
  double volts_per_code_ = 0.0;
  bool asked_ = false;
  std::optional<std::int64_t> count_{};
  Tick counted_at_ = 0;
  Tick looked_at_ = 0;
  CountSpeed speed_;
  std::optional<double> current_{};
  std::optional<double> cold_{};  // deg C, when the probe was read first
};

}  // namespace cogstride
