#include "cogstride/bench/live/live_lines.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <cmath>
#include <map>
#include <optional>
#include <thread>

#include "cogstride/bench/live/edge_player.hpp"
#include "cogstride/bench/live/live_counters.hpp"
#include "cogstride/bench/live/player_thread.hpp"
#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/port/analogue_reader.hpp"
#include "cogstride/port/bell.hpp"

namespace cogstride {
namespace {

constexpr std::size_t command_room = 8192;
constexpr std::size_t report_room = 131'072;
constexpr std::int64_t between_looks_at_counted_ns = 500'000;
constexpr auto longest_answer = std::chrono::seconds(1);
constexpr auto longest_playing_out = std::chrono::milliseconds(100);

}  // namespace

struct LiveLines::Inside {
  static EdgePlayer::Setup player_setup(const Setup& setup, double ticks_per_second) {
    EdgePlayer::Setup of_player{.lines = setup.lines,
                                .pwm = setup.pwm,
                                .ticks_per_second = ticks_per_second,
                                .bound = setup.bound,
                                .spin_ns = PlayerThread::most_spin_ns,
                                .longest_sleep_ns = PlayerThread::life_sign_ns};
    of_player.cuts = setup.cuts;
    of_player.buses = setup.buses;
    of_player.counted = counted_lines(setup);
    if (!of_player.counted.empty())
      of_player.longest_sleep_ns = std::min(of_player.longest_sleep_ns, between_looks_at_counted_ns);
    of_player.silence_ns = std::llround(1e9 * planning_may_be_silent.base().to_double());
    return of_player;
  }

  Inside(Setup given, LinePort& port)
      : setup(std::move(given)),
        ticks_per_second(setup.clock.base().to_double()),
        port_(port),
        commands(command_room),
        reports(report_room),
        player(player_setup(setup, ticks_per_second), port, commands, reports),
        counters(setup.counters, setup.hardware_counters,
                 [this](std::int64_t ns) { return player.tick_of(ns); }) {
    for (const LineSetup& line : setup.lines) {
      if (line.use != LineSetup::Use::input) continue;
      inputs[line.source] = line.id;
      first_levels[line.id] = port.read(line.id);
    }
    counters.begin([this](LineId line) { return first_levels.at(line); });
    if (setup.converter != nullptr)
      analogue = std::make_unique<AnalogueReader>(
          *setup.converter, setup.analogue_channels,
          AnalogueReader::Clock{[this] { return player.now(); }, ticks_per_second}, [this] { bell.ring(); });
    thread.emplace(PlayerThread::Setup{setup.on_turn, setup.asks_for_real_time}, player, port, bell);
    priority.emplace(thread->conditions().real_time);
  }

  void push(const LiveCommand& command) {
    if (has_ended) throw RangeError("the live bench has been closed: its lines are given back");
    player.planning_lives();
    const auto until = std::chrono::steady_clock::now() + longest_answer;
    while (!commands.push(command)) {
      if (thread->is_gone()) return;  // told as trouble
      if (std::chrono::steady_clock::now() > until)
        throw Error("the player of the lines takes no commands any more");
      port_.wake();
      std::this_thread::yield();
    }
    has_pushed = true;
  }

  /// Takes what the player has told; edges and answers are kept apart.
  void drain() {
    PlayerReport report;
    while (reports.pop(report)) {
      switch (report.kind) {
        case PlayerReport::Kind::reading:
          if (listener && inputs.contains(report.source) && report.is_edge)
            listener(report.at + player.stood_still(), report.line, report.high);
          if (report.is_edge && counters.counts(report.line)) {
            if (!counters.take(report.line, report.high, report.at)) edges_are_missing(report.line);
            break;
          }
          readings.push_back({report.at, report.source, report.high ? 1 : 0});
          break;
        case PlayerReport::Kind::came_in:
          readings.push_back(reading_of(report.at, report.bus, report.frame));
          break;
        case PlayerReport::Kind::written:
          if (listener) listener(report.at, report.line, report.high);
          break;
        case PlayerReport::Kind::withdrawn:
          left = report.left;
          has_answer = true;
          break;
        case PlayerReport::Kind::too_late:
          if (trouble.late == 0) trouble.line = report.line;
          trouble.late += report.late;
          has_trouble = true;
          break;
        case PlayerReport::Kind::cut:
          // Planning's own cut comes after those of the player and does away with them.
          trouble.cut_by = report.cut_by;
          has_trouble = has_trouble || report.cut_by != CutBy::planning;
          break;
      }
    }
    if (analogue) analogue->take(readings);
    const std::string why = thread->is_gone() ? thread->why_gone()
                            : analogue        ? analogue->gone()
                                              : std::string();
    if (!why.empty() && !told_gone) {
      told_gone = true;
      trouble.gone = why;
      has_trouble = true;
    }
  }

