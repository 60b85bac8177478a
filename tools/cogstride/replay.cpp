#include "replay.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <chrono>
#include <cstdio>
#include <ctime>

#include "cogstride/bench/live/live_bench.hpp"
#include "cogstride/bench/live/recorded_lines.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/report/reports.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/script/script_player.hpp"
#include "outputs.hpp"
#include "playing.hpp"

using namespace cogstride;
using namespace cogstride::literals;

namespace {

std::string mark_of(const std::string& file) {
  return fmt::format("{:016x}", fingerprint(read_text_file(file)));
}

std::string label(const BlackBox& box, const std::string& key) {
  const auto found = box.labels().find(key);
  return found == box.labels().end() ? std::string() : found->second;
}

/// Only the files of the run can be played again.
void require_the_same(const BlackBox& box, const RehearseOptions& options) {
  const auto compare = [&](const char* key, const std::string& file) {
    if (label(box, std::string(key) + "_mark") == mark_of(file)) return;
    throw Error(fmt::format("{}: is of a run with another {} than {}: that was {}, as it was on {}",
                            options.replay, key, file, label(box, key), label(box, "began")));
  };
  compare("rig", options.rig);
  compare("script", options.script);
}

/// What is asked of a rehearsal and has no meaning for a run that has been.
void refuse_what_a_rehearsal_has(const RehearseOptions& options) {
  const auto refuse = [](bool is_given, const char* option, const char* why) {
    if (is_given) throw Error(fmt::format("{}: goes not with --replay: {}", option, why));
  };
  refuse(!options.start_at.empty(), "--start-at", "the run began as it did");
  refuse(!options.actual.empty(), "--actual", "what was really there is what the run read");
  refuse(!options.event.empty(), "--events", "what happened from outside is in the box");
  refuse(!options.remember.empty(), "--remember", "positions are those of the run");
  refuse(options.scatter > 0, "--scatter", "it is one run");
  refuse(options.average_pwm, "--average-pwm", "nothing is simulated");
  refuse(options.keep_taught, "--keep-taught", "`drive` keeps what a run has taught");
  refuse(!options.outputs.waves.empty(), "--waves", "what went out is in what `drive --waves` wrote");
  refuse(!options.outputs.plot.empty(), "--plot",
         "it draws what is made, and nothing is simulated; --csv has what was planned");
}

}  // namespace

BoxLabels box_labels(const DriveOptions& options) {
  const std::time_t now = std::chrono::system_clock::to_time_t(std::chrono::system_clock::now());
  std::tm local{};
  localtime_r(&now, &local);
  char began[32] = "";
  std::strftime(began, sizeof began, "%Y-%m-%d %H:%M:%S", &local);
  return {{"rig", options.rig},
          {"rig_mark", mark_of(options.rig)},
          {"script", options.script},
          {"script_mark", mark_of(options.script)},
          {"only", fmt::format("{}", fmt::join(options.only, ","))},
          {"began", began}};
}

ExitStatus run_replay(const RehearseOptions& options) {
  refuse_what_a_rehearsal_has(options);
  BlackBox box(options.replay);
  require_the_same(box, options);
  Rig rig = read_rig(options.rig);
  if (const std::string only = label(box, "only"); !only.empty()) {
    std::vector<std::string> names;
    for (std::size_t at = 0; at <= only.size();) {
      const std::size_t comma = std::min(only.find(',', at), only.size());
      names.push_back(only.substr(at, comma - at));
      at = comma + 1;
    }
    rig = only_with(std::move(rig), names);
  }
  const Script script = read_script(options.script, rig, {});
  const std::vector<std::string> read{options.rig, options.script, options.replay};
  EventLog log;
  Outputs outputs(options.outputs, read, rig.mechanisms.front());
  outputs.also(log);
  LiveBench bench(rig, {.trace = &outputs.sink(), .replay = &box});
  ScriptPlayer player(script, bench.rig(), bench.cast());
  std::string ends;
  std::string fault;
  try {
    const Played played = play(bench, player, "playing again", check_motions(script, rig, {}).length);
    fault = played.fault;
    if (played.is_sound) bench.serve(0.3_s);
    bench.close();
  } catch (const ReplayEnds& error) {
    ends = error.what();
    bench.close();
  }
  LiveReport report{rig.name, options.script, bench.verdict(), {}, {}};
  if (report.verdict.fault.empty()) report.verdict.fault = fault;
  report.replayed = LiveReport::Replayed{label(box, "began"), bench.commands_compared(), ends};
  const std::string text = options.json ? drive_json(report, log) : drive_text(report, log);
  std::fputs(text.c_str(), stdout);
  return ends.empty() ? ExitStatus::done : ExitStatus::something_is_wrong;
}
