// Orders from other threads, and stops that anybody may ask for.
#include <gtest/gtest.h>

#include <atomic>
#include <chrono>
#include <csignal>
#include <string>
#include <thread>
#include <vector>

#include "cogstride/bench/live/live_bench.hpp"
#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/level_port.hpp"

namespace cogstride::post_test {
namespace {

using namespace literals;
using testing_support::demo_rig_without_gate;
using Clock = std::chrono::steady_clock;

double seconds_since(Clock::time_point begin) {
  return std::chrono::duration<double>(Clock::now() - begin).count();
}

Rig traverse_alone() {
  return only_with(demo_rig_without_gate(), {"traverse"});
}

/// Keeps what a record says happened.
struct Said final : TraceSink {
  void begin(const TraceLayout&) override {}
  void edge(Tick, LineId, bool) override {}
  void sample(Tick, std::span<const double>) override {}
  void event(const TraceEvent& event) override { words.push_back(event.who + ": " + event.text); }
  void end(Tick) override {}
  [[nodiscard]] bool has(const std::string& part) const {
    for (const std::string& each : words)
      if (each.find(part) != std::string::npos) return true;
    return false;
  }
  std::vector<std::string> words;
};

TEST(Post, IsCarriedOutBetweenTwoActsByWhoeverRunsTheBench) {
  Said said;
  SimulatedBench bench(traverse_alone(), {.at_wall_clock = true, .trace = &said});
  auto traverse = bench.stepper("traverse");
  const std::thread::id owner = std::this_thread::get_id();
  std::thread::id by;
  std::vector<Posted> posted;
  std::thread other([&] {
    std::this_thread::sleep_for(std::chrono::milliseconds(50));
    posted.push_back(bench.post("to 5 mm", [&] {
      by = std::this_thread::get_id();
      traverse.move({.to = 5_mm});
    }));
    posted.push_back(bench.post("to 900 mm", [&] { traverse.move({.to = 900_mm}); }));
    posted[0].wait();
  });
  bench.serve(0.4_s);
  other.join();
  EXPECT_EQ(by, owner);
  EXPECT_NO_THROW(posted[0].wait());
  EXPECT_THROW(posted[1].wait(), RangeError);
  EXPECT_EQ(traverse.position(), OutputPosition(5_mm));
  EXPECT_TRUE(said.has("posted: to 5 mm"));
  EXPECT_TRUE(said.has("traverse: move to 5 mm"));
}

TEST(Post, OfABenchThatDoesNotRunWaitsAndOfAClosedOneIsRefused) {
  SimulatedBench bench(traverse_alone());
  auto traverse = bench.stepper("traverse");
  const Posted early = bench.post("to 1 mm", [&] { traverse.move({.to = 1_mm}); });
  EXPECT_FALSE(early.is_done());
  EXPECT_FALSE(early.wait_for(1_ms));
  bench.wait_for_all();
  EXPECT_TRUE(early.wait_for(1_s));
  bench.wait_for_all();
  EXPECT_EQ(traverse.position(), OutputPosition(1_mm));
  const Posted left = bench.post("never", [] {});
  bench.close();
  EXPECT_THROW(left.wait(), RangeError);
  EXPECT_THROW(bench.post("too late", [] {}).wait(), RangeError);
}

TEST(Post, ManyFromManyThreadsAreAllCarriedOutOnce) {
  SimulatedBench bench(traverse_alone(), {.at_wall_clock = true});
  int carried_out = 0;  // by one thread alone
  std::atomic<int> ready{0};
  std::vector<std::thread> threads;
  for (int i = 0; i < 4; ++i)
    threads.emplace_back([&] {
      for (int post = 0; post < 250; ++post) {
        bench.post("one", [&] { ++carried_out; }).wait();
        ready.fetch_add(1);
      }
    });
  while (ready.load() < 1000) bench.serve(5_ms);
  for (std::thread& thread : threads) thread.join();
  EXPECT_EQ(carried_out, 1000);
}

TEST(RequestStop, StopsWhatMovesAsTheRigSaysFromASignalHandler) {
  static std::atomic<Bench*> asked{nullptr};
  SimulatedBench bench(traverse_alone(), {.at_wall_clock = true});
  asked = &bench;
  std::signal(SIGUSR1, [](int) { asked.load()->request_stop(); });
  std::vector<std::string> told;
  bench.on_fault([&](const std::string& why) { told.push_back(why); });
  auto move = bench.stepper("traverse").move({.to = 110_mm, .speed = 20_mm_per_s});
  std::thread other([] {
    std::this_thread::sleep_for(std::chrono::milliseconds(200));
    std::raise(SIGUSR1);
  });
  const auto began = Clock::now();
  EXPECT_NE(move.result(), "");
  other.join();
  std::signal(SIGUSR1, SIG_DFL);
  EXPECT_EQ(move.code(), FaultCode::stopped);
  EXPECT_EQ(told, std::vector<std::string>{"a stop was requested"});
  EXPECT_LT(seconds_since(began), 2.0) << "the move would have taken five and a half";
}

TEST(RequestStop, OfABenchThatLeapsIsSeenAtItsNextEvent) {
  SimulatedBench bench(traverse_alone());
  auto move = bench.stepper("traverse").move({.to = 110_mm});
  bench.request_stop();
  EXPECT_NE(move.result(), "");
  EXPECT_EQ(move.code(), FaultCode::stopped);
}

TEST(PacedBench, PassesTimeAsFastAsAClockAndStandsStillUnserved) {
  SimulatedBench bench(traverse_alone(), {.at_wall_clock = true});
  auto traverse = bench.stepper("traverse");
  auto began = Clock::now();
  bench.serve(0.3_s);
  EXPECT_GE(seconds_since(began), 0.299);
  EXPECT_LT(seconds_since(began), 1.5);
  EXPECT_NEAR(bench.now().base(), 0.3, 1e-6);
  std::this_thread::sleep_for(std::chrono::milliseconds(250));
  began = Clock::now();
  traverse.move({.by = 5_mm, .in = 0.3_s}).wait();
  EXPECT_GE(seconds_since(began), 0.29) << "nothing is made up for";
  EXPECT_EQ(traverse.position(), OutputPosition(5_mm));
}

/// A port with nothing behind it.
class PlainPort final : public testing_support::LevelPort {
 public:
  PlainPort() : LevelPort({LineId{2}, LineId{5}}) {}
  void write(std::span<const Level> levels) override {
    const std::lock_guard lock(mutex_);
    for (const Level& each : levels) level(each.line) = each.high;
  }
  RestOutcome rest() noexcept override { return {}; }
};

TEST(Post, WakesALiveBenchThatWaits) {
  PlainPort port;
  Rig rig = traverse_alone();
  rig.controller.edge_lateness = Time(1, units::s);
  LiveBench bench(rig, {.asks_for_real_time = false, .port = &port});
  double waited = 1.0;
  std::thread other([&] {
    std::this_thread::sleep_for(std::chrono::milliseconds(30));
    const auto began = Clock::now();
    bench.post("look", [] {}).wait();
    waited = seconds_since(began);
    bench.request_stop();
  });
  bench.serve(0.5_s);
  other.join();
  EXPECT_LT(waited, 0.2);
}

}  // namespace
}  // namespace cogstride::post_test
