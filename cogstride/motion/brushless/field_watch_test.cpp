// What a free phase shows, by closed forms: back-EMF of a sine, and what a salient rotor induces.
#include "cogstride/motion/brushless/field_watch.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

namespace cogstride::field_watch_test {
namespace {

constexpr double pi = std::numbers::pi;
constexpr double clock = 1e6;    // ticks/s
constexpr double rate = 100.0;   // rows/s
constexpr Tick each = 50;        // ticks from sample to sample
constexpr double supply = 24.0;  // V

BackEmfSense sense_of(double peak) {
  BackEmfSense sense;
  sense.constant = peak / rate;
  sense.radians_per_row = 1.0;
  sense.least_volts = 0.1;
  return sense;
}

struct Rotor {
  double peak = 1.0;        ///< V of a phase, at the speed of the field
  double induced = 0.0;     ///< V, most that saliency induces
  double lags = 0.0;        ///< rad, electrical, behind its place in the field
  int jams_at = 1'000'000;  ///< row from which it stands
};

/// Rows until it is told that it stands; nothing within 30.
int told_after(const Rotor& rotor) {
  FieldWatch watch(sense_of(rotor.peak), clock);
  watch.begin();
  for (int row = 0; row < 30; ++row) {
    const int sector = row % 6;
    const RowPhases phases = phases_in(sector, 1);
    for (Tick in_row = 0; in_row < static_cast<Tick>(clock / rate); in_row += each) {
      const double turned = std::min<double>(row + static_cast<double>(in_row) * rate / clock, rotor.jams_at);
      const double angle = turned * pi / 3.0 - rotor.lags;
      const bool turns = row < rotor.jams_at;
      // The free phase's own axis stands still over a row; the current's is across it.
      const double axis = row * pi / 3.0 + pi / 6.0;
      const double sign = row % 2 == 0 ? 1.0 : -1.0;
      const double emf = turns ? rotor.peak * sign * std::cos(angle - axis) : 0.0;
      const double shown = emf + sign * rotor.induced * std::sin(2.0 * (angle - axis));
      TerminalSample sample;
      sample.at = static_cast<Tick>(row * clock / rate) + in_row;
      sample.volts[phases.from] = supply;
      sample.volts[phases.to] = 0.0;
      sample.volts[phases.free] = 0.5 * supply + 1.5 * shown;
      if (watch.look(sample, sector, rate)) return row;
    }
  }
  return -1;
}

TEST(FieldWatch, TellsARotorThatStandsAfterThreeWholeRowsHoweverSalient) {
  for (const double induced : {0.0, 0.5, 3.0})
    for (const double lags : {0.0, 0.4, 0.8, 1.2}) {
      const int told = told_after({.induced = induced, .lags = lags, .jams_at = 9});
      EXPECT_GE(told, 11) << induced << " " << lags;
      EXPECT_LE(told, 13) << induced << " " << lags;
    }
}

TEST(FieldWatch, TakesNoneThatTurnsForOneThatStands) {
  for (const double induced : {0.0, 0.5, 1.0, 3.0})
    for (const double lags : {-1.2, -0.6, 0.0, 0.6, 1.2})
      EXPECT_EQ(told_after({.induced = induced, .lags = lags}), -1) << induced << " " << lags;
}

TEST(FieldWatch, SaysNothingWhereNoiseIsAsLargeAsWhatIsLookedFor) {
  EXPECT_EQ(told_after({.peak = 0.05, .jams_at = 0}), -1);
  EXPECT_EQ(told_after({.peak = 0.5, .jams_at = 0}), 3);
}

TEST(FieldWatch, SaysNothingWhileADiodeHoldsTheFreePhase) {
  FieldWatch watch(sense_of(1.0), clock);
  watch.begin();
  for (int row = 0; row < 30; ++row) {
    const RowPhases phases = phases_in(row % 6, 1);
    TerminalSample sample;
    sample.volts[phases.from] = supply;
    sample.volts[phases.free] = row % 2 == 0 ? supply : 0.0;
    for (int i = 0; i < 200; ++i) {
      sample.at = row * 10'000 + i * each;
      EXPECT_FALSE(watch.look(sample, row % 6, rate)) << row;
    }
  }
}

}  // namespace
}  // namespace cogstride::field_watch_test
