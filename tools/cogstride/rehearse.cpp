#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <filesystem>
#include <mutex>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/plant/brushed_plant.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/report/reports.hpp"
#include "cogstride/report/scatter_report.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/script/script_player.hpp"
#include "cogstride/script/verbs/verb.hpp"
#include "cogstride/session/remembered.hpp"
#include "cogstride/study/scatter.hpp"
#include "cogstride/study/side_by_side.hpp"
#include "commands.hpp"
#include "outputs.hpp"
#include "playing.hpp"
#include "progress.hpp"
#include "replay.hpp"

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
      const OutputPosition position = parse_output<0>(word.substr(equals + 1));
      require_kind(mechanism, position.kind);
      standing[mechanism.name] = position;
    } catch (const Error& error) {
      throw Error(fmt::format("--start-at {}: {}", word, error.what()));
    }
  }
  return standing;
}

std::vector<std::string> read_by(const RehearseOptions& options) {
  return {options.rig, options.script, options.actual, options.event, options.remember};
}

/// Positions from the last run, and those of this one for the next.
class Memory {
 public:
  Memory(const RehearseOptions& options, const Rig& rig) : path_(options.remember) {
    if (path_.empty()) return;
    rig_ = fingerprint(read_text_file(options.rig));
    if (!std::filesystem::exists(path_)) return;
    try {
      remembered_ = parse_remembered(read_text_file(path_));
    } catch (const Error& error) {
      notes_.push_back(fmt::format("{}: {}", path_, error.what()));
    }
    if (!remembered_) return;
    for (const auto& [name, position] : remembered_->positions) (void)mechanism_named(rig, name);
  }

  /// Where the outputs stand, as far as the file can be believed before the switches have been read.
  [[nodiscard]] KnownPositions known() const {
    if (!remembered_ || remembered_->rig != rig_ || !remembered_->standing) return {};
    return remembered_->positions;
  }

  void recall(Bench& bench) {
    if (path_.empty()) return;
    if (remembered_) {
      for (std::string& note : recall_positions(bench, *remembered_, rig_)) notes_.push_back(std::move(note));
    }
    write_remembered(path_, {rig_, false, {}});  // from now on anything may move
  }

  void keep(Bench& bench) {
    if (!path_.empty()) write_remembered(path_, park_positions(bench, rig_));
  }

  [[nodiscard]] const std::vector<std::string>& notes() const { return notes_; }

 private:
  std::string path_;
  std::uint64_t rig_ = 0;
  std::optional<RememberedPositions> remembered_;
  std::vector<std::string> notes_;
};

/// One run of a script that only time decides: how far each drive has turned when all stands, in display
/// units; nothing when it ended otherwise.
std::vector<double> ends_of(const Rig& rig, const Script& script, std::uint64_t seed, bool averaged) {
  SimulatedBench::Options with_seed;
  with_seed.seed = seed;
  with_seed.average_pwm = averaged;
  SimulatedBench bench(rig, with_seed);
  bool stopped = false;
  bench.on_fault([&](const std::string&) { stopped = true; });
  ScriptPlayer player(script, rig, bench.cast());
  bench.run(player, [&] { return player.has_ended() || stopped; });
  if (stopped || !player.fault().empty()) return {};
  bench.come_to_rest();
  std::vector<double> ends;
  for (const Mechanism& mechanism : rig.mechanisms) {
    if (!mechanism.is_driven_by_duty()) continue;
    const BrushedPlant& plant = bench.brushed_plant(mechanism.name);
    for (int i = 0; i < 200 && plant.speed() != 0.0; ++i) bench.serve(50_ms);
    ends.push_back(plant.position() * display_units_per_base(output_kind(mechanism.train)));
  }
  return ends;
}

