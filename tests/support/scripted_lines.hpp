// Lines with nothing behind them but a script: what is put is kept, what a test has written down is read at
// its tick. Movers are tested on them alone, in microseconds.
#pragma once

#include <algorithm>
#include <functional>
#include <map>
#include <optional>
#include <vector>

#include "cogstride/lines/checked_lines.hpp"
#include "cogstride/lines/pulse_queue.hpp"

namespace cogstride::testing_support {

/// Whoever plays them: no checks, no physics.
class ScriptedPlayer final : public TimedLines {
 public:
  ScriptedPlayer(std::vector<LineSetup> lines, Tick lead, Tick horizon)
      : setups(std::move(lines)), lead_(lead), horizon_(horizon) {}

  // What a test writes down.
  /// A line changes, as its input says.
  void edge(Tick at, LineId line, bool high) { edges_.emplace(at, Level{line, high}); }
  /// What a source says when it is sampled.
  void says(SourceId source, std::int64_t raw) { values_[source] = raw; }
  /// The same by the tick at which it is sampled.
  void says(SourceId source, std::function<std::int64_t(Tick)> raw) { said_[source] = std::move(raw); }

  // What it kept.
  struct Put {
    Tick at;
    Level level;
  };
  std::vector<LineSetup> setups;
  std::vector<Put> levels{};
  std::map<LineId, std::vector<Tick>> pulses{};  ///< that went out
  std::map<LineId, std::int64_t> steps{};
  struct Duty {
    Tick at;
    Compare compare;
  };
  std::vector<Duty> duties{};
  struct Sent {
    Tick at;
    BusId bus;
    Frame frame;
    MechanismId whose;
  };
  std::vector<Sent> frames{};
  int cuts = 0;

  /// Of a line now, by what was put; nothing: as it rests.
  [[nodiscard]] std::optional<bool> level(LineId line) const {
    for (auto put = levels.rbegin(); put != levels.rend(); ++put)
      if (put->level.line == line && put->at <= now_) return put->level.high;
    return std::nullopt;
  }
  /// Ticks of a period that a channel is on for, by what was put last for now or before.
  [[nodiscard]] Tick on_ticks(LineId line) const {
    for (auto duty = duties.rbegin(); duty != duties.rend(); ++duty)
      if (duty->compare.line == line && duty->at <= now_) return duty->compare.on_ticks;
    return 0;
  }

  [[nodiscard]] Tick now() const override { return now_; }
  [[nodiscard]] Tick lead() const override { return lead_; }
  [[nodiscard]] Tick horizon() const override { return horizon_; }
  void put(Tick at, std::span<const Level> put) override {
    for (const Level& level : put) levels.push_back({at, level});
  }
  void put(FineTick start, LineId line, std::span<const chip::PulseRun> runs,
           std::optional<StopOn> stop) override {
    queues_[line].put(start, runs, stop);
  }
  void put(Tick at, std::span<const Compare> compares) override {
    for (const Compare& compare : compares) duties.push_back({at, compare});
  }
  void put(Tick at, BusId bus, const Frame& frame, MechanismId whose) override {
    frames.push_back({at, bus, frame, whose});
  }
  void sample(SourceId source, Tick first, Tick period) override { sampled_[source] = {first, period}; }
  Withdrawn withdraw(MechanismId mechanism, Tick from) override {
    const auto owns = [&](LineId line) {
      return std::any_of(setups.begin(), setups.end(), [&](const LineSetup& setup) {
        return setup.id == line && setup.owner == mechanism;
      });
    };
    std::erase_if(levels, [&](const Put& put) { return put.at >= from && owns(put.level.line); });
    std::erase_if(duties, [&](const Duty& duty) { return duty.at >= from && owns(duty.compare.line); });
    std::erase_if(frames, [&](const Sent& sent) { return sent.at >= from && sent.whose == mechanism; });
    Withdrawn left;
    for (auto& [line, queue] : queues_) {
      if (!owns(line)) continue;
      const Withdrawn own = queue.withdraw(from);
      left.steps += own.steps;
      left.last_pulse = std::max(left.last_pulse, own.last_pulse);
    }
    return left;
  }
  void cut() noexcept override {
    ++cuts;
    for (auto& [line, queue] : queues_) queue.clear();
    std::erase_if(levels, [this](const Put& put) { return put.at > now_; });
    std::erase_if(duties, [this](const Duty& duty) { return duty.at > now_; });
    std::erase_if(frames, [this](const Sent& sent) { return sent.at > now_; });
    sampled_.clear();
  }
  Tick wait_until(Tick until, std::vector<Reading>& readings) override {
    const std::size_t before = readings.size();
    while (readings.size() == before) {
      Tick next = until;
      for (auto& [line, queue] : queues_) next = std::min(next, queue.next());
      if (!edges_.empty()) next = std::min(next, edges_.begin()->first);
      for (const auto& [source, sampling] : sampled_) next = std::min(next, sampling.first);
      now_ = std::max(now_, next);
      make_pulses();
      read_edges(readings);
      read_samples(readings);
      if (now_ >= until) break;
    }
    return now_;
  }

 private:
  struct Sampling {
    Tick first = never;
    Tick period = 0;
  };
  void make_pulses() {
    for (auto& [line, queue] : queues_)
      while (queue.next() <= now_) {
        queue.make();
        pulses[line].push_back(now_);
        steps[line] = queue.steps();
      }
  }
  void read_edges(std::vector<Reading>& readings) {
    while (!edges_.empty() && edges_.begin()->first <= now_) {
      const Level edge = edges_.begin()->second;
      edges_.erase(edges_.begin());
      for (const LineSetup& setup : setups)
        if (setup.id == edge.line) {
          readings.push_back({now_, setup.source, edge.high ? 1 : 0});
          values_[setup.source] = edge.high ? 1 : 0;
        }
      for (auto& [line, queue] : queues_) queue.edge(edge.line, edge.high, 16e6);
    }
  }
  void read_samples(std::vector<Reading>& readings) {
    for (auto& [source, sampling] : sampled_) {
      if (sampling.first > now_) continue;
      sampling.first = sampling.period > 0 ? sampling.first + sampling.period : never;
      const auto said = said_.find(source);
      readings.push_back({now_, source, said == said_.end() ? values_[source] : said->second(now_)});
    }
  }

  Tick lead_;
  Tick horizon_;
  Tick now_ = 0;
  std::multimap<Tick, Level> edges_;
  std::map<SourceId, std::int64_t> values_;
  std::map<SourceId, std::function<std::int64_t(Tick)>> said_;
  std::map<SourceId, Sampling> sampled_;
  std::map<LineId, PulseQueue> queues_;
};

/// The same behind the front that all lines have.
struct ScriptedLines {
  explicit ScriptedLines(std::vector<LineSetup> lines, std::vector<PwmSetup> pwm = {}, Tick lead = 480,
                         Tick horizon = 960'000)
      : player(lines, lead, horizon), checked({std::move(lines), std::move(pwm), {}}, player) {}

  operator TimedLines&() { return checked; }  // NOLINT: it stands for them

  ScriptedPlayer player;
  CheckedLines checked;
};

}  // namespace cogstride::testing_support
