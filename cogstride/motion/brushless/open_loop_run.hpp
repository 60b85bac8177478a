// A brushless motor stepped open loop, from row to row of its table by the time that has passed: which row is
// on, with what duty, and when the next one is due.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstdint>

#include "cogstride/motion/brushless/rotor_angle.hpp"
#include "cogstride/plan/open_loop_start.hpp"

namespace cogstride {

/// Rows by time: from a rate evenly to another, and on with that.
struct RowRamp {
  double begins = 0.0;  ///< s after aligning
  double rows = 0.0;    ///< by then
  double from = 0.0;    ///< rows/s
  double slope = 0.0;   ///< rows/s2, by size
  double to = 0.0;      ///< rows/s

  [[nodiscard]] double lasts() const { return slope > 0.0 ? std::abs(to - from) / slope : 0.0; }
  [[nodiscard]] double signed_slope() const { return to < from ? -slope : slope; }
  [[nodiscard]] double rate_at(double seconds) const {
    const double since = seconds - begins;
    return since >= lasts() ? to : from + signed_slope() * since;
  }
  [[nodiscard]] double rows_at(double seconds) const {
    const double since = seconds - begins;
    const double on_ramp = std::min(since, lasts());
    return rows + from * on_ramp + 0.5 * signed_slope() * on_ramp * on_ramp + to * (since - on_ramp);
  }
  /// s after aligning at which so many rows are made.
  [[nodiscard]] double made_at(double wanted) const {
    const double missing = wanted - rows;
    const double on_ramp = 0.5 * (from + to) * lasts();
    if (missing >= on_ramp) return begins + lasts() + (missing - on_ramp) / to;
    // The lesser root of from t + a t^2 / 2, in the form that loses no digits.
    const double root = std::sqrt(std::max(0.0, from * from + 2.0 * signed_slope() * missing));
    return begins + 2.0 * missing / (from + root);
  }
};

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
    while (since(now) >= made_at(steps_ + 1)) ++steps_;
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
    return began_ + static_cast<Tick>((start_.align_seconds + made_at(steps_)) * ticks_per_second_);
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
    const double next = start_.align_seconds + made_at(steps_ + 1);
    return began_ + static_cast<Tick>(std::ceil(next * ticks_per_second_));
  }

 private:
  static constexpr double first_share = 0.3;  // of aligning, in another row than the last
  /// s since it was aligned; below 0 before.
  [[nodiscard]] double since(Tick now) const {
    return static_cast<double>(now - began_) / ticks_per_second_ - start_.align_seconds;
  }

  /// s after aligning at which so many rows are made; from rest in the very words of its start.
  [[nodiscard]] double made_at(std::int64_t rows) const {
    const bool from_rest = ramp_.begins == 0.0 && ramp_.from == 0.0 && ramp_.slope == start_.acceleration;
    return from_rest ? start_.begins(rows, ramp_.to) : ramp_.made_at(static_cast<double>(rows));
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
