#include <fmt/format.h>
#include <unistd.h>

#include <cstdio>
#include <sstream>

#include "cogstride/bench/simulated/trace_plan.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/report/gearing_report.hpp"
#include "cogstride/report/reports.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/study/fastest_tried.hpp"
#include "cogstride/study/move_trial.hpp"
#include "commands.hpp"
#include "outputs.hpp"
#include "progress.hpp"
#include "report_file.hpp"

using namespace cogstride;

namespace {

/// What an option says, by `parse`; messages say which option.
template <class Parse>
auto read_option(const char* option, const std::string& text, const Parse& parse) {
  try {
    return parse(text);
  } catch (const Error& error) {
    throw Error(fmt::format("{}: {}", option, error.what()));
  }
}

template <int PerTime>
OutputAmount<PerTime> amount_of(const Mechanism& mechanism, const char* option, const std::string& text) {
  return read_option(option, text, [&](const std::string& t) { return parse_output<PerTime>(mechanism, t); });
}

ExactTime time_of(const std::string& text) {
  const auto time = parse_quantity<ExactTime>(text);
  if (!(time > ExactTime())) throw RangeError(fmt::format("'{}': a move takes a time above 0", text));
  return time;
}

double share_of(const std::string& text) {
  return parse_quantity<ExactFraction>(text).base().to_double();
}

/// Gives the mechanism the limits of the fastest move, and says which those are.
std::string choose_fastest(Rig& rig, const PlanOptions& options, OutputPosition from,
                           const MoveOrder& order) {
  const Mechanism& named = mechanism_named(rig, options.mechanism);
  Mechanism& mechanism = rig.mechanisms[static_cast<std::size_t>(&named - rig.mechanisms.data())];
  const double margin = options.margin.empty() ? 0.3 : read_option("--margin", options.margin, share_of);
  const bool on_terminal = isatty(STDERR_FILENO) != 0;
  if (on_terminal) std::fputs("  trying speeds and accelerations ...", stderr);
  const FastestMove fastest = fastest_tried(rig, mechanism, from, order, margin).move;
  if (on_terminal) std::fputs("\r                                     \r", stderr);
  const Limits own = mechanism.limits;
  mechanism.limits.speed = fastest.speed;
  mechanism.limits.acceleration = fastest.acceleration;
  return fmt::format(
      "fastest with {:.0f} % of torque to spare: speed = \"{}\", acceleration = \"{}\" (the rig says {} and "
      "{})\n",
      margin * 100.0, to_text(fastest.speed), to_text(fastest.acceleration), to_text(own.speed),
      to_text(own.acceleration));
}

FigureContent figure_content(const PlanFigures& figures, double margin) {
  FigureContent content;
  content.title =
      fmt::format("{}: {} to {} in {:.3f} s", figures.mechanism, figures.from, figures.to, figures.duration);
  content.lines_of = figures.mechanism;
  content.position = {{figures.mechanism + ".position", "planned", "#2a5c9a"}};
  content.speed = {{figures.mechanism + ".speed", "planned", "#2a5c9a"}};
  content.position_unit = figures.unit;
  content.speed_unit = figures.unit + "/s";
  if (figures.steps != 0) {
    content.mark = Mark{
        figures.worst_at,
        !figures.loses_steps ? fmt::format("most torque: {:.0f} % of the peak to spare", margin * 100.0)
        : margin >= 0.0 ? fmt::format("closest to losing steps: {:.0f} % of torque to spare", margin * 100.0)
                        : fmt::format("steps may be lost: {:.0f} % more torque is needed", -margin * 100.0)};
  }
  return content;
}

}  // namespace

