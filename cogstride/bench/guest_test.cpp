// A mover that nothing in the library knows: what it gets from a bench all the same.
#include <gtest/gtest.h>

#include <array>
#include <cmath>
#include <span>
#include <string>
#include <vector>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/script/script_player.hpp"
#include "support/demo_rig.hpp"
#include "support/solenoid.hpp"

namespace cogstride {
namespace {

using namespace literals;
using testing_support::demo_rig;
using testing_support::Plunger;
using testing_support::solenoid;
using testing_support::solenoid_coil;
using testing_support::SolenoidMover;
using testing_support::SolenoidTwin;

/// Keeps what a test asks for.
class Kept final : public TraceSink {
 public:
  TraceLayout layout;
  std::vector<double> asked;
  std::vector<double> made;
  std::vector<TraceEvent> events;
  int coil_edges = 0;

  void begin(const TraceLayout& from) override { layout = from; }
  void edge(Tick, LineId line, bool) override { coil_edges += line == solenoid_coil ? 1 : 0; }
  void sample(Tick, std::span<const double> values) override {
    asked.push_back(values[layout.place_of("striker.asked").value()]);
    made.push_back(values[layout.place_of("striker.made").value()]);
  }
  void event(const TraceEvent& event) override { events.push_back(event); }
  void end(Tick) override {}
};

struct Struck {
  explicit Struck(Kept* trace = nullptr, Rig rig = demo_rig())
      : bench(std::move(rig), {.trace = trace, .guests = {solenoid("striker", &twin)}}) {}
  Motion strike(int times) {
    return bench.order("striker", [times](Mover& mover, Lines& lines) {
      return as<SolenoidMover>(mover)->strike(lines, times);
    });
  }
  [[nodiscard]] const SolenoidMover& mover() const { return bench.mover_as<SolenoidMover>("striker"); }

