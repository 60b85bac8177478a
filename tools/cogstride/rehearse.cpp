#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <mutex>

#include "cogstride/quantity/literals.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/report/reports.hpp"
#include "cogstride/report/scatter_report.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/script/script_player.hpp"
#include "cogstride/session/rehearsal.hpp"
#include "cogstride/study/end_scatter.hpp"
#include "cogstride/study/scatter.hpp"
#include "commands.hpp"
#include "outputs.hpp"
#include "playing.hpp"
#include "progress.hpp"
#include "replay.hpp"
#include "report_file.hpp"

using namespace cogstride;
using namespace cogstride::literals;

namespace {

std::map<std::string, OutputPosition> standing_of(const std::vector<std::string>& words, const Rig& rig) {
  std::map<std::string, OutputPosition> standing;
  for (const std::string& word : words) {
    const std::size_t equals = word.find('=');
    if (equals == std::string::npos)
      throw Error(fmt::format("--start-at {}: write it as traverse=59mm", word));
    try {
      const Mechanism& mechanism = mechanism_named(rig, word.substr(0, equals));
      const OutputPosition position = parse_output<0>(mechanism, word.substr(equals + 1));
      require_kind(mechanism, position.kind);
      standing[mechanism.name] = position;
    } catch (const Error& error) {
      throw Error(fmt::format("--start-at {}: {}", word, error.what()));
    }
  }
  return standing;
}

std::vector<std::string> read_by(const RehearseOptions& options) {
  return {options.rig, options.script, options.actual, options.event, options.remember, options.measured};
}

/// Plays a script with many seeds: where what is driven by duty ends.
ExitStatus scatter_ends(const RehearseOptions& options, const Rig& rig, const Script& script,
                        const std::vector<std::size_t>& moved) {
  ProgressLine progress;
  std::mutex one_at_a_time;
  const std::vector<EndScatter> results = cogstride::scatter_ends(
      rig, script, moved, options.scatter, options.seed, options.average_pwm, [&](std::size_t done) {
        const std::lock_guard lock(one_at_a_time);
        if (progress.is_due()) progress.say(fmt::format("{} of {} runs", done, options.scatter));
      });
  progress.clear();
  const std::string text =
      options.json ? end_scatter_json(results) : end_scatter_text(options.script, results);
  std::fputs(text.c_str(), stdout);
  if (!options.outputs.plot.empty()) draw_end_scatter(options.outputs.plot, options.script, results);
  const bool all_ended =
      std::all_of(results.begin(), results.end(), [](const EndScatter& each) { return each.failures == 0; });
  return all_ended ? ExitStatus::done : ExitStatus::something_is_wrong;
}

/// Homes each mechanism that the script homes, many times.
ExitStatus scatter(const RehearseOptions& options, const Rig& rig, const Script& script) {
  check_output_names(options.outputs, read_by(options));
  const std::vector<std::size_t> homed = homed_by(script.statements);
  if (!options.outputs.csv.empty() || !options.outputs.waves.empty())
    throw Error("--scatter draws a figure (--plot) and prints figures; it writes no --waves and no --csv");
  if (!options.outputs.report.empty()) throw Error("--report keeps one run: --scatter plays many");
  if (homed.empty()) {
    std::vector<std::size_t> moved = moved_by(script.statements);
    std::erase_if(moved, [&](std::size_t i) { return !rig.mechanisms[i].is_driven_by_duty(); });
    if (moved.empty())
      throw Error(
          fmt::format("{}: homes nothing, and spins nothing by duty, that could scatter", options.script));
    return scatter_ends(options, rig, script, moved);
  }
  std::vector<ScatterResult> results;
  bool all_found = true;
  for (const std::size_t place : homed) {
    const Mechanism& mechanism = rig.mechanisms[place];
    ProgressLine progress;
    std::mutex one_at_a_time;
    results.push_back(scatter_homing(rig, mechanism, options.scatter, options.seed, [&](std::size_t done) {
      const std::lock_guard lock(one_at_a_time);
      if (progress.is_due())
        progress.say(fmt::format("{}: {} of {} homings", mechanism.name, done, options.scatter));
    }));
    all_found = all_found && results.back().failures() == 0;
  }
  const std::string text = options.json ? scatter_json(results) : scatter_text(results);
  std::fputs(text.c_str(), stdout);
  if (!options.outputs.plot.empty()) draw_scatter(options.outputs.plot, results);
  return all_found ? ExitStatus::done : ExitStatus::something_is_wrong;
}

std::string figure_title(const RehearsalReport& report) {
  return fmt::format("{} on the simulated bench, {}", report.script,
                     report.verdict.is_sound() ? "all as asked" : "something is wrong");
}

void keep_report(const RehearseOptions& options, const Rig& rig, const RehearsalReport& report,
                 const EventLog& log, const Outputs& outputs) {
  const Verdict& verdict = report.verdict;
  ReportPage page(fmt::format("{} on {}", report.script, report.rig), verdict.is_sound(),
                  fmt::format("{}, after {:.3f} s on the simulated bench",
                              verdict.is_sound()      ? "all as asked"
                              : verdict.fault.empty() ? "something is wrong"
                                                      : verdict.fault,
                              verdict.seconds));
  page.add_verdict(verdict);
  if (!report.notes.empty()) page.add_list("Notes", report.notes);
  add_drawn(page, outputs.figures());
  page.add_events(log);
  finish_report(page, rig, {options.script, options.event, options.actual, options.rig},
                {{"bench", "simulated"}, {"seed", std::to_string(options.seed)}}, options.outputs.report,
                options.outputs.overwrite);
}

}  // namespace

