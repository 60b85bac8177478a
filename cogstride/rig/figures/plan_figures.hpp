// A planned move in the figures that people ask for, in display units (mm or degrees).
#pragma once

#include <string>

#include "cogstride/plan/move.hpp"
#include "cogstride/plan/played_plan.hpp"
#include "cogstride/rig/rig.hpp"

namespace cogstride {

struct PlanFigures {
  std::string mechanism{};
  std::string unit{};  ///< mm or deg
  std::string from{};
  std::string to{};
  std::int64_t steps = 0;  ///< signed
  double duration = 0.0;   ///< s
  double peak_speed = 0.0;
  double peak_step_rate = 0.0;  ///< steps/s
  double limit_speed = 0.0;
  double acceleration = 0.0;
  double jerk = 0.0;  ///< 0: no limit
  double start_speed = 0.0;
  double ramp_time = 0.0;  ///< s, of the first ramp; 0 when there is none
  double ramp_way = 0.0;
  double cruise_time = 0.0;        ///< s
  double first_pulse = 0.0;        ///< s
  double shortest_interval = 0.0;  ///< s
  std::size_t pulse_runs = 0;
  double worst_error_ticks = 0.0;
  double tick_seconds = 0.0;
  double grain_seconds = 0.0;          ///< that intervals are whole multiples of (plan/move.hpp, step_grain)
  double margin = 0.0;                 ///< of torque, as estimated (plan/rotor_lag.hpp), -4.1 to 0.9
  bool loses_steps = true;             ///< a stepper; else a servo, and the margin is of its peak torque
  double worst_lag = 0.0;              ///< of the rotor behind its command, electrical degrees
  double behind_field = 0.0;           ///< of it, behind the field of its currents
  double worst_at = 0.0;               ///< s
  std::vector<std::string> guesses{};  ///< figures of the rig that it rests on, and nobody has checked
};

[[nodiscard]] PlanFigures figures_of(const Rig& rig, const Mechanism& mechanism, const MovePlan& plan);

}  // namespace cogstride
