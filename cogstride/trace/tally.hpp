// What one mechanism was asked to do and what it did, counted at the lines and in the plant.
#pragma once

#include <cmath>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "cogstride/lines/events.hpp"

namespace cogstride {

/// Steps lost at one moment: a whole number of electrical periods.
struct LossTally {
  Tick at = 0;
  double step_rate = 0.0;       ///< steps/s
  std::int64_t microsteps = 0;  ///< positive: the rotor fell behind on the way it was going
};

struct MechanismTally {
  std::string name{};
  std::string unit{};                      ///< of positions: mm or deg
  std::optional<double> asked{};           ///< commanded end position; nothing when it is not known
  double made = 0.0;                       ///< where the output really stands
  std::int64_t net_steps = 0;              ///< asked for on STEP, backwards ones negative
  std::int64_t pulses = 0;                 ///< STEP pulses that reached the board
  std::int64_t missed_off = 0;             ///< while its ENABLE was not active
  std::int64_t missed_waking = 0;          ///< too soon after ENABLE
  std::int64_t missed_short = 0;           ///< shorter than its inputs need
  std::int64_t wrong_direction = 0;        ///< DIR changed too near to STEP
  Tick shortest_step_level = never;        ///< shortest level seen on STEP
  std::string enable_wanted{};             ///< the level that switches the board on: low or high
  double shortest_allowed = 0.0;           ///< s, that its inputs need of STEP
  double full_step = 0.0;                  ///< of the output, in `unit`; 0: not known
  std::int64_t microsteps_per_period = 0;  ///< what a slip loses
  bool counts_losses = true;         ///< else its zero was not found, and nothing can be said to be lost
  std::int64_t lost_microsteps = 0;  ///< by the rotor's angle: positive when it stands short, forwards
  std::vector<LossTally> losses{};   ///< the first of them

  [[nodiscard]] std::int64_t missed() const { return missed_off + missed_waking + missed_short; }
  /// Whether it stands where it was asked to, but for what friction and load hold a rotor off its field.
  [[nodiscard]] bool stands_as_asked() const {
    return !asked || full_step == 0.0 || std::abs(*asked - made) <= full_step;
  }
  [[nodiscard]] bool is_sound() const {
    return missed() == 0 && wrong_direction == 0 && lost_microsteps == 0 && losses.empty() &&
           stands_as_asked();
  }
};

/// What one mechanism that is driven by duty came to.
struct BrushedTally {
  std::string name{};
  std::string unit{};        ///< of places: mm or deg
  std::string speed_unit{};  ///< rpm or mm/s
  double made = 0.0;
  double speed = 0.0;              ///< at the end
  double duty = 0.0;               ///< asked for at the end, -1 to 1
  double highest_current = 0.0;    ///< A
  double sustained_current = 0.0;  ///< A, the highest mean over some 10 ms
  double mean_current = 0.0;       ///< A, of its amount, over the run
  double highest_supply = 0.0;     ///< V, at the board
  double motor_rise = 0.0;         ///< K over the air, the highest
  double board_rise = 0.0;
  std::int64_t times_limited = 0;         ///< periods that the board's own current limit cut short
  double driven_still = 0.0;              ///< s that it was driven for and stood
  double still_current = 0.0;             ///< A, the highest mean that it stood with
  double start_duty = 0.0;                ///< at which it should break loose
  std::optional<double> current_limit{};  ///< A, of the rig
  std::optional<double> motor_stands{};   ///< K
  std::optional<double> board_stands{};
  std::optional<double> board_volts{};  ///< V that the board stands

  static constexpr double longest_still = 0.2;  ///< s; a ramp from nothing takes some

