#include "cogstride/study/sweep.hpp"

#include <gtest/gtest.h>

#include "cogstride/plan/stepper_torque.hpp"
#include "cogstride/plant/stepper_plant.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/study/mode_comparison.hpp"
#include "cogstride/study/trial_run.hpp"
#include "support/demo_rig.hpp"
#include "support/trials.hpp"

namespace cogstride::sweep_test {
namespace {

using namespace literals;
using testing_support::demo_rig;

void expect_agreement(const SweepResult& sweep) {
  EXPECT_TRUE(sweep.is_limit);
  EXPECT_NEAR(sweep.found, sweep.predicted, 0.1 * sweep.found) << sweep.mechanism << " " << sweep.unit;
  const SweepTrial* highest = nullptr;
  for (const SweepTrial& trial : sweep.trials) {
    if (trial.holds) {
      highest = &trial;
      EXPECT_LE(trial.value, sweep.found);
      EXPECT_LT(trial.worst_lag, 216.0) << "electrical degrees";
    } else {
      EXPECT_GT(trial.value, sweep.found);
      EXPECT_GT(trial.lost_at, 0.0);
    }
  }
  ASSERT_NE(highest, nullptr);
  EXPECT_EQ(highest->value, sweep.found);
}

TEST(Sweep, AgreesWithThePredictionForTheTraverseWithMoreAndLessInertia) {
  const Rig rig = demo_rig();
  for (const double share : {0.7, 1.0, 1.3}) {
    Mechanism traverse = rig.mechanisms[0];
    traverse.load.inertia = Inertia(7.6e-5 * share, units::kg_m2);
    int told = 0;
    const SweepResult sweep =
        sweep_limit(rig, traverse, SweepOf::acceleration, [&](const SweepTrial&) { ++told; });
    expect_agreement(sweep);
    EXPECT_EQ(static_cast<std::size_t>(told), sweep.trials.size());
    EXPECT_EQ(sweep.unit, "mm/s2");
    EXPECT_EQ(sweep.rig_says, 1500.0);
    // 56 mm/s of run-up at 2350 mm/s2 is less than two oscillations of 13.7 ms: the result says so.
    const double periods = 56.0 / sweep.found / sweep.natural_period;
    EXPECT_NEAR(sweep.periods_at_full, periods, 0.01);
    EXPECT_LT(periods, 5.0);
  }
}

TEST(Sweep, AgreesWhereTheRunUpLastsForFiveSwings) {
  Rig rig = demo_rig();
  Mechanism& traverse = rig.mechanisms[0];
  // So heavy that five of its oscillations are over before the speed is reached.
  traverse.load.inertia = Inertia(6.1e-4, units::kg_m2);
  traverse.limits.speed = 70_mm_per_s;
  const SweepResult sweep = sweep_limit(rig, traverse, SweepOf::acceleration);
  EXPECT_GT(sweep.periods_at_full, 5.0);
  expect_agreement(sweep);
}

TEST(Sweep, AgreesForTheCreelAndForSpeeds) {
  const Rig rig = demo_rig();
  expect_agreement(sweep_limit(rig, rig.mechanisms[1], SweepOf::acceleration));
  expect_agreement(sweep_limit(rig, rig.mechanisms[1], SweepOf::speed));
  expect_agreement(sweep_limit(rig, rig.mechanisms[0], SweepOf::speed));
}

TEST(Sweep, SaysWhenTheControllerIsTheLimit) {
  Rig rig = demo_rig();
  rig.controller.top_step_rate = 20_kHz;
  const SweepResult sweep = sweep_limit(rig, rig.mechanisms[0], SweepOf::speed);
  EXPECT_FALSE(sweep.is_limit);
  EXPECT_NEAR(sweep.found, 75.0, 1e-6) << "mm/s are 20000 steps/s";
}

TEST(Sweep, RefusesWhatCannotMove) {
  Rig rig = demo_rig();
  EXPECT_THROW((void)sweep_limit(rig, rig.mechanisms[2], SweepOf::speed), RangeError);
  rig.mechanisms[0].load.coulomb_friction = Torque(0.5, units::Nm);
  EXPECT_THROW((void)sweep_limit(rig, rig.mechanisms[0], SweepOf::speed), RangeError);
}

TEST(TrialRun, ManyAtOnceAreTheSameAsOneAfterTheOther) {
  const Rig rig = demo_rig();
  std::vector<Rig> freed;
  for (const int speed : {20, 40, 60, 200}) {
    freed.push_back(set_free(rig, rig.mechanisms[0]));
    freed.back().mechanisms[0].limits.speed = ExactSpeed(speed, units::mm_per_s);
  }
  const std::vector<TrialRun> all = run_up_all(freed, 0.2_s);
  ASSERT_EQ(all.size(), freed.size());
  for (std::size_t i = 0; i < all.size(); ++i) {
    const TrialRun one = run_up(freed[i], 0.2_s);
    EXPECT_EQ(all[i].holds, one.holds);
    EXPECT_EQ(all[i].worst_lag, one.worst_lag);
    EXPECT_EQ(all[i].oscillation, one.oscillation);
  }
  EXPECT_TRUE(all[2].holds);
  EXPECT_FALSE(all[3].holds);
  EXPECT_TRUE(run_up_all({}, 0.2_s).empty());
}

/// Frequency at which the rotor oscillates in the plant, begun a little beside its place of rest, without
/// friction.
double measured_swing(Mechanism mechanism, std::initializer_list<std::int64_t> on_lines) {
  mechanism.load.coulomb_friction = {};
  mechanism.load.viscous_friction = {};
  mechanism.homing.reset();
  mechanism.hard_ends.reset();
  const double beside = 0.06 / rotor_teeth(mechanism) / shaft_speed(mechanism, 1.0);
  StepperPlant plant(mechanism, {.clock = 48_MHz, .start_position = beside, .coarsest_step = 2e-6});
  (void)plant.advance(1);
  for (const std::int64_t line : on_lines)
    plant.hear(static_cast<LineId>(line), line != 2);  // enable: active low
  std::vector<double> turned_at;
  double before = plant.speed();
  for (Tick at = 480; turned_at.size() < 9; at += 480) {
    (void)plant.advance(at);
    if (plant.speed() * before < 0.0) turned_at.push_back(static_cast<double>(at) / 48e6);
    if (plant.speed() != 0.0) before = plant.speed();
  }
  return 4.0 / (turned_at[8] - turned_at[0]);
}

TEST(Resonance, SmallSwingsHaveTheirNaturalFrequencyWithDetent) {
  const Rig rig = demo_rig();
  const Mechanism& traverse = rig.mechanisms[0];
  const double two_phases = natural_frequency_at(traverse, pi / 4.0);  // where a board begins
  EXPECT_NEAR(measured_swing(traverse, {2}), two_phases, 0.03 * two_phases);
  EXPECT_NEAR(two_phases / natural_frequency(traverse), 0.92, 0.01) << "detent counts";
  Mechanism creel = rig.mechanisms[1];
  std::get<TransistorArray>(creel.board).stepping = Stepping::wave;
  const double one_phase = natural_frequency_at(creel, 0.0);
  EXPECT_NEAR(measured_swing(creel, {8}), one_phase, 0.03 * one_phase);
  EXPECT_GT(one_phase, 1.07 * natural_frequency(creel));
}

/// Of those that lost no steps.
double mean_oscillation(const ModeCurve& mode) {
  double sum = 0.0;
  double count = 0.0;
  for (const ModeTrial& trial : mode.trials) {
    if (!trial.holds) continue;
    sum += trial.oscillation;
    count += 1.0;
  }
  return sum / count;
}

TEST(Resonance, OfTheCreelIsCalmedByHalfSteps) {
  const Rig rig = demo_rig();
  const ModeComparison creel = compare_modes(rig, rig.mechanisms[1]);
  ASSERT_EQ(creel.modes.size(), 3u);
  EXPECT_LT(mean_oscillation(creel.modes[2]), mean_oscillation(creel.modes[1]));
}

TEST(Resonance, IsCalmedByHalfStepsAndMicrosteps) {
  const Rig rig = demo_rig();
  if (testing_support::repeated(1, 0) == 0) return;  // the creel's goes the same way
  std::vector<std::string> told;
  const ModeComparison traverse =
      compare_modes(rig, rig.mechanisms[0], [&](const ModeCurve& mode) { told.push_back(mode.mode); });
  EXPECT_EQ(told, (std::vector<std::string>{"full steps", "half steps", "4 microsteps", "8 microsteps",
                                            "16 microsteps"}));
  EXPECT_GT(traverse.modes[0].losses(), 0u) << "full steps at resonance";
  EXPECT_EQ(traverse.modes[1].losses(), 0u);
  EXPECT_LT(mean_oscillation(traverse.modes[1]), 0.6 * mean_oscillation(traverse.modes[0]));
  EXPECT_LT(mean_oscillation(traverse.modes[3]), 0.5 * mean_oscillation(traverse.modes[1]));
  // Full steps at the natural frequency of the rotor are among those that lose.
  for (const ModeTrial& trial : traverse.modes[0].trials) {
    if (std::abs(trial.speed / traverse.resonant_speed - 1.0) < 0.04) {
      EXPECT_FALSE(trial.holds) << trial.speed;
    }
  }
}

}  // namespace
}  // namespace cogstride::sweep_test
