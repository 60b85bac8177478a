// Against the current followed through many periods in small steps.
#include "cogstride/plan/diode_conduction.hpp"

#include <gtest/gtest.h>

namespace cogstride::diode_conduction_test {
namespace {

TEST(DiodeConduction, GivesTheMeanCurrentThatIsMeantWhetherItDiesAwayOrNot) {
  for (const double against : {0.7, 24.0 + 1.4}) {  // one transistor switched, or both
    for (const double emf : {0.0, 0.3, 0.6}) {
      for (const double amperes : {0.1, 0.5, 2.0, 5.0}) {
        const DiodeConduction way{24.0, 0.48, 0.31e-3, 50e-6, against};
        const double share = emf + amperes * way.resistance / way.volts;
        const double on = way.on_share(share, emf);
        constexpr int steps = 2000;
        constexpr int periods = 100;
        double current = 0.0;
        double mean = 0.0;
        for (int i = 0; i < periods * steps; ++i) {
          const bool is_on = i % steps < on * steps;
          const double volts = (is_on ? way.volts : -against) - emf * way.volts - way.resistance * current;
          current = std::max(0.0, current + volts / way.inductance * way.period / steps);
          if (i >= (periods - 10) * steps) mean += current / (10 * steps);
        }
        // The triangle's sides are bent a little by the resistance.
        EXPECT_NEAR(mean, amperes, 0.15 * amperes + 0.05) << against << " " << emf << " " << amperes;
      }
    }
  }
  EXPECT_EQ((DiodeConduction{24.0, 0.48, 0.31e-3, 50e-6, 0.7}.on_share(0.2, 0.3)), 0.0);
}

}  // namespace
}  // namespace cogstride::diode_conduction_test