  SolenoidTwin* twin = nullptr;
  SimulatedBench bench;
};

TEST(Guest, HasAVerbOfItsOwn) {
  Struck struck;
  const std::array verbs{testing_support::strike_verb};
  const std::string text = "repeat 2 times\n  strike striker 3 times\n  wait 0.1 s\nend\n";
  const Script script = parse_script(text, "x.moves", struck.bench.rig(), {}, verbs);
  EXPECT_NEAR(check_motions(script, struck.bench.rig()).length.seconds, 2 * 0.22, 1e-9);
  ScriptPlayer player(script, struck.bench.rig(), struck.bench.cast());
  struck.bench.run(player, [&] { return player.has_ended(); });
  EXPECT_EQ(player.fault(), "");
  EXPECT_EQ(struck.mover().hits(), 6);
  EXPECT_NEAR(struck.bench.now().base(), 0.44, 2e-3);
  struck.twin->plunger().jam();
  const Script once = parse_script("strike striker 1 times\n", "x.moves", struck.bench.rig(), {}, verbs);
  ScriptPlayer again(once, struck.bench.rig(), struck.bench.cast());
  struck.bench.run(again, [&] { return again.has_ended(); });
  EXPECT_EQ(again.fault(), "x.moves:1: strike striker 1 times: striker: its strike was not felt");
}

TEST(Guest, ItsVerbIsReadAndRefusedLikeAnother) {
  const Rig rig = demo_rig();
  const std::array verbs{testing_support::strike_verb};
  const auto wrong = [&](const std::string& text, std::span<const VerbWord> more) {
    try {
      (void)parse_script(text, "x.moves", rig, {}, more);
    } catch (const InputError& error) {
      return error.diagnostics().at(0).message;
    }
    return std::string();
  };
  EXPECT_EQ(wrong("strike striker 3 times", verbs), "");
  EXPECT_NE(wrong("strike striker 0 times", verbs).find("1 to 1000"), std::string::npos);
  EXPECT_NE(wrong("strke striker 3 times", verbs).find("did you mean strike?"), std::string::npos);
  EXPECT_NE(wrong("strike striker 3 times", {}).find("is not a verb"), std::string::npos);
  EXPECT_NE(wrong("pattern strike\nend", verbs).find("is a word of the script language"), std::string::npos);
}

TEST(Guest, HasAStatusAndAVerdict) {
  Struck struck;
  EXPECT_EQ(struck.bench.status("striker").doing, "");
  EXPECT_FALSE(struck.bench.verdict().of("striker").has_moved);
  Motion motion = struck.strike(3);
  struck.bench.serve(10_ms);
  const Status status = struck.bench.status("striker");
  EXPECT_EQ(status.doing, "strike 3 times");
  EXPECT_EQ(status.asked, "3 to go");
  EXPECT_EQ(status.obstacle, "");
  EXPECT_TRUE(status.is_driven);
  EXPECT_EQ(struck.bench.signal("striker.asked"), 100.0);
  motion.wait();
  const MoverVerdict verdict = struck.bench.verdict().of("striker");
  EXPECT_EQ(verdict.kind, "solenoid");
  EXPECT_EQ(verdict.sum, "felt 3 strikes");
  EXPECT_EQ(verdict.figure("full_strokes"), 3.0);
  EXPECT_TRUE(verdict.is_sound());
  EXPECT_EQ(verdict.looked_at.size(), 1u);
  struck.twin->plunger().jam();
  EXPECT_NE(struck.strike(1).result(), "");
  EXPECT_FALSE(struck.bench.verdict().is_sound()) << "it failed";
  EXPECT_EQ(struck.bench.verdict().of("striker").figure("hits"), 3.0);
}

TEST(Guest, HasLinesARecordAndItsMotions) {
  Kept kept;
  Struck struck(&kept);
  Motion motion = struck.strike(3);
  EXPECT_EQ(motion.wait(), MotionStatus::done);
  EXPECT_NEAR(motion.duration()->base(), 3 * 0.02 + 2 * 0.03, 1e-3);
  EXPECT_EQ(struck.mover().hits(), 3);
  struck.bench.serve(50_ms);
  struck.bench.close();
  EXPECT_EQ(kept.coil_edges, 6);
  EXPECT_NEAR(*std::max_element(kept.made.begin(), kept.made.end()), 4.0, 1e-9) << "mm";
  EXPECT_EQ(*std::max_element(kept.asked.begin(), kept.asked.end()), 100.0);
  EXPECT_EQ(kept.made.back(), 0.0);
  ASSERT_GE(kept.events.size(), 2u);
  EXPECT_EQ(kept.events[0].who, "striker");
  EXPECT_EQ(kept.events[0].text, "strike 3 times");
  EXPECT_EQ(kept.events[1].kind, TraceEvent::Kind::ended);
}

TEST(Guest, GoesOnBesideWhatTheRigMoves) {
  Struck struck;
  auto traverse = struck.bench.stepper("traverse");
  traverse.home().wait();
  Motion lay = traverse.move({.by = 40_mm});
  Motion motion = struck.strike(5);
  struck.bench.wait_for_all();
  EXPECT_EQ(lay.status(), MotionStatus::done);
  EXPECT_EQ(motion.status(), MotionStatus::done);
  EXPECT_EQ(struck.mover().hits(), 5);
}

TEST(Guest, ItsFaultStopsTheOthers) {
  Kept kept;
  Struck struck(&kept);
  auto reel = struck.bench.mechanism("creel");
  auto creel = struck.bench.stepper("creel");
  creel.home().wait();
  Motion turn = creel.spin({.at = 20_deg_per_s});
  std::vector<std::string> told;
  struck.bench.on_fault([&](const std::string& why) { told.push_back(why); });
  struck.twin->plunger().jam();
  Motion motion = struck.strike(2);
  EXPECT_EQ(motion.result(), "striker: its strike was not felt");
  EXPECT_EQ(motion.code(), FaultCode::failed);
  struck.bench.serve(1_s);
  EXPECT_EQ(turn.code(), FaultCode::other_failed);
  EXPECT_EQ(told, std::vector<std::string>{"striker: its strike was not felt"});
  EXPECT_TRUE(reel.has_ended());
  EXPECT_EQ(struck.bench.verdict().fault, "striker: its strike was not felt");
}

TEST(Guest, IsStoppedAndCutWithTheBench) {
  Struck struck;
  Motion first = struck.strike(100);
  struck.bench.serve(70_ms);
  struck.bench.mechanism("striker").stop();
  EXPECT_EQ(first.status(), MotionStatus::cancelled);
  struck.bench.serve(1_ms);
  EXPECT_FALSE(struck.bench.simulated_lines().level(solenoid_coil));

  Motion second = struck.strike(100);
  struck.bench.serve(5_ms);
  EXPECT_TRUE(struck.bench.simulated_lines().level(solenoid_coil));
  struck.bench.stop();
  EXPECT_EQ(second.code(), FaultCode::stopped);
  EXPECT_FALSE(struck.bench.simulated_lines().level(solenoid_coil));
  struck.bench.serve(50_ms);
  EXPECT_EQ(struck.twin->plunger().place(), 0.0) << "its spring has taken it back";

  Motion third = struck.strike(1);
  struck.bench.close();
  EXPECT_EQ(third.code(), FaultCode::closed);
  EXPECT_THROW(struck.strike(1), RangeError);
}

TEST(Guest, IsHeldUpByAnEmergencyStopAsTheOthersAre) {
  SolenoidTwin* twin = nullptr;
  SimulatedBench bench(demo_rig(),
                       {.events = {{.at = 100_ms, .what = "halt"}}, .guests = {solenoid("striker", &twin)}});
  Motion motion = bench.order(
      "striker", [](Mover& mover, Lines& lines) { return as<SolenoidMover>(mover)->strike(lines, 100); });
  EXPECT_THROW(motion.wait(), MotionFault);
  EXPECT_EQ(motion.code(), FaultCode::emergency_stop);
  // It is pressed still: nothing begins.
  EXPECT_NE(bench.mechanism("striker").obstacle().find("emergency stop"), std::string::npos);
  EXPECT_THROW(
      bench.order("striker",
                  [](Mover& mover, Lines& lines) { return as<SolenoidMover>(mover)->strike(lines, 1); }),
      RangeError);
  EXPECT_FALSE(bench.simulated_lines().level(solenoid_coil));
}

TEST(Guest, OfANameOfTheRigIsRefused) {
  EXPECT_THROW(SimulatedBench(demo_rig(), {.guests = {solenoid("traverse")}}), RangeError);
}

TEST(Guest, IsNoneOfTheKindsThatTheLibraryKnows) {
  Struck struck;
  EXPECT_THROW((void)struck.bench.stepper("striker"), RangeError);
  EXPECT_THROW((void)struck.bench.mover_as<SolenoidMover>("traverse"), RangeError);
}

}  // namespace
}  // namespace cogstride
