// Orders by hand on the simulated bench: each answered once, and nothing runs away.
#include "cogstride/session/operation.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <thread>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/refusal.hpp"

namespace cogstride::operation_test {
namespace {

using namespace literals;
using testing_support::demo_rig_without_gate;
using testing_support::has;

/// The operation, and an instant at which the test looks: a bench where nothing happens leaps to the next
/// event.
struct UntilThen final : Participant {
  UntilThen(Operation& by_hand, Tick then) : operation(by_hand), until(then) {}
  [[nodiscard]] Tick next_act() const override { return std::min(operation.next_act(), until); }
  void act(Lines& lines, std::span<const Reading> readings) override {
    operation.act(lines, readings);
    is_over = lines.now() >= until;
  }
  Operation& operation;
  Tick until;
  bool is_over = false;
};

/// A bench with somebody at it, and all that was answered: "done", "refused: why".
struct Attended {
  explicit Attended(Rig rig = only_with(demo_rig_without_gate(), {"traverse", "feeder"}))
      : bench(std::move(rig)) {}

  /// @return where its answer will stand
  std::size_t say(const std::string& line) {
    const std::size_t place = answers.size();
    answers.emplace_back();
    counts.push_back(0);
    bench.post(line, [this, line, place] {
      by_hand.take(line, [this, place](const Operation::Answer& answer) {
        answers[place] = to_text(answer.kind) + (answer.words.empty() ? std::string() : ": " + answer.words);
        ++counts[place];
      });
    });
    return place;
  }
  void go_on(double seconds) {
    const double clock = bench.rig().controller.timer_clock.base().to_double();
    UntilThen guest(by_hand, std::llround((bench.now().in(units::s) + seconds) * clock));
    bench.run(guest, [&] { return guest.is_over; });
  }
  [[nodiscard]] double place_mm() const { return bench.signal("traverse.asked"); }

