#include <fmt/format.h>
#include <fmt/ranges.h>
#include <unistd.h>

#include <algorithm>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <iostream>

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
#include "cogstride/script/verbs/verb.hpp"
#include "cogstride/session/remembered.hpp"
#include "commands.hpp"
#include "outputs.hpp"
#include "playing.hpp"
#include "replay.hpp"

using namespace cogstride;
using namespace cogstride::literals;

namespace {

/// What will move, how far and how fast.
std::string what_will_move(const Rig& rig, const Script& script) {
  std::string words;
  std::vector<std::size_t> moved;
  add_moved(script.statements, false, moved);
  for (const std::size_t i : moved) {
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

/// Rigs that were driven before, by what their files said.
class DrivenRigs {
 public:
  DrivenRigs() {
    if (const std::filesystem::path folder = state_folder(); !folder.empty()) file_ = folder / "driven-rigs";
  }
  [[nodiscard]] bool has(std::uint64_t rig) const {
    std::ifstream in(file_);
    for (std::string line; std::getline(in, line);)
      if (line == fmt::format("{:016x}", rig)) return true;
    return false;
  }
  void add(std::uint64_t rig) const {
    if (file_.empty() || has(rig)) return;
    std::error_code ignored;
    std::filesystem::create_directories(file_.parent_path(), ignored);
    std::ofstream(file_, std::ios::app) << fmt::format("{:016x}\n", rig);
  }

 private:
  std::filesystem::path file_;
};

/// @return whether the user agrees
bool asks_first(const DriveOptions& options, const Rig& rig, const Script& script) {
  const DrivenRigs driven;
  const std::uint64_t mark = fingerprint(read_text_file(options.rig));
  if (!options.yes && !driven.has(mark)) {
    fmt::print(stderr, "{} has not been driven before, as it is now. With power on:\n{}", options.rig,
               what_will_move(rig, script));
    if (isatty(STDIN_FILENO) == 0)
      throw Error(
          "nobody can be asked here whether that may be: say --yes, or drive it once from a terminal");
    fmt::print(stderr, "Rehearsed, and nobody's fingers in it? Drive it (yes/no) ");
    std::string answer;
    std::getline(std::cin, answer);
    if (answer != "yes" && answer != "y") return false;
  }
  driven.add(mark);
  return true;
}

/// What a statement asks of live lines that they cannot do; "" when they can.
std::string why_not_live(const About& about, const Rig& rig) {
  // A fade wants a duty, which not every line of this computer has.
  if (about.faded != About::nothing) {
    const PlainOutput& output = rig.outputs[about.faded];
    const std::string why = why_no_live_fade(rig.controller, output);
    if (!why.empty())
      return fmt::format("{} cannot be faded on live lines, only switched: {}", output.name, why);
  }
  // A held speed and a place want an encoder, which live lines do not read.
  if (about.pair != About::nothing && about.moves)
    return "live lines read no encoder, and a wheeled pair goes by those of its wheels";
  if (about.by_encoder)
    return fmt::format(
        "live lines read no encoder, so {0} can only be given a duty, such as 'spin {0} at 40 % for 2 s'",
        rig.mechanisms[about.mechanism].name);
  return {};
}

void refuse_what_cannot_be_live(std::span<const Statement> statements, const std::string& file,
                                const Rig& rig) {
  for (const Statement& statement : statements) {
    if (const std::string why = why_not_live(statement.verb->about(), rig); !why.empty())
      throw Error(fmt::format("{}:{}:{}: {}", file, statement.place.line, statement.place.column, why));
    refuse_what_cannot_be_live(statement.verb->inside(), file, rig);
  }
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
  refuse_what_cannot_be_live(script.statements, options.script, rig);
  const std::vector<std::string> read{options.rig, options.script};
  check_output_names(options.outputs, read);
  const std::string black_box = black_box_of(options);
  for (const std::string& file : read)
    if (is_one_file(black_box, file))
      throw Error(fmt::format("--black-box {}: this command reads it; name another file", black_box));
  if (!asks_first(options, rig, script)) {
    fmt::print(stderr, "nothing was moved\n");
    return ExitStatus::something_is_wrong;
  }
  EventLog log;
  Outputs outputs(options.outputs, read, rig.mechanisms.front());
  outputs.also(log);
  for (const std::string& note : live_notes(rig)) fmt::print(stderr, "note: {}\n", note);
  LiveBench bench(rig, {.trace = &outputs.sink(), .black_box = black_box, .labels = box_labels(options)});
  if (!bench.conditions().words.empty()) fmt::print(stderr, "note: {}\n", bench.conditions().words);
  ScriptPlayer player(script, bench.rig(), bench.cast());
  const Played played = play(bench, player, "driving", check_motions(script, rig, {}).length);
  if (played.is_sound) bench.serve(0.3_s);  // the swing of the last stop dies away
  bench.close();
  LiveReport report{rig.name, options.script, bench.verdict(), bench.played(), {}};
  if (report.verdict.fault.empty()) report.verdict.fault = played.fault;
  for (std::string& note : keep_taught(options.rig, options.keep_taught, rig, player.taught()))
    report.notes.push_back(std::move(note));
  if (!report.verdict.fault.empty() && !black_box.empty())
    report.notes.push_back(fmt::format("what led to it: cogstride rehearse {} {} --replay {}", options.rig,
                                       options.script, black_box));
  const std::string text = options.json ? drive_json(report, log) : drive_text(report, log);
  std::fputs(text.c_str(), stdout);
  const bool is_whole = report.verdict.fault.empty() && report.played.record_failure.empty();
  return is_whole ? ExitStatus::done : ExitStatus::something_is_wrong;
}
