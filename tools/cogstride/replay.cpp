#include "replay.hpp"

#include <fmt/format.h>

#include <cstdio>

#include "cogstride/bench/live/black_box.hpp"
#include "cogstride/report/reports.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/script/script_player.hpp"
#include "cogstride/session/live_run.hpp"
#include "outputs.hpp"
#include "playing.hpp"

using namespace cogstride;

namespace {

/// What is asked of a rehearsal and has no meaning for a run that has been.
void refuse_what_a_rehearsal_has(const RehearseOptions& options) {
  const auto refuse = [](bool is_given, const char* option, const char* why) {
    if (is_given) throw Error(fmt::format("{}: goes not with --replay: {}", option, why));
  };
  refuse(!options.start_at.empty(), "--start-at", "the run began as it did");
  refuse(!options.actual.empty(), "--actual", "what was really there is what the run read");
  refuse(!options.event.empty(), "--events", "what happened from outside is in the box");
  refuse(!options.remember.empty(), "--remember", "positions are those of the run");
  refuse(!options.measured.empty(), "--measured", "nothing is simulated that it could be held against");
  refuse(options.scatter > 0, "--scatter", "it is one run");
  refuse(options.average_pwm, "--average-pwm", "nothing is simulated");
  refuse(options.keep_taught, "--keep-taught", "`drive` keeps what a run has taught");
  refuse(!options.outputs.waves.empty(), "--waves", "what went out is in what `drive --waves` wrote");
  refuse(!options.outputs.report.empty(), "--report", "`drive --report` keeps the run itself");
  refuse(!options.outputs.plot.empty(), "--plot",
         "it draws what is made, and nothing is simulated; --csv has what was planned");
}

}  // namespace

ExitStatus run_replay(const RehearseOptions& options) {
  refuse_what_a_rehearsal_has(options);
  BlackBox box(options.replay);
  require_same_files(box, options.replay, options.rig, options.script);
  Rig rig = read_rig(options.rig);
  if (const std::vector<std::string> only = only_of(box); !only.empty())
    rig = only_with(std::move(rig), only);
  const Script script = read_script(options.script, rig, {});
  const std::vector<std::string> read{options.rig, options.script, options.replay};
  EventLog log;
  Outputs outputs(options.outputs, read, rig.mechanisms.front());
  outputs.also(log);
  LiveBench::Options bench;
  bench.trace = &outputs.sink();
  bench.replay = &box;
  const Driven driven = drive(rig, script, std::move(bench), [&](Bench& on, ScriptPlayer& player) {
    return play(on, player, "playing again", check_motions(script, rig, {}).length);
  });
  LiveReport report{rig.name, options.script, driven.verdict, {}, {}, {}};
  report.replayed = LiveReport::Replayed{box.labels().at("began"), driven.compared, driven.ends};
  const std::string text = options.json ? drive_json(report, log) : drive_text(report, log);
  std::fputs(text.c_str(), stdout);
  return driven.ends.empty() ? ExitStatus::done : ExitStatus::something_is_wrong;
}
