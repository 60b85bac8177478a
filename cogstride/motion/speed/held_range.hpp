// What speeds of a motor can be held, and how fast it comes to them: what its counts, full duty, its current
// limit and the rig's limits leave.
#pragma once

#include <optional>
#include <string>

#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/plan/motor_estimates.hpp"

namespace cogstride {

/// What counts, and of what motor.
struct CountSource {
  std::string name{};
  double counts_per_base = 0.0;  ///< for a metre or a turn of the output, below 0 where they run backwards
  RotaryMotorModel model{};
  double winding = 0.0;          ///< s, time constant of its current
  double lowest = 200.0;         ///< counts/s that still make a loop
  double most_duty = 1.0;        ///< that its board can be given
  bool can_brake = true;         ///< less duty than its back-EMF brakes it; else it just runs out
  double noticed_after = 0.2;    ///< s driven without a count, or with counts the wrong way
  std::string kind = "encoder";  ///< what it is, in the words of a fault
};

/// An encoder of a brushed motor. @throws RangeError for a motor of another kind
[[nodiscard]] CountSource count_source(const Mechanism& mechanism, const Encoder& encoder);
/// Counts of a radian of the motor's shaft, above 0.
[[nodiscard]] double counts_per_rad(const Mechanism& mechanism, const CountSource& source);

/// A speed of an output as makers say it: "300 rpm", "12 mm/s". @param speed  m/s or turns/s
[[nodiscard]] std::string speed_text(OutputKind kind, double speed);

class HeldRange {
 public:
  HeldRange(const Mechanism& mechanism, const CountSource& source);

  /// Of the output, m/s or turns/s: the slowest that is held. Below, counts come too rarely.
  [[nodiscard]] double lowest_speed() const { return lowest_ / counts_per_base_; }
  /// Of the output: the fastest that full duty and the current limit leave with some to spare.
  [[nodiscard]] double highest_speed() const { return highest_ / counts_per_base_; }
  /// Of the output: what the current limit leaves, less a reserve.
  [[nodiscard]] double highest_acceleration() const { return acceleration_ / counts_per_base_; }
  /// @throws RangeError when a speed of the output cannot be held, with the figure that can
  void require(double speed) const;
  /// The same of an acceleration of the output, above 0.
  void require_acceleration(double acceleration) const;
  /// s that the ramp from rest to a speed of the output takes.
  [[nodiscard]] double ramp_seconds(double speed, std::optional<double> acceleration) const;

  [[nodiscard]] OutputKind kind() const { return kind_; }
  [[nodiscard]] double counts_per_base() const { return counts_per_base_; }  ///< above 0
  // In counts/s and counts/s2.
  [[nodiscard]] double lowest() const { return lowest_; }
  [[nodiscard]] double highest() const { return highest_; }
  /// @param asked  of the output; nothing: the highest
  [[nodiscard]] double acceleration_of(std::optional<double> asked) const;
  [[nodiscard]] double current_limit() const { return current_limit_; }  ///< A
  [[nodiscard]] double most_duty() const { return most_duty_; }

 private:
  std::string name_;
  std::string source_;
  OutputKind kind_;
  double counts_per_base_;
  double most_duty_;
  double current_limit_;
  double lowest_;
  double highest_;
  double acceleration_;
};

}  // namespace cogstride
