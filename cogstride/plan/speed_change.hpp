// The least time from one speed and acceleration to another speed and no acceleration, within limits of
// acceleration and jerk: the acceleration rises to a peak, stays there when that is its limit, and falls
// again. Pieces of it are what jerk-limited ramps are made of. Internal to plan/.
#pragma once

#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>

#include "cogstride/plan/ramp.hpp"

namespace cogstride::jerk_limited {

/// A state of motion, relative to where it began.
struct State {
  double way;  // steps
  double speed;
  double acceleration;
};

struct Piece {
  double duration;  // s
  double jerk;
};

inline State after(const State& state, double t, double jerk) {
  return {state.way + t * (state.speed + t * (state.acceleration / 2.0 + t * jerk / 6.0)),
          state.speed + t * (state.acceleration + t * jerk / 2.0), state.acceleration + t * jerk};
}

inline State before(const State& state, double t, double jerk) {
  return {state.way - t * (state.speed - t * (state.acceleration / 2.0 - t * jerk / 6.0)),
          state.speed - t * (state.acceleration - t * jerk / 2.0), state.acceleration - t * jerk};
}

/// Pieces of constant jerk in order; no heap.
class Pieces {
 public:
  /// Nothing when it lasts no longer than `shortest`: such a piece comes of rounding.
  void add(double duration, double jerk, double shortest) {
    if (duration > shortest) pieces_[count_++] = {duration, jerk};
  }
  [[nodiscard]] std::size_t size() const { return count_; }
  [[nodiscard]] const Piece& operator[](std::size_t i) const { return pieces_[i]; }
  [[nodiscard]] const Piece* begin() const { return pieces_.data(); }
  [[nodiscard]] const Piece* end() const { return pieces_.data() + count_; }
  [[nodiscard]] double duration() const {
    double sum = 0.0;
    for (const Piece& piece : *this) sum += piece.duration;
    return sum;
  }
  /// The first `span` seconds of them.
  [[nodiscard]] Pieces first(double span) const {
    Pieces result;
    for (const Piece& piece : *this) {
      result.add(std::min(piece.duration, span), piece.jerk, 1e-12 * piece.duration);
      span -= piece.duration;
      if (span <= 0.0) break;
    }
    return result;
  }

 private:
  std::array<Piece, 8> pieces_;
  std::size_t count_ = 0;
};

class SpeedChange {
 public:
  /// From `start` to `speed`. An acceleration outside its limit is brought back first.
  SpeedChange(const State& start, double speed, const RampLimits& limits)
      : jerk_(limits.jerk), inverse_(1.0 / limits.jerk), begin_(start), speed_(speed) {
    const double most = limits.acceleration;
    shortest_ = 1e-12 * most * inverse_;
    if (std::abs(start.acceleration) > most) {
      back_ = (std::abs(start.acceleration) - most) * inverse_;
      begin_ = after(start, back_, -std::copysign(jerk_, start.acceleration));
      begin_.acceleration = std::copysign(most, start.acceleration);
    }
    // Taken straight to 0, the acceleration would leave this speed.
    const double a = begin_.acceleration;
    const double left_at = begin_.speed + 0.5 * a * std::abs(a) * inverse_;
    up_ = speed >= left_at ? 1.0 : -1.0;
    from_ = up_ * a;
    // Up to a peak p and down again changes the speed by (2 p^2 - from^2) / 2 J.
    const double square = jerk_ * up_ * (speed - begin_.speed) + 0.5 * from_ * from_;
    if (square <= most * most) {
      peak_ = std::max(std::sqrt(std::max(square, 0.0)), std::max(from_, 0.0));
    } else {
      peak_ = most;
      hold_ = (square - most * most) * inverse_ / most;
    }
  }

  [[nodiscard]] Pieces pieces() const {
    Pieces pieces;
    pieces.add(back_, from_ > 0.0 ? -up_ * jerk_ : up_ * jerk_, shortest_);
    pieces.add((peak_ - from_) * inverse_, up_ * jerk_, shortest_);
    pieces.add(hold_, 0.0, shortest_);
    pieces.add(peak_ * inverse_, -up_ * jerk_, shortest_);
    return pieces;
  }

  /// Where it ends, steps.
  [[nodiscard]] double end_way() const {
    const double rise = (peak_ - from_) * inverse_;
    const double fall = peak_ * inverse_;
    const double v = up_ * begin_.speed;
    const double v_even = v + 0.5 * (from_ + peak_) * rise;
    const double way = rise * (v + rise * (from_ / 3.0 + peak_ / 6.0)) +
                       hold_ * (v_even + 0.5 * peak_ * hold_) + fall * (up_ * speed_ - peak_ * fall / 6.0);
    return begin_.way + up_ * way;
  }

  /// How much farther it ends for each step/s^2 that it begins with more (the limit of acceleration kept).
  [[nodiscard]] double way_for_acceleration() const {
    const double rise = (peak_ - from_) * inverse_;
    const double v_peak = up_ * begin_.speed + 0.5 * (from_ + peak_) * rise;
    return peak_ > 0.0 ? 0.5 * rise * rise + v_peak * (from_ / peak_ - 1.0) * inverse_ : 0.0;
  }
  /// Its first jerk, steps/s^3, signed.
  [[nodiscard]] double first_jerk() const { return up_ * jerk_; }

 private:
  double jerk_;
  double inverse_;
  State begin_;  // once the acceleration is inside its limit
  double speed_;
  double shortest_;    // s of a piece
  double back_ = 0.0;  // s until then
  double up_ = 1.0;    // +1 or -1: what follows is counted in this direction
  double from_ = 0.0;
  double peak_ = 0.0;
  double hold_ = 0.0;  // s at the peak
};

}  // namespace cogstride::jerk_limited
