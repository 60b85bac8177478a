// A brushless motor stepped open loop, from row to row of its table by the time that has passed: which row is
// on, with what duty, and when the next one is due.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstdint>

#include "cogstride/motion/brushless/rotor_angle.hpp"
#include "cogstride/plan/open_loop_start.hpp"
#include "cogstride/plan/row_ramp.hpp"

namespace cogstride {

class OpenLoopRun final : public RotorAngle {
 public:
  OpenLoopRun(const OpenLoopStart& start, double ticks_per_second)
      : start_(start), ticks_per_second_(ticks_per_second) {}

  /// @param way  1 or -1; @param rate  rows/s that it is to come to
  void begin(Tick now, int way, double rate) { begin(now, way, {0.0, 0.0, 0.0, start_.acceleration, rate}); }
  void begin(Tick now, int way, const RowRamp& ramp) {
    began_ = now;
    way_ = way;
    ramp_ = ramp;
    steps_ = 0;
    trim_ = trimmed_ = 0.0;
  }
  /// To another rate from where it is, rows/s, as fast as it is started.
  void change(Tick now, double rate) {
    const double at = std::max(0.0, since(now));
    ramp_ = {at, ramp_.rows_at(at), ramp_.rate_at(at), start_.acceleration, rate};
  }
  [[nodiscard]] double wanted_rate() const { return ramp_.to; }
  /// Time has passed.
  void look(Tick now) {
    while (since(now) >= ramp_.made_at(static_cast<double>(steps_ + 1))) ++steps_;
  }

  [[nodiscard]] int way() const { return way_; }
  [[nodiscard]] const OpenLoopStart& start() const { return start_; }
  /// Rows/s at which the field turns now.
  [[nodiscard]] double rate_at(Tick now) const { return ramp_.rate_at(std::max(0.0, since(now))); }
  [[nodiscard]] bool has_arrived(Tick now) const { return since(now) >= ramp_.begins + ramp_.lasts(); }
  /// Rows since it was aligned.
  [[nodiscard]] std::int64_t steps() const { return steps_; }
  /// The sector whose row is on. It is aligned in sector 0's, and for a while before that in another one:
  /// opposite to one of them it would stand and not turn. Forwards the rows follow in their order.
  [[nodiscard]] int sector(Tick now) const override {
    const double aligns = start_.align_seconds + since(now);
    const std::int64_t at = aligns < first_share * start_.align_seconds ? -2 * way_ : way_ * steps_;
    return static_cast<int>((at % 6 + 6) % 6);
  }
  [[nodiscard]] bool is_known() const override { return true; }
  [[nodiscard]] std::int64_t count() const override { return way_ * steps_; }
  [[nodiscard]] Tick counted_at() const override {
    return began_ + static_cast<Tick>((start_.align_seconds + ramp_.made_at(static_cast<double>(steps_))) *
                                      ticks_per_second_);
  }
  [[nodiscard]] std::string fault() const override { return {}; }
  /// Of the row, 0 to 1.
  [[nodiscard]] double duty(Tick now) const {
    return std::clamp(start_.duty_at(rate_at(now)) + trim_, 0.0, 1.0);
  }
  /// Of it, what the back-EMF takes.
  [[nodiscard]] double emf_duty(Tick now) const { return start_.duty_at(rate_at(now)) - start_.duty_at(0.0); }
  /// A shunt has told its current: the duty is trimmed until it is as it was meant. @param period  s since
  /// the last time
  void take_current(double amperes, double period) {
    const double missing = start_.current - amperes;
    trimmed_ = std::clamp(trimmed_ + start_.per_ampere_second * period * missing, -1.0, 1.0);
    trim_ = trimmed_ + start_.per_ampere * missing;
  }
  /// The tick at which the next row is due.
  [[nodiscard]] Tick next_row_at() const {
    const double next = start_.align_seconds + ramp_.made_at(static_cast<double>(steps_ + 1));
    return began_ + static_cast<Tick>(std::ceil(next * ticks_per_second_));
  }

 private:
  static constexpr double first_share = 0.3;  // of aligning, in another row than the last
  /// s since it was aligned; below 0 before.
  [[nodiscard]] double since(Tick now) const {
    return static_cast<double>(now - began_) / ticks_per_second_ - start_.align_seconds;
  }

  OpenLoopStart start_;
  double ticks_per_second_;
  Tick began_ = 0;
  int way_ = 1;
  RowRamp ramp_{};
  std::int64_t steps_ = 0;
  double trim_ = 0.0;     // duty
  double trimmed_ = 0.0;  // of it what is kept
};

}  // namespace cogstride
