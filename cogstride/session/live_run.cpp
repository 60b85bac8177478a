#include "cogstride/session/live_run.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <chrono>
#include <cstdlib>
#include <ctime>
#include <fstream>

#include "cogstride/bench/live/recorded_lines.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/script/verbs/verb.hpp"

namespace cogstride {
namespace {

const std::string by_hand_script = "orders by hand";

/// What a statement asks of live lines that they cannot do; "" when they can.
std::string why_not_live(const About& about, const Rig& rig) {
  // A fade wants a duty, which not every line of this computer has.
  if (about.faded != About::nothing) {
    const PlainOutput& output = rig.outputs[about.faded];
    const std::string why = why_no_live_fade(rig, output);
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

void require_live(std::span<const Statement> statements, const std::string& file, const Rig& rig) {
  for (const Statement& statement : statements) {
    if (const std::string why = why_not_live(statement.verb->about(), rig); !why.empty())
      throw Error(fmt::format("{}:{}:{}: {}", file, statement.place.line, statement.place.column, why));
    require_live(statement.verb->inside(), file, rig);
  }
}

std::string mark_of(const std::string& file) {
  return fmt::format("{:016x}", fingerprint(read_text_file(file)));
}

std::string label_of(const BlackBox& box, const std::string& key) {
  const auto found = box.labels().find(key);
  return found == box.labels().end() ? std::string() : found->second;
}

}  // namespace

Driven drive(const Rig& rig, const Script& script, LiveBench::Options options,
             const std::function<PlayedScript(Bench&, ScriptPlayer&)>& play,
             const std::function<void(LiveBench&)>& opened) {
  LiveBench bench(rig, std::move(options));
  if (opened) opened(bench);
  ScriptPlayer player(script, bench.rig(), bench.cast());
  Driven driven;
  std::string fault;
  try {
    const PlayedScript played = play(bench, player);
    fault = played.fault;
    if (played.is_sound) bench.serve(Time(0.3, units::s));  // the swing of the last stop dies away
  } catch (const ReplayEnds& error) {
    driven.ends = error.what();
  }
  bench.close();
  driven.verdict = bench.verdict();
  if (driven.verdict.fault.empty()) driven.verdict.fault = fault;
  driven.played = bench.played();
  driven.taught = player.taught();
  driven.compared = bench.commands_compared();
  return driven;
}

void require_live(const Script& script, const Rig& rig) {
  require_live(script.statements, script.name, rig);
}

std::filesystem::path state_folder() {
  const char* const state = std::getenv("XDG_STATE_HOME");
  const char* const home = std::getenv("HOME");
  if (state != nullptr && *state != 0) return std::filesystem::path(state) / "cogstride";
  if (home != nullptr && *home != 0) return std::filesystem::path(home) / ".local" / "state" / "cogstride";
  return {};
}

DrivenRigs::DrivenRigs() {
  if (const std::filesystem::path folder = state_folder(); !folder.empty()) file_ = folder / "driven-rigs";
}

bool DrivenRigs::has(std::uint64_t mark) const {
  std::ifstream in(file_);
  for (std::string line; std::getline(in, line);)
    if (line == fmt::format("{:016x}", mark)) return true;
  return false;
}

void DrivenRigs::add(std::uint64_t mark) const {
  if (file_.empty() || has(mark)) return;
  std::error_code ignored;
  std::filesystem::create_directories(file_.parent_path(), ignored);
  std::ofstream(file_, std::ios::app) << fmt::format("{:016x}\n", mark);
}

BoxLabels box_labels(const std::string& rig_file, const std::string& script_file,
                     const std::vector<std::string>& only) {
  const std::time_t now = std::chrono::system_clock::to_time_t(std::chrono::system_clock::now());
  std::tm local{};
  localtime_r(&now, &local);
  char began[32] = "";
  std::strftime(began, sizeof began, "%Y-%m-%d %H:%M:%S", &local);
  return {{"rig", rig_file},
          {"rig_mark", mark_of(rig_file)},
          {"script", script_file.empty() ? by_hand_script : script_file},
          {"script_mark", script_file.empty() ? std::string() : mark_of(script_file)},
          {"only", fmt::format("{}", fmt::join(only, ","))},
          {"began", began}};
}

std::vector<std::string> only_of(const BlackBox& box) {
  const std::string only = label_of(box, "only");
  std::vector<std::string> names;
  for (std::size_t at = 0; at < only.size();) {
    const std::size_t comma = std::min(only.find(',', at), only.size());
    names.push_back(only.substr(at, comma - at));
    at = comma + 1;
  }
  return names;
}

void require_same_files(const BlackBox& box, const std::string& box_file, const std::string& rig_file,
                        const std::string& script_file) {
  const bool was_by_hand = label_of(box, "script") == by_hand_script;
  if (was_by_hand != script_file.empty())
    throw Error(fmt::format("{}: is of a run {}", box_file,
                            was_by_hand
                                ? "by hand: `cogstride operate RIG --replay` plays it again"
                                : "of a script: `cogstride rehearse RIG SCRIPT --replay` plays it again"));
  const auto compare = [&](const std::string& key, const std::string& file) {
    if (file.empty() || label_of(box, key + "_mark") == mark_of(file)) return;
    throw Error(fmt::format("{}: is of a run with another {} than {}: that was {}, as it was on {}", box_file,
                            key, file, label_of(box, key), label_of(box, "began")));
  };
  compare("rig", rig_file);
  compare("script", script_file);
}

}  // namespace cogstride
