// Random hands on all ways in, for a minute of the bench's time, and for ten when COGSTRIDE_SLOW is set: with
// emergency stops, supplies that go, ways in that come and go, and rubbish.
#include <gtest/gtest.h>

#include <malloc.h>

#include <cstdlib>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/hands/order_desk.hpp"
#include "cogstride/motion/mover.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/random_hands.hpp"
#include "support/until_then.hpp"

namespace cogstride::soak_test {
namespace {

using namespace literals;
using testing_support::demo_rig_without_gate;
using testing_support::RandomHands;

std::vector<OutsideEvent> accidents(RandomHands& dice, int seconds) {
  std::vector<OutsideEvent> events;
  const auto at = [&](std::int64_t ms, const char* what, bool on) {
    OutsideEvent event;
    event.at = ExactTime::from_base({ms, 1000});
    event.what = what;
    event.on = on;
    events.push_back(event);
  };
  for (std::int64_t ms = 3000; ms < 1000 * seconds; ms += 2000 + dice.of(6000)) {
    const bool is_stop = dice.of(2) == 0;
    at(ms, is_stop ? "halt" : "main", is_stop);
    at(ms + 200 + dice.of(1000), is_stop ? "halt" : "main", !is_stop);
  }
  return events;
}

/// Looks all the time whether something is as it may not be.
struct Looker final : Participant {
  Looker(Operation& of, SimulatedBench& on) : operation(of), bench(on) {}
  [[nodiscard]] Tick next_act() const override { return std::min(operation.next_act(), next); }
  void act(Lines& lines, std::span<const Reading> readings) override {
    operation.act(lines, readings);
    if (lines.now() < next) return;
    next = lines.now() + 480'000;  // 10 ms
    const double speed = std::abs(bench.mover("traverse").asked_speed(lines.now()).value_or(0.0));
    fastest = std::max(fastest, 1e3 * speed);
    if (!operation.is_stopped()) {
      stopped_since = never;
      return;
    }
    if (stopped_since == never) stopped_since = lines.now();
    if (lines.now() - stopped_since < 48'000'000) return;  // it has come to rest by then
    if (speed != 0.0) ++moved_when_stopped;
    if (bench.status("feeder").is_driven) ++moved_when_stopped;
  }
  Operation& operation;
  SimulatedBench& bench;
  Tick next = 0;
  Tick stopped_since = never;
  double fastest = 0.0;
  int moved_when_stopped = 0;
};

TEST(Soak, RandomHandsKeepToTheLimitsAndEveryLineIsAnsweredOnce) {
  const int seconds = std::getenv("COGSTRIDE_SLOW") == nullptr ? 60 : 600;
  RandomHands dice(2026);
  SimulatedBench::Options options;
  options.events = accidents(dice, seconds);
  options.average_pwm = true;
  SimulatedBench bench(only_with(demo_rig_without_gate(), {"traverse", "feeder"}), std::move(options));
  Operation operation(bench);
  OrderDesk desk(bench, operation);
  int told = 0;
  std::vector<std::shared_ptr<OrderDesk::Way>> all;
  const auto open = [&](int number) {
    all.push_back(desk.open(
        fmt::format("hand {}", number), [&](std::string) { ++told; }, dice.of(2) == 0));
    return all.back();
  };
  std::vector<std::shared_ptr<OrderDesk::Way>> ways{open(0), open(1), open(2)};
  std::size_t used_early = 0;
  Looker looker(operation, bench);
  int lines = 0;
  for (int turn = 0; bench.now() < Time(seconds, units::s); ++turn) {
    const auto hand = static_cast<std::size_t>(dice.of(3));
    if (dice.of(100) == 0) {
      desk.close(ways[hand]);
      ways[hand] = open(turn);
      // Those that are gone and answered are forgotten, as a server does.
      std::erase_if(all, [](const auto& way) { return way.use_count() == 1 && way->waiting() == 0; });
    }
    const int many = dice.of(200) == 0 ? 1000 : 1;
    for (int i = 0; i < many; ++i) desk.line(ways[hand], dice.line());
    lines += many;
    testing_support::go_on(bench, looker, 0.001 * (1 + dice.of(120)));
    if (used_early == 0 && bench.now() > Time(seconds / 3.0, units::s)) used_early = mallinfo2().uordblks;
  }
  desk.line(ways[0], "stop everything");
  testing_support::go_on(bench, looker, 40.0);
  EXPECT_GT(lines, 10 * seconds);
  EXPECT_GT(told, lines / 2);
  for (const auto& way : all) EXPECT_EQ(way->waiting(), 0) << way->name();
  EXPECT_LE(looker.fastest, 60.0 * (1.0 + 1e-9)) << "mm/s";
  EXPECT_GT(looker.fastest, 20.0) << "it moved";
  EXPECT_EQ(looker.moved_when_stopped, 0);
  const auto used = static_cast<double>(mallinfo2().uordblks);
  EXPECT_LT(used - static_cast<double>(used_early), 2e6) << "bytes";
}

}  // namespace
}  // namespace cogstride::soak_test
