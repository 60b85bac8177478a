// Holds a duty back while the current is over its limit: the share that is let through follows the current,
// what is over the limit is taken back evenly.
#pragma once

#include <algorithm>
#include <optional>

namespace cogstride {

class CurrentHoldBack {
 public:
  /// @param limit  A; nothing: nothing is held back
  explicit CurrentHoldBack(std::optional<double> limit) : limit_(limit) {}

  /// @return whether another share is let through now
  bool take(double amperes) {
    if (!limit_) return false;
    const double before = share_;
    const double excess = (amperes - *limit_) / *limit_;
    // Far over it the shaft is stuck: its current follows the duty at once. Near it most of the voltage
    // stands against a turning motor, and little of the duty changes much of the current.
    const double by = excess > far_over ? *limit_ / amperes : 1.0 - per_look * excess;
    share_ = std::clamp(share_ * by, least, 1.0);
    return share_ != before;
  }
  /// Of the duty, 0 to 1.
  [[nodiscard]] double share() const { return share_; }

 private:
  static constexpr double far_over = 0.5;  // of the limit
  static constexpr double per_look = 0.2;  // of the excess, a millisecond
  static constexpr double least = 0.02;    // enough to see that it is over

  std::optional<double> limit_;
  double share_ = 1.0;
};

}  // namespace cogstride
