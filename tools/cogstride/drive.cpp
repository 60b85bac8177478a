#include <fmt/format.h>

#include <cstdio>

#include "cogstride/bench/live/live_bench.hpp"
#include "cogstride/hands/heard_devices.hpp"
#include "cogstride/mechanism/line_name.hpp"
#include "cogstride/motion/duty_course.hpp"
#include "cogstride/motion/pulse_width/throttle_mover.hpp"
#include "cogstride/plan/duty.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/report/reports.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/script/script_player.hpp"
#include "cogstride/session/live_run.hpp"
#include "commands.hpp"
#include "live_opening.hpp"
#include "outputs.hpp"
#include "playing.hpp"
#include "report_file.hpp"

using namespace cogstride;
using namespace cogstride::literals;

namespace {

/// What will move, how far and how fast.
std::string what_will_move(const Rig& rig, const Script& script) {
  std::string words;
  for (const std::size_t i : moved_by(script.statements)) {
    const Mechanism& mechanism = rig.mechanisms[i];
    const Limits& limits = mechanism.limits;
    if (mechanism.is_driven_by_duty()) {
      words += fmt::format("  {} turns, driven by duty, forwards or backwards\n", mechanism.name);
      continue;
    }
    if (mechanism.is_throttled()) {
      words += fmt::format("  {} is armed and turns, at most with {:.3g} % throttle\n", mechanism.name,
                           100.0 * throttle_limits(mechanism).highest);
      continue;
    }
    const std::string where =
        limits.travel_from && limits.travel_to
            ? fmt::format("between {} and {}", to_text(*limits.travel_from), to_text(*limits.travel_to))
            : "as far round as it is told";
    words += fmt::format("  {} moves {}, at most at {}\n", mechanism.name, where, to_text(limits.speed));
  }
  for (const PlainOutput& output : rig.outputs)
    words += fmt::format("  {} may be switched on (line {})\n", output.name, line_name(output.line.number));
  return words;
}

}  // namespace

ExitStatus run_drive(const DriveOptions& options) {
  Rig rig = read_rig(options.rig);
  if (!options.only.empty()) rig = only_with(std::move(rig), options.only);
  require_drivable(options.rig, rig);
  const Script script = read_script(options.script, rig, {});
  require_live(script, rig);
  const std::vector<std::string> read{options.rig, options.script};
  check_output_names(options.outputs, read);
  const std::string black_box =
      black_box_of(options.black_box, "last-drive.box", options.outputs.overwrite, read);
  if (!is_agreed(options.rig, options.yes, what_will_move(rig, script))) {
    fmt::print(stderr, "nothing was moved\n");
    return ExitStatus::something_is_wrong;
  }
  EventLog log;
  Outputs outputs(options.outputs, read, rig.mechanisms.front());
  outputs.also(log);
  for (const std::string& note : live_notes(rig)) fmt::print(stderr, "note: {}\n", note);
  LiveBench::Options bench;
  bench.trace = &outputs.sink();
  bench.black_box = black_box;
  bench.labels = box_labels(options.rig, options.script, options.only);
  const Driven driven = drive(
      rig, script, std::move(bench),
      [&](Bench& on, ScriptPlayer& player) {
        const HeardDevices devices(on, [](const std::string& words) { fmt::print(stderr, "{}\n", words); });
        return play(on, player, "driving", check_motions(script, rig, {}).length);
      },
      [](LiveBench& opened) {
        if (!opened.conditions().words.empty()) fmt::print(stderr, "note: {}\n", opened.conditions().words);
      });
  LiveReport report{rig.name, options.script, driven.verdict, driven.played, {}, {}};
  for (std::string& note : keep_taught(options.rig, options.keep_taught, rig, driven.taught))
    report.notes.push_back(std::move(note));
  if (!report.verdict.fault.empty() && !black_box.empty())
    report.notes.push_back(fmt::format("what led to it: cogstride rehearse {} {} --replay {}", options.rig,
                                       options.script, black_box));
  const bool is_whole = report.verdict.is_sound() && report.played.record_failure.empty();
  if (!options.outputs.report.empty()) {
    std::vector<std::string> moved;
    for (const MoverVerdict& mover : report.verdict.movers)
      if (mover.has_moved) moved.push_back(mover.name);
    outputs.draw_signals(moved, fmt::format("{} on live lines", report.script));
    ReportPage page(fmt::format("{} on {}", report.script, report.rig), is_whole,
                    fmt::format("{}, after {:.3f} s on live lines",
                                is_whole                       ? "all as asked"
                                : report.verdict.fault.empty() ? "something is wrong"
                                                               : report.verdict.fault,
                                report.verdict.seconds));
    page.add_verdict(report.verdict);
    page.add_text("As it was played", drive_text(report, log));
    add_drawn(page, outputs.figures());
    page.add_events(log);
    finish_report(page, rig, {options.script, options.rig}, {{"bench", "live lines"}}, options.outputs.report,
                  options.outputs.overwrite);
  }
  const std::string text = options.json ? drive_json(report, log) : drive_text(report, log);
  std::fputs(text.c_str(), stdout);
  return is_whole ? ExitStatus::done : ExitStatus::something_is_wrong;
}
