// The loops of a drive that closes them by itself: a place or a speed on its own ramps, or places that it is
// told cycle by cycle; a loop of the speed within that of the place; a current that keeps within its limits.
//
//   v = v_wanted + K_p (p_wanted - p),   i = (J / k) (a_wanted + K_v (v - w) + K_i integral)
//
// with K_v the bandwidth of the speed's loop, K_p and K_i a quarter of it (cascaded control; Leonhard,
// "Control of Electrical Drives", ch. 7). Plain values: they are kept, and gone back to, as a whole.
#pragma once

#include <cstdint>

#include "cogstride/board/bus/drive_profile.hpp"

namespace cogstride {

/// What a drive was told, in counts of its encoder and seconds; changes at common instants alone.
struct DriveOrders {
  bool is_driven = false;
  bool halts = false;
  DriveMode mode = DriveMode::none;
  double place = 0.0;   ///< profile position
  double speed = 0.0;   ///< profile velocity
  double torque = 0.0;  ///< N m
  double profile_speed = 0.0;
  double acceleration = 0.0;
  double deceleration = 0.0;
  double quick_deceleration = 0.0;
  double cycle = 0.01;          ///< s, of cyclic places
  double most_current = 0.0;    ///< A, of the motor
  double supply_current = 0.0;  ///< A; 0: no limit
  double lag_window = 0.0;      ///< counts; 0: none
  double lag_time = 0.0;        ///< s
};

/// What it senses and what its motor is.
struct DriveSense {
  double place = 0.0;   ///< counts
  double speed = 0.0;   ///< counts/s
  double supply = 0.0;  ///< V
  double celsius = 25.0;
};
struct DriveMotor {
  double torque_constant = 0.0;  ///< N m/A, and V s/rad
  double resistance = 0.0;       ///< ohm, of motor and stage
  double inertia = 0.0;          ///< kg m2, at the shaft
  double rad_per_count = 0.0;    ///< below 0 where it counts backwards
  double lowest_supply = 0.0;
  double highest_supply = 0.0;
  double highest_celsius = 80.0;
  double bandwidth = 250.0;  ///< rad/s, of the speed's loop
};

class DriveLoops {
 public:
  /// It is switched on, or another mode comes in force: from where it is.
  void begin(const DriveSense& sense);
  /// A place that is to be reached evenly in a cycle from now. Where the next one is late it goes on at that
  /// speed for a cycle more.
  void take_place(double place, double cycle);
  /// On a ramp to rest, whatever was told; it has rested() then.
  void brake();
  /// No current.
  void let_go();

  /// A step of time. @return the motor's current, A
  double step(const DriveOrders& orders, const DriveMotor& motor, const DriveSense& sense, double seconds);

  [[nodiscard]] bool brakes() const { return brakes_; }
  [[nodiscard]] bool has_rested() const { return has_rested_; }
  /// What the profile has, of its own error codes; 0: none.
  [[nodiscard]] std::uint16_t fault() const { return fault_; }
  void clear_fault() { fault_ = 0; }
  [[nodiscard]] bool has_reached() const { return has_reached_; }
  [[nodiscard]] bool is_limited() const { return is_limited_; }
  [[nodiscard]] double wanted() const { return wanted_; }  ///< counts
  [[nodiscard]] double lag() const { return lag_; }        ///< counts
  [[nodiscard]] double current() const { return current_; }
  [[nodiscard]] double applied() const { return applied_; }          ///< V at its motor
  [[nodiscard]] double from_supply() const { return from_supply_; }  ///< A

 private:
  void want(const DriveOrders& orders, const DriveSense& sense, double seconds);
  void to_speed(double speed, double acceleration, double seconds);
  void to_place(const DriveOrders& orders, double seconds);
  double limited(double current, const DriveOrders& orders, const DriveMotor& motor, const DriveSense& sense);
  void watch(const DriveOrders& orders, const DriveMotor& motor, const DriveSense& sense, double seconds);

  double wanted_ = 0.0;  // place, counts
  double speed_ = 0.0;   // wanted
  double acceleration_ = 0.0;
  double cyclic_to_ = 0.0;
  double cyclic_left_ = 0.0;  // s
  double cycle_ = 0.0;        // s
  double integral_ = 0.0;     // counts
  double current_ = 0.0;
  double applied_ = 0.0;
  double from_supply_ = 0.0;
  double lag_ = 0.0;
  double lags_for_ = 0.0;
  double blocked_for_ = 0.0;
  bool brakes_ = false;
  bool has_rested_ = false;
  bool has_reached_ = false;
  bool is_limited_ = false;
  std::uint16_t fault_ = 0;
};

}  // namespace cogstride
