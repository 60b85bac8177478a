// The verbs of the script language, read and played on the simulated demo bench.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/script/script_player.hpp"
#include "cogstride/script/verbs/verb.hpp"
#include "support/demo_rig.hpp"
#include "support/inside.hpp"

namespace cogstride::verbs_test {
namespace {

using namespace literals;
using testing_support::demo_rig;

std::string wrong_in(const std::string& text, const Rig& rig = demo_rig()) {
  try {
    (void)parse_script(text, "x.moves", rig);
  } catch (const InputError& error) {
    std::string all;
    for (const Diagnostic& wrong : error.diagnostics()) all += to_text(wrong) + "\n";
    return all;
  }
  return {};
}

#define EXPECT_SAYS(text, part)                                                \
  do {                                                                         \
    const std::string said = wrong_in(text);                                   \
    EXPECT_NE(said.find(part), std::string::npos) << text << "\n--> " << said; \
  } while (false)

/// A script played to its end on a bench of its own.
struct Played {
  explicit Played(const std::string& text, std::vector<OutsideEvent> events = {}, const Rig& on = demo_rig())
      : rig(on),
        script(parse_script(text, "x.moves", rig)),
        bench(rig, {.start_positions = {{"traverse", 3_mm},
                                        {"creel", OutputPosition(OutputKind::rotary, {-1, 100})}},
                    .events = std::move(events)}),
        player(script, rig, bench.cast()) {
    player.on_statement([this](Tick at, const Statement& statement) {
      begun.push_back({static_cast<double>(at) / 48e6, statement.text});
    });
    bench.run(player, [this] { return player.has_ended(); });
    ended = bench.now().in(units::s);
  }

  [[nodiscard]] double began(const std::string& text) const {
    for (const auto& [at, statement] : begun)
      if (statement == text) return at;
    return -1.0;
  }
  [[nodiscard]] double degrees() { return 360.0 * bench.stepper("creel").position()->base.to_double(); }
  [[nodiscard]] double millimetres() { return 1e3 * bench.stepper("traverse").position()->base.to_double(); }

  Rig rig;
  Script script;
  SimulatedBench bench;
  ScriptPlayer player;
  std::vector<std::pair<double, std::string>> begun;
  double ended = 0.0;
};

/// How long one line was high, by windows of time.
class OnTimes final : public TraceSink {
 public:
  explicit OnTimes(LineId line) : line_(line) {}
  void begin(const TraceLayout&) override {}
  void edge(Tick at, LineId line, bool high) override {
    if (line == line_) edges_.emplace_back(static_cast<double>(at) / 48e6, high);
  }
  void sample(Tick, std::span<const double>) override {}
  void event(const TraceEvent&) override {}
  void end(Tick) override {}

  [[nodiscard]] double share(double from, double to) const {
    double on = 0.0;
    for (std::size_t i = 0; i < edges_.size(); ++i) {
      if (!edges_[i].second) continue;
      const double ends = i + 1 < edges_.size() ? edges_[i + 1].first : to;
      on += std::max(0.0, std::min(ends, to) - std::max(edges_[i].first, from));
    }
    return on / (to - from);
  }

