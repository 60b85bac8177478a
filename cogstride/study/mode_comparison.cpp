#include "cogstride/study/mode_comparison.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/plan/stepper_torque.hpp"
#include "cogstride/study/trial_run.hpp"

namespace cogstride {
namespace {

struct Mode {
  std::string name;
  Mechanism mechanism;
};

template <class Board>
std::vector<Mode> coil_modes(const Mechanism& mechanism) {
  std::vector<Mode> modes;
  const auto add = [&](const char* name, Stepping stepping) {
    Mode mode{name, mechanism};
    std::get<Board>(mode.mechanism.board).stepping = stepping;
    modes.push_back(std::move(mode));
  };
  add("wave: one phase on", Stepping::wave);
  add("full steps: two phases on", Stepping::full);
  add("half steps", Stepping::half);
  return modes;
}

std::vector<Mode> modes_of(const Mechanism& mechanism) {
  if (std::holds_alternative<TransistorArray>(mechanism.board)) return coil_modes<TransistorArray>(mechanism);
  if (std::holds_alternative<DualHBridge>(mechanism.board)) return coil_modes<DualHBridge>(mechanism);
  std::vector<Mode> modes;
  const StepDirBoard& board = mechanism.step_dir();
  for (const std::int64_t microsteps : {1, 2, 4, 8, 16, 32}) {
    const auto& settings = board.microstep_settings;
    const bool can =
        settings.empty() || std::find(settings.begin(), settings.end(), microsteps) != settings.end();
    if (!can) continue;
    Mode mode{microsteps == 1   ? std::string("full steps")
              : microsteps == 2 ? std::string("half steps")
                                : fmt::format("{} microsteps", microsteps),
              mechanism};
    auto& set = std::get<StepDirBoard>(mode.mechanism.board);
    set.microsteps = microsteps;
    set.microstep_switches.reset();  // they are set for it
    modes.push_back(std::move(mode));
  }
  return modes;
}

/// A speed in whole nanometres or thousandths of a degree a second, which is all that is needed here.
Ratio about(double base_units) {
  return {std::llround(base_units * 1e9), 1'000'000'000};
}

Rig at_speed(const Rig& rig, const Mechanism& mechanism, double base_speed, double period) {
  Rig freed = set_free(rig, mechanism);
  Limits& limits = freed.mechanisms[0].limits;
  limits.speed.base = about(base_speed);
  // So gently that the run-up itself hardly makes it oscillate.
  limits.acceleration.base = about(base_speed / (5.0 * period));
  limits.start_speed.base = Ratio(0);
  limits.jerk.reset();
  return freed;
}

}  // namespace

ModeComparison compare_modes(const Rig& rig, const Mechanism& mechanism,
                             const std::function<void(const ModeCurve&)>& on_mode) {
  require_movable_stepper(mechanism);
  const OutputKind kind = output_kind(mechanism.train);
  ModeComparison comparison;
  comparison.mechanism = mechanism.name;
  comparison.guesses = mechanism.guesses;
  comparison.unit = display_unit(kind, 1);
  comparison.natural_frequency = natural_frequency(mechanism);
  const double full_steps_per_base =
      motor_turns_per_base(mechanism.train).to_double() * static_cast<double>(mechanism.stepper().full_steps);
  const double resonant = comparison.natural_frequency / std::abs(full_steps_per_base);
  comparison.resonant_speed = resonant * display_units_per_base(kind);
  constexpr int points = 40;
  const double period = 1.0 / comparison.natural_frequency;
  for (const Mode& mode : modes_of(mechanism)) {
    ModeCurve curve{mode.name, {}};
    std::vector<Rig> freed;
    for (int i = 0; i <= points; ++i) {
      const double speed = resonant * 0.25 * std::pow(12.0, static_cast<double>(i) / points);
      curve.trials.push_back({speed * display_units_per_base(kind), true, 0.0});
      freed.push_back(at_speed(rig, mode.mechanism, speed, period));
    }
    const std::vector<TrialRun> runs = run_up_all(freed, Time(40.0 * period, units::s));
    for (std::size_t i = 0; i < runs.size(); ++i) {
      curve.trials[i].holds = runs[i].holds;
      curve.trials[i].oscillation = runs[i].oscillation;
    }
    if (on_mode) on_mode(curve);
    comparison.modes.push_back(std::move(curve));
  }
  return comparison;
}

}  // namespace cogstride
