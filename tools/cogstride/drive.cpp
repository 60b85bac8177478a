#include <fmt/format.h>
#include <fmt/ranges.h>
#include <unistd.h>

#include <algorithm>
#include <cstdio>
#include <filesystem>

#include "cogstride/bench/live/live_bench.hpp"
#include "cogstride/files/output_file.hpp"
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
#include "outputs.hpp"
#include "playing.hpp"

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
    words += fmt::format("  {} may be switched on (line {})\n", output.name, output.line.number);
  return words;
}

/// Where the black box of this run goes: as asked, or with this user's states; empty, and why, where it can
/// go nowhere.
std::string black_box_of(const DriveOptions& options) {
  if (!options.black_box.empty()) return options.black_box;
  const std::filesystem::path folder = state_folder();
  std::error_code failed;
  if (!folder.empty()) std::filesystem::create_directories(folder, failed);
  if (!folder.empty() && !failed && access(folder.c_str(), W_OK) == 0) return folder / "last-drive.box";
  fmt::print(stderr, "note: the run keeps no black box: {}\n",
             folder.empty() ? "neither XDG_STATE_HOME nor HOME is set"
                            : fmt::format("{} cannot be written to", folder.string()));
  return {};
}

void refuse_obstacles(const DriveOptions& options, const Rig& rig) {
  require_chips(options.rig, rig);
  const std::vector<LiveObstacle> obstacles = live_obstacles(rig);
  if (obstacles.empty()) return;
  std::string words = fmt::format("{}: not everything in it can be driven on live lines:\n", options.rig);
  std::vector<std::string> others;
  for (const Mechanism& mechanism : rig.mechanisms) {
    const auto is_its = [&](const LiveObstacle& obstacle) { return obstacle.mechanism == mechanism.name; };
    const auto obstacle = std::find_if(obstacles.begin(), obstacles.end(), is_its);
    if (obstacle == obstacles.end()) {
      others.push_back(mechanism.name);
    } else {
      words += fmt::format("  {}: {}\n", mechanism.name, obstacle->why);
    }
  }
  throw Error(words + (others.empty() ? "nothing is left to drive"
                                      : fmt::format("--only {} drives the rest", fmt::join(others, ","))));
}

}  // namespace

ExitStatus run_drive(const DriveOptions& options) {
  Rig rig = read_rig(options.rig);
  if (!options.only.empty()) rig = only_with(std::move(rig), options.only);
  refuse_obstacles(options, rig);
  const Script script = read_script(options.script, rig, {});
  require_live(script, rig);
  const std::vector<std::string> read{options.rig, options.script};
  check_output_names(options.outputs, read);
  if (!options.black_box.empty() && !options.outputs.overwrite && std::filesystem::exists(options.black_box))
    throw Error(fmt::format("{}: is there already and is left as it is; say --overwrite to replace it",
                            options.black_box));
  const std::string black_box = black_box_of(options);
  for (const std::string& file : read)
    if (is_one_file(black_box, file))
      throw Error(fmt::format("--black-box {}: this command reads it; name another file", black_box));
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
  const std::string text = options.json ? drive_json(report, log) : drive_text(report, log);
  std::fputs(text.c_str(), stdout);
  const bool is_whole = report.verdict.is_sound() && report.played.record_failure.empty();
  return is_whole ? ExitStatus::done : ExitStatus::something_is_wrong;
}