  void read_counters() {
    try {
      counters.read(now, readings);
    } catch (const PortGone& gone) {
      counters.forget();
      if (std::exchange(told_gone, true)) return;
      trouble.gone = gone.what();
      has_trouble = true;
    }
  }

  /// What has been counted is wrong from here on.
  void edges_are_missing(LineId line) {
    if (told_gone) return;
    told_gone = true;
    for (const LineSetup& each : setup.lines)
      if (each.id == line)
        trouble.gone = fmt::format(
            "{} (line {}) has changed twice before it was read once: its encoder turns faster than this "
            "computer reads its edges, and its count is wrong from here on",
            each.name, static_cast<int>(line));
    has_trouble = true;
  }

  /// @return whether the player has answered in time
  bool await_answer() {
    const auto until = std::chrono::steady_clock::now() + longest_answer;
    for (drain(); !has_answer; drain()) {
      if (thread->is_gone() || std::chrono::steady_clock::now() > until) break;
      bell.wait(1'000'000);
    }
    return std::exchange(has_answer, false);
  }

  Setup setup;
  double ticks_per_second;
  LinePort& port_;
  EdgePlayer::Commands commands;
  EdgePlayer::Reports reports;
  EdgePlayer player;
  LiveCounters counters;
  Bell bell;
  std::unique_ptr<AnalogueReader> analogue;  // rings the bell
  std::map<SourceId, LineId> inputs;
  std::map<LineId, bool> first_levels;
  std::function<void(Tick, LineId, bool)> listener;

  std::atomic<bool> woken{false};

  // Planning's own.
  Tick now = 0;
  bool has_pushed = false;
  std::vector<Reading> readings;
  Withdrawn left{};
  bool has_answer = false;
  Trouble trouble{};
  bool has_trouble = false;
  bool told_gone = false;
  bool has_ended = false;

