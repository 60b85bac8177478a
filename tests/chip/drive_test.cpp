// Duties, held speeds, conversions, Halls, servo pulses and hands on the 8-bit chip.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>

#include "chip/chip.hpp"
#include "cogstride/chip/six_step.hpp"

namespace cogstride::chip_bench {
namespace {

const std::string programs = COGSTRIDE_CHIP_PROGRAMS;
constexpr int ocr0b = 0x48;
constexpr std::int64_t period = 256;  // cycles of the duty's timer
constexpr std::int64_t ms = 16'000;

template <class T>
void write(Chip& chip, const char* name, T value) {
  chip.write_ram(name, &value, sizeof value);
}

TEST(ChipDuty, GoesEvenlyToItsTargetAndStandsOnIt) {
  Chip chip(programs + "/drives.elf");
  ASSERT_TRUE(chip.run_to_mark(1, 1'000'000));
  write<std::int16_t>(chip, "target", 200);
  write<std::uint16_t>(chip, "in_periods", 400);
  write<std::uint8_t>(chip, "order", 1);
  std::vector<int> seen;
  for (int i = 0; i < 600; ++i) {
    chip.run(period);
    const int duty = chip.reg(ocr0b);
    if (seen.empty() || duty != seen.back()) seen.push_back(duty);
  }
  EXPECT_EQ(seen.back(), 200);
  ASSERT_GE(seen.size(), 195U);
  for (std::size_t i = 1; i < seen.size(); ++i)
    EXPECT_LE(seen[i] - seen[i - 1], 1) << "by one count at the most";
  const auto codes = chip.variable<std::uint16_t>("codes");
  EXPECT_GT(codes, 50);
}

TEST(ChipDuty, BeginsConversionsByItsTimer) {
  Chip chip(programs + "/drives.elf");
  ASSERT_TRUE(chip.run_to_mark(1, 1'000'000));
  for (const double volts : {0.5, 2.5, 4.2}) {
    chip.analogue(5, volts);
    chip.run(20 * ms);
    EXPECT_NEAR(chip.variable<std::uint16_t>("code"), volts / 5.0 * 1024.0, 2.0);
  }
}

TEST(ChipSpeed, IsHeldUnderALoadThatComes) {
  Chip chip(programs + "/drives.elf");
  ASSERT_TRUE(chip.run_to_mark(1, 1'000'000));
  chip.drive('D', 2, false);
  chip.drive('D', 3, false);
  write<std::int32_t>(chip, "speed", 1200);  // counts a second
  write<std::uint8_t>(chip, "order", 2);
  // A motor of 3000 counts/s at full duty and 80 ms; a load takes a fifth of full duty from 1.5 s on.
  double speed = 0.0, place = 0.0, mean = 0.0;
  std::int64_t at = 0;
  int looks = 0;
  for (int i = 0; i < 30'000; ++i) {
    chip.run(1600);  // 0.1 ms
    const double load = i > 15'000 ? 0.2 : 0.0;
    const double duty = chip.reg(ocr0b) / 255.0;
    speed += 1e-4 / 0.08 * (3000.0 * std::max(0.0, duty - load) - speed);
    place += speed * 1e-4;
    while (place >= static_cast<double>(at + 1)) {
      ++at;
      const int quarter = static_cast<int>(at & 3);
      chip.drive('D', 2, quarter == 1 || quarter == 2);
      chip.drive('D', 3, quarter == 2 || quarter == 3);
    }
    if ((i > 10'000 && i < 15'000) || i > 25'000) {
      mean += speed;
      ++looks;
    }
    if (i == 15'000) {
      EXPECT_NEAR(mean / looks, 1200.0, 12.0);
    }
  }
  EXPECT_NEAR(mean / looks, 1200.0, 12.0) << "counts/s, the load included";
  EXPECT_NEAR(chip.variable<std::int32_t>("measured") / 4096.0 * 16e6 / 65536.0, 1200.0, 80.0);
}

TEST(ChipHalls, SwitchTheGatesOfTheirSectorAndNothingWhereTheyCannotBe) {
  Chip chip(programs + "/drives.elf");
  ASSERT_TRUE(chip.run_to_mark(1, 1'000'000));
  constexpr chip::SixStepTable table = chip::six_step_table(chip::SixStepWiring{});
  const auto say = [&](int code) {
    for (int bit = 0; bit < 3; ++bit) chip.drive('C', bit, (code >> bit & 1) != 0);
  };
  bool both = false;
  chip.on_edge = [&](char port, int, bool) {
    if (port != 'B') return;
    for (int leg = 0; leg < 3; ++leg)
      both = both || (chip.level('B', 2 * leg) && chip.level('B', 2 * leg + 1));
  };
  for (int turn = 0; turn < 3; ++turn)
    for (int sector = 0; sector < 6; ++sector) {
      say(table.hall_of_sector[sector]);
      chip.run(600);
      int gates = 0;
      for (int bit = 0; bit < 6; ++bit) gates |= chip.level('B', bit) ? 1 << bit : 0;
      EXPECT_EQ(gates, table.forwards[sector].on) << "sector " << sector;
    }
  EXPECT_FALSE(both) << "never both gates of a leg";
  for (const int code : {0, 7}) {
    say(code);
    chip.run(600);
    for (int bit = 0; bit < 6; ++bit) EXPECT_FALSE(chip.level('B', bit)) << "code " << code;
  }
}

TEST(ChipServos, GetTheirPulsesInEachFrame) {
  Chip chip(programs + "/drives.elf");
  ASSERT_TRUE(chip.run_to_mark(1, 1'000'000));
  const std::array<std::uint16_t, 2> widths{24'000, 16'800};  // 1.5 and 1.05 ms
  chip.write_ram("widths", &widths, sizeof widths);
  write<std::uint8_t>(chip, "order", 3);
  chip.run(200 * ms);
  for (int which = 0; which < 2; ++which) {
    const std::vector<PinEdge>& edges = chip.edges('D', 6 + which);
    ASSERT_GE(edges.size(), 14U);
    std::int64_t last = 0;
    for (std::size_t i = 0; i + 1 < edges.size(); i += 2) {
      ASSERT_TRUE(edges[i].high);
      EXPECT_NEAR(static_cast<double>(edges[i + 1].at - edges[i].at), widths[which], 220.0)
          << "cycles: 14 us";
      if (last != 0) {
        EXPECT_NEAR(static_cast<double>(edges[i].at - last), 320'000.0, 300.0);
      }
      last = edges[i].at;
    }
  }
}

/// Steps made in a while.
std::int64_t steps_in(Chip& chip, std::int64_t cycles) {
  const auto before = chip.variable<std::int32_t>("position");
  chip.run(cycles);
  return chip.variable<std::int32_t>("position") - before;
}

TEST(ChipHands, RunAsLongAsAKeyIsHeldAndRenewed) {
  Chip chip(programs + "/hands.elf");
  ASSERT_TRUE(chip.run_to_mark(1, 1'000'000));
  chip.drive('D', 3, false);
  chip.run(20 * ms);
  EXPECT_EQ(steps_in(chip, 100 * ms), 0);
  // It bounces for 3 ms, both at the press and at the release.
  const auto bounce = [&](bool level) {
    for (int i = 0; i < 6; ++i) {
      chip.drive('D', 3, (i % 2 == 0) == level);
      chip.run(ms / 2);
    }
    chip.drive('D', 3, level);
  };
  bounce(true);
  chip.run(200 * ms);
  // The knob's middle: 200 + 480 * 3800 / 980.
  EXPECT_NEAR(static_cast<double>(steps_in(chip, 200 * ms)), 0.2 * 2061.0, 12.0);
  write<std::uint16_t>(chip, "code", 1000);
  chip.run(200 * ms);
  EXPECT_NEAR(static_cast<double>(steps_in(chip, 100 * ms)), 400.0, 6.0) << "the knob's upper end";
  bounce(false);
  chip.run(250 * ms);
  EXPECT_EQ(steps_in(chip, 100 * ms), 0);
  EXPECT_EQ(chip.variable<std::uint16_t>("presses"), 1);
  EXPECT_EQ(chip.variable<std::uint8_t>("timed_out"), 0);
  EXPECT_EQ(chip.variable<std::uint8_t>("starved"), 0) << "it came to rest on its ramp";
  // A cable that breaks renews nothing.
  write<std::uint16_t>(chip, "code", 300);
  bounce(true);
  write<std::uint8_t>(chip, "is_renewed", 0);
  chip.run(700 * ms);
  EXPECT_EQ(chip.variable<std::uint8_t>("timed_out"), 1);
  EXPECT_EQ(steps_in(chip, 100 * ms), 0);
  // Held on and on it comes to rest at the soft limit, on its ramp.
  bounce(false);
  chip.run(20 * ms);
  write<std::uint8_t>(chip, "is_renewed", 1);
  write<std::uint16_t>(chip, "code", 1010);
  bounce(true);
  chip.run(1500 * ms);
  EXPECT_EQ(chip.variable<std::int32_t>("position"), 3000);
  EXPECT_EQ(chip.variable<std::uint8_t>("starved"), 0);
}

}  // namespace
}  // namespace cogstride::chip_bench
