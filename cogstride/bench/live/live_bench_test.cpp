// The live bench with a thread of its own and this computer's clock, against a port that is a mechanism: it
// counts STEP and DIR and moves a gate.
#include "cogstride/bench/live/live_bench.hpp"

#include <gtest/gtest.h>

#include <atomic>
#include <mutex>
#include <thread>

#include "cogstride/port/null_port.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/busy_computer.hpp"
#include "support/demo_rig.hpp"
#include "support/level_port.hpp"

namespace cogstride::live_bench_test {
namespace {

using namespace literals;
using testing_support::demo_rig;
using testing_support::end_of;
using testing_support::is_of_a_busy_computer;
using testing_support::LevelPort;
using testing_support::unless_busy;

constexpr LineId step{0};
constexpr LineId dir{1};
constexpr LineId enable{2};
constexpr LineId gate{3};
constexpr LineId up{5};
constexpr LineId halt{38};

/// A traverse at the other end of the lines: 800/3 steps a millimetre.
class TraversePort : public LevelPort {
 public:
  explicit TraversePort(double stands_at_mm)
      : LevelPort({enable, up}), steps_(std::llround(stands_at_mm * 800 / 3)) {}

  void write(std::span<const Level> levels) override {
    if (gone) throw PortGone("gpiochip0 (bench) was taken away");
    const std::lock_guard lock(mutex_);
    for (const Level& written : levels) {
      bool& now = level(written.line);
      if (written.line == step && written.high && !now && !level(enable)) {
        steps_ += level(dir) ? 1 : -1;
        ++pulses_;
      }
      now = written.high;
    }
    const bool blocked = static_cast<double>(steps_) <= -0.992 * 800 / 3;
    if (blocked != level(gate)) change(gate, blocked);
  }
  RestOutcome rest() noexcept override {
    ++rests;
    RestOutcome outcome;
    if (gone) outcome.add_silent("gpiochip0 (bench)");
    return outcome;
  }
  [[nodiscard]] double place_mm() {
    const std::lock_guard lock(mutex_);
    return static_cast<double>(steps_) * 3 / 800;
  }
  [[nodiscard]] std::int64_t pulses() {
    const std::lock_guard lock(mutex_);
    return pulses_;
  }
  std::atomic<bool> gone{false};
  std::atomic<int> rests{0};

