// A stepper that follows an encoder, alone on scripted lines: the encoder is turned as a test likes.
#include "cogstride/motion/gearing/follow.hpp"

#include <gtest/gtest.h>

#include <cmath>

#include "cogstride/motion/gearing/counted_place.hpp"
#include "cogstride/motion/stepper/stepper_mover.hpp"
#include "support/demo_rig.hpp"
#include "support/on_script.hpp"
#include "support/turned_encoder.hpp"

namespace cogstride::follow_test {
namespace {

using testing_support::demo_rig_without_gate;
using testing_support::OnScript;
using testing_support::TurnedEncoder;
using Pieces = std::vector<TurnedEncoder::Piece>;

constexpr LineId step{0};
constexpr double second = 48e6;

/// An endless drum of 1600 steps a turn behind a wheel of 2000 counts: 14/75 of a step for a count.
struct Drum {
  static Mechanism parts(std::optional<OutputJerk> jerk) {
    Mechanism drum = demo_rig_without_gate().mechanisms[0];
    drum.name = "drum";
    drum.train = {};
    drum.limits = {};
    drum.limits.speed = OutputSpeed{OutputKind::rotary, Ratio(10)};                // 16 000 steps/s
    drum.limits.acceleration = OutputAcceleration{OutputKind::rotary, Ratio(50)};  // 80 000 steps/s2
    drum.limits.start_speed = OutputSpeed{OutputKind::rotary, Ratio(0)};
    drum.limits.jerk = jerk;
    drum.hard_ends.reset();
    return drum;
  }
  static Encoder wheel() {
    Encoder encoder;
    encoder.name = "wheel";
    encoder.line_a = 25;
    encoder.line_b = 26;
    encoder.lines_per_turn = 500;
    return encoder;
  }

  explicit Drum(Pieces pieces, Tick lead = 480, std::optional<OutputJerk> jerk = {})
      : mover(parts(jerk), MechanismId{0}, demo_rig_without_gate().controller),
        on(mover, lead),
        encoder(std::move(pieces)) {
    encoder.wire(on.lines.player, 25);
    on.loop.add(mover);
  }