  [[nodiscard]] bool is_sound() const {
    const auto within = [](double value, const std::optional<double>& most) {
      return !most || value <= *most;
    };
    const double spare = 1.05;  // its ripple and the noise of what measures it
    return driven_still < longest_still &&
           within(sustained_current, current_limit ? std::optional(spare * *current_limit) : std::nullopt) &&
           within(motor_rise, motor_stands) && within(board_rise, board_stands) &&
           within(highest_supply, board_volts);
  }
};

/// What one that takes a pulse width came to: a hobby servo, or a motor behind a speed controller.
struct PulseTally {
  std::string name{};
  std::string unit{};                   ///< of asked and made: deg, mm or % of full speed
  bool swings = true;                   ///< a hobby servo
  std::optional<double> asked{};        ///< at the end: an angle, or a throttle in %; nothing without pulses
  double made = 0.0;                    ///< where it stands, or how fast it turns, really
  double spare = 0.0;                   ///< that made may be off, in `unit`: its dead band
  double highest_current = 0.0;         ///< A
  double mean_current = 0.0;            ///< A, over the run
  double energy = 0.0;                  ///< J, out of the supply
  double rise = 0.0;                    ///< K over the air, the highest; 0 where its rig does not say
  std::optional<double> stands{};       ///< K
  std::optional<double> too_warm_at{};  ///< s, when that was passed
  double rest = 0.0;                    ///< s without current until it is half as warm as it was at the most
  double longest_stall = 0.0;           ///< s that it was held fast against its drive
  std::int64_t too_soon = 0;            ///< pulses with throttle before it was armed

  static constexpr double longest_held = 0.3;  ///< s; a swing that meets its end a little early takes less

  [[nodiscard]] bool stands_as_asked() const { return !swings || !asked || std::abs(*asked - made) <= spare; }
  [[nodiscard]] bool is_sound() const {
    return !too_warm_at && longest_stall < longest_held && too_soon == 0 && stands_as_asked();
  }
};

/// What a bare brushless motor came to.
struct BrushlessTally {
  std::string name{};
  std::string speed_unit{};               ///< rpm or mm/s
  double speed = 0.0;                     ///< at the end
  double highest_speed = 0.0;             ///< by size, so far
  double highest_current = 0.0;           ///< A, of a phase
  double sustained_current = 0.0;         ///< A, the highest mean over some 10 ms
  double highest_supply = 0.0;            ///< V, at the board
  double motor_rise = 0.0;                ///< K over the air, the highest
  std::optional<double> current_limit{};  ///< A, of the rig
  std::optional<double> motor_stands{};   ///< K
  std::optional<double> destroyed_at{};   ///< s, when both gates of a leg were on
  std::string destroyed_by{};             ///< the two lines
  std::int64_t times_empty = 0;           ///< that a high side went off, its bootstrap capacitor empty

  [[nodiscard]] bool is_sound() const {
    return !destroyed_at && times_empty == 0 && (!motor_stands || motor_rise <= *motor_stands) &&
           (!current_limit || sustained_current <= 1.1 * *current_limit);
  }
};

/// Where a wheeled pair came to: by its counts, and really.
struct PairTally {
  struct Pose {
    double x = 0.0;        ///< mm
    double y = 0.0;        ///< mm
    double heading = 0.0;  ///< deg
  };
  std::string name{};
  std::string left{};  ///< its wheels' mechanisms
  std::string right{};
  Pose thinks{};
  Pose stands{};
  double slowest_pace = 1.0;  ///< share of its speed that it was slowed to, for a wheel that was held back

  [[nodiscard]] double off() const { return std::hypot(thinks.x - stands.x, thinks.y - stands.y); }
};

/// The end of a run.
struct RunTally {
  double seconds = 0.0;  ///< of the bench's time
  std::string fault{};   ///< empty: none
  std::vector<MechanismTally> mechanisms{};
  std::vector<BrushedTally> drives{};
  std::vector<PulseTally> pulsed{};
  std::vector<BrushlessTally> brushless{};
  std::vector<PairTally> pairs{};

  [[nodiscard]] bool is_sound() const {
    for (const MechanismTally& mechanism : mechanisms) {
      if (!mechanism.is_sound()) return false;
    }
    for (const BrushedTally& drive : drives) {
      if (!drive.is_sound()) return false;
    }
    for (const BrushlessTally& one : brushless) {
      if (!one.is_sound()) return false;
    }
    for (const PulseTally& one : pulsed) {
      if (!one.is_sound()) return false;
    }
    return fault.empty();
  }
};

}  // namespace cogstride