/// Plays a script with many seeds: where what is driven by duty ends.
ExitStatus scatter_ends(const RehearseOptions& options, const Rig& rig, const Script& script,
                        const std::vector<std::size_t>& moved) {
  std::vector<std::vector<double>> runs(options.scatter);
  ProgressLine progress;
  std::mutex one_at_a_time;
  std::size_t done = 0;
  side_by_side(options.scatter, [&](std::size_t i) {
    runs[i] = ends_of(rig, script, options.seed + i, options.average_pwm);
    const std::lock_guard lock(one_at_a_time);
    if (++done; progress.is_due()) progress.say(fmt::format("{} of {} runs", done, options.scatter));
  });
  progress.clear();
  std::vector<EndScatter> results;
  std::size_t place = 0;
  bool all_ended = true;
  for (std::size_t i = 0; i < rig.mechanisms.size(); ++i) {
    const Mechanism& mechanism = rig.mechanisms[i];
    if (!mechanism.is_driven_by_duty()) continue;
    const std::size_t drive = place++;
    if (std::find(moved.begin(), moved.end(), i) == moved.end()) continue;
    EndScatter result{mechanism.name, std::string(display_unit(output_kind(mechanism.train), 0)), {}, 0};
    for (const std::vector<double>& run : runs) {
      if (run.empty()) {
        ++result.failures;
      } else {
        result.ends.push_back(run[drive]);
      }
    }
    all_ended = all_ended && result.failures == 0;
    results.push_back(std::move(result));
  }
  const std::string text =
      options.json ? end_scatter_json(results) : end_scatter_text(options.script, results);
  std::fputs(text.c_str(), stdout);
  if (!options.outputs.plot.empty()) draw_end_scatter(options.outputs.plot, options.script, results);
  return all_ended ? ExitStatus::done : ExitStatus::something_is_wrong;
}

