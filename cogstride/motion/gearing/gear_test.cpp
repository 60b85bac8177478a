#include "cogstride/motion/gearing/gear.hpp"

#include <gtest/gtest.h>

#include <random>

#include "cogstride/quantity/error.hpp"

namespace cogstride::gear_test {
namespace {

/// A leader that stands where a test puts it.
class Put final : public PlaceSource {
 public:
  [[nodiscard]] std::int64_t count(Tick) const override { return at; }
  [[nodiscard]] double beyond(Tick, Tick) const override { return 0.0; }
  [[nodiscard]] double speed(Tick, Tick) const override { return 0.0; }
  [[nodiscard]] bool is_planned() const override { return true; }
  std::int64_t at = 0;
};

struct Geared {
  explicit Geared(std::vector<Ratio> ratios) {
    std::vector<GearTerm> terms;
    for (const Ratio& ratio : ratios) {
      auto leader = std::make_unique<Put>();
      leaders.push_back(leader.get());
      terms.push_back({std::move(leader), ratio});
    }
    gear.emplace(std::move(terms), Gear::Timing{48e6, 48'000}, RampLimits{16'000.0, 400'000.0, 0.0, 0.0},
                 true);
  }
  void look() { gear->take(now += 48'000, {}); }
  std::vector<Put*> leaders{};
  std::optional<Gear> gear{};
  Tick now = 0;
};

__extension__ typedef __int128 Wide;

TEST(Gear, BelongsOnTheStepOfWholeNumberArithmeticAfterAMillionTurns) {
  // 1.4 mm for each turn of 2000 counts, at 800/3 steps/mm.
  Geared geared({Ratio(14, 75)});
  geared.gear->engage(0, {-12'544, 0.0});
  std::mt19937_64 random(1);
  std::int64_t count = 0;
  while (count < 2'000 * 1'000'000LL) {
    count += std::uniform_int_distribution<std::int64_t>(-20'000, 1'000'000)(random);
    geared.leaders[0]->at = count;
    geared.look();
  }
  const Ratio belongs = Ratio(-12'544) + Ratio(14, 75) * Ratio(count);
  EXPECT_EQ(geared.gear->way_exactly(), belongs);
}

TEST(Gear, KeepsItsPlaceWhileItsRatioIsChangedAmidReversals) {
  Geared geared({Ratio(1, 7)});
  geared.gear->engage(0, {0, 0.0});
  std::mt19937_64 random(2);
  Wide rest = 0;  // of a step, in parts of `grain`
  std::int64_t position = 0;
  std::int64_t grain = 7;
  std::int64_t parts = 1;
  for (int change = 0; change < 10'000; ++change) {
    const std::int64_t counts = std::uniform_int_distribution<std::int64_t>(-5'000, 5'000)(random);
    geared.leaders[0]->at += counts;
    geared.look();
    rest += Wide(counts) * parts;
    position += static_cast<std::int64_t>(rest / grain);
    rest %= grain;
    ASSERT_EQ(geared.gear->way().position(), position);
    ASSERT_EQ(Wide(geared.gear->way().rest()), rest);
    const std::int64_t below = std::uniform_int_distribution<std::int64_t>(1, 8'000)(random);
    const Ratio ratio(std::uniform_int_distribution<std::int64_t>(-20'000, 20'000)(random), below);
    geared.gear->change(geared.now, {ratio});
    rest = rest * ratio.denominator() / grain;
    grain = ratio.denominator();
    parts = ratio.numerator();
    ASSERT_EQ(geared.gear->way().position(), position) << "it does not jump";
  }
}

TEST(Gear, AddsTwoLeadersEachByItsOwnRatio) {
  Geared geared({Ratio(14, 75), Ratio(-127'687, 1'188)});
  geared.gear->engage(0, {0, 0.0});
  std::mt19937_64 random(3);
  Ratio sum(0);
  for (int i = 0; i < 1'000; ++i) {
    for (std::size_t k = 0; k < 2; ++k) {
      const std::int64_t counts = std::uniform_int_distribution<std::int64_t>(-900, 1'000)(random);
      geared.leaders[k]->at += counts;
      sum += Ratio(counts) * (k == 0 ? Ratio(14, 75) : Ratio(-127'687, 1'188));
    }
    geared.look();
    ASSERT_EQ(geared.gear->way_exactly(), sum);
  }
}

TEST(Gear, IsShiftedExactly) {
  Geared geared({Ratio(14, 75)});
  geared.gear->engage(0, {0, 0.0});
  for (int i = 0; i < 1'000; ++i) geared.gear->shift(Ratio(53'333, 7));
  EXPECT_EQ(geared.gear->way_exactly(), Ratio(53'333'000, 7));
  geared.leaders[0]->at = 1;
  geared.look();
  EXPECT_EQ(geared.gear->way_exactly(), Ratio(53'333'000, 7) + Ratio(14, 75));
}

TEST(Gear, RefusesRatiosWithoutACommonStep) {
  EXPECT_THROW(Geared({Ratio(1, 1'000'003), Ratio(1, 4'000'000'007)}), RangeError);
  Geared geared({Ratio(1, 1'000'003)});
  geared.gear->engage(0, {5, 0.0});
  EXPECT_THROW(geared.gear->shift(Ratio(1, 4'000'000'007)), RangeError);
  EXPECT_THROW(geared.gear->change(0, {Ratio(1, 4'000'000'000'007)}), RangeError);
  geared.leaders[0]->at = 1'000'003;
  geared.look();
  EXPECT_EQ(geared.gear->way_exactly(), Ratio(6)) << "what was refused has changed nothing";
}

}  // namespace
}  // namespace cogstride::gear_test