  std::shared_ptr<MotionRecord> follow(Ratio per_count, bool compensated, FollowHow how = {}) {
    std::vector<GearTerm> terms;
    terms.push_back({std::make_unique<CountedPlace>(wheel(), second, Tick{48'000}, false), per_count});
    auto gear = std::make_unique<Gear>(std::move(terms), Gear::Timing{second, 48'000},
                                       mover.follower().limits, compensated);
    return mover.follow(on.front(), std::make_unique<Follow>(std::move(gear), how, mover.follower(), "wheel"),
                        "follow wheel");
  }
  /// Steps between where the drum stands by its lines and where the wheel really is, through the ratio.
  double ahead(double per_count, double from = 0.0) {
    return static_cast<double>(on.lines.player.steps[step]) - from - per_count * encoder.place(on.now());
  }
  /// Looks ten times a millisecond until then. @return the least and the most that it was ahead
  std::pair<double, double> watch(double until, double per_count) {
    std::pair<double, double> range{1e9, -1e9};
    while (static_cast<double>(on.now()) < until * second) {
      on.run_to(on.now() + 4'800);
      const double is = ahead(per_count);
      range = {std::min(range.first, is), std::max(range.second, is)};
    }
    return range;
  }

  StepperMover mover;
  OnScript on;
  TurnedEncoder encoder;
};

const Ratio ratio(14, 75);
const double per_count = ratio.to_double();

class WithLead : public testing::TestWithParam<Tick> {};

TEST_P(WithLead, ACompensatedOneStaysWithinAStepAtAConstantSpeed) {
  Drum drum({{0.1, 0.0}, {1.0, 20'000.0}, {2.0, 0.0}}, GetParam());
  drum.follow(ratio, true);
  drum.watch(1.4, per_count);
  const auto [least, most] = drum.watch(3.0, per_count);
  // The step that it stands on is up to a step below where it is.
  EXPECT_GE(least, -1.3);
  EXPECT_LE(most, 0.3);
}

TEST_P(WithLead, ACompensatedOneGoesBeyondByNoMoreThanIsTold) {
  const double braking = 60'000.0;  // counts/s2
  Drum drum({{0.1, 0.0}, {1.0, 30'000.0}, {0.5, 0.0}, {0.5, -braking}, {0.5, 0.0}}, GetParam());
  drum.follow(ratio, true);
  drum.watch(1.4, per_count);
  const auto [least, most] = drum.watch(2.6, per_count);
  const double delay = 1e-3 + static_cast<double>(GetParam()) / second;
  EXPECT_LE(most, 0.5 * braking * per_count * delay * delay + per_count + 0.5);
  EXPECT_EQ(drum.on.lines.player.steps[step], (ratio * Ratio(drum.encoder.count(drum.on.now()))).floor());
}
INSTANTIATE_TEST_SUITE_P(ShortAndLong, WithLead, testing::Values(Tick{480}, Tick{240'000}));

TEST(Follow, AnUncompensatedOneNeverGoesBeyondItsLeader) {
  // Steady, then it stands at once: jammed. It never asks for a way back either.
  Drum drum({{0.1, 0.0}, {1.0, 30'000.0}, {1.0, 0.0}, {1.0, 0.0}});
  drum.encoder.jerk(3, 0.0);
  drum.follow(ratio, false);
  const auto [least, most] = drum.watch(3.1, per_count);
  EXPECT_LE(most, 1e-9);
  EXPECT_EQ(drum.on.lines.player.steps[step], (ratio * Ratio(drum.encoder.count(drum.on.now()))).floor());
  const double speed = 30'000.0 * per_count;
  const double told = speed * (1e-3 + 480 / second) + speed * speed / (2.0 * 80'000.0) + per_count;
  EXPECT_GE(least, -told - 2.0 - speed * 1e-3);
}

TEST(Follow, ThereAndBackItStandsOnTheVeryStep) {
  for (const bool compensated : {true, false}) {
    for (const auto& jerk :
         {std::optional<OutputJerk>{}, std::optional(OutputJerk{OutputKind::rotary, 5'000})}) {
      Drum drum(
          {{0.05, 0.0}, {0.3, 70'000.0}, {0.6, -70'000.0}, {0.4, 70'000.0}, {0.1, -70'000.0}, {0.3, 0.0}},
          480, jerk);
      drum.encoder.jerk(5, 0.0);
      drum.follow(ratio, compensated);
      drum.watch(1.75, per_count);
      const Ratio belongs = ratio * Ratio(drum.encoder.count(drum.on.now()));
      EXPECT_LE(std::abs(static_cast<double>(drum.on.lines.player.steps[step]) - belongs.to_double()), 1.0);
      EXPECT_EQ(drum.on.lines.player.steps[step], drum.mover.following()->gear().belongs_on());
    }
  }
}

TEST(Follow, MissedAndDoubledEdgesAreGoneAlongWithOnARamp) {
  for (const bool compensated : {true, false}) {
    Drum drum({{0.1, 0.0}, {0.5, 40'000.0}, {1.0, 0.0}, {0.5, -40'000.0}, {0.5, 0.0}});
    // Two edges the wrong way round cost four counts; one that is missed, two.
    for (int i = 0; i < 20; ++i) drum.encoder.miscount(std::llround((0.8 + 0.013 * i) * second), -4);
    for (int i = 0; i < 31; ++i) drum.encoder.miscount(std::llround((1.2 + 0.01 * i) * second), 2);
    const auto record = drum.follow(ratio, compensated);
    drum.watch(2.6, per_count);
    ASSERT_NE(drum.mover.following(), nullptr) << record->fault;
    const Ratio belongs = ratio * Ratio(drum.encoder.count(drum.on.now()));
    EXPECT_LE(std::abs(static_cast<double>(drum.on.lines.player.steps[step]) - belongs.to_double()), 1.0);
    EXPECT_LE(std::abs(drum.ahead(per_count) + 18.0 * per_count), 1.3);
  }
}

TEST(Follow, CoarseCountsAreFollowedSmoothlyAndToTheStep) {
  // A hand on a wheel of 20 steps a count, 10 counts a second.
  Drum drum({{0.1, 0.0}, {0.5, 20.0}, {2.0, 0.0}, {0.5, -20.0}, {1.5, 0.0}});
  drum.follow(Ratio(20), true);
  drum.watch(1.6, 20.0);
  const auto [least, most] = drum.watch(2.6, 20.0);
  EXPECT_GE(least, -21.0);
  EXPECT_LE(most, 20.0);
  drum.watch(4.6, 20.0);
  EXPECT_EQ(drum.on.lines.player.steps[step], 20 * drum.encoder.count(drum.on.now()));
}

TEST(Follow, JoinsALeaderThatTurnsAlreadyAndCatchesUpWhatItMissed) {
  Drum drum({{5.0, 0.0}});
  drum.encoder.jerk(0, 30'000.0);
  drum.on.run_to(std::llround(0.1 * second));
  const auto record = drum.follow(ratio, true);
  const double began = per_count * drum.encoder.place(drum.on.now());
  drum.watch(1.0, per_count);
  ASSERT_NE(drum.mover.following(), nullptr) << record->fault;
  // It sets off once it has looked twice, a millisecond later.
  EXPECT_NEAR(drum.ahead(per_count, -began), -0.5 - 30.0 * per_count, 1.0);
  EXPECT_TRUE(drum.mover.following()->goes_along());
}

TEST(Follow, StartingWhereItIsItMakesNothingUp) {
  Drum drum({{5.0, 0.0}});
  drum.encoder.jerk(0, 30'000.0);
  drum.on.run_to(std::llround(0.1 * second));
  drum.follow(ratio, true, {.catches_up = false});
  const double began = per_count * drum.encoder.place(drum.on.now());
  drum.watch(1.0, per_count);
  const double speed = 30'000.0 * per_count;
  // Half of what the leader goes while it comes up to speed: v^2 / 2a.
  EXPECT_NEAR(drum.ahead(per_count, -began), -speed * speed / (2.0 * 80'000.0), 12.0);
  const double is = drum.ahead(per_count, -began);
  drum.watch(2.0, per_count);
  EXPECT_NEAR(drum.ahead(per_count, -began), is, 1.0);
}

TEST(Follow, SetsOffWhenItsLeaderPassesAPlace) {
  Drum drum({{0.1, 0.0}, {0.5, 20'000.0}, {0.1, 0.0}, {0.5, -20'000.0}, {0.3, 0.0}});
  FollowHow how;
  how.from_count = Ratio(1'001, 2);
  how.counts_round = Ratio(2'000);
  how.ends_with_leader = true;
  const auto record = drum.follow(ratio, true, how);
  drum.on.run_until([&] { return record->has_ended(); });
  EXPECT_EQ(record->status, MotionStatus::done);
  const Ratio since = Ratio(drum.encoder.count(drum.on.now())) - Ratio(1'001, 2);
  EXPECT_EQ(drum.on.lines.player.steps[step], (ratio * since).floor());
  EXPECT_FALSE(drum.mover.is_driven(drum.on.now()));
}

TEST(Follow, ALeaderThatIsTooFastEndsItAtOnceWithTheFigure) {
  Drum drum({{0.1, 0.0}, {1.0, 100'000.0}, {1.0, 0.0}});
  const auto record = drum.follow(ratio, true);
  drum.on.run_until([&] { return record->has_ended(); });
  EXPECT_EQ(record->status, MotionStatus::faulted);
  EXPECT_NE(record->fault.find("wheel asks for 36"), std::string::npos) << record->fault;
  EXPECT_NE(record->fault.find("and drum may go 3600 deg/s"), std::string::npos) << record->fault;
  EXPECT_LT(drum.on.now(), std::llround(1.2 * second));
  EXPECT_EQ(drum.mover.stream().speed_at(drum.on.now()), 0.0);
}

TEST(Follow, OrFallsBehindByAStatedBoundAndCatchesUp) {
  Drum drum({{0.1, 0.0}, {0.9, 100'000.0}, {0.9, -100'000.0}, {0.5, 0.0}});
  drum.encoder.jerk(3, 0.0);
  std::vector<std::string> told;
  drum.mover.log().on_note([&](const MotionNote& note) { told.push_back(note.text); });
  const auto record = drum.follow(ratio, true, {.ends_with_leader = true, .may_fall_behind = 500.0});
  drum.on.run_until([&] { return record->has_ended(); });
  EXPECT_EQ(record->status, MotionStatus::done) << record->fault;
  EXPECT_EQ(drum.on.lines.player.steps[step], (ratio * Ratio(drum.encoder.count(drum.on.now()))).floor());
  ASSERT_GE(told.size(), 2U);
  EXPECT_NE(told[1].find("wheel asks for"), std::string::npos) << told[1];

  Drum strict({{0.1, 0.0}, {0.9, 100'000.0}, {0.9, -100'000.0}, {0.5, 0.0}});
  const auto bound = strict.follow(ratio, true, {.may_fall_behind = 20.0});
  strict.on.run_until([&] { return bound->has_ended(); });
  EXPECT_EQ(bound->status, MotionStatus::faulted);
  EXPECT_NE(bound->fault.find("behind and may be 4.5 deg"), std::string::npos) << bound->fault;
}

TEST(Follow, TakesAnotherRatioOnARampAndNothingJumps) {
  Drum drum({{5.0, 0.0}});
  drum.encoder.jerk(0, 30'000.0);
  const auto record = drum.follow(ratio, true);
  drum.watch(1.0, per_count);
  const std::int64_t counts = drum.encoder.count(drum.on.now());
  const std::int64_t steps = drum.on.lines.player.steps[step];
  drum.mover.following()->change(drum.on.now(), {ratio * Ratio(1, 2)});
  EXPECT_FALSE(drum.mover.following()->goes_along());
  drum.watch(2.0, per_count);
  ASSERT_NE(drum.mover.following(), nullptr) << record->fault;
  EXPECT_TRUE(drum.mover.following()->goes_along());
  const double since = static_cast<double>(drum.encoder.count(drum.on.now()) - counts) * per_count / 2.0;
  EXPECT_NEAR(static_cast<double>(drum.on.lines.player.steps[step] - steps), since, 8.0)
      << "it was looked at up to a millisecond before";
  drum.mover.following()->shift(Ratio(40));
  drum.watch(3.0, per_count);
  const double shifted = static_cast<double>(drum.encoder.count(drum.on.now()) - counts) * per_count / 2.0;
  EXPECT_NEAR(static_cast<double>(drum.on.lines.player.steps[step] - steps), shifted + 40.0, 8.0);
}

TEST(Follow, IsLetGoOnItsOwnRamp) {
  Drum drum({{5.0, 0.0}});
  drum.encoder.jerk(0, 30'000.0);
  const auto record = drum.follow(ratio, true);
  drum.watch(1.0, per_count);
  drum.mover.let_go(drum.on.front());
  drum.on.run_until([&] { return record->has_ended(); });
  EXPECT_EQ(record->status, MotionStatus::done);
  const double braking = 30'000.0 * per_count / 80'000.0;
  EXPECT_NEAR(static_cast<double>(drum.on.now()) / second, 1.0 + braking, 2e-3);
  EXPECT_THROW(drum.mover.let_go(drum.on.front()), RangeError);
}

TEST(Follow, StopsInsideItsTravel) {
  Rig rig = demo_rig_without_gate();
  StepperMover mover(rig.mechanisms[0], MechanismId{0}, rig.controller);
  OnScript on(mover);
  on.loop.add(mover);
  TurnedEncoder encoder({{5.0, 20'000.0}});
  encoder.wire(on.lines.player, 25);
  std::vector<GearTerm> terms;
  terms.push_back({std::make_unique<CountedPlace>(Drum::wheel(), second, Tick{48'000}, false), ratio});
  auto gear =
      std::make_unique<Gear>(std::move(terms), Gear::Timing{second, 48'000}, mover.follower().limits, true);
  const auto record = mover.follow(
      on.front(), std::make_unique<Follow>(std::move(gear), FollowHow{}, mover.follower(), "wheel"),
      "follow");
  on.run_until([&] { return record->has_ended(); });
  EXPECT_EQ(record->status, MotionStatus::faulted);
  EXPECT_NE(record->fault.find("beyond the end of its travel"), std::string::npos) << record->fault;
  const double at = 1e3 * mover.position(on.now())->base.to_double();
  EXPECT_LE(at, 118.0);
  EXPECT_GE(at, 115.0);
}

}  // namespace
}  // namespace cogstride::follow_test