/// Homes each mechanism that the script homes, many times.
ExitStatus scatter(const RehearseOptions& options, const Rig& rig, const Script& script) {
  check_output_names(options.outputs, read_by(options));
  std::vector<std::size_t> homed;
  add_moved(script.statements, true, homed);
  if (!options.outputs.csv.empty() || !options.outputs.waves.empty())
    throw Error("--scatter draws a figure (--plot) and prints figures; it writes no --waves and no --csv");
  if (homed.empty()) {
    std::vector<std::size_t> moved;
    add_moved(script.statements, false, moved);
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

/// What is really on the bench: the same mechanisms, of the same kinds, in the same order.
std::optional<Rig> actual_rig(const RehearseOptions& options, const Rig& rig) {
  if (options.actual.empty()) return std::nullopt;
  Rig actual = read_rig(options.actual);
  const auto same = [](const Mechanism& a, const Mechanism& b) {
    return a.name == b.name && a.motor.index() == b.motor.index() && a.board.index() == b.board.index();
  };
  const auto same_pair = [](const WheeledPair& a, const WheeledPair& b) { return a.name == b.name; };
  if (!std::equal(rig.mechanisms.begin(), rig.mechanisms.end(), actual.mechanisms.begin(),
                  actual.mechanisms.end(), same) ||
      !std::equal(rig.pairs.begin(), rig.pairs.end(), actual.pairs.begin(), actual.pairs.end(), same_pair))
    throw Error(fmt::format(
        "--actual {}: has not the mechanisms of {}, of the same kinds and in the same order: begin "
        "with a copy of it",
        options.actual, options.rig));
  return actual;
}

/// The first wheeled pair that a script drives.
std::optional<std::size_t> cart_of(std::span<const Statement> statements) {
  for (const Statement& statement : statements) {
    const About about = statement.verb->about();
    if (about.pair != About::nothing && about.moves) return about.pair;
    if (const auto inside = cart_of(statement.verb->inside())) return inside;
  }
  return std::nullopt;
}

std::vector<MechanismPanel> panels_of(const Rig& rig, const std::vector<std::size_t>& moved) {
  std::vector<MechanismPanel> panels;
  for (const std::size_t i : moved) {
    const Mechanism& mechanism = rig.mechanisms[i];
    const OutputKind kind = output_kind(mechanism.train);
    const std::string name = mechanism.name + ".";
    const std::string position_unit(display_unit(kind, 0));
    if (mechanism.is_driven_by_duty() || mechanism.has_six_gates()) {
      panels.push_back(
          {mechanism.name, name + "duty", name + "speed", "%", std::string(speed_unit(kind)), "duty"});
    } else if (mechanism.swings()) {
      panels.push_back(
          {mechanism.name, name + "made", name + "current", position_unit, "A", "angle", "current"});
    } else if (mechanism.is_throttled()) {
      panels.push_back({mechanism.name, name + "speed", name + "current", "%", "A", "speed", "current"});
    } else {
      panels.push_back(
          {mechanism.name, name + "made", name + "speed", position_unit, std::string(display_unit(kind, 1))});
    }
  }
  return panels;
}

FigureContent figure_content(const RehearsalReport& report, const Mechanism& mechanism) {
  const OutputKind kind = output_kind(mechanism.train);
  FigureContent content;
  content.title = fmt::format("{}: {}", mechanism.name, figure_title(report));
  content.lines_of = mechanism.name;
  content.position = {{mechanism.name + ".made", "made", "#2a5c9a", 4},
                      {mechanism.name + ".asked", "asked", "#d9a441", 1}};
  content.speed = {{mechanism.name + ".speed", "made", "#2a5c9a"}};
  content.position_unit = display_unit(kind, 0);
  content.speed_unit = display_unit(kind, 1);
  return content;
}

}  // namespace

ExitStatus run_rehearse(const RehearseOptions& options) {
  if (!options.replay.empty()) return run_replay(options);
  const Rig rig = read_rig(options.rig);
  Memory memory(options, rig);
  const KnownPositions known = memory.known();
  const Script script = read_script(options.script, rig, known);
  if (options.scatter > 0) {
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
  std::vector<std::size_t> moved;
  add_moved(script.statements, false, moved);
  const Mechanism& shown = moved.empty() ? *movable : rig.mechanisms[moved.front()];
  std::map<std::string, OutputPosition> standing = standing_of(options.start_at, rig);
  standing.insert(known.begin(), known.end());  // a simulated bench that was left so
  const std::vector<OutsideEvent> events =
      options.event.empty() ? std::vector<OutsideEvent>{} : read_events(options.event, rig);

  EventLog log;
  Outputs outputs(options.outputs, read_by(options), shown);
  outputs.also(log);
  SimulatedBench bench(rig, {.seed = options.seed,
                             .start_positions = standing,
                             .average_pwm = options.average_pwm,
                             .actual = actual_rig(options, rig),
                             .events = events,
                             .trace = &outputs.sink()});
  memory.recall(bench);
  ScriptPlayer player(script, rig, bench.cast());
  const Played played = play(bench, player, "rehearsing", check_motions(script, rig, known).length);
  bench.serve(0.3_s);  // the swing of the last stop dies away
  if (played.is_sound) memory.keep(bench);
  RehearsalReport report{rig.name, options.script, bench.verdict(), {}};
  if (!played.fault.empty()) report.verdict.fault = played.fault;
  report.notes = memory.notes();
  for (const OutsideEvent& event : bench.events_not_come())
    report.notes.push_back(fmt::format("{}: the run ended before '{}' at {}", options.event, to_text(event),
                                       to_text(event.at, "s")));
  for (std::string& note : keep_taught(options.rig, options.keep_taught, rig, player.taught()))
    report.notes.push_back(std::move(note));
  bench.close();
  if (const auto cart = cart_of(script.statements); cart && moved.empty()) {
    const WheeledPair& pair = rig.pairs[*cart];
    outputs.draw_cart(fmt::format("{}: {}", pair.name, figure_title(report)), pair.name);
  } else if (moved.size() > 1) {
    outputs.draw(figure_title(report), panels_of(rig, moved));
  } else if (shown.is_driven_by_duty()) {
    outputs.draw_drive(fmt::format("{}: {}", shown.name, figure_title(report)), shown);
  } else if (shown.has_six_gates()) {
    outputs.draw_brushless(fmt::format("{}: {}", shown.name, figure_title(report)), shown);
  } else if (shown.takes_pulse_width()) {
    std::optional<double> too_warm_at;
    for (const VerdictMoment& moment : report.verdict.of(shown.name).moments)
      too_warm_at = log.layout().seconds(moment.at);
    outputs.draw_pulsed(fmt::format("{}: {}", shown.name, figure_title(report)), shown, too_warm_at);
  } else {
    outputs.draw(figure_content(report, shown));
  }

  const std::string text = options.json ? rehearsal_json(report, log) : rehearsal_text(report, log);
  std::fputs(text.c_str(), stdout);
  return report.verdict.is_sound() ? ExitStatus::done : ExitStatus::something_is_wrong;
}
