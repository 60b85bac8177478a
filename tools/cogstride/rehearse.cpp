#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <csignal>
#include <cstdio>
#include <filesystem>
#include <mutex>

#include "cogstride/bench/remembered.hpp"
#include "cogstride/bench/scatter.hpp"
#include "cogstride/bench/simulated_bench.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/report/reports.hpp"
#include "cogstride/report/scatter_report.hpp"
#include "cogstride/rig/read_rig.hpp"
#include "cogstride/script/script_player.hpp"
#include "commands.hpp"
#include "outputs.hpp"
#include "progress.hpp"

using namespace cogstride;
using namespace cogstride::literals;

namespace {

volatile std::sig_atomic_t interrupted = 0;

void note_interrupt(int) {
  interrupted = 1;
}

/// Bench time so far, and what is left of it as far as that can be told.
std::string progress_words(const Bench& bench, const ScriptPlayer& player, const ScriptLength& length) {
  const double now = bench.now().in(units::s);
  std::string words = fmt::format("rehearsing: {:.1f} s on the bench", now);
  if (!length.has_an_end) return words + ", without end (Ctrl-C ends it)";
  const Tick tick = std::llround(now * bench.rig().controller.timer_clock.base().to_double());
  const double left = length.seconds - player.known_seconds_done(tick);
  if (left <= 0.0) return words;
  return words + fmt::format(", {}{:.0f} s left", length.is_whole ? "about " : "at least ", left);
}

std::map<std::string, OutputPosition> standing_of(const std::vector<std::string>& words, const Rig& rig) {
  std::map<std::string, OutputPosition> standing;
  for (const std::string& word : words) {
    const std::size_t equals = word.find('=');
    if (equals == std::string::npos)
      throw Error(fmt::format("--standing {}: write it as traverse=59mm", word));
    try {
      const Mechanism& mechanism = mechanism_named(rig, word.substr(0, equals));
      const OutputPosition position = parse_output<0>(word.substr(equals + 1));
      require_kind(mechanism, position.kind);
      standing[mechanism.name] = position;
    } catch (const Error& error) {
      throw Error(fmt::format("--standing {}: {}", word, error.what()));
    }
  }
  return standing;
}

/// The mechanisms that the script moves (or homes), in the order in which it names them.
void add_moved(const std::vector<Statement>& statements, bool homed_only, std::vector<std::size_t>& moved) {
  using Kind = Statement::Kind;
  for (const Statement& statement : statements) {
    const Kind kind = statement.kind;
    const bool moves = kind == Kind::home || (!homed_only && (kind == Kind::move || kind == Kind::spin ||
                                                              kind == Kind::measure || kind == Kind::jog));
    if (moves && std::find(moved.begin(), moved.end(), statement.mechanism) == moved.end())
      moved.push_back(statement.mechanism);
    add_moved(statement.inside(), homed_only, moved);
  }
}

/// Homes each mechanism that the script homes, many times.
Status scatter(const RehearseOptions& options, const Rig& rig, const Script& script) {
  check_output_names(options.outputs);
  std::vector<std::size_t> homed;
  add_moved(script.statements, true, homed);
  if (homed.empty()) throw Error(fmt::format("{}: homes nothing that could scatter", options.script));
  if (!options.outputs.csv.empty() || !options.outputs.waves.empty())
    throw Error("--scatter draws a figure (--plot) and prints figures; it writes no --waves and no --csv");
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
  return all_found ? Status::done : Status::something_is_wrong;
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

/// Writes taught limits into the rig's file, when that is wanted. @return what was taught, in words
std::vector<std::string> keep_taught(const RehearseOptions& options, const Rig& rig,
                                     const std::vector<TaughtLimit>& taught) {
  std::vector<std::string> notes;
  for (const TaughtLimit& limit : taught) {
    const std::string key = fmt::format("mechanism.{}.limits.travel", rig.mechanisms[limit.mechanism].name);
    const std::string value =
        fmt::format("{{ from = \"{}\", to = \"{}\" }}", to_text(limit.from), to_text(limit.to));
    if (options.keep_taught) {
      ChangeOptions change{options.rig, key, value};
      change.quiet = true;
      (void)run_change(change);
    }
    notes.push_back(
        fmt::format("taught: {} = {}{}", key, value,
                    options.keep_taught ? ", written into the rig" : " (--keep-taught writes it)"));
  }
  return notes;
}

std::string figure_title(const RehearsalReport& report) {
  return fmt::format("{} on the simulated bench, {}", report.script,
                     report.tally.is_sound() ? "all as asked" : "something is wrong");
}

std::vector<MechanismPanel> panels_of(const Rig& rig, const std::vector<std::size_t>& moved) {
  std::vector<MechanismPanel> panels;
  for (const std::size_t i : moved) {
    const Mechanism& mechanism = rig.mechanisms[i];
    const OutputKind kind = output_kind(mechanism.train);
    const std::size_t first = SimulatedBench::first_signal(rig, mechanism);
    panels.push_back({mechanism.name, first + 1, first + 2, std::string(display_unit(kind, 0)),
                      std::string(display_unit(kind, 1))});
  }
  return panels;
}

FigureContent figure_content(const RehearsalReport& report, const Mechanism& mechanism,
                             std::size_t first_signal) {
  const std::size_t asked = first_signal;
  const OutputKind kind = output_kind(mechanism.train);
  FigureContent content;
  content.title = fmt::format("{}: {}", mechanism.name, figure_title(report));
  content.lines_of = mechanism.name;
  content.position = {{asked + 1, "made", "#1f5fa8", 4}, {asked, "asked", "#e0a030", 1}};
  content.speed = {{asked + 2, "made", "#1f5fa8"}};
  content.position_unit = display_unit(kind, 0);
  content.speed_unit = display_unit(kind, 1);
  return content;
}

}  // namespace

Status run_rehearse(const RehearseOptions& options) {
  const Rig rig = read_rig(options.rig);
  Memory memory(options, rig);
  const KnownPositions known = memory.known();
  const Script script = read_script(options.script, rig, known);
  if (options.scatter > 0) return scatter(options, rig, script);
  const auto movable = std::find_if(rig.mechanisms.begin(), rig.mechanisms.end(),
                                    [](const Mechanism& m) { return m.is_movable(); });
  if (movable == rig.mechanisms.end())
    throw Error(fmt::format(
        "{}: has no mechanism to rehearse: so far those are steppers on STEP/DIR and two-pulse boards, "
        "transistor arrays and dual H-bridges, and servos that take steps",
        options.rig));
  std::vector<std::size_t> moved;
  add_moved(script.statements, false, moved);
  const Mechanism& shown = moved.empty() ? *movable : rig.mechanisms[moved.front()];
  const std::size_t first_signal = SimulatedBench::first_signal(rig, shown);
  std::map<std::string, OutputPosition> standing = standing_of(options.standing, rig);
  standing.insert(known.begin(), known.end());  // a simulated bench that was left so
  const std::vector<Stimulus> stimuli =
      options.stimulus.empty() ? std::vector<Stimulus>{} : read_stimuli(options.stimulus, rig);

  EventLog log;
  Outputs outputs(options.outputs, shown, first_signal + 2);
  outputs.also(log);
  SimulatedBench bench(
      rig, {.seed = options.seed, .start_positions = standing, .stimuli = stimuli, .trace = &outputs.sink()});
  memory.recall(bench);
  ScriptPlayer player(script, rig, bench.stage());
  player.on_statement([&](Tick at, const Statement& statement) {
    const bool is_output =
        statement.kind == Statement::Kind::switch_output || statement.kind == Statement::Kind::fade_output;
    if (is_output)
      bench.trace_event({at, rig.outputs[statement.output].name, statement.text, TraceEvent::Kind::note});
  });
  bool stopped_from_outside = false;
  bench.on_fault([&](const std::string&) { stopped_from_outside = true; });

  std::signal(SIGINT, note_interrupt);
  std::signal(SIGTERM, note_interrupt);
  const ScriptLength length = check_motions(script, rig, known).length;
  ProgressLine progress;
  unsigned turns = 0;
  bench.run(player, [&] {
    if (++turns % 256 == 0 && progress.is_due()) progress.say(progress_words(bench, player, length));
    return player.has_ended() || stopped_from_outside || interrupted != 0;
  });
  progress.clear();
  RehearsalReport report{rig.name, options.script, {}};
  const bool is_sound = player.fault().empty() && !stopped_from_outside && interrupted == 0;
  if (interrupted != 0) {
    bench.stop(rig.stops.interrupt, "interrupted");
  } else if (!player.fault().empty()) {
    bench.stop(rig.stops.fault, player.fault());
  } else if (is_sound) {
    bench.come_to_rest();
  }
  bench.wait_for_all();
  bench.serve(0.3_s);  // the swing of the last stop dies away
  if (is_sound) memory.keep(bench);
  report.tally = bench.tally();
  if (!player.fault().empty()) report.tally.fault = player.fault();
  if (interrupted != 0) report.tally.fault = "interrupted";
  report.notes = memory.notes();
  for (std::string& note : keep_taught(options, rig, player.taught()))
    report.notes.push_back(std::move(note));
  bench.close();
  if (moved.size() > 1) {
    outputs.draw(figure_title(report), panels_of(rig, moved));
  } else {
    outputs.draw(figure_content(report, shown, first_signal));
  }

  const std::string text = options.json ? rehearsal_json(report, log) : rehearsal_text(report, log);
  std::fputs(text.c_str(), stdout);
  return report.tally.is_sound() ? Status::done : Status::something_is_wrong;
}
