#include "cogstride/lines/late_lines.hpp"

#include <gtest/gtest.h>

#include <array>

#include "support/scripted_lines.hpp"

namespace cogstride::late_lines_test {
namespace {

using Use = LineSetup::Use;

constexpr LineId step{0};
constexpr LineId gate{1};
constexpr SourceId gate_source{5};
constexpr MechanismId own{3};

std::vector<LineSetup> lines() {
  return {{step, "x.step", own, Use::pulses, false, 10},
          {gate, "x.gate", own, Use::input, false, 0, gate_source}};
}
constexpr std::array<chip::PulseRun, 1> hundred{{{std::uint64_t{1000} << 16, 0, 0, 100, 0, 0}}};

TEST(LateLines, TellsSoLongAfterwardsWhatHappened) {
  testing_support::ScriptedPlayer player(lines(), 100, 1000);
  LateLines late(lines(), 5000, player);
  player.edge(2000, gate, true);
  player.edge(2100, gate, false);
  std::vector<Reading> readings;
  EXPECT_EQ(late.wait_until(6000, readings), 6000);
  EXPECT_TRUE(readings.empty());
  EXPECT_EQ(late.wait_until(20'000, readings), 7000);
  ASSERT_EQ(readings.size(), 1U);
  EXPECT_EQ(readings[0].at, 2000) << "when it was";
  EXPECT_EQ(late.wait_until(20'000, readings), 7100);
  EXPECT_EQ(late.wait_until(20'000, readings), 20'000);
  EXPECT_EQ(readings.size(), 2U);
}

TEST(LateLines, WhatAnEdgeEndedTakesNothingUntilThatIsTold) {
  testing_support::ScriptedPlayer player(lines(), 100, 1000);
  LateLines late(lines(), 5000, player);
  late.put(FineTick{1000, 0}, step, hundred, StopOn{gate, Edge::rising});
  player.edge(4500, gate, true);
  std::vector<Reading> readings;
  late.wait_until(6000, readings);
  ASSERT_EQ(player.pulses[step].size(), 3U);
  // Planning does not know yet, and goes on.
  late.put(FineTick{101'000, 0}, step, hundred, StopOn{gate, Edge::rising});
  late.wait_until(300'000, readings);
  ASSERT_EQ(readings.size(), 1U);
  EXPECT_EQ(late.now(), 9500);
  late.wait_until(300'000, readings);
  EXPECT_EQ(player.pulses[step].size(), 3U);
  late.put(FineTick{310'000, 0}, step, hundred, {});
  late.wait_until(500'000, readings);
  EXPECT_EQ(player.pulses[step].size(), 103U);
}

TEST(LateLines, ACutFreesThem) {
  testing_support::ScriptedPlayer player(lines(), 100, 1000);
  LateLines late(lines(), 5000, player);
  late.put(FineTick{1000, 0}, step, hundred, StopOn{gate, Edge::rising});
  player.edge(4500, gate, true);
  std::vector<Reading> readings;
  late.wait_until(6000, readings);
  late.cut();
  late.put(FineTick{7000, 0}, step, hundred, {});
  late.wait_until(200'000, readings);
  late.wait_until(200'000, readings);
  EXPECT_EQ(player.pulses[step].size(), 103U);
}

}  // namespace
}  // namespace cogstride::late_lines_test
