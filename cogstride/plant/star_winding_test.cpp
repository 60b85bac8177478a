// Currents of three phases in a star, against closed forms and against small steps of the phase equations.
#include "cogstride/plant/star_winding.hpp"

#include <gtest/gtest.h>

#include <Eigen/Dense>
#include <cmath>

#include "cogstride/quantity/quantity.hpp"

namespace cogstride::star_winding_test {
namespace {

using Three = StarWinding::Three;

constexpr Terminal supply{Joined::supply, 24.0, false};
constexpr Terminal ground{Joined::ground, 0.0, false};
constexpr Terminal freewheels{Joined::ground, -0.7, true};

Eigen::Vector2d axis(std::size_t phase) {
  const double angle = 2.0 * pi / 3.0 * static_cast<double>(phase);
  return {std::cos(angle), std::sin(angle)};
}

/// The same by Euler's rule in small steps of the equations as they are written, all three joined.
Three in_small_steps(double along, double across, const StarWinding::Terminals& terminals,
                     const StarWinding::Rotor& rotor, double seconds, Three current) {
  Eigen::Matrix2d turned;
  turned << std::cos(rotor.magnets), -std::sin(rotor.magnets), std::sin(rotor.magnets),
      std::cos(rotor.magnets);
  const Eigen::Matrix2d inductance =
      turned * Eigen::Vector2d(along, across).asDiagonal() * turned.transpose();
  Eigen::Matrix2d quarter;
  quarter << 0.0, -1.0, 1.0, 0.0;
  const Eigen::Matrix2d change = quarter * inductance - inductance * quarter;
  Eigen::Vector2d plane = Eigen::Vector2d::Zero();
  Eigen::Vector2d driving = Eigen::Vector2d::Zero();
  for (std::size_t k = 0; k < 3; ++k) {
    plane += 2.0 / 3.0 * current[k] * axis(k);
    driving += 2.0 / 3.0 * (terminals[k].volts - rotor.emf[k]) * axis(k);
  }
  const Eigen::Vector2d by_turning = rotor.speed * change * plane;  // of the current at the beginning
  constexpr int steps = 200'000;
  for (int i = 0; i < steps; ++i)
    plane += inductance.inverse() * (driving - rotor.resistance * plane - by_turning) * (seconds / steps);
  return {axis(0).dot(plane), axis(1).dot(plane), axis(2).dot(plane)};
}

TEST(StarWinding, TwoJoinedPhasesRiseAsTheTextbooksExponential) {
  const StarWinding winding(0.155e-3, 0.0);
  StarWinding::Rotor rotor;
  rotor.resistance = 0.24;
  Three current{};
  const StarWinding::Passed passed = winding.flow({supply, ground, Terminal{}}, rotor, 1e-3, current);
  const double expected = 50.0 * (1.0 - std::exp(-1e-3 * 0.24 / 0.155e-3));
  EXPECT_NEAR(current[0], expected, 1e-9);
  EXPECT_NEAR(current[1], -expected, 1e-9);
  EXPECT_EQ(current[2], 0.0);
  EXPECT_EQ(passed.seconds, 1e-3);
  // What went in is the integral of that.
  const double constant = 0.155e-3 / 0.24;
  EXPECT_NEAR(passed.charges[0], 50.0 * (1e-3 - constant * (1.0 - std::exp(-1e-3 / constant))), 1e-9);
  EXPECT_NEAR(passed.from_supply * passed.seconds, passed.charges[0], 1e-12);
}

TEST(StarWinding, ThreeJoinedPhasesFollowTheirEquationsAlsoWhereTheRotorIsSalient) {
  for (const double saliency : {0.0, 0.2, 0.5}) {
    const StarWinding winding(0.155e-3, saliency);
    for (const double magnets : {0.0, 0.7, 2.5, -1.9}) {
      StarWinding::Rotor rotor{{3.0, -4.0, 1.0}, magnets, 800.0, 0.24};
      const StarWinding::Terminals terminals{supply, ground, freewheels};
      Three current{2.0, -9.0, 7.0};
      const Three expected = in_small_steps(0.155e-3 * (1.0 - saliency), 0.155e-3 * (1.0 + saliency),
                                            terminals, rotor, 2e-5, current);
      const StarWinding::Passed passed = winding.flow(terminals, rotor, 2e-5, current);
      ASSERT_EQ(passed.seconds, 2e-5);
      for (std::size_t k = 0; k < 3; ++k) EXPECT_NEAR(current[k], expected[k], 1e-4) << saliency << " " << k;
      EXPECT_NEAR(current[0] + current[1] + current[2], 0.0, 1e-12);
    }
  }
}

TEST(StarWinding, TwoJoinedPhasesHaveTheInductanceOfTheirDirection) {
  // Magnets along the axis of the two: L = 2 L_d; across it: 2 L_q.
  const StarWinding winding(0.155e-3, 0.3);
  const double across_a_and_b = -pi / 6.0;  // direction of n_A - n_B
  for (const bool is_across : {false, true}) {
    StarWinding::Rotor rotor;
    rotor.resistance = 0.24;
    rotor.magnets = across_a_and_b + (is_across ? 0.5 * pi : 0.0);
    Three current{};
    (void)winding.flow({supply, ground, Terminal{}}, rotor, 1e-6, current);
    const double inductance = 2.0 * 0.155e-3 * (is_across ? 1.3 : 0.7);
    EXPECT_NEAR(current[0], 24.0 / inductance * 1e-6, 2e-3 * current[0]);
  }
}

/// Virtual work: T = 1/2 I^2 dL/da, L the inductance that a current from A to B meets, measured by its rise.
TEST(StarWinding, ItsReluctanceTorqueIsTheChangeOfItsEnergy) {
  const StarWinding winding(0.155e-3, 0.3);
  const auto inductance = [&](double magnets) {
    StarWinding::Rotor rotor{{}, magnets, 0.0, 1e-6};
    Three current{};
    (void)winding.flow({supply, ground, Terminal{}}, rotor, 1e-6, current);
    return 24.0 * 1e-6 / current[0];
  };
  for (const double magnets : {0.3, 1.4, -2.0}) {
    const StarWinding::Rotor rotor{{}, magnets, 0.0, 0.24};
    Three current{4.0, -4.0, 0.0};
    const StarWinding::Passed passed = winding.flow({supply, ground, Terminal{}}, rotor, 1e-9, current);
    const double torque = winding.reluctance_torque() * passed.reluctance / 1e-9;
    const double slope = (inductance(magnets + 1e-3) - inductance(magnets - 1e-3)) / 2e-3;
    EXPECT_NEAR(torque, 0.5 * 16.0 * slope, 1e-3 * std::abs(torque) + 1e-7) << magnets;
  }
}

TEST(StarWinding, ADiodeEndsTheTimeWhereItRunsDry) {
  for (const double saliency : {0.0, 0.4}) {
    const StarWinding winding(0.155e-3, saliency);
    StarWinding::Rotor rotor;
    rotor.resistance = 0.24;
    rotor.magnets = 1.1;
    Three current{-3.0, 1.0, 2.0};  // C still goes on through its lower diode
    const StarWinding::Passed passed = winding.flow({ground, supply, freewheels}, rotor, 5e-3, current);
    EXPECT_GT(passed.seconds, 0.0);
    EXPECT_LT(passed.seconds, 1e-4);
    EXPECT_EQ(current[2], 0.0);
    EXPECT_EQ(current[0], -current[1]);
    // A little earlier it still carried some.
    Three before{-3.0, 1.0, 2.0};
    const StarWinding::Passed shorter =
        winding.flow({ground, supply, freewheels}, rotor, 0.99 * passed.seconds, before);
    EXPECT_EQ(shorter.seconds, 0.99 * passed.seconds);
    EXPECT_GT(before[2], 0.0);
    EXPECT_LT(before[2], 0.05);
  }
}

TEST(StarWinding, AFloatingTerminalStandsAtTheStarAndItsBackEmf) {
  const StarWinding winding(0.155e-3, 0.0);
  const StarWinding::Rotor rotor{{5.0, -6.0, 1.0}, 0.0, 0.0, 0.24};
  const Three volts = winding.volts({supply, ground, Terminal{}}, rotor, {4.0, -4.0, 0.0});
  EXPECT_NEAR(volts[2], 0.5 * ((24.0 - 5.0) + 6.0) + 1.0, 1e-12);
  // Salient, with the magnets askew, a changing current induces in it; along or across the two it does not.
  const StarWinding salient(0.155e-3, 0.3);
  const auto floating = [&](double magnets) {
    const StarWinding::Rotor at{{0.0, 0.0, 0.0}, magnets, 0.0, 0.24};
    return salient.volts({supply, ground, Terminal{}}, at, {})[2];
  };
  EXPECT_NEAR(floating(-pi / 6.0), 12.0, 1e-9);
  EXPECT_NEAR(floating(pi / 3.0), 12.0, 1e-9);
  EXPECT_GT(std::abs(floating(-pi / 6.0 + pi / 4.0) - 12.0), 1.0);
}

}  // namespace
}  // namespace cogstride::star_winding_test