 private:
  LineId line_;
  std::vector<std::pair<double, bool>> edges_;
};

const char* const both_homed = "home traverse\nhome creel\n";

TEST(Verbs, TurnToAnAngleByTheWayThatIsSaid) {
  Played by_short_way(std::string(both_homed) + "turn creel to 225 deg the short way");
  EXPECT_EQ(by_short_way.player.fault(), "");
  EXPECT_DOUBLE_EQ(by_short_way.degrees(), -135.0);
  Played clockwise(std::string(both_homed) + "turn creel to 225 deg clockwise");
  EXPECT_DOUBLE_EQ(clockwise.degrees(), 225.0);
  Played station(
      std::string(both_homed) +
      "turn creel to station 7 counter-clockwise\nwait 0.3 s\nturn creel to station 0 counter-clockwise");
  EXPECT_DOUBLE_EQ(station.degrees(), -360.0);
  Rig other = demo_rig();
  const_cast<Mechanism&>(mechanism_named(other, "creel")).limits.forwards = TurningSense::counter_clockwise;
  Played mirrored(std::string(both_homed) + "turn creel to 90 deg clockwise", {}, other);
  EXPECT_DOUBLE_EQ(mirrored.degrees(), -270.0);
  EXPECT_SAYS("home creel\nturn creel to station 8", "creel: has no station 8; they are 0 to 7");
  EXPECT_SAYS("home traverse\nturn traverse to 5 mm", "travels along a line: it moves, and does not turn");
  EXPECT_SAYS("home creel\nturn creel to 5 deg the long way", "expected 'short'");
}

// A thousand stations by the short way end on the same angle: nothing is rounded on the way.
TEST(Verbs, StationsAreExactForEver) {
  const Rig rig = demo_rig();
  const Mechanism& creel = mechanism_named(rig, "creel");
  OutputPosition at{OutputKind::rotary, 0};
  for (int i = 1; i <= 100'000; ++i) {
    const MoveOrder order = move_of(creel, TurnOrder{.to_station = (3 * i) % 8});
    const OutputPosition next = target_of(creel, at, order);
    EXPECT_LE(std::abs((next.base - at.base).to_double()), 0.5);
    at = next;
  }
  EXPECT_EQ(at.base - Ratio(at.base.floor()), Ratio(0));
}

TEST(Verbs, SpinForATimeForTurnsAndUntilStopped) {
  Played timed(std::string(both_homed) + "spin creel at 30 deg/s for 4 s");
  EXPECT_NEAR(timed.ended - timed.began("spin creel at 30 deg/s for 4 s"), 4.0, 0.005) << "to a step";
  Played turned(std::string(both_homed) + "spin creel at 30 deg/s counter-clockwise for 0.5 turn");
  EXPECT_DOUBLE_EQ(turned.degrees(), -180.0);
  Played going(
      std::string(both_homed) +
      "spin creel at 20 deg/s until stopped\nwait 2 s\nfaster creel by 10 deg/s\nwait 1 s\n"
      "slower creel by 15 deg/s\nwait 1 s\nreverse creel\nwait 3 s\nstop creel\nmove traverse to 5 mm");
  EXPECT_EQ(going.player.fault(), "");
  EXPECT_TRUE(going.bench.mover("creel").has_ended());
  EXPECT_GT(going.began("move traverse to 5 mm"), going.began("stop creel")) << "stop waits until it stands";
  EXPECT_SAYS("home creel\nspin creel at 30 deg/s for 0.1 s", "up to 30 deg/s and down again take");
  EXPECT_SAYS("home creel\nspin creel at 50 deg/s until stopped", "over its limit of 40 deg/s");
  EXPECT_SAYS("home creel\nspin creel at 20 deg/s", "expected 'until'");
  EXPECT_SAYS("home creel\nspin creel at 20 deg/s until stopped\nmove creel by 1 deg",
              "creel still spins (line 2): write 'stop creel' first");
  EXPECT_SAYS("home creel\nfaster creel by 5 deg/s", "creel does not spin here");
  Played too_slow(std::string(both_homed) + "spin creel at 20 deg/s until stopped\nslower creel by 30 deg/s");
  EXPECT_NE(too_slow.player.fault().find("slower by 30 deg/s leaves nothing"), std::string::npos);
}

TEST(Verbs, SpinAtAHeldSpeedAndMoveByAnEncoder) {
  Played played(
      "spin feeder at 300 rpm until stopped\nwait 2 s\nfaster feeder by 100 rpm\nwait 1 s\nslower feeder by "
      "200 rpm\n"
      "wait 1 s\nreverse feeder\nwait 1 s\nstop feeder\nspin feeder at 60 rpm counter-clockwise for 2 s\n"
      "move feeder by 90 deg at 60 rpm\nstop feeder\n");
  ASSERT_EQ(played.player.fault(), "");
  EXPECT_NEAR(played.began("move feeder by 90 deg at 60 rpm") -
                  played.began("spin feeder at 60 rpm counter-clockwise for 2 s"),
              2.0, 0.02);
  // 2 s at 300, 1 at 400, 1 at 200, 1 at -200 rpm and 2 at -60, less its ramps; 90 degrees on.
  EXPECT_NEAR(played.bench.brushed_plant("feeder").position(), 10.0 + 6.67 + 3.33 - 3.33 - 2.0 + 0.25, 1.0);
  EXPECT_EQ(played.bench.brushed("feeder").duty().base(), 0.0);
  EXPECT_SAYS("arrive together\n  turn creel to 90 deg\n  move feeder by 90 deg\nend",
              "x.moves:3:3: feeder moves by its encoder");
  EXPECT_SAYS("spin feeder at 20 rpm until stopped", "x.moves:1:16: feeder: 20 rpm cannot be held");
  EXPECT_SAYS("spin feeder at 100 rpm until stopped\nreverse feeder in 1 s",
              "x.moves:2:1: feeder is held at a speed");
  EXPECT_EQ(wrong_in("spin feeder at 100 rpm and 2000 deg/s2 for 3 s\n"), "");
  EXPECT_SAYS("spin feeder at 100 rpm and 90000 deg/s2 for 3 s", "cannot be had: its current limit");
  EXPECT_SAYS("spin feeder at 700 rpm for 3 s", "leave 600 rpm");
  EXPECT_SAYS("spin feeder at 3 mm/s for 3 s", "the output turns");
  EXPECT_SAYS("spin feeder at 100 rpm until stopped\nfaster feeder by 5 %",
              "x.moves:2:1: feeder is held at a speed here");
  EXPECT_SAYS("spin feeder at 40 % until stopped\nslower feeder by 5 rpm",
              "x.moves:2:1: feeder is given a duty here");
  EXPECT_SAYS("spin feeder at 100 rpm until stopped\nmove feeder by 90 deg", "feeder still spins (line 1)");
  Rig blind = demo_rig();
  for (Mechanism& mechanism : blind.mechanisms)
    if (mechanism.name == "feeder") mechanism.sensors.clear();
  EXPECT_NE(wrong_in("spin feeder at 100 rpm for 2 s\n", blind).find("feeder: has no encoder"),
            std::string::npos);
  EXPECT_NE(wrong_in("move feeder by 9 deg\n", blind).find("has no encoder: it knows no places"),
            std::string::npos);
}

TEST(Verbs, SwingAServo) {
  Played played(
      "swing snips to 0 deg\nswing snips to 70 deg at 100 deg/s and 1000 deg/s2\nswing snips by -35 "
      "deg\nstop snips\n");
  ASSERT_EQ(played.player.fault(), "");
  EXPECT_NEAR(168.0 * played.bench.pulsed_plant("snips").position(), 35.0, 0.6);
  // 0.1 s up, 60 deg along, 0.1 s down, and what makes sure that it has come there.
  EXPECT_NEAR(played.began("swing snips by -35 deg") -
                  played.began("swing snips to 70 deg at 100 deg/s and 1000 deg/s2"),
              0.8 + 0.14, 0.03);
  EXPECT_SAYS("swing snips by 5 deg", "nobody knows where snips stands before its first swing");
  EXPECT_SAYS("swing snips to 75 deg", "70 deg");
  EXPECT_SAYS("swing snips to 20 deg at 600 deg/s", "x.moves:1:26: snips: 600 deg/s is over 500 deg/s");
  EXPECT_SAYS("swing snips to 20 deg\nrelease snips\nswing snips by 5 deg", "x.moves:3:1: nobody knows");
  EXPECT_SAYS("swing feeder to 20 deg", "is driven by duty");
  EXPECT_SAYS("move snips to 20 deg", "is a hobby servo: it swings, stops and is released");
  EXPECT_SAYS("brake snips", "is a hobby servo");
}

TEST(Verbs, ArmAndThrottle) {
  Played played(
      "arm fan\nthrottle fan to 30 % in 1 s\nwait 1 s\nfaster fan by 20 %\nwait 1.5 s\nslower fan by 10 "
      "%\nwait 1.5 s\n"
      "throttle fan to 60 % for 1 s\nstop fan\n");
  ASSERT_EQ(played.player.fault(), "");
  EXPECT_NEAR(played.began("throttle fan to 30 % in 1 s"), 2.06, 0.03);
  EXPECT_NEAR(played.began("wait 1 s") - played.began("throttle fan to 30 % in 1 s"), 1.0, 0.03);
  EXPECT_TRUE(played.bench.speed_controller("fan").is_armed());
  EXPECT_EQ(played.bench.speed_controller("fan").throttle().base(), 0.0);
  EXPECT_SAYS("throttle fan to 30 %", "fan is not armed here: write 'arm fan' first");
  EXPECT_SAYS("arm fan\narm fan", "x.moves:2:1: fan is armed already");
  EXPECT_SAYS("arm fan\nthrottle fan to -30 %", "x.moves:2:17:");
  EXPECT_SAYS("arm fan\nthrottle fan to 90 %", "the highest, 80 %");
  EXPECT_SAYS("arm fan\nthrottle fan to 30 %\nfaster fan by 60 %", "x.moves:3:1:");
  EXPECT_SAYS("arm fan\nfaster fan by 5 %", "fan has no throttle here");
  EXPECT_SAYS("arm fan\nrelease fan\nthrottle fan to 30 %", "x.moves:3:1: fan is not armed here");
  EXPECT_SAYS("arm snips", "is a hobby servo");
  EXPECT_SAYS("spin fan at 30 % for 2 s", "is behind a speed controller: it is armed, throttled");
}

TEST(Verbs, DriveAWheeledPair) {
  const Rig cart = read_rig(testing_support::cart_rig_path);
  Script script = parse_script(
      "drive cart 300 mm at 250 mm/s\ndrive cart 90 deg on the spot at 100 deg/s\ndrive cart 90 deg round "
      "200 mm\n"
      "drive cart -100 mm\nstop cart\n",
      "x.moves", cart);
  SimulatedBench bench(cart);
  ScriptPlayer player(script, cart, bench.cast());
  bench.run(player, [&] { return player.has_ended(); });
  ASSERT_EQ(player.fault(), "");
  EXPECT_NEAR(1e3 * bench.cart_pose("cart").x, 300.0 - 200.0 + 100.0, 3.0);
  EXPECT_NEAR(1e3 * bench.cart_pose("cart").y, 200.0, 3.0);
  EXPECT_NEAR(bench.cart_pose("cart").heading, pi, 0.01);
  const auto says = [&](const std::string& text, const std::string& part) {
    const std::string said = wrong_in(text, cart);
    EXPECT_NE(said.find(part), std::string::npos) << text << "\n--> " << said;
  };
  says("drive wagon 1 m", "x.moves:1:7: 'wagon' is not a wheeled pair of this rig; it has: cart");
  says("drive cart 90 deg", "a turn is 'round' a radius, or 'on the spot'");
  says("drive cart 0 mm", "x.moves:1:12: '0 mm' is a way of nothing");
  says("drive cart 90 deg round 0 mm", "is no radius");
  says("drive cart 1 m at 2 m/s", "over what its wheels can be held to here");
  says("drive cart 1 m at 90 deg/s", "an angle a second");
  says("drive cart 3 s", "x.moves:1:12:");
  says("spin left at 60 rpm until stopped\ndrive cart 1 m",
       "left still spins (line 1): write 'stop left' first");
  says("start together\n  drive cart 1 m\n  move left by 90 deg\nend", "left");
  EXPECT_SAYS("drive cart 1 m", "'cart' is not a wheeled pair of this rig; it has: none");
}

TEST(Verbs, SpinABrushlessMotor) {
  Played played(
      "spin spindle at 900 rpm until stopped\nwait 1 s\nfaster spindle by 300 rpm\nwait 1 s\nslower spindle "
      "by 600 rpm\n"
      "wait 2 s\nstop spindle\nspin spindle at 600 rpm counter-clockwise for 2 s\n");
  ASSERT_EQ(played.player.fault(), "");
  // 1 s at 900, 1 at 1200, then down by friction alone to 600; stopped, it stands before it goes on.
  EXPECT_GT(played.began("spin spindle at 600 rpm counter-clockwise for 2 s") - played.began("stop spindle"),
            0.6);
  EXPECT_NEAR(played.bench.brushless_plant("spindle").highest_speed(), 20.0, 0.4);
  EXPECT_SAYS("spin spindle at 1900 rpm for 3 s", "x.moves:1:17: spindle: 1900 rpm cannot be held");
  EXPECT_SAYS("spin spindle at 100 rpm for 3 s", "counts too rarely below");
  EXPECT_SAYS("spin spindle at 40 % for 3 s", "x.moves:1:17:");
  EXPECT_SAYS("move spindle to 90 deg", "is a bare brushless motor: it spins and stops");
  EXPECT_SAYS("faster spindle by 100 rpm", "spindle does not spin here");
}

TEST(Verbs, StartTogetherRunsSideBySide) {
  Played played(
      "start together\n  home traverse\n  home creel\nend\n"
      "start together\n"
      "  move traverse to 90 mm at 20 mm/s\n"
      "  in order\n"
      "    wait until traverse passes 60 mm\n"
      "    switch lamp on\n"
      "    wait 0.25 s\n"
      "    switch lamp off\n"
      "  end\n"
      "  repeat 2 times\n"
      "    move creel by 2 deg\n"
      "    wait 0.5 s\n"
      "  end\n"
      "end\nwait 0.1 s");
  EXPECT_EQ(played.player.fault(), "");
  EXPECT_EQ(played.began("home traverse"), played.began("home creel"));
  const double move = played.began("move traverse to 90 mm at 20 mm/s");
  // 60 mm at 20 mm/s, and half of it up to speed: passed to a millisecond.
  EXPECT_NEAR(played.began("switch lamp on") - move, 3.0, 0.025);
  EXPECT_NEAR(played.began("switch lamp off") - played.began("switch lamp on"), 0.25, 1e-3);
  EXPECT_NEAR(played.began("wait 0.1 s") - move, 4.5, 0.05) << "when the longest has ended";
  EXPECT_SAYS("start together\nhome traverse\nhome traverse\nend",
              "traverse moves already in this 'start together' (line 2)");
  EXPECT_SAYS("arrive together\nwait 1 s\nend", "only moves stand in");
}

TEST(Verbs, PatternsTakeValues) {
  const std::string lay =
      "pattern lay width 80 mm pause 0.2 s layers 2\n"
      "  repeat layers times\n"
      "    move traverse by width at 40 mm/s\n"
      "    wait pause\n"
      "    move traverse by -width\n"
      "    wait pause\n"
      "  end\n"
      "end\n";
  Played played(lay + "home traverse\nlay\nlay width 30 mm layers 1\nlay pause 0 s layers 3 width 5 mm");
  EXPECT_EQ(played.player.fault(), "");
  int moves = 0;
  for (const auto& [at, text] : played.begun) moves += text.starts_with("move") ? 1 : 0;
  EXPECT_EQ(moves, 4 + 2 + 6);
  EXPECT_EQ(played.millimetres(), 0.0);
  const auto says = [&](const std::string& after, const std::string& part) {
    EXPECT_SAYS(lay + after, part);
  };
  says("home traverse\nlay width 130 mm",
       "x.moves:3:5: traverse: 130 mm is outside its travel of 0 mm to 118 mm");
  says("home traverse\nlay width 80 deg", "width is something like 80 mm, and not 80 deg");
  says("home traverse\nlay layers 2 mm", "layers is something like 2, and not 2 mm");
  says("home traverse\nlay height 2 mm", "'height' is no value of lay; it has: width, pause, layers");
  says("home traverse\nlay width 2 mm width 3 mm", "width is given twice");
  says("pattern lay\nend", "a pattern lay is there already");
  EXPECT_SAYS("pattern home\nend", "'home' is a word of the script language");
  EXPECT_SAYS("pattern mm\nend", "'mm' is a unit");
  EXPECT_SAYS("pattern A b 1 mm\nend", "'A' is no name");
  EXPECT_SAYS("pattern go way 5 mm\nmove traverse by wya\nend", "x.moves:2:18");
  EXPECT_SAYS("pattern go\ngo\nend", "'go' is not a verb");
  EXPECT_SAYS("repeat 2 times\npattern go\nwait 1 s\nend\nend", "a pattern stands at the outermost level");
  EXPECT_SAYS("pattern go way 5 mm\nhome traverse\n", "this 'pattern go way 5 mm' has no 'end'");
}

TEST(Verbs, PatternsInPatternsAreRefusedWhenTheyComeToTooMany) {
  std::string text = "pattern s0\n";
  for (int i = 0; i < 100; ++i) text += "wait 1 s\n";
  text += "end\n";
  for (int level = 1; level < 6; ++level) {
    text += "pattern s" + std::to_string(level) + "\n";
    for (int i = 0; i < 100; ++i) text += "s" + std::to_string(level - 1) + "\n";
    text += "end\n";
  }
  EXPECT_SAYS(text, "spelled out, these patterns are more than 1000000 statements");
}

TEST(Verbs, WithLimitsHoldForAStretchStepsIncluded) {
  Played played(
      "pattern out\nmove traverse to 60 mm\nend\nhome traverse\n"
      "with traverse at 20 mm/s\n  out\n  move traverse to 40 mm at 40 mm/s\nend\nwait 0.3 s\nmove traverse "
      "to 10 mm\nwait 1 ms");
  EXPECT_NEAR(played.began("move traverse to 40 mm at 40 mm/s") - played.began("move traverse to 60 mm"), 3.0,
              0.05);
  EXPECT_NEAR(played.began("wait 0.3 s") - played.began("move traverse to 40 mm at 40 mm/s"), 0.53, 0.05);
  EXPECT_NEAR(played.began("wait 1 ms") - played.began("move traverse to 10 mm"), 0.57, 0.05);
  EXPECT_SAYS("with traverse at 90 mm/s\nend", "over its limit");
}

TEST(Verbs, WaitForALineAndGiveUpInTime) {
  Played pressed("wait until pedal is on\nhome traverse\nwait until pedal is off for at most 10 s",
                 {{2_s, "pedal", true}, {7_s, "pedal", false}});
  EXPECT_EQ(pressed.player.fault(), "");
  EXPECT_NEAR(pressed.began("home traverse"), 2.0, 0.030) << "bounce of 8 ms, steady for 20 ms";
  EXPECT_GT(pressed.began("home traverse"), 2.02);
  EXPECT_NEAR(pressed.ended, 7.0, 0.030);
  Played late("wait until pedal is on for at most 3 s");
  EXPECT_EQ(late.player.fault(),
            "x.moves:1: wait until pedal is on for at most 3 s: pedal was not on within 3 s");
  EXPECT_SAYS("wait until pedl is on", "'pedl' is not an input line of this rig, did you mean pedal?");
  EXPECT_SAYS("wait until pedal is up", "expected 'on' or 'off'");
}

TEST(Verbs, ReadyWaitsForSuppliesAndStops) {
  Played played("ready\nhome traverse", {{0_s, "main", false}, {1.5_s, "main", true}});
  EXPECT_EQ(played.player.fault(), "");
  EXPECT_NEAR(played.began("home traverse"), 1.5, 0.001);
  Played never_up("ready within 2 s", {{0_s, "main", false}});
  EXPECT_NE(never_up.player.fault().find("after 2 s the supply main is not up (line 5 is low)"),
            std::string::npos);
  Played pressed("ready within 2 s", {{0_s, "halt", true}});
  EXPECT_NE(pressed.player.fault().find("after 2 s the"), std::string::npos) << pressed.player.fault();
  // What no line tells is asked.
  const Rig rig = demo_rig();
  const Script script = parse_script("ready\nwait 1 s", "x.moves", rig);
  SimulatedBench bench(rig);
  ScriptPlayer player(script, rig, bench.cast());
  std::vector<std::string> asked;
  player.on_question([&](const std::string& question) {
    asked.push_back(question);
    return false;
  });
  bench.run(player, [&] { return player.has_ended(); });
  EXPECT_EQ(asked, std::vector<std::string>{"Is the supply small on?"});
  EXPECT_NE(player.fault().find("the supply small is not on"), std::string::npos);
}

TEST(Verbs, SwitchAndFadeAPlainOutput) {
  Rig rig = demo_rig();
  rig.outputs[0].timer = "duty";
  rig.outputs[0].pwm_frequency = 1000_Hz;
  const Script script = parse_script(
      "switch lamp on\nwait 0.1 s\nfade lamp to 25 % in 1 s\nwait 1.5 s\nswitch lamp off\nwait 0.1 s",
      "x.moves", rig);
  OnTimes lamp(LineId{39});
  SimulatedBench bench(rig, {.trace = &lamp});
  ScriptPlayer player(script, rig, bench.cast());
  bench.run(player, [&] { return player.has_ended(); });
  EXPECT_EQ(player.fault(), "");
  bench.close();
  EXPECT_NEAR(lamp.share(0.01, 0.09), 1.0, 1e-3);
  EXPECT_NEAR(lamp.share(0.35, 0.36), 0.81, 0.01) << "a quarter of the way from 100 % to 25 %";
  EXPECT_NEAR(lamp.share(0.60, 0.61), 0.625, 0.01);
  EXPECT_NEAR(lamp.share(1.20, 1.50), 0.25, 1e-3);
  EXPECT_EQ(lamp.share(1.62, 1.69), 0.0);
  // A plain line, edge by edge.
  const Rig plain = demo_rig();
  const Script again = parse_script("fade lamp to 25 % in 1 s\nwait 1.5 s", "x.moves", plain);
  OnTimes edges(LineId{39});
  SimulatedBench other(plain, {.trace = &edges});
  ScriptPlayer plays(again, plain, other.cast());
  other.run(plays, [&] { return plays.has_ended(); });
  other.close();
  EXPECT_NEAR(edges.share(0.50, 0.51), 0.125, 0.01);
  EXPECT_NEAR(edges.share(1.20, 1.40), 0.25, 1e-3);
  Rig quick = plain;
  quick.outputs[0].pwm_frequency = 20_kHz;
  EXPECT_NE(wrong_in("fade lamp to 25 %", quick).find("switched edge by edge, up to 500 Hz"),
            std::string::npos);
  EXPECT_NE(wrong_in("fade lamp to 125 %", rig).find("0 % to 100 % are"), std::string::npos);
  EXPECT_SAYS("switch lam on", "it has: lamp");
}

/// What a script has printed, a line each.
struct Printed final : TraceSink {
  void begin(const TraceLayout&) override {}
  void edge(Tick, LineId, bool) override {}
  void sample(Tick, std::span<const double>) override {}
  void event(const TraceEvent& event) override {
    if (event.who == "print") lines.push_back(event.text);
  }
  void end(Tick) override {}
  std::vector<std::string> lines{};
};

std::vector<std::string> printed(const std::string& text) {
  const Rig rig = demo_rig();
  Printed sink;
  const Script script = parse_script(text, "x.moves", rig);
  SimulatedBench bench(rig, {.start_positions = {{"traverse", 3_mm}}, .trace = &sink});
  ScriptPlayer player(script, bench.rig(), bench.cast());
  bench.run(player, [&] { return player.has_ended(); });
  EXPECT_EQ(player.fault(), "");
  return sink.lines;
}

TEST(Verbs, PrintTellsTextsPlacesAndCounts) {
  EXPECT_EQ(printed("print \"a # in it\" traverse\nhome traverse\nmove traverse to 1.5 mm\n"
                    "print \"at\" traverse traverse count\nprint feeder duty\n"),
            (std::vector<std::string>{"a # in it not known", "at 1.5 mm 400", "0 %"}));
  EXPECT_EQ(
      printed(
          "home traverse\nstart together\n  move traverse to 20 mm\n  print traverse every 1000 steps\nend\n")
          .size(),
      5U)
      << "20 mm are 5333 steps";
  EXPECT_EQ(printed("home traverse\nprint traverse every 1 mm\n").size(), 0U) << "nothing moves it";
  EXPECT_SAYS("print hello", "a text stands in quotes");
  EXPECT_SAYS("print \"hello", "has no quote at its end");
  EXPECT_SAYS("print \"x\" every 10 mm", "name one");
  EXPECT_NE(Played("print spindle every 1 turn").player.fault().find("spindle: cannot tell places"),
            std::string::npos);
}

TEST(Verbs, StepsAreAUnitOfWaysSpeedsAndAccelerations) {
  Played played("home traverse\nmove traverse by 400 steps at 2000 steps/s and 8000 steps/s2");
  EXPECT_EQ(played.player.fault(), "");
  EXPECT_EQ(played.millimetres(), 1.5);
  EXPECT_SAYS("home traverse\nmove traverse to 400 steps/s", "expected steps");
  EXPECT_SAYS("swing snips to 10 steps", "takes no steps");
  EXPECT_SAYS("home traverse\nmove traverse to 4000000 steps", "traverse");
}

TEST(Verbs, ASwingInATimeGoesOnFromWhereItLeads) {
  Played played("swing snips to 10 deg\nrepeat 20 times\n  swing snips by 0.5 deg in 15 ms\nend\n");
  EXPECT_EQ(played.player.fault(), "");
  EXPECT_NEAR(played.ended - played.began("swing snips by 0.5 deg in 15 ms"), 20 * 0.015, 0.016)
      << "began() is of the first";
  EXPECT_SAYS("swing snips to 0 deg\nswing snips to 70 deg in 10 ms", "faster than its");
  EXPECT_SAYS("swing snips to 0 deg\nswing snips to 70 deg at 100 deg/s in 1 s",
              "no speed or acceleration beside");
}

TEST(Verbs, AllOffPutsEverythingAtRest) {
  Played played("home traverse\nspin feeder at 40 % until stopped\nwait 1 s\nall off\nwait 2 s\n");
  EXPECT_EQ(played.player.fault(), "");
  EXPECT_TRUE(played.bench.simulated_lines().level(LineId{2})) << "ENABLE is active low: off";
  EXPECT_NEAR(played.bench.brushed_plant("feeder").speed(), 0.0, 1e-3);
  EXPECT_TRUE(played.bench.verdict().is_sound());
  EXPECT_SAYS("home creel\nspin creel at 9 deg/s until stopped\nall off\nturn creel to 0 deg", "home creel");
  EXPECT_SAYS("all on", "expected 'off'");
}

TEST(Verbs, RowsByTimeTakeAMotorUp) {
  Rig rig = demo_rig();
  for (Mechanism& mechanism : rig.mechanisms)
    if (auto* const gates = std::get_if<GateWiring>(&mechanism.wiring))
      gates->commutated_by = CommutatedBy::time;
  Played played(
      "spin spindle from 100 ms to 8 ms per row in 3 s until stopped\nwait 5 s\nfaster spindle by 30 rpm\n"
      "wait 2 s\nprint spindle wanted_speed",
      {}, rig);
  EXPECT_EQ(played.player.fault(), "");
  // A row is a sixth of a seventh of a turn: 8 ms make 1 / (42 x 0.008) turns/s.
  EXPECT_NEAR(played.bench.signal("spindle.wanted_speed"), 60.0 / (42.0 * 0.008) + 30.0, 1e-9);
  EXPECT_NEAR(60.0 * played.bench.brushless_plant("spindle").speed(), 60.0 / (42.0 * 0.008) + 30.0, 10.0);
  EXPECT_NE(
      wrong_in("spin spindle from 100 ms to 0.1 ms per row in 3 s until stopped", rig).find("cannot be had"),
      std::string::npos);
  const Played refused("spin spindle from 100 ms to 8 ms per row in 1 ms until stopped", {}, rig);
  EXPECT_NE(refused.player.fault().find("s at the least"), std::string::npos) << refused.player.fault();
}

TEST(Verbs, HoldAndRelease) {
  Played played(
      "home traverse\nrelease traverse\nwait 0.1 s\nhold traverse\nmove traverse to 5 mm\nrelease "
      "traverse\nwait 0.1 s");
  EXPECT_EQ(played.player.fault(), "");
  EXPECT_TRUE(played.bench.simulated_lines().level(LineId{2})) << "ENABLE is active low: off";
  EXPECT_EQ(played.millimetres(), 5.0);
  EXPECT_SAYS("home creel\nspin creel at 9 deg/s until stopped\nrelease creel", "creel still spins");
}

TEST(Verbs, RepeatWithoutEnd) {
  const Rig rig = demo_rig();
  const Script script = parse_script(
      "home creel\nrepeat without end\n  turn creel to station 1\n  wait 0.3 s\n  turn creel to station 0\n  "
      "wait 0.3 s\nend",
      "x.moves", rig);
  EXPECT_FALSE(check_motions(script, rig).length.has_an_end);
  SimulatedBench bench(rig, {.start_positions = {{"creel", OutputPosition(OutputKind::rotary, {-1, 100})}}});
  ScriptPlayer player(script, rig, bench.cast());
  int turns = 0;
  player.on_statement(
      [&](Tick, const Statement& statement) { turns += statement.verb->move() != nullptr ? 1 : 0; });
  bench.run(player, [&] { return player.has_ended() || bench.now().in(units::s) > 40.0; });
  EXPECT_FALSE(player.has_ended());
  EXPECT_GT(turns, 10);
  bench.come_to_rest();
  EXPECT_TRUE(bench.mover("creel").has_ended());
  EXPECT_SAYS("repeat without end\nwait 1 s\nend\nwait 2 s", "x.moves:4:1: this is never reached");
  EXPECT_SAYS("home traverse\nrepeat without end\nmove traverse by 1 mm\nend",
              "each pass takes traverse on by 1 mm");
}

TEST(Verbs, SideBySideTakesTheTimeOfTheLongest) {
  const Rig rig = demo_rig();
  const Script script = parse_script(
      "wait 1 s\nstart together\n  wait 3 s\n  repeat 2 times\n    wait 1 s\n  end\nend\nwait 0.5 s",
      "x.moves", rig);
  const ScriptLength length = check_motions(script, rig).length;
  EXPECT_TRUE(length.is_whole);
  EXPECT_DOUBLE_EQ(length.seconds, 4.5);
  SimulatedBench bench(rig);
  ScriptPlayer player(script, rig, bench.cast());
  const auto known_at = [&](double seconds) {
    bench.run(player, [&] { return player.has_ended() || bench.now().in(units::s) >= seconds; });
    return player.known_seconds_done(std::llround(bench.now().in(units::s)*48e6)) - bench.now().in(units::s);
  };
  for (const double at : {0.5, 1.5, 2.5, 3.9}) EXPECT_NEAR(known_at(at), 0.0, 1e-6) << at;
  (void)known_at(10.0);
  EXPECT_NEAR(player.known_seconds_done(0), 4.5, 1e-6);
}

TEST(Verbs, BesideOneWithoutEndTheOthersAreReached) {
  const std::string together =
      "home traverse\nhome creel\nstart together\n  repeat without end\n    wait 1 s\n  end\n  repeat 2 "
      "times\n    wait 1 s\n  end\nend";
  EXPECT_EQ(wrong_in(together), "");
  EXPECT_SAYS(together + "\nwait 1 s", "x.moves:11:1: this is never reached");
}

TEST(Verbs, MeasureComparesTheTravelBetweenTwoSwitches) {
  Played sound("home traverse\nmeasure traverse\nmove traverse to 10 mm");
  EXPECT_EQ(sound.player.fault(), "");
  const std::optional<OutputPosition> travel =
      sound.bench.mover_as<StepperMover>("traverse").measured_travel();
  ASSERT_TRUE(travel);
  EXPECT_NEAR(1e3 * travel->base.to_double(), 119.5 + 0.992, 0.02);
  Rig moved = demo_rig();
  for (Sensor& sensor : moved.mechanisms[0].sensors) {
    auto* const far = std::get_if<PlaceSwitch>(&sensor);
    if (far == nullptr || far->name != "far") continue;
    far->acts_at = 119_mm;  // the rig says so; the bench has 119.5
    far->releases_at = 118.8_mm;
  }
  const Script script = parse_script("home traverse\nmeasure traverse", "x.moves", moved);
  SimulatedBench bench(moved, {.start_positions = {{"traverse", 3_mm}}, .actual = demo_rig()});
  ScriptPlayer player(script, moved, bench.cast());
  bench.run(player, [&] { return player.has_ended(); });
  EXPECT_NE(player.fault().find("the travel between gate and far is 120.4"), std::string::npos)
      << player.fault();
  EXPECT_NE(player.fault().find("and the rig says 119.992 mm"), std::string::npos) << player.fault();
  EXPECT_FALSE(bench.stepper("traverse").position());
  EXPECT_SAYS("home creel\nmeasure creel", "has no two switches");
}

TEST(Verbs, JogByKeysAndTeachTheFarLimit) {
  // With the rig's limits the keys stop at 118 mm; past them only the switch and the hard end are left.
  std::vector<OutsideEvent> events{{4_s, "right", true},
                                   {15.6_s, "right", false},
                                   {16_s, "left", true},
                                   {16.4_s, "left", false},
                                   {18_s, "pedal", true}};
  Played inside(
      "home traverse\njog traverse with left and right at 10 mm/s until pedal is on\nteach traverse far "
      "limit",
      events);
  EXPECT_EQ(inside.player.fault(), "");
  ASSERT_EQ(inside.player.taught().size(), 1u);
  EXPECT_NEAR(1e3 * inside.player.taught()[0].to.base.to_double(), 116.0 - 4.0, 0.5);
  EXPECT_EQ(inside.player.taught()[0].from, OutputPosition(0_mm));
  EXPECT_THROW(inside.bench.stepper("traverse").move({.to = 115_mm}), RangeError) << "the new limit holds";
  events[1].at = 15.87_s;
  Played beyond(
      "home traverse\njog traverse with left and right at 10 mm/s past limits until pedal is on\nteach "
      "traverse far limit",
      events);
  EXPECT_EQ(beyond.player.fault(), "");
  EXPECT_GT(beyond.player.taught().at(0).to.base.to_double(), 0.112);
  EXPECT_SAYS("jog traverse with left and right until pedal is on", "write 'home traverse' first");
  EXPECT_SAYS("home creel\nteach creel far limit", "creel is endless: it has no far limit");
}

TEST(Verbs, GearSaysWhatIsWrongWithIt) {
  EXPECT_SAYS("gear traverse", "write 'home traverse' first");
  EXPECT_SAYS("gear feeder", "feeder follows nothing in its rig: write 'gear feeder to LEADER by ...'");
  EXPECT_SAYS("gear fan", "is behind a speed controller");
  EXPECT_SAYS("gear feeder to fan by 1 deg for each turn", "is behind a speed controller");
  EXPECT_SAYS("home traverse\ngear traverse to spindle by 1.4 deg for each turn", "1.4 deg");
  EXPECT_SAYS("home traverse\ngear traverse to spindle by 1.4 mm for each 1 mm", "1 mm");
  EXPECT_SAYS("home traverse\ngear traverse to spindle by 1.4 mm for each -1 turn",
              "the leader's way is above 0");
  EXPECT_SAYS("gear feeder to spindle by gears 28",
              "found '28'; expected teeth of the driving and the driven gear");
  EXPECT_SAYS("gear feeder to spindle by gears 0:75", "expected teeth of the driving and the driven gear");
  EXPECT_SAYS("home traverse\ngear traverse to spindle by gears 28:75", "gears join what turns");
  EXPECT_SAYS("home traverse\ngear traverse for 3 layers", "say between which ends it is laid first");
  EXPECT_SAYS("home traverse\ngear traverse between 92 mm and 12 mm", "the first must be the lower");
  EXPECT_SAYS("home traverse\ngear traverse between 12 mm and 200 mm", "118 mm");
  EXPECT_SAYS("home traverse\ngear traverse when feeder passes 90 deg",
              "it sets off by spindle, which it follows");
  EXPECT_SAYS("home traverse\ngear traverse until feeder stands", "it follows spindle");
  EXPECT_SAYS("home traverse\ngear traverse\nmove traverse to 20 mm",
              "traverse follows another (line 2): write 'let traverse go' first");
  EXPECT_SAYS("home traverse\nnudge traverse by 1 mm",
              "traverse follows nothing here: write 'gear traverse to ...' first");
  EXPECT_SAYS("home traverse\nlet traverse go", "traverse follows nothing here");
  EXPECT_SAYS("change feeder to 3 deg for each turn", "its rig does not say what feeder follows");
  EXPECT_SAYS("wait until traverse has laid 3 layers", "traverse follows nothing here");
  EXPECT_SAYS("spin spindel at 3 rpm until stopped", "did you mean spindle?");
}

TEST(Verbs, GearReadsARatioAsItIsSaid) {
  // 1.4 mm are 373 1/3 steps of the traverse, and a turn of the spindle 2000 counts: all of these are one.
  for (const char* const ratio :
       {"1.4 mm for each turn", "14/10 mm for each 1 turn", "28/40 mm for each 1/2 turn",
        "1120/3 steps for each turn", "14/75 steps for each 1 count", "28 steps for each 150 counts",
        "1.4 mm for each 360 deg"}) {
    Played played(fmt::format(
        "home traverse\nmove traverse to 12 mm\ngear traverse to spindle by {} falling behind by at "
        "most 1 mm\nspin spindle at 300 rpm for 0.4 s\nwait 0.2 s\nlet traverse go\n",
        ratio));
    EXPECT_EQ(played.player.fault(), "") << ratio;
    const Ratio went = played.bench.stepper("traverse").position()->base - Ratio(12, 1000);
    EXPECT_NEAR(1e3 * went.to_double(), 1.4 * played.bench.signal("spindle.made") / 360.0, 0.006) << ratio;
  }
}

TEST(Verbs, TellHowLongAScriptTakes) {
  const Rig rig = demo_rig();
  const auto length = [&](const std::string& text) {
    return check_motions(parse_script(text, "x.moves", rig), rig).length;
  };
  EXPECT_NEAR(length("wait 1 s\nrepeat 10 times\nwait 0.5 s\nend").seconds, 6.0, 1e-12);
  EXPECT_TRUE(length("wait 1 s").is_whole);
  const ScriptLength homed =
      length("home traverse\nmove traverse to 60 mm in 4 s\nstart together\nwait 3 s\nwait 1 s\nend");
  EXPECT_FALSE(homed.is_whole) << "homing takes as long as it takes";
  EXPECT_NEAR(homed.seconds, 7.0, 1e-9);
}

}  // namespace
}  // namespace cogstride::verbs_test
