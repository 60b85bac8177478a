// Inputs and the guard over them, alone on scripted lines.
#include "cogstride/motion/guard.hpp"

#include <gtest/gtest.h>

#include <string>
#include <vector>

#include "support/on_script.hpp"

namespace cogstride::guard_test {
namespace {

using testing_support::OnScript;

constexpr LineId stop{3};
constexpr LineId up{5};
constexpr LineId far{4};

LineSetup input(LineId line, const char* name) {
  LineSetup setup{line, name, {}, LineSetup::Use::input};
  setup.source = static_cast<SourceId>(line);
  return setup;
}

/// An emergency stop that acts when low at its first edge, a supply, and a switch of mechanism 1 that has to
/// stand for 1000 ticks.
struct Watching {
  Watching()
      : inputs({{stop, false, 0, 0, "halt"}, {up, true, 0, 500, "main"}, {far, true, 1000, 0, "x.far"}}),
        guard(inputs, {{{Trip::Cause::emergency_stop, {}, "halt is pressed"}, stop, true},
                       {{Trip::Cause::supply_lost, {}, "main is not up"}, up, false},
                       {{Trip::Cause::limit_switch, MechanismId{1}, "x.far acts"}, far, true}}),
        on({input(stop, "halt"), input(up, "main"), input(far, "x.far")}) {
    on.lines.player.says(static_cast<SourceId>(stop), 1);
    on.lines.player.says(static_cast<SourceId>(up), 1);
    on.loop.add(inputs);
    on.loop.add(guard);
    guard.on_trip([this](Lines& lines, const Trip& trip) {
      told.push_back(trip.what);
      told_at.push_back(lines.now());
    });
  }
  void edge(Tick at, LineId line, bool high) { on.lines.player.edge(at, line, high); }

  Inputs inputs;
  Guard guard;
  OnScript on;
  std::vector<std::string> told;
  std::vector<Tick> told_at;
};

TEST(Guard, TellsEachTripOnceAtItsEdge) {
  Watching w;
  w.edge(10'000, stop, false);
  w.edge(20'000, stop, true);
  w.edge(30'000, stop, false);
  w.on.run_to(15'000);
  EXPECT_EQ(w.guard.standing().size(), 1u);
  w.on.run_to(25'000);
  EXPECT_TRUE(w.guard.standing().empty());
  w.on.run_to(40'000);
  EXPECT_EQ(w.told, (std::vector<std::string>{"halt is pressed", "halt is pressed"}));
  EXPECT_EQ(w.told_at, (std::vector<Tick>{10'000, 30'000}));
}

TEST(Guard, ASwitchCountsWhenItHasStoodAndASupplyWhenItHasBeenGone) {
  Watching w;
  for (Tick at = 10'000; at < 12'000; at += 400) w.edge(at, far, (at / 400) % 2 == 1);  // it bounces
  w.edge(12'000, far, true);
  w.edge(20'000, up, false);
  w.edge(20'300, up, true);  // too short to count
  w.edge(30'000, up, false);
  w.on.run_to(40'000);
  EXPECT_EQ(w.told, (std::vector<std::string>{"x.far acts", "main is not up"}));
  EXPECT_EQ(w.told_at, (std::vector<Tick>{13'000, 30'500}));
  EXPECT_EQ(w.inputs.since(far), 13'000);
  EXPECT_EQ(w.inputs.acts(up), false);
}

TEST(Guard, WhatActsWhenItIsFirstSeenIsNoTrip) {
  Watching w;
  w.on.lines.player.says(static_cast<SourceId>(far), 1);
  EXPECT_FALSE(w.inputs.are_known());
  EXPECT_EQ(w.inputs.acts(far), std::nullopt);
  w.on.run_to(20'000);
  EXPECT_TRUE(w.inputs.are_known());
  EXPECT_EQ(w.inputs.acts(far), true);
  EXPECT_TRUE(w.told.empty());
}

TEST(Guard, IgnoresWhatItIsToldToAndTellsWhatFailed) {
  Watching w;
  w.guard.ignore([](const Guard::Watched& watched) { return watched.line == far; });
  w.edge(10'000, far, true);
  w.on.run_to(20'000);
  EXPECT_TRUE(w.told.empty());
  w.guard.motion_failed(MechanismId{1}, "x: stuck");
  EXPECT_TRUE(w.guard.has_more_to_tell());
  w.on.run_to(20'001);
  EXPECT_EQ(w.told, (std::vector<std::string>{"x: stuck"}));
  EXPECT_FALSE(w.guard.has_more_to_tell());
}

}  // namespace
}  // namespace cogstride::guard_test