ExitStatus run_rehearse(const RehearseOptions& options) {
  if (!options.replay.empty()) return run_replay(options);
  const Rig rig = read_rig(options.rig);
  PositionMemory memory(options.remember, options.rig, rig);
  const KnownPositions known = memory.known();
  const Script script = read_script(options.script, rig, known);
  if (options.scatter > 0) {
    if (!options.measured.empty()) throw Error("--scatter plays many runs: --measured is for one");
    if (!options.actual.empty()) throw Error("--scatter takes the rig as it is written: leave --actual out");
    return scatter(options, rig, script);
  }
  const auto movable = std::find_if(rig.mechanisms.begin(), rig.mechanisms.end(),
                                    [](const Mechanism& m) { return m.moves(); });
  if (movable == rig.mechanisms.end())
    throw Error(fmt::format(
        "{}: has no mechanism to rehearse: so far those are steppers on STEP/DIR and two-pulse boards, "
        "transistor arrays and dual H-bridges, servos that take steps, brushed motors on H-bridges, hobby "
        "servos "
        "and speed controllers",
        options.rig));
  const std::vector<std::size_t> moved = moved_by(script.statements);
  const Mechanism& shown = moved.empty() ? *movable : rig.mechanisms[moved.front()];
  std::map<std::string, OutputPosition> standing = standing_of(options.start_at, rig);
  standing.insert(known.begin(), known.end());  // a simulated bench that was left so
  const std::vector<OutsideEvent> events =
      options.event.empty() ? std::vector<OutsideEvent>{} : read_events(options.event, rig);

  const double longest = seconds_of("--for", options.longest);
  const ScriptCheck foreseen = check_motions(script, rig, known);
  if (foreseen.endless != nullptr && longest == 0.0 && events.empty())
    throw Error(fmt::format(
        "{}:{}: '{}' goes on for ever, and nothing from outside ends it: say how much of it is to be "
        "rehearsed, as in --for 60s",
        options.script, foreseen.endless->place.line, foreseen.endless->text));
  EventLog log;
  Outputs outputs(options.outputs, read_by(options), shown);
  outputs.also(log);
  std::optional<MeasuredOver> measured;
  if (!options.measured.empty()) outputs.also(measured.emplace(options.measured, shown.name));
  SimulatedBench::Options bench;
  bench.seed = options.seed;
  bench.start_positions = standing;
  bench.average_pwm = options.average_pwm;
  if (!options.actual.empty()) bench.actual = read_actual_rig(options.actual, rig, options.rig);
  bench.events = events;
  bench.trace = &outputs.sink();
  bool was_longer = false;
  const Rehearsed came =
      rehearse(rig, script, std::move(bench), memory, [&](Bench& on, ScriptPlayer& player) {
        PlayedScript played = play(on, player, "rehearsing", foreseen.length,
                                   longest > 0.0 ? std::optional(Time(longest, units::s)) : std::nullopt);
        was_longer = played.was_longer;
        return played;
      });
  RehearsalReport report{rig.name, options.script, came.verdict, came.notes, options.measured, {}};
  if (measured) report.measured = measured->signals();
  if (was_longer)
    report.notes.push_back(
        fmt::format("--for {}: the script had not ended by then, and was ended there", options.longest));
  for (const OutsideEvent& event : came.not_come)
    report.notes.push_back(fmt::format("{}: the run ended before '{}' at {}", options.event, to_text(event),
                                       to_text(event.at, "s")));
  for (std::string& note : keep_taught(options.rig, options.keep_taught, rig, came.taught))
    report.notes.push_back(std::move(note));
  RunFigure figure{figure_title(report), moved, pair_driven_by(script.statements), {}, 0};
  figure.measured = report.measured;
  figure.shown = static_cast<std::size_t>(&shown - rig.mechanisms.data());
  for (const VerdictMoment& moment : report.verdict.of(shown.name).moments)
    figure.too_warm_at = log.layout().seconds(moment.at);
  outputs.draw(rig, figure);

  if (!options.outputs.report.empty()) keep_report(options, rig, report, log, outputs);

  const std::string text = options.json ? rehearsal_json(report, log) : rehearsal_text(report, log);
  std::fputs(text.c_str(), stdout);
  return report.verdict.is_sound() ? ExitStatus::done : ExitStatus::something_is_wrong;
}