  SimulatedBench bench;
  Operation by_hand{bench};
  std::vector<std::string> answers;
  std::vector<int> counts;
};

TEST(Operation, AnswersEachLineOnceWhenItIsDoneOrAtOnceWhenItIsRefused) {
  Attended at;
  const auto moved = at.say("move traverse to 40 mm");
  const auto queued = at.say("move traverse by 10 mm");
  const auto beyond = at.say("move traverse to 400 mm");
  const auto wrong = at.say("mvoe traverse to 4 mm");
  const auto none = at.say("   # nothing");
  const auto homed = at.say("fly traverse");
  at.go_on(0.1);
  EXPECT_EQ(at.answers[moved], "") << "it is on its way";
  EXPECT_TRUE(has(at.answers[beyond], "refused: "));
  EXPECT_TRUE(has(at.answers[wrong], "refused: 'mvoe'"));
  EXPECT_TRUE(has(at.answers[homed], "refused: "));
  EXPECT_EQ(at.answers[none], "refused: nothing is asked");
  at.go_on(3.0);
  EXPECT_EQ(at.answers[moved], "done");
  EXPECT_EQ(at.answers[queued], "done");
  EXPECT_NEAR(at.place_mm(), 50.0, 0.005);
  EXPECT_EQ(at.counts, (std::vector<int>{1, 1, 1, 1, 1, 1}));
}

TEST(Operation, KnowsWhatTurnsWhenTheNextOrderComes) {
  Attended at;
  at.say("spin feeder at 40 % in 0.2 s until stopped");
  at.go_on(1.0);
  const auto faster = at.say("faster feeder by 10 %");
  at.go_on(1.0);
  EXPECT_EQ(at.answers[faster], "done");
  EXPECT_NEAR(at.bench.brushed("feeder").duty().base(), 0.5, 1e-9);
  const auto stop = at.say("stop feeder");
  at.go_on(5.0);
  EXPECT_EQ(at.answers[stop], "done");
  const auto again = at.say("faster feeder by 10 %");
  at.go_on(0.1);
  EXPECT_TRUE(has(at.answers[again], "refused: "));
}

TEST(Operation, AJogGoesOnAsLongAsItIsSaidAgain) {
  Attended at;
  at.say("move traverse to 20 mm");
  at.go_on(2.0);
  for (int i = 0; i < 10; ++i) {
    EXPECT_EQ(at.answers.size(), static_cast<std::size_t>(1 + i));
    at.say("jog traverse on at 10 mm/s");
    at.go_on(0.1);
  }
  EXPECT_EQ(at.by_hand.held(), std::vector<std::string>{"traverse on"});
  const double pushed = at.place_mm();
  EXPECT_GT(pushed, 28.0);
  // Whoever pushed is gone: the link is dead, the process is stopped.
  at.go_on(1.0);
  EXPECT_TRUE(at.by_hand.held().empty());
  EXPECT_LE(at.place_mm(), pushed + 10.0 * 0.31 + 0.1);
  const double stands = at.place_mm();
  at.go_on(0.5);
  EXPECT_EQ(at.place_mm(), stands);
  // The other way, and released.
  at.say("jog traverse back at 10 mm/s");
  at.go_on(0.1);
  const auto refused = at.say("move traverse to 5 mm");
  at.say("stop traverse");
  at.go_on(0.5);
  EXPECT_TRUE(has(at.answers[refused], "refused: traverse is jogged: 'stop' it first"));
  EXPECT_LT(at.place_mm(), stands);
  EXPECT_GT(at.place_mm(), stands - 2.0);
  for (const int count : at.counts) EXPECT_EQ(count, 1);
}

TEST(Operation, AJogStaysInsideTheTravelAndWantsAZero) {
  Attended at;
  at.say("move traverse to 117 mm");
  at.go_on(4.0);
  for (int i = 0; i < 20; ++i) {
    at.say("jog traverse on at 20 mm/s");
    at.go_on(0.1);
  }
  EXPECT_NEAR(at.place_mm(), 118.0, 0.01) << "its travel ends there";
  Attended gated(only_with(testing_support::demo_rig(), {"traverse"}));
  const auto pushed = gated.say("jog traverse on");
  const auto moved = gated.say("move traverse to 5 mm");
  gated.go_on(0.2);
  EXPECT_TRUE(has(gated.answers[pushed], "nobody knows where it stands: 'home' comes first"));
  EXPECT_TRUE(has(gated.answers[moved], "refused: "));
}

TEST(Operation, StopEverythingComesFirstAndOnlyClearAfterIt) {
  for (const bool from_elsewhere : {false, true}) {
    Attended at;
    const auto moved = at.say("move traverse to 100 mm");
    const auto waits = at.say("wait 30 s");
    at.go_on(0.5);
    std::size_t stop = 0;
    if (from_elsewhere) {
      std::thread([&] { at.by_hand.stop_everything(); }).join();
    } else {
      stop = at.say("stop everything");
    }
    const auto late = at.say("move traverse to 10 mm");
    at.go_on(1.0);
    EXPECT_TRUE(has(at.answers[moved], "fault: "));
    EXPECT_TRUE(has(at.answers[waits], "fault: everything was stopped"));
    EXPECT_TRUE(
        has(at.answers[late], "refused: everything is stopped: 'clear' comes before any other order"));
    if (!from_elsewhere) {
      EXPECT_TRUE(has(at.answers[stop], "done"));
    }
    const double stands = at.place_mm();
    EXPECT_LT(stands, 60.0);
    const auto clear = at.say("clear");
    at.go_on(1.0);
    EXPECT_TRUE(has(at.answers[clear], "done: orders are taken again"));
    EXPECT_EQ(at.place_mm(), stands) << "nothing moves by clearing";
    const auto on = at.say("move traverse to 10 mm");
    at.go_on(3.0);
    EXPECT_EQ(at.answers[on], "done");
    EXPECT_NEAR(at.place_mm(), 10.0, 0.005);
    for (const int count : at.counts) EXPECT_EQ(count, 1);
  }
}

TEST(Operation, EndsWhenNothingIsOnItsWayAnyMore) {
  Attended at;
  at.say("move traverse to 40 mm");
  const auto end = at.say("end");
  const auto late = at.say("move traverse to 50 mm");
  at.go_on(0.1);
  EXPECT_EQ(at.answers[end], "done");
  EXPECT_TRUE(has(at.answers[late], "refused: it comes to its end"));
  EXPECT_FALSE(at.by_hand.has_ended());
  at.go_on(2.0);
  EXPECT_TRUE(at.by_hand.has_ended());
}

}  // namespace
}  // namespace cogstride::operation_test
