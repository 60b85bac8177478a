// Live lines with a black box, and a black box in their place.
#pragma once

#include <optional>
#include <vector>

#include "cogstride/bench/live/black_box.hpp"

namespace cogstride {

/// Check sum of what is put between two looks at the clock (FNV-1a).
class CommandSum {
 public:
  void add(Tick at, std::span<const Level> levels);
  void add(FineTick start, LineId line, std::span<const chip::PulseRun> runs,
           const std::optional<StopOn>& stop);
  void add(Tick at, std::span<const Compare> compares);
  void add(Tick at, BusId bus, const Frame& frame, MechanismId whose);
  void add(SourceId source, Tick first, Tick period);
  void add(Tick at, MechanismId whose, const chip::LoopWanted& wanted);
  void add(Tick at, LineId line, LineId counts_at, const chip::CountFollow& what);
  void add(Tick at, LineId line);
  void add(MechanismId mechanism, Tick from);
  void add_cut() { mix(7); }
  /// Nothing where nothing was put; and begins anew.
  std::optional<std::uint32_t> take();

 private:
  void mix(std::uint64_t value);
  std::uint32_t sum_ = 2'166'136'261U;
  std::size_t count_ = 0;
};

/// All that planning learns from live lines goes into the box as well.
class RecordedLines final : public PlayedLines {
 public:
  /// @param inner, box  must outlive it
  RecordedLines(PlayedLines& inner, BlackBoxWriter& box) : inner_(inner), box_(box) {}

  /// A stop that was requested, an order that was posted, a change of the guardian, which is the caller's to
  /// tell.
  void add(BoxEvent event);

  [[nodiscard]] Tick now() const override { return inner_.now(); }
  [[nodiscard]] Tick lead() const override { return inner_.lead(); }
  [[nodiscard]] Tick horizon() const override { return inner_.horizon(); }
  [[nodiscard]] bool brakes_at_edges() const override { return inner_.brakes_at_edges(); }
  void put(Tick at, std::span<const Level> levels) override;
  void put(FineTick start, LineId line, std::span<const chip::PulseRun> runs,
           std::optional<StopOn> stop) override;
  void put(Tick at, std::span<const Compare> compares) override;
  void put(Tick at, BusId bus, const Frame& frame, MechanismId whose) override;
  void hold(Tick at, MechanismId whose, const chip::LoopWanted& wanted) override;
  bool gear(Tick at, LineId line, LineId counts_at, const chip::CountFollow& what) override;
  void let_go(Tick at, LineId line) override;
  void sample(SourceId source, Tick first, Tick period) override;
  Withdrawn withdraw(MechanismId mechanism, Tick from) override;
  void cut() noexcept override;
  Tick wait_until(Tick until, std::vector<Reading>& readings) override;
  void catch_up() override;
  void answer_cuts() override { inner_.answer_cuts(); }
  void watch(MechanismId mechanism, bool is_watched) override { inner_.watch(mechanism, is_watched); }
  void wake() noexcept override { inner_.wake(); }
  [[nodiscard]] bool has_trouble() const override { return inner_.has_trouble(); }
  [[nodiscard]] Trouble take_trouble() override;
  [[nodiscard]] Tick stood_still() const override { return inner_.stood_still(); }
  [[nodiscard]] bool answers(SourceId source) const override { return inner_.answers(source); }
  [[nodiscard]] bool level(LineId line) const override { return inner_.level(line); }

 private:
  void add_troubles();

  PlayedLines& inner_;
  BlackBoxWriter& box_;
  CommandSum sum_{};
  Tick last_stood_still_ = 0;
  bool was_troubled_ = false;
};

/// The record of a run is at its end, or has to do with another one.
class ReplayEnds : public Error {
 public:
  using Error::Error;
};

/// What planning learned then, it learns again; what it puts is compared with what it put then.
class ReplayedLines final : public PlayedLines {
 public:
  struct Setup {
    std::vector<LineSetup> lines{};
    Tick lead = 0;
    Tick horizon = 0;
    double ticks_per_second = 1.0;
    bool has_analogue = false;
    bool brakes_at_edges = false;
    std::vector<CounterSetup> counters{};
  };
  /// @param box  must outlive it, at its begin
  ReplayedLines(Setup setup, BlackBox& box) : setup_(std::move(setup)), box_(box) {}

  /// The next event, where it is of this kind; it is taken. Null else.
  [[nodiscard]] const BoxEvent* take_if(BoxEvent::Kind kind);
  /// Commands were compared so many times.
  [[nodiscard]] std::int64_t sums_compared() const { return compared_; }

  [[nodiscard]] Tick now() const override { return now_; }
  [[nodiscard]] Tick lead() const override { return setup_.lead; }
  [[nodiscard]] Tick horizon() const override { return setup_.horizon; }
  [[nodiscard]] bool brakes_at_edges() const override { return setup_.brakes_at_edges; }
  void put(Tick at, std::span<const Level> levels) override { sum_.add(at, levels); }
  void put(FineTick start, LineId line, std::span<const chip::PulseRun> runs,
           std::optional<StopOn> stop) override {
    sum_.add(start, line, runs, stop);
  }
  void put(Tick at, std::span<const Compare> compares) override { sum_.add(at, compares); }
  void put(Tick at, BusId bus, const Frame& frame, MechanismId whose) override {
    sum_.add(at, bus, frame, whose);
  }
  void hold(Tick at, MechanismId whose, const chip::LoopWanted& wanted) override {
    sum_.add(at, whose, wanted);
  }
  /// As it was answered then.
  bool gear(Tick at, LineId line, LineId counts_at, const chip::CountFollow& what) override;
  void let_go(Tick at, LineId line) override { sum_.add(at, line); }
  void sample(SourceId source, Tick first, Tick period) override { sum_.add(source, first, period); }
  Withdrawn withdraw(MechanismId mechanism, Tick from) override;
  void cut() noexcept override { sum_.add_cut(); }
  /// @throws ReplayEnds when the record does, or other commands were put than then
  Tick wait_until(Tick until, std::vector<Reading>& readings) override;
  void catch_up() override;
  [[nodiscard]] bool has_trouble() const override { return has_trouble_; }
  [[nodiscard]] Trouble take_trouble() override;
  [[nodiscard]] Tick stood_still() const override { return stood_still_; }
  [[nodiscard]] bool answers(SourceId source) const override;
  [[nodiscard]] bool level(LineId) const override { return false; }

 private:
  const BoxEvent& expect(BoxEvent::Kind kind, const char* what);
  [[noreturn]] void end(std::string why);
  void absorb();

  Setup setup_;
  BlackBox& box_;
  CommandSum sum_{};
  BoxEvent taken_{};
  Tick now_ = 0;
  Tick stood_still_ = 0;
  Withdrawn left_{};  // what was said last
  bool has_trouble_ = false;
  bool has_ended_ = false;  // nothing is learned any more
  std::int64_t compared_ = 0;
};

}  // namespace cogstride