 private:
  std::int64_t steps_;
  std::int64_t pulses_ = 0;
};

/// The demo's traverse on one chip, slow enough for a test computer that is busy with something else.
Rig live_rig() {
  Rig rig = only_with(demo_rig(), {"traverse"});
  rig.controller.chips = {{"bench", "gpiochip0", 0, 64}};
  rig.controller.edge_lateness = Time(20.0, units::ms);
  rig.mechanisms[0].homing->speed = {OutputKind::linear, Ratio(12, 10000)};
  rig.mechanisms[0].homing->slow_speed = {OutputKind::linear, Ratio(4, 10000)};
  return rig;
}

/// Keeps all edges.
struct EdgeLog final : TraceSink {
  struct Edge {
    Tick at;
    LineId line;
    bool high;
  };
  void begin(const TraceLayout& layout) override {
    lines = layout.lines.size();
    asked = layout.place_of("traverse.asked").value();
  }
  void edge(Tick at, LineId line, bool high) override { edges.push_back({at, line, high}); }
  void sample(Tick, std::span<const double> values) override { places.push_back(values[asked]); }
  void event(const TraceEvent& event) override { events.push_back(event.text); }
  void end(Tick) override { has_ended = true; }
  [[nodiscard]] std::int64_t rises(LineId line) const {
    return std::count_if(edges.begin(), edges.end(), [&](const Edge& e) { return e.line == line && e.high; });
  }
  std::size_t lines = 0;
  std::size_t asked = 0;       // place of that signal
  std::vector<double> places;  // mm, that were asked
  std::vector<Edge> edges;
  std::vector<std::string> events;
  bool has_ended = false;
};

TEST(LiveBench, HomesAgainstAGateAndMovesExactly) {
  unless_busy([] {
    TraversePort port(-0.8);
    EdgeLog log;
    LiveBench bench(live_rig(), {.trace = &log, .port = &port});
    auto traverse = bench.stepper("traverse");
    traverse.home().wait();
    traverse.move({.to = 6_mm, .speed = 10_mm_per_s}).wait();
    bench.serve(0.03_s);  // the last edge may be as late as the bound
    EXPECT_EQ(traverse.position()->base, Ratio(6, 1000));
    // After a reaction to a sensor the places differ by no more than the latency's way.
    EXPECT_NEAR(port.place_mm(), 6.0, 0.1);
    const double off = port.place_mm() - 6.0;
    traverse.move({.to = 3_mm, .speed = 10_mm_per_s}).wait();
    bench.serve(0.03_s);
    bench.close();
    const Verdict& verdict = bench.verdict();
    const LivePlay& played = bench.played();
    if (is_of_a_busy_computer(verdict.fault)) throw MotionFault(verdict.fault, FaultCode::controller);
    EXPECT_NEAR(port.place_mm() - 3.0, off, 1e-9) << "and no step is lost from there on";
    EXPECT_EQ(log.rises(step), port.pulses()) << "the trace is what went out";
    EXPECT_TRUE(std::isnan(log.places.front())) << "before it was homed";
    EXPECT_EQ(*std::max_element(log.places.begin(), log.places.end(),
                                [](double a, double b) { return std::isnan(a) || a < b; }),
              6.0);
    EXPECT_EQ(bench.signal("traverse.asked"), 3.0);
    EXPECT_TRUE(log.has_ended);
    EXPECT_EQ(verdict.fault, "");
    EXPECT_GE(played.edges, 2 * port.pulses());
    EXPECT_EQ(verdict.of("traverse").figure("asked"), 3.0);
    EXPECT_FALSE(port.read(step));
    EXPECT_TRUE(port.read(enable)) << "ENABLE rests high";
  });
}

/// A traverse that has found its zero and goes on its long way.
struct UnderWay {
  TraversePort port{-0.8};
  LiveBench bench{live_rig(), {.port = &port}};
  StepperHandle traverse = bench.stepper("traverse");
  Motion move = homed(traverse).move({.to = 100_mm, .speed = 20_mm_per_s});

