// What is done while something moves fetches no memory: cutting all lines, and the acts of a steady motion.
#include <gtest/gtest.h>

#include <cstdlib>
#include <functional>
#include <memory>
#include <new>
#include <vector>

#include "cogstride/bench/kinds.hpp"
#include "cogstride/bench/live/live_lines.hpp"
#include "cogstride/bench/simulated/simulated_lines.hpp"
#include "cogstride/lines/checked_lines.hpp"
#include "cogstride/motion/mover.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/level_port.hpp"

namespace {
thread_local bool counts = false;
thread_local std::int64_t fetched = 0;

void* fetch(std::size_t size) {
  if (counts) ++fetched;
  if (void* const memory = std::malloc(size)) return memory;
  throw std::bad_alloc();
}
}  // namespace

void* operator new(std::size_t size) {
  return fetch(size);
}
void* operator new[](std::size_t size) {
  return fetch(size);
}
void operator delete(void* memory) noexcept {
  std::free(memory);
}
void operator delete[](void* memory) noexcept {
  std::free(memory);
}
void operator delete(void* memory, std::size_t) noexcept {
  std::free(memory);
}
void operator delete[](void* memory, std::size_t) noexcept {
  std::free(memory);
}

namespace {

using namespace cogstride;
using namespace cogstride::literals;

/// How often memory was fetched by a deed, in this thread.
std::int64_t fetched_by(const std::function<void()>& deed) {
  fetched = 0;
  counts = true;
  deed();
  counts = false;
  return fetched;
}

/// Lines that take everything and keep nothing.
class TakingLines final : public Lines {
 public:
  [[nodiscard]] Tick now() const override { return at; }
  [[nodiscard]] Tick lead() const override { return 480; }
  [[nodiscard]] Tick horizon() const override { return 960'000; }
  void put(Tick, std::span<const Level>) override { ++puts; }
  void put(FineTick, LineId, std::span<const chip::PulseRun>, std::optional<StopOn>) override { ++puts; }
  void put(Tick, std::span<const Compare>) override { ++puts; }
  void put(Tick, BusId, const Frame&, MechanismId) override { ++puts; }
  void sample(SourceId, Tick, Tick) override {}
  Withdrawn withdraw(MechanismId, Tick) override { return {}; }
  void cut() noexcept override {}
  Tick at = 0;
  int puts = 0;
};

constexpr Tick second = 48'000'000;

/// Lets a mover act for so long, alone.
void run(Mover& mover, TakingLines& lines, Tick lasts) {
  for (const Tick until = lines.at + lasts;;) {
    const Tick next = std::max(lines.at + 1, mover.next_act());
    if (next > until) break;
    lines.at = next;
    mover.act(lines, {});
  }
}

TEST(Allocation, IsCounted) {
  std::vector<int> one;
  EXPECT_EQ(fetched_by([&] { one.resize(100); }), 1);
}

struct Case {
  const char* mechanism;
  std::function<void(Mover&, Lines&)> order;
};

TEST(Allocation, SteadyMotionFetchesNone) {
  Rig rig = testing_support::demo_rig();
  for (Mechanism& mechanism : rig.mechanisms) {
    mechanism.homing.reset();
    mechanism.sensors.clear();
  }
  for (const Case& each : std::vector<Case>{
           {"traverse", [](Mover&m, Lines&l) { m.places()->move(l, {.to = 100_mm, .speed = 5_mm_per_s}); }},
           {"creel", [](Mover&m, Lines&l) { m.speeds()->spin(l, {.at = OutputSpeed(20_deg_per_s)}); }},
           {"feeder", [](Mover&m, Lines&l) { m.duties()->spin(l, {.duty = 60_percent, .in = 8_s}); }},
           {"snips", [](Mover&m, Lines&l) { m.places()->move(l, {.to = OutputPosition(70_deg)}); }},
           {"spindle", [](Mover&m, Lines&l) { m.speeds()->spin(l, {.at = OutputSpeed(200_rpm)}); }}}) {
    const Mechanism& mechanism = mechanism_named(rig, each.mechanism);
    std::unique_ptr<Mover> mover;
    for (const KindOfMover& kind : kinds_of_movers())
      if (!mover && kind.has(mechanism)) mover = kind.mover(mechanism, MechanismId{0}, rig.controller);
    TakingLines lines;
    each.order(*mover, lines);
    run(*mover, lines, 2 * second);
    const int before = lines.puts;
    EXPECT_EQ(fetched_by([&] { run(*mover, lines, 4 * second); }), 0) << each.mechanism;
    EXPECT_GE(lines.puts, before) << each.mechanism;
  }
}

std::vector<LineSetup> lines_of_a_bench() {
  using Use = LineSetup::Use;
  return {{LineId{0}, "x.step", MechanismId{0}, Use::pulses, false, 10},
          {LineId{1}, "x.dir", MechanismId{0}, Use::level},
          {LineId{2}, "lamp", MechanismId{1}, Use::pwm}};
}
std::vector<PwmSetup> duties_of_a_bench() {
  return {{2'400, PwmAlignment::edge, 0, {{LineId{2}, {}}}}};
}

std::vector<BusSetup> buses_of_a_bench() {
  return {{BusId{0}, "drives", BusSetup::Kind::bus, 48.0, {Frame{0, 2, {0xff, 0x00}}}}};
}

void move_all(Lines& lines) {
  const std::array runs{chip::PulseRun{std::uint64_t{4'800} << 16, 0, 0, 1000, 0, 0}};
  const Tick at = lines.now() + lines.lead() + 48'000;
  lines.put(FineTick{at, 0}, LineId{0}, runs, std::nullopt);
  lines.put(at, std::array{Level{LineId{1}, true}});
  lines.put(at, std::array{Compare{LineId{2}, 1'000}});
  lines.put(at, BusId{0}, Frame{7, 1, {1}}, MechanismId{0});
}

class PlainPort final : public testing_support::LevelPort {
 public:
  PlainPort() : LevelPort({}) {}
  void write(std::span<const Level> levels) override {
    const std::lock_guard lock(mutex_);
    for (const Level& each : levels) level(each.line) = each.high;
  }
  RestOutcome rest() noexcept override { return {}; }
  void send(BusId, const Frame&) override {}
};

TEST(Allocation, CuttingFetchesNone) {
  {
    SimulatedLines::Setup setup;
    setup.lines = lines_of_a_bench();
    setup.pwm = duties_of_a_bench();
    setup.buses = buses_of_a_bench();
    SimulatedLines simulated(std::move(setup));
    CheckedLines front({lines_of_a_bench(), duties_of_a_bench(), {}, false, buses_of_a_bench()}, simulated);
    move_all(front);
    std::vector<Reading> readings;
    front.wait_until(96'000, readings);
    EXPECT_EQ(fetched_by([&] { front.cut(); }), 0) << "simulated";
  }
  PlainPort port;
  LiveLines::Setup setup;
  setup.lines = lines_of_a_bench();
  setup.pwm = duties_of_a_bench();
  setup.buses = buses_of_a_bench();
  setup.clock = ExactFrequency(Ratio(48'000'000), units::Hz);
  setup.lead = 240'000;
  setup.horizon = 960'000;
  setup.bound = second;
  setup.asks_for_real_time = false;
  LiveLines live(std::move(setup), port);
  CheckedLines front({lines_of_a_bench(), duties_of_a_bench(), {}, true, buses_of_a_bench()}, live);
  move_all(front);
  std::vector<Reading> readings;
  front.wait_until(front.now() + 480'000, readings);
  EXPECT_EQ(fetched_by([&] { front.cut(); }), 0) << "live";
}

}  // namespace
