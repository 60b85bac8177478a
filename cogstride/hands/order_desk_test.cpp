// Lines from ways in, through the desk, to a bench: answered once, in their order, whatever comes.
#include "cogstride/hands/order_desk.hpp"

#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/hands/state_line.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/refusal.hpp"
#include "support/until_then.hpp"

namespace cogstride::order_desk_test {
namespace {

using namespace literals;
using testing_support::demo_rig_without_gate;
using testing_support::go_on;
using testing_support::has;
using testing_support::refusal_of;

struct AtTheDesk {
  explicit AtTheDesk(Rig rig = only_with(demo_rig_without_gate(), {"traverse", "feeder"}))
      : bench(std::move(rig)) {}
  void say(const std::string& text) { desk.line(way, text); }
  void go(double seconds) { go_on(bench, operation, seconds); }

  SimulatedBench bench;
  Operation operation{bench};
  OrderDesk desk{bench, operation};
  std::vector<std::string> said;
  std::shared_ptr<OrderDesk::Way> way = desk.open(
      "keyboard", [this](std::string line) { said.push_back(std::move(line)); }, false);
};

TEST(OrderDesk, AnswersEachLineInItsTurnReadableOrNot) {
  AtTheDesk at;
  at.say("@1 switch lamp on");
  at.say("{\"order\": 3}");
  at.say("@3 switch lamp off");
  at.say("");
  at.go(0.1);
  ASSERT_EQ(at.said.size(), 4U);
  EXPECT_EQ(at.said[3], "refused: nothing is asked");
  EXPECT_EQ(at.said[0], "@1 done: switch lamp on");
  EXPECT_TRUE(has(at.said[1], "it has no `order`"));
  EXPECT_EQ(at.said[2], "@3 done: switch lamp off");
  EXPECT_EQ(at.way->waiting(), 0);
}

TEST(OrderDesk, ShowsHowEverythingIsAsOftenAsItIsAsked) {
  AtTheDesk at;
  at.say("watch every 100 ms");
  at.say("move traverse to 40 mm");
  at.go(1.05);
  const auto is_state = [](const std::string& line) { return line.starts_with("state: "); };
  EXPECT_EQ(std::count_if(at.said.begin(), at.said.end(), is_state), 11);
  EXPECT_TRUE(has(at.said[4], "traverse "));
  EXPECT_TRUE(has(at.said[4], "move to 40 mm, held by keyboard"));
  const std::size_t before = at.said.size();
  at.say("watch off");
  at.go(1.0);
  EXPECT_EQ(at.said.size(), before + 1);
  for (const char* const wrong :
       {"watch", "watch every", "watch every 1 ms", "watch every 3 mm", "watch every 2 h"}) {
    at.say(wrong);
    at.go(0.01);
    EXPECT_TRUE(has(at.said.back(), "refused: ")) << wrong;
  }
  at.say("show traverse");
  at.say("show nothing");
  at.go(0.01);
  EXPECT_EQ(at.said[at.said.size() - 2], "done: show traverse: 40.00 mm, 0.0 mm/s, count 10667");
  EXPECT_EQ(at.said.back(), "refused: show nothing: 'show NAME': it is one of traverse, feeder");
  // As JSON, to one who asks so.
  at.say("{\"order\": \"watch every 100 ms\"}");
  at.go(0.05);
  const auto json = nlohmann::json::parse(at.said.back());
  EXPECT_EQ(json["state"]["moved"][0]["name"], "traverse");
  EXPECT_NEAR(json["state"]["moved"][0]["place"].get<double>(), 40.0, 0.01);
  EXPECT_EQ(json["state"]["outputs"]["lamp"], 0.0);
  EXPECT_FALSE(json["state"]["stopped"].get<bool>());
}

TEST(OrderDesk, OneThatIsGoneHoldsNothingAndIsToldNothing) {
  AtTheDesk at;
  at.say("spin feeder at 40 % until stopped");
  at.go(0.5);
  const std::size_t told = at.said.size();
  at.desk.close(at.way);
  at.desk.close(at.way);
  at.say("switch lamp on");
  at.go(4.0);
  EXPECT_EQ(at.said.size(), told);
  EXPECT_NEAR(at.bench.brushed("feeder").duty().base(), 0.0, 1e-9);
}

TEST(OrderDesk, AFloodIsRefusedAndAStopGoesThrough) {
  AtTheDesk at;
  at.say("move traverse to 100 mm");
  at.go(0.3);
  for (int i = 0; i < OrderDesk::most_waiting + 5; ++i) at.say("switch lamp on");
  EXPECT_TRUE(has(at.said.back(), "refused: switch lamp on: 10000 lines wait already"));
  at.say("stop everything");
  at.go(1.0);
  EXPECT_TRUE(at.operation.is_stopped());
  EXPECT_LT(at.bench.signal("traverse.asked"), 60.0);
  EXPECT_EQ(at.way->waiting(), 0);
  EXPECT_EQ(at.said.size(), 1U + OrderDesk::most_waiting + 5 + 1);
}

TEST(OrderDesk, ReadsWhatWasPostedOnceMore) {
  AtTheDesk at;
  at.desk.play_again("socket 1: spin feeder at 40 % until stopped");
  at.desk.play_again("socket 1: (no order)");
  at.desk.play_again("settings are kept");
  at.go(1.0);
  EXPECT_NEAR(at.bench.brushed("feeder").duty().base(), 0.4, 1e-9);
  at.desk.play_again("socket 1 is gone");
  at.go(4.0);
  EXPECT_NEAR(at.bench.brushed("feeder").duty().base(), 0.0, 1e-9);
  EXPECT_TRUE(at.said.empty());
}

TEST(LineSplitter, TakesBytesAsTheyCome) {
  LineSplitter splitter;
  std::vector<std::string> lines;
  const auto keep = [&](const std::string& line) { lines.push_back(line); };
  splitter.take("stop tra", keep);
  splitter.take("verse\nclear\n\nen", keep);
  splitter.take(std::string(100'000, 'x'), keep);
  splitter.take("\nlast", keep);
  splitter.finish(keep);
  splitter.finish(keep);
  ASSERT_EQ(lines.size(), 5U);
  EXPECT_EQ(lines[0], "stop traverse");
  EXPECT_EQ(lines[2], "");
  EXPECT_EQ(lines[3].size(), 4 * longest_order) << "no more of it than it takes to see that it is too long";
  EXPECT_EQ(lines[4], "last");
}

}  // namespace
}  // namespace cogstride::order_desk_test
