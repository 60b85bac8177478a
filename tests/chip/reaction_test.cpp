// What the 8-bit chip does by itself: rows with their dead time, stops at random instants, following by an
// exact ratio.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <cstdlib>
#include <cstring>
#include <random>

#include "chip/chip.hpp"
#include "cogstride/chip/coils.hpp"
#include "cogstride/chip/conformance.hpp"
#include "cogstride/plan/narrow_plan.hpp"

namespace cogstride::chip_bench {
namespace {

const std::string programs = COGSTRIDE_CHIP_PROGRAMS;
const bool slow = std::getenv("COGSTRIDE_SLOW") != nullptr;

TEST(ChipRows, ComeInTheirOrderWithAllOffInBetween) {
  struct Table {
    std::uint16_t runs = 0;
    std::uint8_t run[600][12] = {};
  } table;
  std::vector<chip::NarrowPulseRun> runs =
      narrow_plan(plan_ramp({}, 160, {.speed = 800, .acceleration = 4000}), 0, 16e6);
  const auto back =
      narrow_plan(plan_ramp({.position = {160}}, 60, {.speed = 500, .acceleration = 9000}), 160, 16e6);
  runs.back().flags &= static_cast<std::uint8_t>(~chip::run_ends);
  runs.insert(runs.end(), back.begin(), back.end());
  table.runs = static_cast<std::uint16_t>(runs.size());
  ASSERT_LE(runs.size(), 600U);
  for (std::size_t i = 0; i < runs.size(); ++i) std::memcpy(table.run[i], &runs[i], 12);

  Chip chip(programs + "/rows.elf");
  chip.put_into_flash("table", &table, sizeof table);
  struct Written {
    std::int64_t at;
    int row;
  };
  std::vector<Written> written;
  chip.on_edge = [&](char port, int, bool) {
    if (port != 'C') return;
    int row = 0;
    for (int bit = 0; bit < 4; ++bit) row |= chip.level('C', bit) ? 1 << bit : 0;
    if (!written.empty() && written.back().at == chip.now())
      written.back().row = row;
    else
      written.push_back({chip.now(), row});
  };
  ASSERT_TRUE(chip.run_to_mark(2, 16'000'000));
  EXPECT_EQ(chip.variable<std::int32_t>("position"), 60);
  ASSERT_EQ(written.front().row, chip::coil_row(chip::Stepping::full, 0));
  const std::vector<chip::Tick> ticks = played_ticks(runs);
  ASSERT_EQ(written.size(), 1 + 2 * ticks.size()) << "each full step turns one leg over";
  int step = 0;
  std::int64_t least = INT64_MAX, most = 0, dead = INT64_MAX;
  // The first match is the start's; silent runs match, too.
  const std::vector<std::int64_t>& matches = chip.matches(0);
  const std::int64_t zero = matches[0];
  for (std::size_t i = 0; i < ticks.size(); ++i) {
    const int before = chip::coil_row(chip::Stepping::full, step);
    step += i < 160 ? 1 : -1;
    const int row = chip::coil_row(chip::Stepping::full, step);
    EXPECT_EQ(written[1 + 2 * i].row, before & row) << "step " << i << ": the leg is off";
    EXPECT_EQ(written[2 + 2 * i].row, row) << "step " << i;
    dead = std::min(dead, written[2 + 2 * i].at - written[1 + 2 * i].at);
    least = std::min(least, written[1 + 2 * i].at - ticks[i] - zero);
    most = std::max(most, written[1 + 2 * i].at - ticks[i] - zero);
  }
  EXPECT_GE(dead, 32) << "2 us";
  EXPECT_LE(most - least, 96) << "jitter of the interrupt, cycles";
  EXPECT_LE(most, 256) << "cycles after its tick";
  fmt::print("rows by port writes: {} to {} cycles after their tick, dead time {} cycles\n", least, most,
             dead);
}

TEST(ChipStop, EndsTwoAxesAtAnyInstantAndKnowsWhereTheyStand) {
  std::mt19937 random(11);
  std::int64_t longest = 0;
  double least_high = 1e9;
  for (int i = 0; i < (slow ? 400 : 60); ++i) {
    Chip chip(programs + "/stops.elf");
    ASSERT_TRUE(chip.run_to_mark(1, 1'000'000));
    chip.drive('D', 3, false);
    std::array<std::int64_t, 2> at{};
    std::array<std::int64_t, 2> rose{};
    std::int64_t last = 0;
    chip.on_edge = [&](char port, int bit, bool high) {
      if (port != 'B') return;
      last = chip.now();
      if (bit == 0) return;
      if (high) {
        at[bit - 1] += chip.level('D', 3 + bit) ? -1 : 1;
        rose[bit - 1] = chip.edges('B', bit).back().at;
      } else {
        least_high =
            std::min(least_high, static_cast<double>(chip.edges('B', bit).back().at - rose[bit - 1]) / 16.0);
      }
    };
    chip.run(std::uniform_int_distribution<std::int64_t>(400'000, 4'000'000)(random));
    const std::int64_t pressed = chip.now();
    chip.drive('D', 3, true);
    ASSERT_TRUE(chip.run_to_mark(2, 400'000));
    longest = std::max(longest, last - pressed);
    const auto positions = chip.variable<std::array<std::int32_t, 2>>("positions");
    EXPECT_EQ(positions[0], at[0]) << "stop " << i;
    EXPECT_EQ(positions[1], at[1]) << "stop " << i;
    EXPECT_EQ(chip.variable<std::uint8_t>("starved"), 0);
    EXPECT_TRUE(chip.level('B', 0)) << "ENABLE is away";
    EXPECT_FALSE(chip.level('B', 1));
    EXPECT_FALSE(chip.level('B', 2));
    const std::int64_t stands = last;
    ASSERT_TRUE(chip.run_to_mark(3, 10'000'000));
    EXPECT_EQ(last, stands) << "nothing moves again";
    EXPECT_EQ(chip.variable<std::uint8_t>("moves_again"), 0);
  }
  EXPECT_LE(longest, 1600) << "cycles from the button to rest";
  EXPECT_GE(least_high, 2.4) << "us; no pulse is cut short";
  fmt::print("stop: at rest within {} cycles, shortest pulse {:.2f} us\n", longest, least_high);
}

TEST(ChipStop, BrownOutInMidMovePutsAllOffFirst) {
  std::mt19937 random(3);
  for (int i = 0; i < 20; ++i) {
    Chip chip(programs + "/stops.elf");
    chip.run(std::uniform_int_distribution<std::int64_t>(100'000, 3'000'000)(random));
    std::vector<std::string> seen;
    chip.on_edge = [&](char port, int bit, bool high) {
      seen.push_back(fmt::format("{}{} {}", port, bit, high ? "high" : "low"));
    };
    chip.brown_out();
    EXPECT_FALSE(chip.level('B', 1)) << "a reset lets go of all lines";
    seen.clear();
    ASSERT_TRUE(chip.run_to_mark(1, 1'000'000));
    ASSERT_FALSE(seen.empty());
    EXPECT_EQ(seen[0], "B0 high") << "ENABLE away, before all else";
    for (std::size_t k = 1; k < seen.size(); ++k) EXPECT_NE(seen[k].substr(0, 2), "B1") << seen[k];
  }
}

// A port that is wrong in one thing is found out by its number; chip/conformance.hpp says which it is.
TEST(ChipPort, IsProvenByItsConformanceProgram) {
  Chip chip(programs + "/conformance.elf");
  ASSERT_TRUE(chip.run_to_mark(2, 400'000'000));
  const auto results = chip.variable<std::array<std::uint8_t, 10>>("results");
  EXPECT_EQ(results[0], 0) << "channel A";
  EXPECT_EQ(results[1], 0) << "channel B";
  EXPECT_EQ(results[2], chip::compare_is_not_kept);
  EXPECT_EQ(results[3], chip::acts_while_off);
  EXPECT_EQ(results[4], chip::pulse_while_silent);
  EXPECT_EQ(results[5], chip::no_interrupt);
  EXPECT_EQ(results[6], chip::edge_too_late);
  EXPECT_EQ(results[7], chip::edge_too_early);
  EXPECT_EQ(results[8], chip::pulse_does_not_end);
  EXPECT_EQ(results[9], chip::lock_does_not_hold);
}

TEST(ChipExample, HomesGoesToAndFroWhileItsKeyIsHeldAndStops) {
  Chip chip(programs + "/carriage.elf");
  std::int64_t at = 900, lowest = 900, highest = 900;
  bool acts = false;
  std::int64_t last = 0;
  const auto look = [&] {
    if (at <= 0) acts = true;
    if (at > 12) acts = false;
    chip.drive('D', 2, acts);
  };
  chip.on_edge = [&](char port, int bit, bool high) {
    if (port != 'B' || bit != 1 || !high) return;
    at += chip.level('D', 4) ? -1 : 1;
    lowest = std::min(lowest, at);
    highest = std::max(highest, at);
    last = chip.now();
    look();
  };
  ASSERT_TRUE(chip.run_to_mark(1, 1'000'000));
  for (const int bit : {2, 3, 6}) chip.drive('D', bit, false);
  chip.analogue(0, 4.0);
  ASSERT_TRUE(chip.run_to_mark(2, 64'000'000));
  EXPECT_EQ(at, 265);
  lowest = highest = at;
  chip.run(3'200'000);
  EXPECT_EQ(at, 265) << "nothing without the key";
  chip.drive('D', 6, true);
  chip.run(32'000'000);
  EXPECT_EQ(highest, 2265);
  EXPECT_GE(lowest, 265);
  chip.drive('D', 6, false);
  chip.run(8'000'000);
  const std::int64_t rests = at;
  chip.run(3'200'000);
  EXPECT_EQ(at, rests) << "let go of";
  chip.drive('D', 6, true);
  chip.run(2'400'000);
  const std::int64_t pressed = chip.now();
  chip.drive('D', 3, true);
  chip.run(8'000'000);
  EXPECT_LE(last - pressed, 400) << "cycles";
  EXPECT_TRUE(chip.level('B', 0)) << "ENABLE is away";
}

/// An encoder that a test turns.
struct Encoder {
  Chip& chip;
  std::int64_t count = 0;
  std::mt19937 random{5};

  void turn(int way) {
    count += way;
    const int quarter = static_cast<int>(count & 3);
    chip.drive('D', 2, quarter == 1 || quarter == 2);
    chip.drive('D', 3, quarter == 2 || quarter == 3);
    chip.run(std::uniform_int_distribution<std::int64_t>(500, 900)(random));
  }
};

TEST(ChipFollower, StandsOnTheStepOfWholeNumbersThroughReversalsAndNewRatios) {
  Chip chip(programs + "/follower.elf");
  std::int64_t at = 0;
  std::int64_t changed = 0;
  std::vector<std::int64_t> latencies;  // without those that turn round
  int way = 1, way_before = 1;
  chip.on_edge = [&](char port, int bit, bool high) {
    if (port != 'B' || bit != 1 || !high) return;
    at += chip.level('D', 4) ? -1 : 1;
    if (changed != 0 && chip.level('D', 4) == (way < 0) && way == way_before)
      latencies.push_back(chip.now() - changed);
    changed = 0;
  };
  ASSERT_TRUE(chip.run_to_mark(1, 1'000'000));
  Encoder encoder{chip};
  chip.drive('D', 2, false);
  chip.drive('D', 3, false);
  chip.run(10'000);
  std::mt19937 random(9);
  std::int64_t steps = 7, counts = 25;
  std::int64_t wanted = 0, rest = 0;  // the obvious way: what is left, in parts of counts
  const int ratios = 1000;
  for (int change = 0; change < ratios; ++change) {
    way = std::uniform_int_distribution<int>(0, 1)(random) == 0 ? 1 : -1;
    for (int i = std::uniform_int_distribution<int>(1, 40)(random); i > 0; --i) {
      changed = chip.now();
      encoder.turn(way);
      way_before = way;
      rest += way * steps;
      const std::int64_t made =
          rest / counts;  // towards zero: forwards on reaching it, backwards on the one below
      wanted += made;
      rest -= made * counts;
    }
    EXPECT_EQ(at, wanted) << "ratio " << change << ": " << steps << " for " << counts;
    counts = std::uniform_int_distribution<int>(1, 5000)(random);
    steps = std::uniform_int_distribution<std::int64_t>(-counts, counts)(random);
    const auto old_counts = chip.variable<std::int32_t>("counts");
    rest = rest * counts / old_counts;
    const auto s = static_cast<std::int32_t>(steps);
    const auto c = static_cast<std::int32_t>(counts);
    const std::uint8_t yes = 1;
    chip.write_ram("steps", &s, 4);
    chip.write_ram("counts", &c, 4);
    chip.write_ram("changed", &yes, 1);
    chip.run(6000);
    EXPECT_EQ(chip.variable<std::uint8_t>("refused"), 0);
    EXPECT_EQ(at, wanted) << "a new ratio moves nothing";
  }
  EXPECT_EQ(chip.variable<std::int32_t>("position"), wanted);
  std::sort(latencies.begin(), latencies.end());
  ASSERT_GT(latencies.size(), 500U);
  const std::int64_t usual = latencies[latencies.size() / 2];
  EXPECT_LE(usual, 150) << "cycles from the leader's edge to the follower's";
  fmt::print(
      "follower: its edge {} cycles after its leader's (median), {} where the main program held interrupts "
      "off\n",
      usual, latencies.back());
}

}  // namespace
}  // namespace cogstride::chip_bench
