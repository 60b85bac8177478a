#include "cogstride/chip/quadrature.hpp"

#include <gtest/gtest.h>

#include <array>
#include <random>

namespace cogstride::quadrature_test {
namespace {

using chip::GlitchFilter;
using chip::QuadratureDecoder;

struct Levels {
  bool a;
  bool b;
};
constexpr std::array<Levels, 4> quarters{{{false, false}, {true, false}, {true, true}, {false, true}}};

Levels at(std::int64_t quarter) {
  return quarters[static_cast<std::size_t>(quarter & 3)];
}

TEST(QuadratureDecoder, CountsOneTwoOrFourEdgesALine) {
  for (const std::uint8_t edges : {std::uint8_t{1}, std::uint8_t{2}, std::uint8_t{4}}) {
    QuadratureDecoder decoder(edges);
    for (int quarter = 1; quarter <= 400; ++quarter) decoder.take(at(quarter).a, at(quarter).b);
    EXPECT_EQ(decoder.count(), 100 * edges);
    for (int quarter = 399; quarter >= -400; --quarter) decoder.take(at(quarter).a, at(quarter).b);
    EXPECT_EQ(decoder.count(), -100 * edges);
    EXPECT_EQ(decoder.illegal(), 0u);
  }
}

// The slower, obvious way: the quarter itself, floored to the edges that count.
TEST(QuadratureDecoder, NeverDriftsHoweverTheShaftGoesToAndFro) {
  for (const std::uint8_t edges : {std::uint8_t{1}, std::uint8_t{2}, std::uint8_t{4}}) {
    QuadratureDecoder decoder(edges);
    std::mt19937 random(edges);
    std::int64_t quarter = 0;
    const auto counts_at = [&](std::int64_t q) {
      const std::int64_t boundaries = edges == 1 ? q + 3 : edges == 2 ? q + 1 : q;  // passed since quarter 0
      const std::int64_t each = 4 / edges;
      return boundaries >= 0 ? boundaries / each : -((-boundaries + each - 1) / each);
    };
    for (int i = 0; i < 100'000; ++i) {
      quarter += random() % 2 == 0 ? 1 : -1;
      const std::int64_t before = decoder.count();
      const int step = decoder.take(at(quarter).a, at(quarter).b);
      ASSERT_EQ(decoder.count() - before, step);
      ASSERT_EQ(decoder.count(), counts_at(quarter)) << "edges " << int{edges} << ", quarter " << quarter;
    }
  }
}

TEST(QuadratureDecoder, CountsWhatCannotBeAsIllegal) {
  QuadratureDecoder decoder(4);
  decoder.take(true, true);  // both at once
  EXPECT_EQ(decoder.count(), 0);
  EXPECT_EQ(decoder.illegal(), 1u);
  decoder.take(false, true);
  EXPECT_EQ(decoder.count(), 1) << "and goes on from there";
  decoder.take(true, false);
  EXPECT_EQ(decoder.illegal(), 2u);
}

TEST(QuadratureDecoder, BeginsWhereverTheShaftStands) {
  for (int quarter = 0; quarter < 4; ++quarter) {
    QuadratureDecoder decoder(4);
    decoder.begin(at(quarter).a, at(quarter).b);
    EXPECT_EQ(decoder.take(at(quarter + 1).a, at(quarter + 1).b), 1);
    EXPECT_EQ(decoder.illegal(), 0u);
  }
}

TEST(QuadratureDecoder, KeepsTheCountOfEachIndexPulse) {
  QuadratureDecoder decoder(4);
  // A disc of 10 lines: an index in quarter 0 of each turn.
  std::int64_t last = 0;
  for (int quarter = 1; quarter <= 400; ++quarter) {
    decoder.take(at(quarter).a, at(quarter).b);
    if (!decoder.take_index(quarter % 40 == 0)) continue;
    EXPECT_EQ(decoder.index_count() - last, 40) << "a whole turn between two of them";
    last = decoder.index_count();
  }
  EXPECT_EQ(decoder.indexes(), 10u);
  // An edge is missed: the next turn tells.
  for (int quarter = 401; quarter <= 440; ++quarter) {
    if (quarter == 410 || quarter == 411) continue;
    decoder.take(at(quarter).a, at(quarter).b);
    decoder.take_index(quarter % 40 == 0);
  }
  EXPECT_NE(decoder.index_count() - last, 40);
}

TEST(GlitchFilter, LetsOnlyStandingLevelsThrough) {
  GlitchFilter filter(10);
  filter.begin(false);
  filter.change(true, 100);
  EXPECT_FALSE(filter.settle(109));
  EXPECT_FALSE(filter.level());
  EXPECT_TRUE(filter.settle(110));
  EXPECT_TRUE(filter.level());
  filter.change(false, 200);
  filter.change(true, 205);  // back before it counted
  EXPECT_FALSE(filter.settle(300));
  EXPECT_TRUE(filter.level());
  GlitchFilter none(0);
  none.begin(false);
  none.change(true, 7);
  EXPECT_TRUE(none.settle(7)) << "without a filter every edge counts at once";
}

}  // namespace
}  // namespace cogstride::quadrature_test
