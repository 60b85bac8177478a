#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <csignal>
#include <cstdio>

#include "cogstride/bench/simulated_bench.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/report/reports.hpp"
#include "cogstride/rig/read_rig.hpp"
#include "cogstride/script/script_player.hpp"
#include "commands.hpp"
#include "outputs.hpp"

using namespace cogstride;
using namespace cogstride::literals;

namespace {

volatile std::sig_atomic_t interrupted = 0;

void note_interrupt(int) {
  interrupted = 1;
}

/// Bench time so far, on a terminal, when the run takes longer than a second.
class Progress {
 public:
  void show(const Bench& bench) {
    if (++calls_ % 256 != 0 || isatty(STDERR_FILENO) == 0) return;
    const auto now = std::chrono::steady_clock::now();
    if (now < next_) return;
    next_ = now + std::chrono::milliseconds(500);
    std::fprintf(stderr, "\r  rehearsing: %.1f s on the bench ", bench.now().in(units::s));
    shown_ = true;
  }
  void clear() const {
    if (shown_) std::fprintf(stderr, "\r%50s\r", "");
  }

 private:
  unsigned calls_ = 0;
  bool shown_ = false;
  std::chrono::steady_clock::time_point next_ = std::chrono::steady_clock::now() + std::chrono::seconds(1);
};

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

/// The mechanisms that the script moves, in the order in which it names them.
void add_moved(const std::vector<Statement>& statements, std::vector<std::size_t>& moved) {
  for (const Statement& statement : statements) {
    const bool moves = statement.kind == Statement::Kind::home || statement.kind == Statement::Kind::move;
    if (moves && std::find(moved.begin(), moved.end(), statement.mechanism) == moved.end())
      moved.push_back(statement.mechanism);
    add_moved(statement.body, moved);
  }
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
  const Script script = read_script(options.script, rig);
  const auto movable = std::find_if(rig.mechanisms.begin(), rig.mechanisms.end(),
                                    [](const Mechanism& m) { return m.is_movable_stepper(); });
  if (movable == rig.mechanisms.end())
    throw Error(fmt::format(
        "{}: has no mechanism to rehearse: so far those are steppers on STEP/DIR and two-pulse boards, "
        "transistor arrays and dual H-bridges",
        options.rig));
  std::vector<std::size_t> moved;
  add_moved(script.statements, moved);
  const Mechanism& shown = moved.empty() ? *movable : rig.mechanisms[moved.front()];
  const std::size_t first_signal = SimulatedBench::first_signal(rig, shown);

  EventLog log;
  Outputs outputs(options.outputs, shown, first_signal + 2);
  outputs.also(log);
  SimulatedBench bench(rig, {.seed = options.seed,
                             .start_positions = standing_of(options.standing, rig),
                             .trace = &outputs.sink()});
  ScriptPlayer player(script, rig, bench.stage());

  std::signal(SIGINT, note_interrupt);
  Progress progress;
  bench.run(player, [&] {
    progress.show(bench);
    return player.has_ended() || interrupted != 0;
  });
  progress.clear();
  if (interrupted == 0) bench.serve(0.3_s);  // the swing of the last stop dies away
  RehearsalReport report{rig.name, options.script, bench.tally()};
  if (!player.fault().empty()) report.tally.fault = player.fault();
  if (interrupted != 0) report.tally.fault = "interrupted";
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
