// Orders by hand on live lines: what was told is kept, and played again to the same orders.
#include <gtest/gtest.h>

#include <chrono>
#include <filesystem>
#include <thread>

#include "cogstride/bench/live/black_box.hpp"
#include "cogstride/bench/live/live_bench.hpp"
#include "cogstride/bench/live/recorded_lines.hpp"
#include "cogstride/hands/order_desk.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/busy_computer.hpp"
#include "support/demo_rig.hpp"
#include "support/level_port.hpp"
#include "support/random_hands.hpp"

namespace cogstride::live_operation_test {
namespace {

using namespace literals;
using testing_support::RandomHands;
using testing_support::unless_busy;

Rig rig() {
  Rig rig = only_with(testing_support::demo_rig_without_gate(), {"traverse"});
  rig.controller.edge_lateness = Time(40.0, units::ms);
  return rig;
}

/// Random hands for a while, and what was planned then.
void live(const std::string& box, std::uint64_t seed) {
  testing_support::LevelPort port({LineId{2}, LineId{5}});
  LiveBench bench(rig(), {.port = &port, .black_box = box, .labels = {{"rig", "the demo's"}}});
  Operation operation(bench);
  OrderDesk desk(bench, operation);
  const std::jthread hands([&] {
    RandomHands dice(seed);
    auto one = desk.open("hand 1", {}, false);
    auto two = desk.open("hand 2", {}, false);
    for (int i = 0; i < 150; ++i) {
      if (i == 75) {
        desk.close(one);
        one = desk.open("hand 3", {}, false);
      }
      desk.line(dice.of(2) == 0 ? one : two, dice.line());
      std::this_thread::sleep_for(std::chrono::milliseconds(dice.of(30)));
    }
    desk.line(two, "end");
  });
  bench.run(operation, [&] { return operation.has_ended(); });
  bench.come_to_rest();
  bench.close();
  if (testing_support::is_of_a_busy_computer(bench.verdict().fault))
    throw MotionFault(bench.verdict().fault, FaultCode::controller);
}

TEST(LiveOperation, IsPlayedAgainToTheSameOrders) {
  const std::string box = testing::TempDir() + "cogstride_by_hand.box";
  for (const std::uint64_t seed : {1U, 2U, 3U}) {
    unless_busy([&] {
      std::filesystem::remove(box);
      live(box, seed);
    });
    BlackBox kept(box);
    OrderDesk* desk = nullptr;
    LiveBench bench(rig(), {.replay = &kept, .on_replayed_post = [&](const std::string& posted) {
                              desk->play_again(posted);
                            }});
    Operation operation(bench);
    OrderDesk at(bench, operation);
    desk = &at;
    std::string ends;
    try {
      bench.run(operation, [&] { return operation.has_ended(); });
      bench.come_to_rest();
    } catch (const ReplayEnds& error) {
      ends = error.what();
    }
    bench.close();
    EXPECT_EQ(ends, "");
    EXPECT_GT(bench.commands_compared(), 20) << seed;
  }
}

}  // namespace
}  // namespace cogstride::live_operation_test