namespace {

/// "7:30", "7/30" or "0.25".
Ratio ratio_of(const std::string& text) {
  const std::size_t between = text.find_first_of(":/");
  if (between == std::string::npos) return parse_ratio(text);
  const Ratio second = parse_ratio(text.substr(between + 1));
  if (second == Ratio(0)) throw RangeError(fmt::format("'{}': its second number is 0", text));
  return parse_ratio(text.substr(0, between)) / second;
}

/// "20,24,28".
std::vector<std::int64_t> teeth_of(const std::string& text) {
  std::vector<std::int64_t> teeth;
  std::istringstream in(text);
  for (std::string each; std::getline(in, each, ',');) {
    const Ratio count = parse_ratio(each);
    if (!count.is_whole()) throw RangeError(fmt::format("'{}': a gear has a whole number of teeth", each));
    teeth.push_back(count.numerator());
  }
  return teeth;
}

ExitStatus plan_behind_leader(const Rig& rig, const Mechanism& follower, const PlanOptions& options) {
  constexpr std::size_t trains_shown = 6;
  if (!follower.follows)
    throw RangeError(fmt::format("{} follows nothing: give it a table mechanism.{}.follows with its leader",
                                 follower.name, follower.name));
  const Mechanism leader = leader_named(rig, follower.follows->first.leader);
  GearingReport report{follower, leader, rig.controller, gearing_of(follower, leader), {}, {}};
  if (!options.change_gears.empty()) {
    report.wanted = read_option("--ratio", options.ratio, ratio_of);
    report.trains = read_option("--change-gears", options.change_gears, [&](const std::string& text) {
      return nearest_trains(*report.wanted, teeth_of(text), trains_shown);
    });
  }
  std::fputs((options.json ? gearing_json(report) : gearing_text(report)).c_str(), stdout);
  return keeps_up(report) ? ExitStatus::done : ExitStatus::something_is_wrong;
}

}  // namespace

ExitStatus run_plan(const PlanOptions& options) {
  Rig rig = read_rig(options.rig);
  const Mechanism& mechanism = mechanism_named(rig, options.mechanism);
  if (options.behind_leader && !options.outputs.report.empty())
    throw Error("--report: keeps a move; --behind-leader plans none");
  if (options.behind_leader) return plan_behind_leader(rig, mechanism, options);
  if (options.to.empty())
    throw Error("--to: say where the move ends, such as 85mm; or --behind-leader for what following takes");
  MoveOrder order;
  order.to = amount_of<0>(mechanism, "--to", options.to);
  if (!options.speed.empty()) order.speed = amount_of<1>(mechanism, "--speed", options.speed);
  if (!options.acceleration.empty())
    order.acceleration = amount_of<2>(mechanism, "--acceleration", options.acceleration);
  OutputPosition from{output_kind(mechanism.train), 0};
  if (!options.from.empty()) {
    from = target_of(mechanism, from, {.to = amount_of<0>(mechanism, "--from", options.from)});
  }
  if (!options.in.empty()) order.in = read_option("--in", options.in, time_of);
  std::string chosen;
  if (options.fastest) chosen = choose_fastest(rig, options, from, order);
  std::optional<ElapsedLine> elapsed{"planning"};
  const MovePlan plan = plan_move(mechanism, rig.controller, from, order);
  const PlanFigures figures = figures_of(rig, mechanism, plan);
  std::optional<MoveTrial> trial;
  if (figures.loses_steps && figures.steps != 0) trial = try_move(rig, mechanism, plan, figures.margin);
  elapsed.reset();
  const double margin = trial ? trial->margin : figures.margin;

  Outputs outputs(options.outputs, {options.rig}, mechanism);
  trace_plan(rig, mechanism.name, plan, outputs.sink());
  outputs.draw(figure_content(figures, margin));

  if (!options.outputs.report.empty()) {
    ReportPage page(fmt::format("{}: {} to {} on {}", figures.mechanism, figures.from, figures.to, rig.name),
                    margin >= 0.0,
                    margin >= 0.0 ? fmt::format("it takes {:.3f} s", figures.duration)
                                  : "it may lose steps: look at its margin");
    page.add_text("What it comes to", chosen + plan_text(figures, trial));
    add_drawn(page, outputs.figures());
    finish_report(page, rig, {options.rig}, {}, options.outputs.report, options.outputs.overwrite);
  }

  const std::string report = options.json ? plan_json(figures, trial) : chosen + plan_text(figures, trial);
  std::fputs(report.c_str(), stdout);
  return margin >= 0.0 ? ExitStatus::done : ExitStatus::something_is_wrong;
}
