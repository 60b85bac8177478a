// Runs that come to something else than was asked: none of them is "all as asked", and each says what is
// wrong.
#include "cogstride/trace/verdict.hpp"

#include <gtest/gtest.h>

#include <functional>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/rig/files/new_rig.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/script/script_player.hpp"
#include "support/demo_rig.hpp"
#include "support/inside.hpp"

namespace cogstride::verdict_test {
namespace {

using namespace literals;
using testing_support::demo_rig;
using Change = std::function<void(Mechanism&)>;

Mechanism& named(Rig& rig, const std::string& name) {
  for (Mechanism& mechanism : rig.mechanisms)
    if (mechanism.name == name) return mechanism;
  throw Error(name);
}

/// The demo's rig, and what is really there.
struct Pair {
  Rig rig = demo_rig();
  Rig actual = demo_rig();
  std::vector<OutsideEvent> events{};
  std::map<std::string, OutputPosition> start{};

  /// Plays a script to its end, and a little longer.
  [[nodiscard]] Verdict play(const std::string& text) const {
    const Script script = parse_script(text, "x.moves", rig);
    SimulatedBench bench(rig, {.start_positions = start, .actual = actual, .events = events});
    bool stopped = false;
    bench.on_fault([&](const std::string&) { stopped = true; });
    ScriptPlayer player(script, rig, bench.cast());
    bench.run(player, [&] { return player.has_ended() || stopped; });
    bench.serve(0.3_s);
    return bench.verdict();
  }
};

/// All that is complained of a mechanism and what is named as its causes, in one text.
std::string complaints(const Verdict& verdict, const std::string& name) {
  std::string all;
  for (const std::string& one : verdict.of(name).complaints) all += one + "\n";
  for (const VerdictCause& cause : verdict.of(name).causes) all += cause.name + ": " + cause.words + "\n";
  return all;
}

#define EXPECT_COMPLAINT(verdict, name, words) \
  EXPECT_NE(complaints(verdict, name).find(words), std::string::npos) << complaints(verdict, name)

TEST(Verdict, OfASoundRunHasNoComplaint) {
  const Verdict verdict = Pair{}.play(
      "home traverse\nhome creel\narm fan\nmove traverse to 20 mm\nmove traverse to 0 mm\nturn creel to 90 "
      "deg\n"
      "swing snips to 40 deg\nthrottle fan to 40 % for 1 s\nspin feeder at 40 % for 1 s\n"
      "spin spindle at 600 rpm for 1 s\n");
  EXPECT_TRUE(verdict.is_sound());
  for (const MoverVerdict& mover : verdict.movers)
    EXPECT_EQ(complaints(verdict, mover.name), "") << mover.name;
}

TEST(Verdict, ASpeedControllerWithoutItsSignalDidNotObey) {
  Pair pair;
  pair.events = {{0_s, "fan.signal", false}};
  EXPECT_COMPLAINT(pair.play("arm fan\nthrottle fan to 60 % for 2 s\n"), "fan",
                   "no pulse reached its speed controller");
  pair.events = {{4_s, "fan.signal", false}};
  EXPECT_COMPLAINT(pair.play("arm fan\nthrottle fan to 60 % for 4 s\n"), "fan",
                   "pulse wire: 61 % of its pulses came to it");
}

TEST(Verdict, AServoThatNeverMovedIsNotWhereItWasSentThoughItEndsThere) {
  Pair pair;
  pair.events = {{0_s, "snips.signal", false}};
  EXPECT_COMPLAINT(pair.play("swing snips to 70 deg\nswing snips to 0 deg\n"), "snips",
                   "it should have stood at 70 deg, and it stood 70 deg away");
}

TEST(Verdict, ABrushedMotorThatCrawlsIsHeldAgainstItsDuty) {
  Pair pair;
  named(pair.actual, "feeder").load.coulomb_friction = named(pair.actual, "feeder").load.stiction = 0.15_Nm;
  EXPECT_COMPLAINT(pair.play("spin feeder at 60 % for 3 s\n"), "feeder",
                   "which makes 372 rpm by the rig's figures");
}

TEST(Verdict, ALoadThatTurnsItBackIsSeen) {
  Pair pair;
  Mechanism& feeder = named(pair.actual, "feeder");
  feeder.load.slackens = false;
  feeder.load.steady_torque = 0.2_Nm;
  EXPECT_COMPLAINT(pair.play("spin feeder at 40 % for 0.1 s\nwait 2 s\n"), "feeder",
                   "load: its load turns it while nothing is asked of it");
}

/// The traverse alone on a board of its own lines, moved out and back without a switch.
Pair traverse(const Change& really) {
  Pair pair;
  for (Rig* const rig : {&pair.rig, &pair.actual}) {
    Mechanism& it = named(*rig, "traverse");
    it.homing.reset();
    it.hard_ends.reset();
    it.sensors.clear();
    StepDirWiring& wiring = it.step_dir_lines();
    wiring.sleep = DrivenLine{60, ActiveLevel::low, {}};
    wiring.microstep_select = {{61, ActiveLevel::high, {}}, {62, ActiveLevel::high, {}}};
    it.step_dir().microstep_switches.reset();
    it.step_dir().microsteps_by_switch = {{"00", 1}, {"10", 8}, {"01", 4}, {"11", 16}};
    it.limits.travel_from.reset();
    it.limits.travel_to.reset();
  }
  really(named(pair.actual, "traverse"));
  return pair;
}

const std::string out_and_back =
    "with traverse at 5 mm/s and 100 mm/s2\n  move traverse by 10 mm\n  move traverse by -10 mm\nend\n";

TEST(Verdict, DirTakenTheOtherWayRoundIsSeenWhereTheScriptEndsWhereItBegan) {
  EXPECT_TRUE(traverse([](Mechanism&) {}).play(out_and_back).is_sound());
  const Pair pair = traverse([](Mechanism& m) { m.step_dir_lines().dir.active = ActiveLevel::low; });
  EXPECT_COMPLAINT(pair.play(out_and_back), "traverse", "DIR is taken the other way round");
}

TEST(Verdict, SelectLinesThatSetAnotherResolutionAreHeardByTheBoard) {
  const Pair pair = traverse([](Mechanism& m) {
    const std::int64_t own = m.step_dir().microsteps;
    for (auto& [positions, microsteps] : m.step_dir().microsteps_by_switch)
      if (microsteps == own) microsteps = own / 2;
  });
  EXPECT_COMPLAINT(pair.play(out_and_back), "traverse", "it went 2 times as far");
}

// Full steps at 24 V without a smooth ramp lose steps both ways, once by nearly four times what was asked.
TEST(Verdict, StepsThatWereLostAreNotBlamedOnTheWiring) {
  Pair pair;
  pair.rig = pair.actual = parse_rig(
      new_rig_text({"Drum", {{"drum", "bipolar stepper", "dual H-bridge"}}, {}, {}}), "drum.rig.toml");
  const Verdict verdict = pair.play("turn drum to 90 deg\nturn drum to -200 deg\nturn drum to 0 deg\n");
  EXPECT_COMPLAINT(verdict, "drum", "limits: limits.acceleration");
  EXPECT_EQ(complaints(verdict, "drum").find("went the other way"), std::string::npos);
  EXPECT_EQ(complaints(verdict, "drum").find("other microsteps"), std::string::npos);
}

TEST(Verdict, ABoardThatSleepsMovesNothing) {
  const Pair pair = traverse([](Mechanism& m) { m.step_dir_lines().sleep->active = ActiveLevel::high; });
  EXPECT_COMPLAINT(pair.play(out_and_back), "traverse", "SLEEP (lines.sleep)");
}

TEST(Verdict, WithoutACommonGroundNothingIsHeard) {
  Pair pair = traverse([](Mechanism& m) {
    m.supply.ground_joined = false;
    m.step_dir().inputs.isolated = false;
  });
  named(pair.actual, "snips").supply.ground_joined = false;
  named(pair.actual, "feeder").supply.ground_joined = false;
  named(pair.actual, "feeder").board = [&] {
    HBridge board = std::get<HBridge>(named(pair.actual, "feeder").board);
    board.inputs.isolated = false;
    return board;
  }();
  const Verdict verdict = pair.play(out_and_back + "swing snips to 70 deg\nspin feeder at 40 % for 0.1 s\n");
  EXPECT_COMPLAINT(verdict, "traverse", "no pulse came to its board");
  EXPECT_COMPLAINT(verdict, "snips", "ground");
  EXPECT_FALSE(verdict.is_sound());
}

TEST(Verdict, GatesWithLessDeadTimeThanTheBoardNeedsDestroyIt) {
  Pair pair;
  for (Rig* const rig : {&pair.rig, &pair.actual}) {
    auto& wiring = std::get<GateWiring>(named(*rig, "spindle").wiring);
    wiring.complementary = true;
    wiring.dead_time = Time(1.0, units::us);
  }
  auto& board = std::get<SixGateInverter>(named(pair.actual, "spindle").board);
  board.dead_time = Time(1.0, units::us);
  board.locks_legs = false;
  EXPECT_TRUE(pair.play("spin spindle at 600 rpm for 0.3 s\n").of("spindle").is_sound());
  board.dead_time = Time(1.5, units::us);
  EXPECT_COMPLAINT(pair.play("spin spindle at 600 rpm for 0.3 s\n"), "spindle",
                   "its two transistors are no more");
}

TEST(Verdict, AnEncoderThatIsFasterThanItsCounterLosesCounts) {
  Pair pair;
  pair.actual.controller.counters->top_rate = 1_kHz;
  const Verdict verdict = pair.play("spin feeder at 60 % for 1 s\n");
  EXPECT_COMPLAINT(verdict, "feeder", "controller.counters.top_rate");
}

TEST(Verdict, ASwitchTableThatSetsAnotherResolutionIsTheBoards) {
  const Pair pair = traverse([](Mechanism& m) {
    m.step_dir_lines().microstep_select.clear();
    m.step_dir().microstep_switches = "11";
  });
  EXPECT_COMPLAINT(pair.play(out_and_back), "traverse", "it went 0.5 times as far");
}

TEST(Verdict, ALevelThatIsTooLowIsNotHeard) {
  Pair pair;
  named(pair.actual, "feeder").supply.ground_joined = true;
  HBridge board = std::get<HBridge>(named(pair.actual, "feeder").board);
  board.inputs.threshold = Voltage(4.0, units::V);
  named(pair.actual, "feeder").board = board;
  EXPECT_COMPLAINT(pair.play("spin feeder at 40 % for 1 s\n"), "feeder", "board.input_threshold");
}

TEST(Verdict, AContactThatBouncesForLongerThanItsDebounceIsTold) {
  Pair pair;
  std::get<PlaceSwitch>(named(pair.actual, "creel").sensors[0]).bounce = 60_ms;
  EXPECT_COMPLAINT(pair.play("home creel\nturn creel to 90 deg\n"), "creel",
                   "the contact of station bounced");
}

TEST(Verdict, AStartBeyondAHardEndIsRefused) {
  Rig rig = demo_rig();
  EXPECT_THROW(SimulatedBench(rig, {.start_positions = {{"traverse", OutputPosition(-60_mm)}}}), RangeError);
}

TEST(Verdict, AFadeGoesOnToItsEndAndAnEmptyScriptIsNone) {
  Pair pair;
  for (Rig* const rig : {&pair.rig, &pair.actual}) {
    rig->outputs.front().timer = "duty";
    rig->outputs.front().pwm_frequency = 1_kHz;
  }
  EXPECT_GT(pair.play("fade lamp to 80 % in 2 s\n").seconds, 2.2);
  EXPECT_THROW((void)parse_script("# nothing\n", "x.moves", pair.rig), InputError);
}

TEST(Verdict, SaysHowItFollowed) {
  Pair pair;
  const Verdict verdict = pair.play(
      "home traverse\nmove traverse to 12 mm\ngear traverse falling behind by at most 1 mm\nspin spindle at "
      "300 rpm for 1 s\nlet traverse go\n");
  EXPECT_EQ(verdict.fault, "");
  bool said = false;
  for (const MoverVerdict::Row& row : verdict.of("traverse").rows)
    said = said || row.words.find("spindle; held up by its limits by") != std::string::npos;
  EXPECT_TRUE(said);
  EXPECT_LT(verdict.of("traverse").figure("held_up_at_most"), 12.0)
      << "steps, as the spindle is braked at the end of its ramp";
}

}  // namespace
}  // namespace cogstride::verdict_test
