// Scripts that wait for hands and take amounts from them, on the simulated demo bench.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <cstdlib>
#include <map>
#include <random>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/rig/findings/findings.hpp"
#include "cogstride/script/foreseen.hpp"
#include "cogstride/script/script_player.hpp"
#include "support/demo_rig.hpp"
#include "support/panel.hpp"
#include "support/refusal.hpp"

namespace cogstride::hands_test {
namespace {

using namespace literals;
using testing_support::has;
using testing_support::refusal_of;

Rig rig_with_panel() {
  Rig rig = testing_support::demo_rig();
  rig.devices.push_back(testing_support::panel());
  return rig;
}

/// A script played to its end, while its events happen.
struct Played {
  explicit Played(const std::string& text, const std::string& events)
      : rig(rig_with_panel()),
        script(parse_script(text, "x.moves", rig)),
        bench(rig,
              {.start_positions = {{"traverse", 3_mm}}, .events = parse_events(events, "x.events", rig)}),
        player(script, rig, bench.cast()) {
    player.on_statement([this](Tick at, const Statement& statement) {
      begun += fmt::format("{:.1f} {}\n", static_cast<double>(at) / 48e6, statement.text);
    });
    bench.run(player, [this] { return player.has_ended(); });
  }
  Rig rig;
  Script script;
  SimulatedBench bench;
  ScriptPlayer player;
  std::string begun;
};

std::string wrong_in(const std::string& text) {
  return refusal_of<InputError>([&] { (void)parse_script(text, "x.moves", rig_with_panel()); });
}

TEST(HandsInScripts, WhateverComesFirstIsDoneRoundAndRound) {
  const Played all(
      "repeat without end\n"
      "  whichever comes first\n"
      "    when pedal is on\n"
      "      switch lamp on\n"
      "      wait until pedal is off\n"
      "      switch lamp off\n"
      "    end\n"
      "    when panel.station is 7\n"
      "      leave\n"
      "    end\n"
      "    when panel.hold is heard\n"
      "      wait 0.2 s\n"
      "    end\n"
      "    after 4 s\n"
      "      wait 0.1 s\n"
      "    end\n"
      "  end\n"
      "end\n"
      "wait 0.3 s\n",
      "at 1 s pedal on\nat 1.5 s pedal off\nat 2 s panel.hold on\nat 3 s panel.station 6\nat 6.5 s "
      "panel.station 7\n");
  EXPECT_EQ(all.player.fault(), "");
  EXPECT_EQ(
      all.begun,
      "0.0 whichever comes first\n"
      "1.0 switch lamp on\n1.0 wait until pedal is off\n1.5 switch lamp off\n1.5 whichever comes first\n"
      "2.0 wait 0.2 s\n2.2 whichever comes first\n"
      "6.2 wait 0.1 s\n6.3 whichever comes first\n"
      "6.5 wait 0.3 s\n");
}

// What is heard while something else is done is over by the time it is waited for.
TEST(HandsInScripts, OnlyWhatIsHeardWhileItIsWaitedForCounts) {
  const Played all("wait 2 s\nwait until panel.hold is heard for at most 1 s\n", "at 1 s panel.hold on\n");
  EXPECT_TRUE(has(all.player.fault(),
                  "x.moves:2: wait until panel.hold is heard for at most 1 s: panel.hold was "
                  "not heard within 1 s"));
}

TEST(HandsInScripts, OfTwoAtOnceTheOneThatStandsFirstIsDone) {
  const Played all(
      "whichever comes first\n  after 1 s\n    switch lamp on\n  end\n  after 1 s\n    wait 9 s\n  "
      "end\nend\nswitch "
      "lamp off\n",
      "");
  EXPECT_EQ(all.begun, "0.0 whichever comes first\n1.0 switch lamp on\n1.0 switch lamp off\n");
}

TEST(HandsInScripts, APlaceThatIsPassedComesFirstToo) {
  const Played all(
      "home traverse\nstart together\n  move traverse to 60 mm at 20 mm/s\n  in order\n    whichever comes "
      "first\n"
      "      when traverse passes 30 mm\n        switch lamp on\n      end\n      after 5 s\n      end\n    "
      "end\n"
      "  end\nend\n",
      "");
  EXPECT_EQ(all.player.fault(), "");
  EXPECT_TRUE(has(all.begun, "switch lamp on"));
}

TEST(HandsInScripts, WhatIsKnownAfterwardsHoldsForEachOfThem) {
  const Rig rig = rig_with_panel();
  const auto script = [&](const std::string& second) {
    return "whichever comes first\n  when pedal is on\n    home traverse\n    move traverse to 40 mm\n  end\n"
           "  when panel.hold is heard\n    " +
           second + "\n  end\nend\nmove traverse by 80 mm\n";
  };
  EXPECT_EQ(wrong_in(script("home traverse\n    move traverse to 10 mm")), "");
  EXPECT_TRUE(has(wrong_in(script("wait 1 s")), "x.moves:10:1: nobody knows yet where traverse stands"))
      << "nobody knows where it is then: " << wrong_in(script("wait 1 s"));
  EXPECT_TRUE(has(wrong_in(script("spin creel at 20 deg/s until stopped")), "creel"));
  EXPECT_EQ(
      wrong_in("repeat without end\n  whichever comes first\n    when pedal is on\n      leave\n    end\n    "
               "after 1 s\n      home creel\n      spin creel at 5 deg/s until stopped\n      stop creel\n"
               "    end\n  end\nend\nwait 1 s\n"),
      "");
}

TEST(HandsInScripts, LeaveGoesOnBehindTheInnermostRepeat) {
  const Played all(
      "repeat 3 times\n  repeat without end\n    wait 1 s\n    leave\n  end\n  wait 0.5 s\nend\nswitch lamp "
      "on\n",
      "");
  EXPECT_EQ(
      all.begun,
      "0.0 wait 1 s\n1.0 wait 0.5 s\n1.5 wait 1 s\n2.5 wait 0.5 s\n3.0 wait 1 s\n4.0 wait 0.5 s\n4.5 switch "
      "lamp on\n");
}

TEST(HandsInScripts, SaysWhereTheyCannotStand) {
  for (const auto& [text, says] : {
           std::pair{"leave\n", "it stands in none"},
           std::pair{"repeat 2 times\n  start together\n    in order\n      leave\n    end\n  end\nend\n",
                     "x.moves:4:7: 'leave' goes on behind"},
           std::pair{"repeat 2 times\n  leave\n  wait 1 s\nend\n",
                     "x.moves:3:3: this is never reached: 'leave'"},
           std::pair{"when pedal is on\nend\n", "'when' stands in 'whichever comes first'"},
           std::pair{"whichever comes first\n  wait 1 s\nend\n",
                     "x.moves:2:3: in 'whichever comes first' stand"},
           std::pair{"whichever comes first\nend\n", "nothing moves in this"},
           std::pair{"wait until panel.station is\n", "x.moves:1:28: the line ends here; expected 'heard'"},
           std::pair{"wait until panel.hold is 5\n", "found '5'; expected 'heard'"},
           std::pair{"wait until panel.stasion is heard\n", "'panel.stasion' is not an input line"},
           std::pair{"turn creel to station panel.pitch\n", "x.moves:1:23: creel: has no station 999"},
           std::pair{
               "spin spindle at dial until stopped\n",
               "x.moves:1:17: '1 %' is not a speed such as 40 mm/s or a speed of turning such as 600 rpm; "
               "'with dial from ... to ...', behind it, says what its travel comes to"},
           std::pair{"spin spindle at 300 rpm until stopped with dial from 300 rpm to 900 rpm\n",
                     "'dial' stands nowhere in this statement"},
           std::pair{"spin spindle at dial until stopped with dial from 300 rpm to 9 mm/s\n",
                     "both in one unit"},
           std::pair{"spin spindle at dial until stopped with dial from 300 rpm to 90000 rpm\n",
                     "cannot be held"},
           std::pair{"spin spindle at dial until stopped with dial from 300 rpm\n", "expected 'to'"},
           std::pair{"spin spindle at dial until stopped with panel.pitch each 1 rpm\n", "stands nowhere"},
       })
    EXPECT_TRUE(has(wrong_in(text), says)) << text << "\n--> " << wrong_in(text);
}

/// A signal, rounded, each so many seconds.
std::vector<int> asked_of(const std::string& text, const std::string& events, const std::string& signal,
                          double each, int looks) {
  const Rig rig = rig_with_panel();
  const Script script = parse_script(text, "x.moves", rig);
  SimulatedBench bench(rig, {.events = parse_events(events, "x.events", rig)});
  ScriptPlayer player(script, rig, bench.cast());
  std::vector<int> asked;
  const double began = bench.now().in(units::s);
  struct Looks final : Participant {
    Looks(ScriptPlayer& script_player, std::function<void(double)> look, double period)
        : player(script_player), at(std::move(look)), each(period) {}
    [[nodiscard]] Tick next_act() const override { return std::min(player.next_act(), next); }
    void act(Lines& lines, std::span<const Reading> readings) override {
      player.act(lines, readings);
      if (lines.now() < next) return;
      at(static_cast<double>(lines.now()) / 48e6);
      next += std::llround(each * 48e6);
    }
    ScriptPlayer& player;
    std::function<void(double)> at;
    double each;
    Tick next = 0;
  } both(
      player, [&](double) { asked.push_back(static_cast<int>(std::lround(bench.signal(signal)))); }, each);
  bench.run(both, [&] { return player.has_ended() || bench.now().in(units::s)-began > each * looks; });
  EXPECT_EQ(player.fault(), "");
  return asked;
}

TEST(HandsInScripts, AKnobIsFollowedLive) {
  const std::vector<int> asked = asked_of(
      "spin spindle at dial until stopped with dial from 300 rpm to 1800 rpm\nwait 6 s\n"
      "spin spindle at 600 rpm until stopped\nwait 2 s\nstop spindle\n",
      "at 1 s dial 40 %\nat 3 s dial 80 %\nat 4.2 s dial 0 %\nat 7 s dial 20 %\n", "spindle.wanted_speed",
      1.0, 10);
  ASSERT_GE(asked.size(), 8u);
  EXPECT_EQ(asked[0], 0);
  // The share of a knob is read through a converter: to some tenths of a percent.
  EXPECT_NEAR(asked[2], 300 + 1500 * (0.4 - 0.01) / 0.99, 8);
  EXPECT_NEAR(asked[4], 300 + 1500 * (0.8 - 0.01) / 0.99, 8);
  EXPECT_EQ(asked[5], 0) << "nothing is nothing";
  EXPECT_EQ(asked[7], 600) << "something else was ordered: the knob is turned in vain";
}

TEST(HandsInScripts, ANumberIsTakenAsItWasSaidLast) {
  Played station("home creel\nwait until panel.station is heard\nturn creel to station panel.station\n",
                 "at 1 s panel.station 2\nat 4 s panel.station 3\n");
  EXPECT_EQ(station.player.fault(), "");
  EXPECT_DOUBLE_EQ(360.0 * station.bench.stepper("creel").position()->base.to_double(), 135.0);
  Played pitch(
      "home traverse\nmove traverse to 20 mm\nwait until panel.pitch is heard\nmove traverse by panel.pitch "
      "with panel.pitch each "
      "0.01 mm\n"
      "move traverse by -panel.pitch at 5 mm/s with panel.pitch each 0.02 mm\n",
      "at 4 s panel.pitch 137\n");
  EXPECT_EQ(pitch.player.fault(), "");
  EXPECT_EQ(pitch.bench.stepper("traverse").position()->base,
            Ratio(20, 1000) + Ratio(137, 100'000) - Ratio(274, 100'000));
  Played silent("home creel\nturn creel to station panel.station\n", "");
  EXPECT_TRUE(has(silent.player.fault(),
                  "panel.station has not said anything yet: 'wait until panel.station is "
                  "heard' first"));
}

TEST(HandsInScripts, AThrottleAndALampFollowAsWell) {
  EXPECT_EQ(wrong_in("arm fan\nthrottle fan to dial with dial from 10 % to 60 %\nwait 1 s\nstop fan\n"), "");
  const std::vector<int> asked =
      asked_of("arm fan\nthrottle fan to dial with dial from 10 % to 60 %\nwait 5 s\nstop fan\n",
               "at 1 s dial 100 %\nat 5 s dial 50 %\n", "fan.asked", 1.0, 8);
  ASSERT_GE(asked.size(), 7u);
  EXPECT_EQ(asked[4], 60);
  EXPECT_NEAR(asked[6], 35, 1);
}

TEST(HandsInPrograms, WaitForWhicheverComesFirst) {
  const Rig rig = rig_with_panel();
  SimulatedBench bench(
      rig, {.events = parse_events("at 1 s panel.station 3\nat 2 s pedal on\n", "x.events", rig)});
  const auto pedal = [&] { return bench.inputs().acts(LineId{35}) == true; };
  const auto station = [&] { return bench.heard().number("panel.station") == 3; };
  EXPECT_EQ(bench.wait_for_first({pedal, station}, 5_s), 1u);
  EXPECT_NEAR(bench.now().in(units::s), 1.021, 0.002);
  EXPECT_EQ(bench.wait_for_first({station, pedal}, 5_s), 0u) << "it is so already";
  EXPECT_EQ(bench.wait_for_first({pedal}, 0.5_s), std::nullopt);
  EXPECT_NEAR(bench.now().in(units::s), 1.521, 0.002);
  EXPECT_EQ(bench.wait_for_first({pedal}, 5_s), 0u);
  EXPECT_NEAR(bench.now().in(units::s), 2.026, 0.003);
  EXPECT_THROW((void)bench.wait_for_first({pedal}, Time(-1.0, units::s)), RangeError);
  EXPECT_THROW((void)bench.hear("panel.statoin 5"), RangeError);
}

// A remote at its line, a pad, a sensor on its bus, and what is garbled.
TEST(HandsInScripts, AreHeardOfEveryKind) {
  Rig rig = rig_with_panel();
  Remote remote{.name = "remote", .line = 52};
  RemoteKey up;
  up.name = "up";
  up.code = 0xe916fb04;
  remote.keys = {up};
  rig.remotes.push_back(remote);
  InputDevice pad{.name = "pad", .called = "Pad"};
  pad.keys = {{"go", "BTN_SOUTH"}};
  pad.axes = {{"along", "ABS_Y"}};
  rig.input_devices.push_back(pad);
  BusSensor watcher{.name = "watcher", .bus = "/dev/i2c-1", .address = 0x39, .line = 53};
  watcher.events = {{"along", 1}, {"across", 2}};
  rig.bus_sensors.push_back(watcher);

  struct Record final : TraceSink {
    void begin(const TraceLayout&) override {}
    void edge(Tick, LineId line, bool) override { edges[static_cast<int>(line)]++; }
    void sample(Tick, std::span<const double>) override {}
    void event(const TraceEvent& event) override {
      if (event.kind == TraceEvent::Kind::outside && event.who != "outside")
        told += fmt::format("{:.3f} {}: {}\n", static_cast<double>(event.at) / 48e6, event.who, event.text);
    }
    void end(Tick) override {}
    std::map<int, int> edges;
    std::string told;
  } record;
  const Script script = parse_script("wait 5 s", "x.moves", rig);
  SimulatedBench bench(
      rig,
      {.events = parse_events(
           "at 0.1 s remote.up on for 0.25 s\nat 1 s remote says \"0xee11fb04\"\nat 2 s pad.go on for 0.5 s\n"
           "at 2.1 s pad.along -37 %\nat 3 s watcher.across on\nat 3.0001 s watcher.along on\n"
           "at 3.5 s watcher.along on\nat 4 s panel says \"@9\"\nat 4.1 s panel says \"\\x07#\"\n",
           "x.events", rig),
       .trace = &record});
  ScriptPlayer player(script, rig, bench.cast());
  bench.run(player, [&] { return player.has_ended(); });
  EXPECT_EQ(record.told,
            "0.000 heard: pad.along 0\n"
            "0.179 heard: remote.up on\n"
            "0.578 heard: remote.up off\n"
            "2.000 heard: pad.go on\n"
            "2.100 heard: pad.along -370\n"
            "2.500 heard: pad.go off\n"
            "3.000 watcher: across was missed: it was not read in time\n"
            "3.005 heard: watcher.along\n"
            "3.505 heard: watcher.along\n"
            "4.021 panel: \"@9\": its number is out of its range: ignored\n"
            "4.121 panel: \"\\x07#\": it is no message of it: ignored\n");
  EXPECT_EQ(record.edges[52], 2 * (68 + 4)) << "two frames of 32 bits, and two that hold it on";
  EXPECT_EQ(record.edges[53], 4);
}

// Whatever is checked to be sound is played without a fault, whichever comes: random bodies in a loop, chosen
// by a panel's station keys.
TEST(HandsInScripts, RandomOnesThatAreSoundArePlayedWithoutAFault) {
  const int scripts = std::getenv("COGSTRIDE_SLOW") == nullptr ? 60 : 2000;
  std::mt19937 dice(2026);
  const auto of = [&](int most) { return static_cast<int>(dice() % static_cast<unsigned>(most)); };
  int sound = 0;
  for (int n = 0; n < scripts; ++n) {
    const auto statement = [&]() -> std::string {
      switch (of(8)) {
        case 0:
          return "home traverse";
        case 1:
          return fmt::format("move traverse to {} mm", of(140));
        case 2:
          return fmt::format("move traverse to {} mm at 20 mm/s",
                             10 + of(60));  // a way is checked as it begins
        case 3:
          return "wait 0.1 s";
        case 4:
          return "spin feeder at 40 % until stopped";
        case 5:
          return "stop feeder";
        case 6:
          return "switch lamp on";
        default:
          return "leave";
      }
    };
    std::string text = of(2) == 0 ? "home traverse\n" : "";
    text += fmt::format("repeat {}\nwhichever comes first\n", of(2) == 0 ? "without end" : "3 times");
    for (int i = 0; i < 3; ++i) {
      text += fmt::format("when panel.station is {}\n", i);
      for (int k = of(3); k > 0; --k) text += statement() + "\n";
      text += "end\n";
    }
    text += "after 3 s\nleave\nend\nend\nend\n" + statement() + "\n";
    std::string events;
    for (int i = 0; i < 8; ++i) events += fmt::format("at {} s panel.station {}\n", 0.5 + 2.3 * i, of(3));
    try {
      (void)parse_script(text, "x.moves", rig_with_panel());
    } catch (const InputError&) {
      continue;
    }
    ++sound;
    const Played all(text, events);
    EXPECT_EQ(all.player.fault(), "") << text << events;
  }
  EXPECT_GT(sound, scripts / 20);
}

// What is found of a sensor, and what becomes of two events that follow each other so soon.
TEST(HandsInScripts, EventsAreMissedWhereTheFindingSaysSo) {
  std::mt19937 dice(7);
  int missed = 0;
  for (int n = 0; n < 40; ++n) {
    Rig rig = only_with(rig_with_panel(), {"traverse"});
    BusSensor watcher{.name = "watcher", .bus = "/dev/i2c-1", .address = 0x39, .line = 46};
    watcher.bus_speed = ExactFrequency::from_base(10'000 + static_cast<std::int64_t>(dice() % 400'000));
    watcher.top_bus_speed = watcher.bus_speed;
    watcher.least_between = Time(4.0 + 0.01 * static_cast<double>(dice() % 500), units::ms);
    watcher.events = {{"along", 1}, {"across", 2}};
    rig.bus_sensors.push_back(watcher);
    bool is_found = false;
    for (const Finding& finding : inspect_rig(rig).findings)
      is_found = is_found || finding.code == "events-missed";
    SimulatedBench bench(
        rig, {.events = parse_events(fmt::format("at 0.1 s watcher.along on\nat {:.6f} s watcher.across on\n",
                                                 0.1 + watcher.least_between.in(units::s)),
                                     "x.events", rig)});
    bench.serve(0.2_s);
    EXPECT_EQ(bench.heard().times(bench.heard().place_of("watcher.along")), is_found ? 0 : 1)
        << to_text(watcher.least_between, "ms") << " at " << to_text(watcher.bus_speed, "kHz");
    EXPECT_EQ(bench.heard().times(bench.heard().place_of("watcher.across")), 1);
    missed += is_found ? 1 : 0;
  }
  EXPECT_GT(missed, 5);
  EXPECT_LT(missed, 35);
}

}  // namespace
}  // namespace cogstride::hands_test
