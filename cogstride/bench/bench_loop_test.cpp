// What a bench calls while it runs: it may stop and order and ask for more, but not let the bench run.
#include "cogstride/bench/bench_loop.hpp"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <array>
#include <functional>
#include <string>
#include <thread>
#include <vector>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"

namespace cogstride::run_loop_test {
namespace {

using namespace literals;
using testing_support::demo_rig;

/// One that does something each millisecond, by the demo's clock.
class Each final : public Participant {
 public:
  explicit Each(std::function<void()> what) : what_(std::move(what)) {}
  [[nodiscard]] Tick next_act() const override { return next_; }
  void act(Lines& lines, std::span<const Reading>) override {
    if (lines.now() < next_) return;
    next_ = lines.now() + 48'000;
    ++turns;
    what_();
  }
  int turns = 0;

 private:
  std::function<void()> what_;
  Tick next_ = 0;
};

TEST(BenchLoop, KnobsAreFollowedFromWhateverTurnTheyAreAskedForIn) {
  Rig rig = demo_rig();
  const HandControl knob = *std::find_if(rig.hands.begin(), rig.hands.end(),
                                         [](const HandControl& hand) { return hand.channel.has_value(); });
  std::vector<std::string> names;
  for (int i = 0; i < 20; ++i) {  // more than any list has room for beforehand
    rig.hands.push_back(knob);
    rig.hands.back().name = fmt::format("knob_{}", i);
    names.push_back(rig.hands.back().name);
  }
  SimulatedBench bench(rig, {.events = {{.at = 0_s, .what = knob.name, .share = 0.5}}});
  Each asker([&] {
    for (const std::string& name : names) (void)bench.knob(name);
  });
  bench.run(asker, [&] { return asker.turns >= 50; });
  EXPECT_TRUE(bench.knob(names.back()).is_known());
  EXPECT_TRUE(bench.knob(names.front()).is_known());
}

TEST(BenchLoop, AListenerMayStopAMechanismAndGoesOn) {
  SimulatedBench bench(demo_rig(),
                       {.start_positions = {{"traverse", 3_mm}}, .events = {{.at = 6_s, .what = "halt"}}});
  auto traverse = bench.stepper("traverse");
  auto feeder = bench.brushed("feeder");
  int told = 0;
  std::string refused;
  bench.on_fault([&](const std::string&) {
    ++told;
    traverse.stop();
    bench.come_to_rest();
    try {
      bench.serve(1_s);
    } catch (const RangeError& error) {
      refused = error.what();
    }
    EXPECT_THROW(bench.wait_for_all(), RangeError);
    EXPECT_THROW(feeder.spin({.duty = 30_percent}).wait(), RangeError);
  });
  traverse.home().wait();
  auto move = traverse.move({.to = 110_mm, .speed = 20_mm_per_s});
  EXPECT_NE(move.result(), "");
  EXPECT_EQ(told, 1);
  EXPECT_NE(refused.find("the bench runs already"), std::string::npos) << refused;
  bench.serve(0.1_s);  // from outside it goes on
}

// The contract at the top of bench.hpp: orders return at once, and nothing moves until somebody waits.
TEST(BenchLoop, OrdersReturnAtOnceAndMoveNothing) {
  SimulatedBench bench(demo_rig());
  auto traverse = bench.stepper("traverse");
  auto home = traverse.home();
  auto move = traverse.move({.to = 20_mm});
  bench.brushed("feeder").spin({.duty = 30_percent});
  EXPECT_EQ(bench.now(), Time());
  EXPECT_EQ(home.status(), MotionStatus::queued);
  move.wait();
  EXPECT_EQ(home.status(), MotionStatus::done);
  EXPECT_GT(bench.now(), Time());
}

// The same: one thread owns a bench.
TEST(BenchLoop, AnotherThreadIsRefusedWhileItRuns) {
  SimulatedBench bench(demo_rig());
  std::vector<std::string> refused;
  const auto tries = [&](const std::function<void()>& deed) {
    std::thread other([&] {
      try {
        deed();
      } catch (const RangeError& error) {
        refused.push_back(error.what());
      }
    });
    other.join();
  };
  auto creel = bench.stepper("creel");
  Each asks([&] {
    if (!refused.empty()) return;
    tries([&] { creel.move({.by = 10_deg}); });
    tries([&] { bench.serve(1_s); });
    tries([&] { creel.stop(); });
  });
  bench.run(asks, [&] { return !refused.empty(); });
  ASSERT_EQ(refused.size(), 3U);
  for (const std::string& why : refused) EXPECT_NE(why.find("another thread"), std::string::npos) << why;
  tries([&] { creel.home().wait(); });
  EXPECT_EQ(refused.size(), 3U) << "handed over while nothing runs it is the other's";
}

TEST(BenchLoop, AParticipantMayBringAnotherAndTakeItAway) {
  SimulatedBench bench(demo_rig());
  Each other([] {});
  Each guest([&] {
    EXPECT_THROW(bench.run(other, [] { return true; }), RangeError);
    EXPECT_THROW(bench.serve(1_ms), RangeError);
  });
  bench.run(guest, [&] { return guest.turns == 5; });
  EXPECT_EQ(other.turns, 0);
  bench.run(other, [&] { return other.turns == 5; });
  EXPECT_EQ(guest.turns, 5) << "it was taken away";
}

TEST(BenchLoop, AListenerThatThrowsLosesNoOtherFault) {
  SimulatedBench bench(
      demo_rig(), {.events = {{.at = 0.5_s, .what = "halt"}, {.at = 0.5_s, .what = "main", .on = false}}});
  std::vector<std::string> told;
  bench.on_fault([&](const std::string& why) {
    told.push_back(why);
    if (told.size() == 1) throw std::runtime_error("of the listener's own");
  });
  EXPECT_THROW(bench.serve(1_s), std::runtime_error);
  EXPECT_LT(bench.now(), 0.6_s) << "at once, not after the whole time";
  bench.serve(0.5_s);
  ASSERT_EQ(told.size(), 2u);
  EXPECT_NE(told[0], told[1]);
}

// Who waits for a motion that has failed gets its fault, whatever the listener did.
TEST(BenchLoop, AListenerThatThrowsHidesNoFault) {
  SimulatedBench bench(demo_rig(), {.events = {{.at = 0.5_s, .what = "halt"}}});
  int told = 0;
  bench.on_fault([&](const std::string&) {
    if (++told == 1) throw std::runtime_error("of the listener's own");
  });
  auto spin = bench.brushed("feeder").spin({.duty = 30_percent, .lasts = 5_s});
  try {
    spin.wait();
    FAIL() << "it was stopped";
  } catch (const MotionFault& fault) {
    EXPECT_EQ(fault.code(), FaultCode::emergency_stop);
    try {
      std::rethrow_if_nested(fault);
      FAIL() << "the listener's own is lost";
    } catch (const std::runtime_error& own) {
      EXPECT_STREQ(own.what(), "of the listener's own");
    }
  }
  EXPECT_NO_THROW(bench.serve(0.1_s)) << "it is told once";
}

}  // namespace
}  // namespace cogstride::run_loop_test
