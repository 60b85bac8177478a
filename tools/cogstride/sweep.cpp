#include <fmt/format.h>
#include <unistd.h>

#include <cstdio>
#include <memory>
#include <optional>

#include "cogstride/report/sweep_report.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/study/duty_sweep.hpp"
#include "cogstride/study/mode_comparison.hpp"
#include "cogstride/study/sweep.hpp"
#include "commands.hpp"
#include "outputs.hpp"
#include "playing.hpp"
#include "progress.hpp"

using namespace cogstride;

namespace {

/// Each trial as it ends, on a terminal.
class Progress {
 public:
  void say(const std::string& words) {
    if (isatty(STDERR_FILENO) == 0) return;
    std::fprintf(stderr, "\r%-70s", ("  " + words).c_str());
    shown_ = true;
  }
  ~Progress() {
    if (shown_) std::fprintf(stderr, "\r%70s\r", "");
  }

 private:
  bool shown_ = false;
};

std::string sweep_one(const SweepOptions& options, const Rig& rig, const Mechanism& mechanism) {
  const SweepOf of = options.acceleration ? SweepOf::acceleration : SweepOf::speed;
  SweepResult sweep;
  {
    Progress progress;
    std::size_t trials = 0;
    sweep = sweep_limit(rig, mechanism, of, [&](const SweepTrial& trial) {
      progress.say(
          fmt::format("trial {}: {:.5g} {}", ++trials, trial.value, trial.holds ? "held" : "lost steps"));
    });
  }
  if (!options.plot.empty()) draw_sweep(options.plot, sweep);
  return options.json ? sweep_json(sweep) : sweep_text(sweep);
}

std::string sweep_modes(const SweepOptions& options, const Rig& rig, const Mechanism& mechanism) {
  ModeComparison comparison;
  {
    Progress progress;
    progress.say("trying each stepping mode at 41 speeds");
    comparison =
        compare_modes(rig, mechanism, [&](const ModeCurve& mode) { progress.say(mode.mode + ": done"); });
  }
  if (!options.plot.empty()) draw_comparison(options.plot, comparison);
  return options.json ? comparison_json(comparison) : comparison_text(comparison);
}

std::string sweep_duties(const SweepOptions& options, const Rig& rig, const Mechanism& mechanism) {
  DutySweep sweep;
  {
    Progress progress;
    progress.say("going up and down through duty");
    sweep = sweep_duty(rig, mechanism, [&](const DutyCurve& curve) { progress.say(curve.way + ": done"); });
  }
  if (!options.plot.empty()) draw_duty_sweep(options.plot, sweep);
  return options.json ? duty_sweep_json(sweep) : duty_sweep_text(sweep);
}

/// On real lines. Nothing is returned when the user does not want it.
std::optional<std::string> sweep_live_duties(const SweepOptions& options, const Rig& rig,
                                             const Mechanism& mechanism) {
  require_chips(options.rig, rig);
  for (const LiveObstacle& obstacle : live_obstacles(only_with(rig, {mechanism.name})))
    throw Error(fmt::format("{}: {}: {}", options.rig, obstacle.mechanism, obstacle.why));
  const double seconds = live_duty_sweep_seconds(rig, mechanism);
  const Limits& limits = mechanism.limits;
  if (!is_agreed(options.rig, options.yes,
                 fmt::format("  {} turns forwards, up to {} duty and down again, for some {:.0f} s\n",
                             mechanism.name,
                             limits.highest_duty
                                 ? fmt::format("{:.3g} %", 100.0 * limits.highest_duty->base().to_double())
                                 : "100 %",
                             seconds))) {
    fmt::print(stderr, "nothing was moved\n");
    return std::nullopt;
  }
  DutySweep sweep;
  {
    ProgressLine progress;
    LiveDutySweep how;
    how.opened = [](LiveBench& bench) { return std::make_shared<InterruptsNoted>(bench); };
    how.on_point = [&](const DutyPoint& point) {
      if (progress.is_due())
        progress.say(fmt::format("{:.3g} % duty: {:.4g} {}", 100.0 * point.duty, point.speed,
                                 output_kind(mechanism.train) == OutputKind::rotary ? "rpm" : "mm/s"));
    };
    sweep = sweep_duty_live(rig, mechanism, std::move(how));
  }
  if (!options.plot.empty()) draw_duty_sweep(options.plot, sweep);
  return options.json ? duty_sweep_json(sweep) : duty_sweep_text(sweep);
}

}  // namespace

ExitStatus run_sweep(const SweepOptions& options) {
  check_output_names({options.plot, {}, {}, options.overwrite}, {options.rig});
  const Rig rig = read_rig(options.rig);
  const Mechanism& mechanism = mechanism_named(rig, options.mechanism);
  if (options.live) {
    if (!options.duty) throw Error("--live is for --duty: steps that are lost are not seen on live lines");
    const std::optional<std::string> report = sweep_live_duties(options, rig, mechanism);
    if (!report) return ExitStatus::something_is_wrong;
    std::fputs(report->c_str(), stdout);
    return ExitStatus::done;
  }
  const std::string report = options.duty    ? sweep_duties(options, rig, mechanism)
                             : options.modes ? sweep_modes(options, rig, mechanism)
                                             : sweep_one(options, rig, mechanism);
  std::fputs(report.c_str(), stdout);
  return ExitStatus::done;
}
