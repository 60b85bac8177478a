// Moves played by the 8-bit chip: each edge on the tick that the host says.
#include <fmt/format.h>
#include <gtest/gtest-spi.h>
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
  for (std::size_t i = 0; i + 1 < runs.size(); ++i)
    runs[i].flags &= static_cast<std::uint8_t>(~chip::run_ends);
  return runs;
}

std::int64_t net(const Runs& runs) {
  std::int64_t sum = 0;
  for (const auto& run : runs)
    if ((run.flags & chip::run_silent) == 0)
      sum += (run.flags & chip::run_backwards) != 0 ? -run.steps : run.steps;
  return sum;
}

struct Played {
  std::int64_t worst = 0;  ///< ticks that an edge is off
  double least_high = 1.0;
  double least_dir = 1.0;   ///< s that DIR stands before a pulse
  std::int64_t a_step = 0;  ///< cycles of an interrupt that makes one
  std::int64_t a_run = 0;   ///< and of one that goes on to the next run, with what came in between
  double interrupts = 0.0;  ///< share of the time
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
      if (edges[i].high)
        rises.push_back(edges[i].at);
      else if (i > 0)
        played.least_high =
            std::min(played.least_high, static_cast<double>(edges[i].at - edges[i - 1].at) / clock_rate);
    }
    EXPECT_EQ(rises.size(), wanted.size()) << "axis " << axis;
    EXPECT_EQ(positions[axis], net(*runs[axis])) << "axis " << axis;
    if (rises.empty() || rises.size() != wanted.size()) continue;
    // The timer's tick of the first edge is told modulo its turn.
    const std::int64_t zero = rises[0] - wanted[0];
    EXPECT_LT(std::abs(zero - marked - 2000), 3000);
    for (std::size_t i = 0; i < rises.size(); ++i)
      played.worst = std::max(played.worst, std::abs(rises[i] - wanted[i] - zero));
    for (const PinEdge& turn : turns) {
      const auto next = std::lower_bound(rises.begin(), rises.end(), turn.at);
      if (next != rises.end())
        played.least_dir = std::min(played.least_dir, static_cast<double>(*next - turn.at) / clock_rate);
    }
  }
  std::int64_t sum = 0;
  played.a_step = INT64_MAX;
  for (const int vector : {11, 12}) {
    const Chip::InterruptTimes& times = chip.interrupt(vector);
    played.a_run = std::max(played.a_run, times.longest);
    if (times.count > 0) played.a_step = std::min(played.a_step, times.least);
    sum += times.sum;
  }
  played.interrupts = static_cast<double>(sum) / static_cast<double>(chip.now() - marked);
  EXPECT_GE(played.least_high, 2.4e-6);
  EXPECT_GE(played.least_dir, 10e-6);
  return played;
}

constexpr std::int64_t entry = 7;  // cycles of the chip's own: to the vector, and its jump

TEST(ChipPlayer, MakesEachEdgeOfATrapezoidOnTheHostsTick) {
  EXPECT_EQ(play(runs_of({{2000, {.speed = 8000, .acceleration = 100'000}}})).worst, 0);
}

TEST(ChipPlayer, MakesThoseOfJerkLimitedSlowLongAndReversingMoves) {
  EXPECT_EQ(play(runs_of({{400, {.speed = 400, .acceleration = 300}},
                          {-3000, {.speed = 20'000, .acceleration = 300'000, .jerk = 2e7}},
                          {-2950, {.speed = 40, .acceleration = 1e6, .start_speed = 40}}}))
                .worst,
            0);
}

TEST(ChipPlayer, MakesThoseOfRandomMoves) {
  std::mt19937 random(4);
  const auto even = [&](double least, double most) {
    return std::uniform_real_distribution<double>(least, most)(random);
  };
  const auto by_ratio = [&](double least, double most) {
    return std::exp(even(std::log(least), std::log(most)));
  };
  for (int i = 0; i < (std::getenv("COGSTRIDE_SLOW") != nullptr ? 60 : 6); ++i) {
    std::array<Runs, 2> axes;
    for (Runs& runs : axes) {
      std::vector<std::pair<std::int64_t, RampLimits>> moves;
      std::int64_t at = 0;
      for (int move = 0; move < 4; ++move) {
        RampLimits limits{.speed = by_ratio(100, 25'000), .acceleration = 0.0};
        limits.acceleration = limits.speed / by_ratio(0.02, 0.4);
        if (even(0, 1) < 0.5) limits.jerk = limits.acceleration / by_ratio(0.01, 0.2);
        if (even(0, 1) < 0.3) limits.start_speed = 0.2 * limits.speed;
        const auto way = 1 + static_cast<std::int64_t>(limits.speed * even(0.05, 0.3));
        at += even(0, 1) < 0.5 ? way : -way;
        moves.emplace_back(at, limits);
      }
      runs = runs_of(moves);
      if (runs.size() > most_runs) runs = runs_of({moves.front()});
    }
    EXPECT_EQ(play(axes[0], axes[1]).worst, 0) << "random moves " << i;
  }
}

TEST(ChipPlayer, Makes60000StepsPerSecondAnd30000OfTwoAxes) {
  const Played one = play(runs_of({{40'000, {.speed = 60'000, .acceleration = 400'000}}}));
  EXPECT_EQ(one.worst, 0);
  EXPECT_LE(one.a_step - entry, 140) << "cycles a step";
  const Played two = play(runs_of({{20'000, {.speed = 30'000, .acceleration = 200'000}}}),
                          runs_of({{-18'000, {.speed = 29'321, .acceleration = 210'000}}}));
  EXPECT_EQ(two.worst, 0);
  const Played at_20000 = play(runs_of({{20'000, {.speed = 20'000, .acceleration = 400'000}}}));
  EXPECT_LE(at_20000.interrupts, 2.0 / 3.0) << "the main program keeps a third";
  fmt::print(
      "a step {} cycles and {} of the chip's own; at the end of a run {}, of two axes in one another's way "
      "{}\n",
      one.a_step - entry, entry, at_20000.a_run, two.a_run);
  fmt::print("pulses high {:.2f} us at the least; at 20000 steps/s interrupts take {:.0f} % of the time\n",
             1e6 * std::min(one.least_high, two.least_high), 100.0 * at_20000.interrupts);
}

// How fast it can be: the fastest rate at which each edge still comes on its tick.
TEST(ChipPlayer, SaysWhichRatesItMakes) {
  const auto fastest = [](bool both, double from) {
    double made = 0.0;
    for (double rate = from; rate < 200'000; rate *= 1.03) {
      const Runs runs = runs_of({{4000, {.speed = rate, .acceleration = 3e6}}});
      bool all = false;
      {
        testing::TestPartResultArray failures;
        testing::ScopedFakeTestPartResultReporter reporter(
            testing::ScopedFakeTestPartResultReporter::INTERCEPT_ONLY_CURRENT_THREAD, &failures);
        all = play(runs, both ? runs : Runs{}).worst == 0 && failures.size() == 0;
      }
      if (!all) break;
      made = rate;
    }
    return made;
  };
  const double one = fastest(false, 60'000);
  const double two = fastest(true, 30'000);
  EXPECT_GE(one, 60'000);
  EXPECT_GE(two, 30'000);
  fmt::print("fastest: {:.0f} thousand steps/s of one axis, {:.0f} of each of two\n", one / 1000.0,
             two / 1000.0);
}

}  // namespace
}  // namespace cogstride::chip_bench
