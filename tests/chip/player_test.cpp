// Moves played by the 8-bit chip: each edge on the tick that the host says.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "chip/chip.hpp"
#include "cogstride/plan/narrow_plan.hpp"
#include "cogstride/plan/step_times.hpp"

namespace cogstride::chip_bench {
namespace {

const std::string programs = COGSTRIDE_CHIP_PROGRAMS;
constexpr double clock_rate = 16e6;

/// As in tests/chip/firmware/player.cpp.
constexpr std::size_t most_runs = 1000;
struct Table {
  std::uint16_t runs = 0;
  std::uint8_t run[most_runs][12] = {};
};
static_assert(sizeof(Table) == 2 + 12 * most_runs);

using Runs = std::vector<chip::NarrowPulseRun>;

void put(Table& table, const Runs& runs) {
  ASSERT_LE(runs.size(), most_runs);
  table.runs = static_cast<std::uint16_t>(runs.size());
  for (std::size_t i = 0; i < runs.size(); ++i) std::memcpy(table.run[i], &runs[i], sizeof runs[i]);
}

/// Ramps one after another, each from where the last one ended.
Runs runs_of(const std::vector<std::pair<std::int64_t, RampLimits>>& moves) {
  Runs runs;
  std::int64_t at = 0;
  for (const auto& [target, limits] : moves) {
    const Runs more = narrow_plan(plan_ramp({.position = {at}}, target, limits), at, clock_rate);
    runs.insert(runs.end(), more.begin(), more.end());
    at = target;
  }
  for (std::size_t i = 0; i + 1 < runs.size(); ++i) runs[i].flags &= static_cast<std::uint8_t>(~chip::run_ends);
  return runs;
}

std::int64_t net(const Runs& runs) {
  std::int64_t sum = 0;
  for (const auto& run : runs)
    if ((run.flags & chip::run_silent) == 0) sum += (run.flags & chip::run_backwards) != 0 ? -run.steps : run.steps;
  return sum;
}

struct Played {
  std::int64_t worst = 0;  ///< ticks that an edge is off
  double least_high = 1.0;
  double least_dir = 1.0;  ///< s that DIR stands before a pulse
  std::int64_t longest = 0;
  double mean = 0.0;
  double idle = 0.0;  ///< share of the main program's rounds, of those without steps
  int lost = 0;
  int doubled = 0;
};

/// Plays one or two axes and holds each edge against the host's.
Played play(const Runs& first, const Runs& second = {}) {
  Chip chip(programs + "/player.elf");
  auto tables = std::make_unique<std::array<Table, 2>>();
  put((*tables)[0], first);
  put((*tables)[1], second);
  chip.put_into_flash("tables", tables.get(), sizeof *tables);
  Played played;
  EXPECT_TRUE(chip.run_to_mark(1, 2'000'000));
  const std::uint16_t start = static_cast<std::uint16_t>(chip.general(1) | chip.general(2) << 8);
  const std::int64_t marked = chip.now();
  EXPECT_TRUE(chip.run_to_mark(2, std::int64_t{16'000'000} * 120));
  const std::array<const Runs*, 2> runs{&first, &second};
  const auto positions = chip.variable<std::array<std::int32_t, 2>>("positions");
  EXPECT_EQ(chip.variable<std::uint8_t>("starved"), 0);
  for (int axis = 0; axis < 2; ++axis) {
    const std::vector<chip::Tick> wanted = played_ticks(*runs[axis]);
    const std::vector<PinEdge>& edges = chip.edges('B', 1 + axis);
    const std::vector<PinEdge>& turns = chip.edges('D', 4 + axis);
    std::vector<std::int64_t> rises;
    for (std::size_t i = 0; i < edges.size(); ++i) {
      if (edges[i].high) rises.push_back(edges[i].at);
      else if (i > 0) played.least_high = std::min(played.least_high, static_cast<double>(edges[i].at - edges[i - 1].at) / clock_rate);
    }
    EXPECT_EQ(rises.size(), wanted.size()) << "axis " << axis;
    EXPECT_EQ(positions[axis], net(*runs[axis])) << "axis " << axis;
    if (rises.empty() || rises.size() != wanted.size()) continue;
    // The timer's tick of the first edge is told modulo its turn.
    const std::int64_t zero = rises[0] - wanted[0];
    EXPECT_LT(std::abs(zero - marked - 2000), 3000);
    (void)start;
    for (std::size_t i = 0; i < rises.size(); ++i)
      played.worst = std::max(played.worst, std::abs(rises[i] - wanted[i] - zero));
    for (const PinEdge& turn : turns) {
      const auto next = std::lower_bound(rises.begin(), rises.end(), turn.at);
      if (next != rises.end()) played.least_dir = std::min(played.least_dir, static_cast<double>(*next - turn.at) / clock_rate);
    }
  }
  for (const int vector : {11, 12}) {
    const Chip::InterruptTimes& times = chip.interrupt(vector);
    played.longest = std::max(played.longest, times.longest);
    if (times.count > 0 && vector == 11) played.mean = static_cast<double>(times.sum) / static_cast<double>(times.count);
  }
  played.lost = chip.lost_matches();
  played.doubled = chip.doubled_matches();
  return played;
}

TEST(ChipPlayer, MakesEachEdgeOfATrapezoidOnTheHostsTick) {
  const Played played = play(runs_of({{2000, {.speed = 8000, .acceleration = 100'000}}}));
  EXPECT_EQ(played.worst, 0);
  fmt::print("longest {} mean {:.1f} high {:.2f} us dir {:.1f} us lost {} doubled {}\n", played.longest, played.mean, played.least_high*1e6, played.least_dir*1e6, played.lost, played.doubled);
}

TEST(ChipPlayer, GoesBothWaysSlowlyAndFast) {
  const Played played = play(runs_of({{400, {.speed = 400, .acceleration = 300}},
                                      {-3000, {.speed = 20'000, .acceleration = 300'000, .jerk = 2e7}},
                                      {0, {.speed = 100, .acceleration = 1e6, .start_speed = 100}}}).size() > 0
                              ? runs_of({{400, {.speed = 400, .acceleration = 300}},
                                      {-3000, {.speed = 20'000, .acceleration = 300'000, .jerk = 2e7}},
                                      {-2800, {.speed = 100, .acceleration = 1e6, .start_speed = 100}}}) : Runs{});
  EXPECT_EQ(played.worst, 0);
  fmt::print("longest {} mean {:.1f} high {:.2f} us dir {:.1f} us lost {} doubled {}\n", played.longest, played.mean, played.least_high*1e6, played.least_dir*1e6, played.lost, played.doubled);
}

TEST(ChipPlayer, Makes60000StepsPerSecondAnd30000OfTwoAxes) {
  const Played one = play(runs_of({{40'000, {.speed = 60'000, .acceleration = 400'000}}}));
  EXPECT_EQ(one.worst, 0);
  fmt::print("longest {} mean {:.1f} high {:.2f} us lost {} doubled {}\n", one.longest, one.mean, one.least_high*1e6, one.lost, one.doubled);
  const Played two = play(runs_of({{20'000, {.speed = 30'000, .acceleration = 200'000}}}), runs_of({{-18'000, {.speed = 29'321, .acceleration = 210'000}}}));
  EXPECT_EQ(two.worst, 0);
  fmt::print("longest {} mean {:.1f} high {:.2f} us lost {} doubled {}\n", two.longest, two.mean, two.least_high*1e6, two.lost, two.doubled);
}

}  // namespace
}  // namespace cogstride::chip_bench
