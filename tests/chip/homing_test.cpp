// The chip homes by itself against a gate that the test moves by the pulses that it counts.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cstring>
#include <random>

#include "chip/chip.hpp"
#include "cogstride/chip/homing.hpp"

namespace cogstride::chip_bench {
namespace {

const std::string programs = COGSTRIDE_CHIP_PROGRAMS;

/// A flag on the carriage and a gate at the end: it acts at `acts_at` steps and below, and lets go above
/// `releases_at`.
struct Bench {
  std::int64_t at;  ///< of the carriage, steps from the gate's edge
  bool stuck = false;
  bool stuck_level = false;
  std::int64_t lowest = 0;
  bool acts = false;

  void look(Chip& chip) {
    lowest = std::min(lowest, at);
    if (at <= 0) acts = true;
    if (at > 12) acts = false;
    chip.drive('D', 2, stuck ? stuck_level : acts);
  }
};

/// As the program has it: 8-bit compilers leave no gaps between members.
#pragma pack(push, 1)
struct ChipGoal {
  std::uint8_t kind;
  std::int8_t towards;
  bool turns_round, is_brief, then_index;
  std::int32_t alignment_way, approach_range, back_off_range, clear_range, index_range, return_way,
      counts_per_step, counts_for_steps;
};
#pragma pack(pop)

ChipGoal goal() {
  return {static_cast<std::uint8_t>(chip::HomingKind::end_switch),
          -1,
          false,
          false,
          false,
          32,
          3000,
          600,
          600,
          0,
          265,
          0,
          1};
}

struct Homed {
  chip::HomingFault fault;
  std::int64_t edge_at;  ///< where the gate's step lies by the carriage
  std::int64_t stands;
  Bench bench;
};

Homed home(Bench bench) {
  Chip chip(programs + "/homing.elf");
  const ChipGoal ways = goal();
  chip.put_into_flash("goal", &ways, sizeof ways);
  const std::int64_t began_at = bench.at;
  chip.on_edge = [&](char port, int bit, bool high) {
    if (port != 'B' || bit != 1 || !high) return;
    bench.at += chip.level('D', 4) ? -1 : 1;
    bench.look(chip);
  };
  bench.acts = bench.at <= 6;
  // The emulator takes a pin for level-triggered until the program has said otherwise.
  EXPECT_TRUE(chip.run_to_mark(1, 1'000'000));
  bench.look(chip);
  EXPECT_TRUE(chip.run_to_mark(2, std::int64_t{16'000'000} * 4));
  EXPECT_EQ(chip.variable<std::int32_t>("stands") + began_at, bench.at) << "the chip knows where it stands";
  return {static_cast<chip::HomingFault>(chip.variable<std::uint8_t>("fault")),
          chip.variable<std::int32_t>("edge_step") + began_at, bench.at, bench};
}

TEST(ChipHoming, FindsTheSameStepFromAnywhere) {
  std::mt19937 random(7);
  const bool slow = std::getenv("COGSTRIDE_SLOW") != nullptr;
  for (int i = 0; i < (slow ? 100 : 20); ++i) {
    const std::int64_t from = i == 0   ? -3
                              : i == 1 ? 5
                              : i == 2 ? 1
                                       : std::uniform_int_distribution<int>(-40, 2600)(random);
    const Homed homed = home({.at = from});
    EXPECT_EQ(homed.fault, chip::HomingFault::none) << "from " << from;
    EXPECT_EQ(homed.edge_at, 0) << "from " << from;
    EXPECT_EQ(homed.stands, 265) << "from " << from;
  }
}

TEST(ChipHoming, SaysThatAGateIsStuck) {
  EXPECT_EQ(home({.at = 500, .stuck = true, .stuck_level = true}).fault, chip::HomingFault::still_acts);
  const Homed never = home({.at = 500, .stuck = true});
  EXPECT_EQ(never.fault, chip::HomingFault::never_acted);
  EXPECT_GE(never.bench.lowest, 500 - 3000 - 32) << "it gives up at the end of its way";
}

TEST(ChipHoming, RefusesWhatItCannotDo) {
  for (const bool is_hard_end : {false, true}) {
    Chip chip(programs + "/homing.elf");
    ChipGoal ways = goal();
    if (is_hard_end)
      ways.kind = static_cast<std::uint8_t>(chip::HomingKind::hard_end);
    else
      ways.then_index = true;
    chip.put_into_flash("goal", &ways, sizeof ways);
    ASSERT_TRUE(chip.run_to_mark(2, 1'000'000));
    EXPECT_EQ(chip.variable<std::uint8_t>("fault"), 255);
    EXPECT_TRUE(chip.edges('B', 1).empty()) << "nothing moves";
  }
}

}  // namespace
}  // namespace cogstride::chip_bench
