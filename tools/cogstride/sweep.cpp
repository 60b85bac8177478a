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
#include "report_file.hpp"

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

/// What a sweep came to.
struct Swept {
  std::string text{};
  std::string json{};
  std::vector<Drawn> figures{};  ///< for the report
};

/// @param draw  into a file of that name
Swept swept(const SweepOptions& options, std::string text, std::string json,
            const std::function<void(const std::string& path)>& draw) {
  if (!options.plot.empty()) draw(options.plot);
  Swept came{std::move(text), std::move(json), {}};
  if (!options.report.empty())
    came.figures.push_back(drawn("The figure", [&](const std::string& path) {
      draw(path);
      return true;
    }));
  return came;
}

Swept sweep_one(const SweepOptions& options, const Rig& rig, const Mechanism& mechanism) {
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
  return swept(options, sweep_text(sweep), sweep_json(sweep),
               [&](const std::string& path) { draw_sweep(path, sweep); });
}

Swept sweep_modes(const SweepOptions& options, const Rig& rig, const Mechanism& mechanism) {
  ModeComparison comparison;
  {
    Progress progress;
    progress.say("trying each stepping mode at 41 speeds");
    comparison =
        compare_modes(rig, mechanism, [&](const ModeCurve& mode) { progress.say(mode.mode + ": done"); });
  }
  return swept(options, comparison_text(comparison), comparison_json(comparison),
               [&](const std::string& path) { draw_comparison(path, comparison); });
}

Swept sweep_duties(const SweepOptions& options, const Rig& rig, const Mechanism& mechanism) {
  DutySweep sweep;
  {
    Progress progress;
    progress.say("going up and down through duty");
    sweep = sweep_duty(rig, mechanism, [&](const DutyCurve& curve) { progress.say(curve.way + ": done"); });
  }
  return swept(options, duty_sweep_text(sweep), duty_sweep_json(sweep),
               [&](const std::string& path) { draw_duty_sweep(path, sweep); });
}

/// On real lines. Nothing is returned when the user does not want it.
std::optional<Swept> sweep_live_duties(const SweepOptions& options, const Rig& rig,
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
  return swept(options, duty_sweep_text(sweep), duty_sweep_json(sweep),
               [&](const std::string& path) { draw_duty_sweep(path, sweep); });
}

}  // namespace

ExitStatus run_sweep(const SweepOptions& options) {
  check_output_names({.plot = options.plot, .report = options.report, .overwrite = options.overwrite},
                     {options.rig});
  const Rig rig = read_rig(options.rig);
  const Mechanism& mechanism = mechanism_named(rig, options.mechanism);
  if (options.live && !options.duty)
    throw Error("--live is for --duty: steps that are lost are not seen on live lines");
  const std::optional<Swept> came = options.live    ? sweep_live_duties(options, rig, mechanism)
                                    : options.duty  ? sweep_duties(options, rig, mechanism)
                                    : options.modes ? sweep_modes(options, rig, mechanism)
                                                    : sweep_one(options, rig, mechanism);
  if (!came) return ExitStatus::something_is_wrong;
  if (!options.report.empty()) {
    ReportPage page(fmt::format("{} of {}, swept", mechanism.name, rig.name), true,
                    came->text.substr(0, came->text.find('\n')));
    page.add_text("What was found", came->text);
    add_drawn(page, came->figures);
    finish_report(page, rig, {options.rig}, {{"bench", options.live ? "live lines" : "simulated"}},
                  options.report, options.overwrite);
  }
  std::fputs((options.json ? came->json : came->text).c_str(), stdout);
  return ExitStatus::done;
}