  static StepperHandle& homed(StepperHandle& traverse) {
    traverse.home().wait();
    return traverse;
  }
};

/// One whose player wakes late.
class SleepyPort final : public TraversePort {
 public:
  using TraversePort::TraversePort;
  void sleep_until(std::int64_t ns) override { TraversePort::sleep_until(ns + oversleeps); }
  std::atomic<std::int64_t> oversleeps{0};  // ns
};

// A motion has ended when its last edge is due; closing the bench then must not take that edge away.
TEST(LiveBench, ClosedRightAfterAMotionItMakesTheLastPulses) {
  unless_busy([] {
    SleepyPort port(0.0);
    LiveBench bench(live_rig(), {.port = &port});
    auto traverse = bench.stepper("traverse");
    traverse.home().wait();
    const std::int64_t before = port.pulses();
    port.oversleeps = 4'000'000;
    traverse.move({.by = 1_mm, .speed = 10_mm_per_s}).wait();
    bench.close();
    const std::string& fault = bench.verdict().fault;
    if (is_of_a_busy_computer(fault)) throw MotionFault(fault, FaultCode::controller);
    EXPECT_NEAR(static_cast<double>(port.pulses() - before), 800.0 / 3.0, 0.7) << fault;
  });
}

TEST(LiveBench, StopsAtOnceAtAnEmergencyStop) {
  unless_busy([] {
    UnderWay run;
    auto& [port, bench, traverse, move] = run;
    bench.serve(0.3_s);
    port.press(halt, true);
    const std::string fault = end_of(move);
    EXPECT_NE(fault.find("the emergency stop halt (line 38) is pressed"), std::string::npos) << fault;
    EXPECT_TRUE(port.read(enable)) << "cut";
    const std::int64_t pulses = port.pulses();
    bench.serve(0.1_s);
    EXPECT_EQ(port.pulses(), pulses);
    EXPECT_FALSE(traverse.position());
  });
}

TEST(LiveBench, StopsOnARampAndKnowsWhereItStands) {
  unless_busy([] {
    TraversePort port(-0.8);
    LiveBench bench(live_rig(), {.port = &port});
    auto traverse = bench.stepper("traverse");
    traverse.home().wait();
    bench.serve(0.03_s);  // the last edge may be as late as the bound
    const double off = port.place_mm();
    auto move = traverse.move({.to = 100_mm, .speed = 20_mm_per_s});
    bench.serve(0.3_s);
    traverse.stop();
    bench.serve(0.03_s);
    (void)end_of(move);
    EXPECT_EQ(move.status(), MotionStatus::cancelled);
    ASSERT_TRUE(traverse.position());
    EXPECT_NEAR(port.place_mm() - off, 1e3 * traverse.position()->base.to_double(), 1e-6);
  });
}

TEST(LiveBench, SaysThatItsLinesAreGone) {
  unless_busy([] {
    TraversePort port(-0.8);
    std::string told;
    LiveBench bench(live_rig(), {.port = &port});
    bench.on_fault([&](const std::string& why) { told = why; });
    auto traverse = bench.stepper("traverse");
    traverse.home().wait();
    auto move = traverse.move({.to = 100_mm, .speed = 20_mm_per_s});
    bench.serve(0.2_s);
    port.gone = true;
    EXPECT_NE(end_of(move).find("was taken away"), std::string::npos);
    EXPECT_NE(told.find("gpiochip0 (bench) was taken away"), std::string::npos) << told;
    EXPECT_EQ(port.rests, 1) << "the player puts at rest what it still can";
    EXPECT_NE(told.find("gpiochip0 (bench) does not answer"), std::string::npos) << told;
    EXPECT_FALSE(traverse.position()) << "its last steps may not have gone out";
  });
}

TEST(LiveBench, AnEdgePastTheBoundStopsTheRun) {
  class Slow final : public LinePort {
   public:
    explicit Slow(TraversePort& inner) : inner_(inner) {}
    [[nodiscard]] std::int64_t now_ns() override { return inner_.now_ns(); }
    void write(std::span<const Level> levels) override {
      if (is_busy.exchange(false)) bell_.wait(60'000'000);
      inner_.write(levels);
    }
    RestOutcome rest() noexcept override { return inner_.rest(); }
    [[nodiscard]] bool read(LineId line) override { return inner_.read(line); }
    void take_edges(std::vector<PortEdge>& edges) override { inner_.take_edges(edges); }
    void sleep_until(std::int64_t ns) override { inner_.sleep_until(ns); }
    void wake() noexcept override { inner_.wake(); }
    std::atomic<bool> is_busy{false};

   private:
    TraversePort& inner_;
    Bell bell_;
  };
  unless_busy([] {
    TraversePort traverse_port(0.2);
    Slow port(traverse_port);
    Rig rig = live_rig();
    rig.controller.edge_lateness = Time(20.0, units::ms);
    LiveBench bench(rig, {.port = &port});
    auto traverse = bench.stepper("traverse");
    traverse.home().wait();
    const double off = traverse_port.place_mm();
    auto move = traverse.move({.to = 100_mm, .speed = 20_mm_per_s});
    bench.serve(0.3_s);
    port.is_busy = true;
    const std::string fault = move.result();
    EXPECT_NE(fault.find("late, and the rig bears 20000 us (controller.edge_lateness)"), std::string::npos)
        << fault;
    EXPECT_FALSE(traverse.position()) << "at that speed its field stood still for longer than a full step";
    EXPECT_LT(traverse_port.place_mm() - off, 20.0) << "it stopped on the way";
    bench.close();
    EXPECT_GE(bench.played().edges_too_late, 1);
    EXPECT_GT(bench.played().stood_still, 0.015);
  });
}

// Planning is held up: a terminal that takes nothing, a loop of its own that never comes back.
TEST(LiveBench, IsCutWithoutPlanningWhereTheRigSaysCut) {
  unless_busy([] {
    UnderWay run;
    auto& [port, bench, traverse, move] = run;
    bench.serve(0.2_s);
    port.press(halt, true);
    const std::int64_t until = monotonic_ns() + 1'000'000'000;
    while (port.read(enable) == false && monotonic_ns() < until) std::this_thread::yield();
    EXPECT_TRUE(port.read(enable)) << "nobody has served the bench since";
    EXPECT_NE(end_of(move).find("the emergency stop halt"), std::string::npos);
  });
}

TEST(LiveBench, RefusesWhatItCannotDrive) {
  Rig rig = demo_rig();
  rig.controller.chips = {{"bench", "gpiochip0", 0, 64}};
  NullPort port;
  try {
    LiveBench bench(rig, {.port = &port});
    FAIL() << "the whole demo rig";
  } catch (const RangeError& error) {
    const std::string why = error.what();
    EXPECT_NE(why.find("spindle: "), std::string::npos) << why;
    EXPECT_NE(why.find("its six gates are bare"), std::string::npos) << why;
    EXPECT_EQ(why.find("traverse: "), std::string::npos) << why;
  }
  Rig narrow = only_with(rig, {"traverse", "creel"});
  EXPECT_TRUE(live_obstacles(narrow).empty());
  narrow.controller.chips[0].lines = 8;
  const std::vector<LiveObstacle> obstacles = live_obstacles(narrow);
  ASSERT_EQ(obstacles.size(), 1u);
  EXPECT_EQ(obstacles[0].mechanism, "creel");
  EXPECT_NE(obstacles[0].why.find("no [controller.gpio.NAME] of the rig has lines"), std::string::npos);
  EXPECT_THROW((void)only_with(demo_rig(), {"travers"}), RangeError);
  Rig measured = only_with(rig, {"traverse"});
  measured.mechanisms[0].sensors.emplace_back(
      Encoder{.name = "scale", .line_a = 6, .line_b = 7, .lines_per_turn = 100});
  EXPECT_TRUE(live_obstacles(measured).empty()) << "its edges are counted";
}

TEST(LiveBench, DoesNothingOnceItHasBeenClosed) {
  auto port = std::make_unique<TraversePort>(0.2);
  LiveBench bench(live_rig(), {.port = port.get()});
  bench.serve(0.03_s);
  bench.close();
  bench.close();
  const double seconds = bench.verdict().seconds;
  port.reset();
  EXPECT_THROW(bench.serve(0.5_s), RangeError);
  bench.stop();
  EXPECT_THROW((void)bench.stepper("traverse").home(), RangeError);
  EXPECT_EQ(bench.verdict().seconds, seconds);
}

TEST(LiveBench, BeatsItsHeartAsLongAsItRuns) {
  TraversePort port(-0.8);
  EdgeLog log;
  Rig rig = live_rig();
  rig.controller.heartbeat = Heartbeat{50, Time(20.0, units::ms)};
  LiveBench bench(rig, {.trace = &log, .port = &port});
  bench.serve(0.5_s);
  bench.close();
  const std::int64_t beats = log.rises(LineId{50});
  EXPECT_GE(beats, 10) << "25 on a computer that is not busy";
  EXPECT_LE(beats, 27);
}

}  // namespace
}  // namespace cogstride::live_bench_test