  std::optional<PlayerThread> thread;
  std::optional<PlanningPriority> priority;
};

std::vector<LineId> LiveLines::counted_lines(const Setup& setup) {
  std::vector<LineId> counted;
  for (const LineSetup& line : setup.lines)
    if (std::any_of(setup.counters.begin(), setup.counters.end(), [&](const CounterSetup& counter) {
          return counter.line_a == line.id || counter.line_b == line.id;
        }))
      counted.push_back(line.id);
  return counted;
}

LiveLines::LiveLines(Setup setup, LinePort& port)
    : inside_(std::make_unique<Inside>(std::move(setup), port)) {
  catch_up();
}

LiveLines::~LiveLines() {
  end();
}

void LiveLines::end() noexcept {
  if (inside_->has_ended) return;
  cut();
  inside_->thread->end();
  inside_->has_ended = true;
  inside_->priority.reset();
}

void LiveLines::play_out() noexcept {
  if (inside_->has_ended || inside_->has_trouble) return;
  inside_->player.play_out(now());
  inside_->port_.wake();
  const auto until = std::chrono::steady_clock::now() + longest_playing_out;
  while (!inside_->player.has_played_out() && !inside_->thread->is_gone() &&
         std::chrono::steady_clock::now() < until)
    inside_->bell.wait(1'000'000);
}

void LiveLines::deliver() {
  inside_->drain();
}

const RestOutcome& LiveLines::rested() const {
  return inside_->thread->rested();
}

void LiveLines::answer_cuts() {
  if (inside_->has_ended) return;
  LiveCommand command;
  command.kind = LiveCommand::Kind::answered;
  inside_->push(command);
}

void LiveLines::watch(MechanismId mechanism, bool is_watched) {
  LiveCommand command;
  command.kind = LiveCommand::Kind::watch;
  command.mechanism = mechanism;
  command.is_watched = is_watched;
  inside_->push(command);
}

void LiveLines::on_edge(std::function<void(Tick, LineId, bool)> listener) {
  inside_->listener = std::move(listener);
}

Tick LiveLines::now() const {
  return inside_->now;
}

Tick LiveLines::horizon() const {
  return inside_->setup.horizon;
}

Tick LiveLines::lead() const {
  return inside_->setup.lead;
}

void LiveLines::wake() noexcept {
  inside_->woken.store(true, std::memory_order_release);
  inside_->bell.ring();
}

void LiveLines::catch_up() {
  if (inside_->has_ended) return;  // its port may be gone
  inside_->player.planning_lives();
  inside_->now = std::max(inside_->now, inside_->player.now());
}

std::span<const LineSetup> LiveLines::lines() const {
  return inside_->setup.lines;
}

bool LiveLines::level(LineId line) const {
  return inside_->first_levels.at(line);
}

void LiveLines::put(Tick at, std::span<const Level> levels) {
  LiveCommand command;
  command.kind = LiveCommand::Kind::levels;
  command.at = at;
  for (const Level& level : levels) command.levels[command.level_count++] = level;
  inside_->push(command);
}

void LiveLines::put(FineTick start, LineId line, std::span<const chip::PulseRun> runs,
                    std::optional<StopOn> stop) {
  LiveCommand command;
  command.kind = LiveCommand::Kind::run;
  command.line = line;
  command.has_stop = stop.has_value();
  if (stop) command.stop = *stop;
  for (const chip::PulseRun& run : runs) {
    command.start = start;
    command.run = run;
    inside_->push(command);
    start = end_of_run(start, run);
  }
}

void LiveLines::put(Tick at, std::span<const Compare> compares) {
  LiveCommand command;
  command.kind = LiveCommand::Kind::duties;
  command.at = at;
  for (const Compare& compare : compares) {
    command.compares[command.compare_count++] = compare;
  }
  inside_->push(command);
}

void LiveLines::put(Tick at, BusId bus, const Frame& frame, MechanismId whose) {
  LiveCommand command;
  command.kind = LiveCommand::Kind::frame;
  command.at = at;
  command.bus = bus;
  command.frame = frame;
  command.mechanism = whose;
  inside_->push(command);
}

void LiveLines::sample(SourceId source, Tick first, Tick period) {
  if (inside_->analogue && inside_->analogue->has(source)) {
    inside_->analogue->sample(source, first, period);
    return;
  }
  if (inside_->counters.has(source)) {
    inside_->counters.sample(source, first, period);
    return;
  }
  LiveCommand command;
  command.kind = LiveCommand::Kind::sample;
  command.line = inside_->inputs.at(source);
  command.source = source;
  command.at = first;
  command.period = period;
  inside_->push(command);
}

bool LiveLines::answers(SourceId source) const {
  return inside_->inputs.contains(source) || inside_->counters.has(source) ||
         (inside_->analogue && inside_->analogue->has(source));
}

Withdrawn LiveLines::withdraw(MechanismId mechanism, Tick from) {
  if (inside_->has_ended) return inside_->left;
  LiveCommand command;
  command.kind = LiveCommand::Kind::withdraw;
  command.mechanism = mechanism;
  command.at = from;
  inside_->has_answer = false;
  inside_->push(command);
  inside_->port_.wake();
  if (!inside_->await_answer() && !inside_->thread->is_gone()) {
    // What has gone out is not known, and nobody may plan by an old count: all ends as if the lines were
    // gone.
    inside_->trouble.gone = "the player of the lines did not say within a second what it had taken back";
    inside_->has_trouble = true;
  }
  return inside_->left;
}

void LiveLines::cut() noexcept {
  if (inside_->has_ended) return;
  const std::uint64_t before = inside_->player.cuts_made();
  inside_->player.cut();
  inside_->port_.wake();
  const auto until = std::chrono::steady_clock::now() + longest_answer;
  while (inside_->player.cuts_made() == before && !inside_->thread->is_gone() &&
         std::chrono::steady_clock::now() < until)
    inside_->bell.wait(1'000'000);
  if (inside_->analogue) inside_->analogue->clear();
  inside_->counters.forget();
  inside_->trouble.cut_by = CutBy::planning;  // whatever the player has done by itself is done with
}

Tick LiveLines::wait_until(Tick until, std::vector<Reading>& readings) {
  if (inside_->has_ended) {
    if (until == never)
      throw RangeError("the live bench has been closed: nothing will happen on it any more");
    return inside_->now = std::max(inside_->now, until);
  }
  if (std::exchange(inside_->has_pushed, false)) inside_->port_.wake();
  for (;;) {
    inside_->drain();
    catch_up();
    inside_->read_counters();
    if (!inside_->readings.empty()) {
      readings.insert(readings.end(), inside_->readings.begin(), inside_->readings.end());
      inside_->readings.clear();
      return now();
    }
    if (now() >= until || inside_->has_trouble) return now();
    if (inside_->woken.exchange(false, std::memory_order_acq_rel)) return now();
    constexpr double longest = 0.05;
    const Tick wakes_at = std::min(until, inside_->counters.next());
    const double seconds =
        std::min(longest, static_cast<double>(wakes_at - now()) / inside_->ticks_per_second);
    inside_->bell.wait(static_cast<std::int64_t>(std::ceil(seconds * 1e9)));
  }
}

bool LiveLines::has_trouble() const {
  return inside_->has_trouble;
}

LiveLines::Trouble LiveLines::take_trouble() {
  inside_->has_trouble = false;
  return std::exchange(inside_->trouble, {});
}

const PlayerConditions& LiveLines::conditions() const {
  return inside_->thread->conditions();
}

const LatenessRecord& LiveLines::lateness() const {
  return inside_->player.lateness();
}

std::int64_t LiveLines::missed_reports() const {
  return inside_->player.missed_reports();
}

std::int64_t LiveLines::codes_read() const {
  return inside_->analogue ? inside_->analogue->read() : 0;
}

std::int64_t LiveLines::codes_left_out() const {
  return inside_->analogue ? inside_->analogue->left_out() : 0;
}

Tick LiveLines::stood_still() const {
  return inside_->player.stood_still();
}

}  // namespace cogstride
