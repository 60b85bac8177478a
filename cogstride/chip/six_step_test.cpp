#include "cogstride/chip/six_step.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <set>
#include <vector>

namespace cogstride::chip::six_step_test {
namespace {

using namespace six_step_checks;

/// The table as textbooks print it for Halls at 120 degrees, phases and sensors in order, high side switched.
TEST(SixStep, IsTheTextbooksForThePlainWiring) {
  constexpr SixStepTable table = six_step_table(SixStepWiring{});
  struct Row {
    std::uint8_t hall;  // H1 is bit 0
    std::uint8_t on;
  };
  constexpr std::array<Row, 6> book{{{0b101, gate_c_high | gate_b_low},
                                     {0b001, gate_a_high | gate_b_low},
                                     {0b011, gate_a_high | gate_c_low},
                                     {0b010, gate_b_high | gate_c_low},
                                     {0b110, gate_b_high | gate_a_low},
                                     {0b100, gate_c_high | gate_a_low}}};
  for (std::size_t sector = 0; sector < 6; ++sector) {
    EXPECT_EQ(table.forwards[sector].on, book[sector].on) << sector;
    EXPECT_EQ(table.hall_of_sector[sector], book[sector].hall) << sector;
    EXPECT_EQ(table.by_hall(book[sector].hall, false).on, book[sector].on);
    EXPECT_EQ(table.forwards[sector].port, book[sector].on) << "all gates are active high";
  }
  for (const std::uint8_t cannot_be : std::array<std::uint8_t, 4>{0b000, 0b111, 8, 255}) {
    EXPECT_TRUE(table.by_hall(cannot_be, false).is_fault);
    EXPECT_EQ(table.by_hall(cannot_be, true).on, no_gate);
  }
}

/// Torque of a row with sine back-EMF: the line-to-line voltage that its current works against.
double torque(const SixStepRow& row, const SixStepWiring& wiring, double degrees) {
  double sum = 0.0;
  for (int phase = 0; phase < 3; ++phase) {
    const double emf = std::sin((degrees - 30.0 - 120.0 * phase) * 3.14159265358979323846 / 180.0);
    const int leg = wiring.phase[phase];
    if ((row.on >> (2 * leg) & 1) != 0) sum += emf;
    if ((row.on >> (2 * leg + 1) & 1) != 0) sum -= emf;
  }
  return sum;
}

/// Every wiring that there is: orders of phases and Halls, levels, spacing, place, sides, gate levels.
template <class Check>
void for_every_wiring(Check check) {
  std::array<std::uint8_t, 3> phases{0, 1, 2};
  do {
    std::array<std::uint8_t, 3> halls{0, 1, 2};
    do {
      for (std::uint8_t inverted = 0; inverted < 8; ++inverted)
        for (std::uint8_t shift = 0; shift < 6; ++shift)
          for (const bool at_60 : {false, true})
            for (const SixStepSwitched switched :
                 {SixStepSwitched::high_side, SixStepSwitched::low_side, SixStepSwitched::both})
              for (const std::uint8_t active_low :
                   std::array<std::uint8_t, 5>{0, 0b010101, 0b101010, 0b111111, 0b000011}) {
                SixStepWiring wiring;
                std::copy(phases.begin(), phases.end(), wiring.phase);
                std::copy(halls.begin(), halls.end(), wiring.hall);
                wiring.hall_inverted = inverted;
                wiring.hall_shift = shift;
                wiring.hall_at_60_degrees = at_60;
                wiring.switched = switched;
                wiring.gate_active_low = active_low;
                check(wiring);
              }
    } while (std::next_permutation(halls.begin(), halls.end()));
  } while (std::next_permutation(phases.begin(), phases.end()));
}

TEST(SixStep, OfEveryWiringIsSoundAndDrivesItsWay) {
  int wirings = 0;
  for_every_wiring([&](const SixStepWiring& wiring) {
    ++wirings;
    const SixStepTable table = make_six_step_table(wiring);
    ASSERT_TRUE(table.is_sound);
    std::set<std::uint8_t> codes;
    for (int sector = 0; sector < 6; ++sector) {
      const SixStepRow& there = table.forwards[sector];
      const SixStepRow& back = table.backwards[sector];
      ASSERT_FALSE(both_gates_of_a_leg(there.on) || both_gates_of_a_leg(back.on));
      ASSERT_EQ(there.port ^ wiring.gate_active_low, there.on);
      ASSERT_EQ(there.switched & ~there.on, 0);
      ASSERT_NE(there.switched, 0);
      codes.insert(table.hall_of_sector[sector]);
      for (const double inside : {1.0, 30.0, 59.0}) {
        // The two phases with the largest voltage between them: never less than cos 30 of its peak.
        ASSERT_GE(torque(there, wiring, 60.0 * sector + inside),
                  std::sqrt(3.0) * std::cos(3.14159265 / 6.0) - 1e-6);
        ASSERT_LE(torque(back, wiring, 60.0 * sector + inside),
                  -std::sqrt(3.0) * std::cos(3.14159265 / 6.0) + 1e-6);
      }
      // From sector to sector one gate goes off and one on, in another leg: no dead time is touched.
      const std::uint8_t next = table.forwards[(sector + 1) % 6].on;
      const std::uint8_t goes = static_cast<std::uint8_t>(there.on & ~next);
      const std::uint8_t comes = static_cast<std::uint8_t>(next & ~there.on);
      ASSERT_NE((goes | goes << 1 | goes >> 1) & comes, comes) << "the other gate of the same leg";
      // From sector to sector one Hall line changes.
      const int changed = table.hall_of_sector[sector] ^ table.hall_of_sector[(sector + 1) % 6];
      ASSERT_EQ(changed & (changed - 1), 0);
    }
    ASSERT_EQ(codes.size(), 6u) << "every sector has its own code";
    ASSERT_TRUE(table.off.is_fault);
    ASSERT_EQ(table.off.port, wiring.gate_active_low) << "all off";
  });
  EXPECT_EQ(wirings, 6 * 6 * 8 * 6 * 2 * 3 * 5);
}

/// Backwards through a sector the current flows the other way round, and nothing else differs.
TEST(SixStep, BackwardsIsForwardsHalfAnElectricalTurnOn) {
  for_every_wiring([](const SixStepWiring& wiring) {
    const SixStepTable table = make_six_step_table(wiring);
    for (int sector = 0; sector < 6; ++sector)
      ASSERT_EQ(table.backwards[sector].on, table.forwards[(sector + 3) % 6].on);
  });
}

TEST(SixStep, HallsAt60DegreesHaveOtherCodesThatCannotBe) {
  SixStepWiring wiring;
  wiring.hall_at_60_degrees = true;
  const SixStepTable table = make_six_step_table(wiring);
  std::vector<int> cannot_be;
  for (int code = 0; code < 8; ++code)
    if (table.sector_of_hall[code] < 0) cannot_be.push_back(code);
  EXPECT_EQ(cannot_be, (std::vector<int>{0b010, 0b101}));
}

TEST(SixStep, AWiringThatIsNoneLeavesAllGatesOff) {
  SixStepWiring twice;
  twice.phase[1] = 0;
  SixStepWiring beyond;
  beyond.hall[2] = 7;
  for (const SixStepWiring& wrong : {twice, beyond}) {
    const SixStepTable table = make_six_step_table(wrong);
    EXPECT_FALSE(table.is_sound);
    for (std::uint8_t code = 0; code < 8; ++code) EXPECT_EQ(table.by_hall(code, false).on, no_gate);
  }
}

}  // namespace
}  // namespace cogstride::chip::six_step_test
