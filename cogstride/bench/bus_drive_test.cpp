// Drives on a bus on the simulated bench: moved, turned, one geared to the other, and what goes wrong.
#include <gtest/gtest.h>

#include <fmt/format.h>

#include <cmath>
#include <functional>
#include <random>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/bench/simulated/simulated_lines.hpp"
#include "cogstride/motion/bus/bus_drive_mover.hpp"
#include "cogstride/plan/drive_figures.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/script/script_player.hpp"

namespace cogstride::bus_drive_test {
namespace {

using namespace literals;

Rig beams() {
  return read_rig(COGSTRIDE_SOURCE_DIR "/demo/beams.rig.toml");
}

OutputSpeed rpm(std::int64_t value) {
  return {OutputKind::rotary, Ratio(value, 60)};
}

struct Beams {
  explicit Beams(SimulatedBench::Options options = {}, Rig rig = beams()) : bench(std::move(rig), options) {
    warp = &bench.mover_as<BusDriveMover>("warp_beam");
    cloth = &bench.mover_as<BusDriveMover>("cloth_beam");
  }
  Motion move(const std::string& name, const MoveOrder& order) {
    return bench.order(name, [&](Mover& m, Lines& lines) { return m.places()->move(lines, order); });
  }
  Motion spin(const std::string& name, const SpeedOrder& order) {
    return bench.order(name, [&](Mover& m, Lines& lines) { return m.speeds()->spin(lines, order); });
  }
  double made(const std::string& name) const { return bench.signal(name + ".made"); }
  /// Until both are up.
  void bring_up() {
    for (int i = 0; i < 100 && !(warp->is_armed() && cloth->is_armed()); ++i) bench.serve(0.02_s);
    ASSERT_TRUE(warp->is_armed()) << warp->link().fault();
    ASSERT_TRUE(cloth->is_armed()) << cloth->link().fault();
  }

  SimulatedBench bench;
  BusDriveMover* warp = nullptr;
  BusDriveMover* cloth = nullptr;
};

SimulatedBench::Options with(std::vector<OutsideEvent> events) {
  SimulatedBench::Options options;
  options.events = std::move(events);
  return options;
}

TEST(BusDrive, ComesUpAndMovesToThePlaceToACount) {
  Beams run;
  run.bring_up();
  EXPECT_EQ(run.move("warp_beam", {.to = 90_deg}).result(), "");
  EXPECT_NEAR(run.made("warp_beam"), 90.0, 0.01);
  EXPECT_EQ(run.move("warp_beam", {.by = OutputPosition(-450_deg), .speed = rpm(20)}).result(), "");
  EXPECT_NEAR(run.made("warp_beam"), -360.0, 0.01);
  EXPECT_EQ(run.made("cloth_beam"), 0.0) << "nobody told it anything";
  EXPECT_EQ(run.cloth->link().state(), DriveState::switch_on_disabled);
  EXPECT_TRUE(run.bench.verdict().is_sound());
}

TEST(BusDrive, TakesAsLongAsItsRampSays) {
  Beams run;
  run.bring_up();
  ASSERT_EQ(run.move("warp_beam", {.by = OutputPosition(1_deg)}).result(), "");
  const double began = run.bench.now().in(units::s);
  // 720 deg at 330 deg/s and 180 deg/s2: v/a + s/v.
  ASSERT_EQ(run.move("warp_beam", {.by = OutputPosition(720_deg)}).result(), "");
  EXPECT_NEAR(run.bench.now().in(units::s)-began, 330.0 / 180.0 + 720.0 / 330.0, 0.06);
}

TEST(BusDrive, KeepsASpeedToTheCountOverTime) {
  Beams run;
  run.bring_up();
  for (const int speed : {30, -30, 55, 5}) {
    ASSERT_EQ(run.spin("warp_beam", {.at = rpm(speed)}).result(), "");
    run.bench.serve(0.5_s);
    const double before = run.made("warp_beam");
    run.bench.serve(3_s);
    EXPECT_NEAR(run.made("warp_beam") - before, 18.0 * speed, 0.15) << speed;
  }
  EXPECT_THROW(run.spin("warp_beam", {.at = rpm(56)}), RangeError);
}

TEST(BusDrive, FollowsAnotherByAnExactRatio) {
  Beams run;
  run.bring_up();
  auto cloth = run.bench.gear("cloth_beam");
  ASSERT_EQ(run.spin("warp_beam", {.at = rpm(30)}).result(), "");
  run.bench.serve(4_s);
  // By what both are told: to the count.
  const double told = run.warp->wanted(run.bench.simulated_lines().now()).position.to_double() * 2.0 / 3.0;
  EXPECT_NEAR(run.cloth->wanted(run.bench.simulated_lines().now()).position.to_double(), told, 2.0);
  EXPECT_NEAR(run.made("cloth_beam"), run.made("warp_beam") * 2.0 / 3.0, 0.05);
  run.bench.order("warp_beam", [](Mover& m, Lines& lines) {
    m.stop(lines, Braking::on_a_ramp);
    return std::make_shared<MotionRecord>();
  });
  run.bench.serve(2_s);
  EXPECT_NEAR(run.made("cloth_beam"), run.made("warp_beam") * 2.0 / 3.0, 0.005) << "where both stand";
}

TEST(BusDrive, EndsAtRestWithTheCauseNamedWhateverBefalls) {
  struct Case {
    OutsideEvent event;
    const char* says;
  };
  for (const Case& each :
       {Case{{.at = 3_s, .what = "warp_beam.jam", .on = true}, "the motor is blocked"},
        Case{{.at = 3_s, .what = "main", .on = false}, "is not heard any more"},
        Case{{.at = 3_s, .what = "warp_beam.bus", .on = false}, "is not heard any more"}}) {
    Beams run(with({each.event}));
    run.bring_up();
    auto warp = run.spin("warp_beam", {.at = rpm(30)});
    auto cloth = run.spin("cloth_beam", {.at = rpm(20)});
    std::string fault;
    run.bench.on_fault([&](const std::string& said) {
      if (fault.empty()) fault = said;
    });
    run.bench.serve(6_s);
    EXPECT_NE(fault.find(each.says), std::string::npos) << each.event.what << ": " << fault;
    const double before = run.made("cloth_beam");
    run.bench.serve(0.5_s);
    EXPECT_NEAR(run.made("cloth_beam"), before, 0.01) << each.event.what;
    EXPECT_EQ(run.bench.signal("warp_beam.speed"), 0.0) << each.event.what;
  }
}

TEST(BusDrive, PullsWithATorqueAndStopsFromWhateverSpeedThatGave) {
  Beams run;
  auto warp = run.bench.bus_drive("warp_beam");
  EXPECT_EQ(warp.pull(Torque(0.16, units::Nm)).result(), "");
  run.bench.serve(1_s);
  // 0.16 N m, less 0.06 of friction, on 5e-4 kg m2 behind 50:1.
  const double reached = run.bench.signal("warp_beam.speed");
  EXPECT_NEAR(reached, (0.16 - 0.06) / 5e-4 / (2.0 * 3.14159) * 60.0 / 50.0 * 1.0, 4.0);
  EXPECT_NEAR(warp.told()->torque.base(), 0.16, 2e-3);
  EXPECT_EQ(warp.stop().result(), "");
  EXPECT_NEAR(run.bench.signal("warp_beam.speed"), 0.0, 0.01);
  EXPECT_THROW(warp.pull(Torque(0.95, units::Nm)), RangeError) << "12 A give 0.9 N m";
  EXPECT_EQ(warp.spin(DutyOrder{.duty = Fraction::from_base(-0.5)}).result(), "");
  run.bench.serve(0.5_s);
  EXPECT_NEAR(run.bench.signal("warp_beam.speed"), -27.5, 0.1);
  EXPECT_EQ(warp.told()->state, "driven");
  EXPECT_NEAR(warp.told()->supply.base(), 24.0, 0.3);
}

/// Those of the rig, where the cloth beam's drive is really another one.
struct OtherBeams : Beams {
  explicit OtherBeams(const std::function<void(Mechanism&)>& change) : Beams(with_other_cloth(change)) {
    bench.serve(2_s);
  }
  static SimulatedBench::Options with_other_cloth(const std::function<void(Mechanism&)>& change) {
    SimulatedBench::Options options;
    options.actual = beams();
    change(options.actual->mechanisms[1]);
    return options;
  }
};

TEST(BusDrive, SaysWhichDriveIsMissingOrAnother) {
  OtherBeams missing([](Mechanism& cloth) { std::get<BusWiring>(cloth.wiring).id = 13; });
  EXPECT_EQ(missing.cloth->link().fault(),
            "drive 12 does not answer when it is asked for 1000:00 device type");
  EXPECT_TRUE(missing.warp->is_armed());
  EXPECT_THROW(missing.move("cloth_beam", {.by = OutputPosition(1_deg)}), RangeError);

  const OtherBeams other([](Mechanism& cloth) { std::get<BusDrive>(cloth.board).product = 25; });
  EXPECT_EQ(other.cloth->link().fault(),
            "drive 12 is not the one that the rig means: its product is 25, and the rig says 24");

  const OtherBeams twice([](Mechanism& cloth) { std::get<BusWiring>(cloth.wiring).id = 11; });
  EXPECT_EQ(twice.warp->link().fault(),
            "two drives answer with the id 11: leave one on the bus, and give it another one");
  EXPECT_FALSE(twice.warp->is_armed());
  EXPECT_FALSE(twice.cloth->is_armed());
}

TEST(BusDrive, PullsByAScript) {
  Beams run;
  const Script script = parse_script(
      "pull warp_beam with 0.15 N m\nwait 0.5 s\npull warp_beam with -0.15 N m\nwait 0.2 s\nstop warp_beam\n",
      "pull.moves", run.bench.rig());
  ScriptPlayer player(script, run.bench.rig(), run.bench.cast());
  run.bench.run(player, [&] { return player.has_ended(); });
  EXPECT_EQ(player.fault(), "");
  // At the motor 0.15 N m against 0.06 of friction, on 7.2e-4 kg m2: 125 rad/s2 for half a second, behind
  // 50:1.
  EXPECT_GT(run.made("warp_beam"), 15.0);
  EXPECT_TRUE(run.bench.verdict().is_sound());
  const auto refused = [&](const char* line) {
    try {
      (void)check_motions(parse_script(line, "pull.moves", run.bench.rig()), run.bench.rig());
    } catch (const Error& error) {
      return std::string(error.what());
    }
    return std::string();
  };
  EXPECT_NE(refused("pull warp_beam with 1 N m\n").find("its current gives 0.9 N m"), std::string::npos)
      << refused("pull warp_beam with 1 N m\n");
  EXPECT_NE(refused("pull warp_beam with 3 rpm\n").find("pull.moves:1:21"), std::string::npos)
      << refused("pull warp_beam with 3 rpm\n");
}

TEST(BusDrive, ComesToRestAndIsOffAfterACut) {
  Beams run;
  run.bring_up();
  ASSERT_EQ(run.spin("warp_beam", {.at = rpm(50)}).result(), "");
  ASSERT_EQ(run.spin("cloth_beam", {.at = rpm(50)}).result(), "");
  run.bench.stop(StopBy::cut, "tried");
  run.bench.serve(1_s);
  for (const char* name : {"warp_beam", "cloth_beam"})
    EXPECT_EQ(run.bench.signal(std::string(name) + ".speed"), 0.0);
  EXPECT_EQ(run.warp->link().state(), DriveState::switch_on_disabled);
  EXPECT_EQ(run.cloth->link().state(), DriveState::switch_on_disabled);
  EXPECT_EQ(run.move("warp_beam", {.by = OutputPosition(10_deg)}).result(), "") << "and can be driven again";
}

TEST(BusDrive, CanBeArmedAgainWhenItsFaultHasBeenSeenTo) {
  Beams run(with(
      {{.at = 3_s, .what = "warp_beam.jam", .on = true}, {.at = 5_s, .what = "warp_beam.jam", .on = false}}));
  run.bring_up();
  auto motion = run.spin("warp_beam", {.at = rpm(30)});
  run.bench.serve(5.5_s);
  EXPECT_EQ(run.warp->link().state(), DriveState::fault);
  EXPECT_THROW(run.move("warp_beam", {.by = OutputPosition(1_deg)}), RangeError);
  EXPECT_EQ(
      run.bench.order("warp_beam", [](Mover& m, Lines& lines) { return m.arming()->arm(lines); }).result(),
      "");
  EXPECT_EQ(run.move("warp_beam", {.by = OutputPosition(10_deg)}).result(), "");
}

TEST(BusDrive, CountsAnewWhereItStandsWhenItsSupplyHasBeenGone) {
  Beams run(with({{.at = 3_s, .what = "main", .on = false}, {.at = 4_s, .what = "main", .on = true}}));
  run.bring_up();
  ASSERT_EQ(run.move("warp_beam", {.to = 90_deg}).result(), "");
  run.bench.serve(4_s);
  const auto arm = [](Mover& m, Lines& lines) { return m.arming()->arm(lines); };
  ASSERT_EQ(run.bench.order("warp_beam", arm).result(), "");
  const double stood = run.made("warp_beam");
  EXPECT_EQ(run.move("warp_beam", {.to = 45_deg}).result(), "");
  EXPECT_NEAR(run.made("warp_beam"), stood + 45.0, 0.01);
  EXPECT_TRUE(run.bench.verdict().of("warp_beam").is_sound());
}

/// Places and speeds that nobody chose: each ends on its count, and takes as long as its ramp and a cycle or
/// two say.
TEST(BusDrive, OfRandomMovesEndsWhereAndWhenItsRampSays) {
  for (unsigned seed = 1; seed <= 8; ++seed) {
    std::mt19937 random(seed);
    const auto whole = [&](int from, int to) { return std::uniform_int_distribution(from, to)(random); };
    Rig rig = beams();
    Mechanism& mechanism = rig.mechanisms[0];
    mechanism.limits.speed = rpm(whole(10, 55));
    mechanism.limits.acceleration =
        OutputAcceleration(ExactAngularAcceleration(whole(60, 600), units::deg_per_s2));
    if (seed % 2 == 0) mechanism.limits.jerk = OutputJerk{OutputKind::rotary, Ratio(whole(2, 20))};
    mechanism.reversed = seed % 3 == 0;
    mechanism.load.coulomb_friction = Torque(0.01 * whole(0, 12), units::Nm);
    std::get<BusDrive>(mechanism.board).encoder_lines = whole(100, 4000);
    rig.controller.bus->cycle = Time(whole(5, 20), units::ms);
    SCOPED_TRACE(fmt::format("seed {}", seed));
    SimulatedBench bench(rig);
    auto warp = bench.bus_drive("warp_beam");
    ASSERT_EQ(warp.move({.to = 10_deg}).result(), "");
    const double per_turn = steps_per_base(mechanism).to_double();
    const double cycle = rig.controller.bus->cycle.base();
    double at = 10.0;
    for (int i = 0; i < 6; ++i) {
      const int way = whole(-900, 900);
      const int speed = whole(5, 55) * whole(0, 1);
      MoveOrder order{.by = OutputPosition(ExactAngle(way, units::deg))};
      RampLimits limits = drive_limits(mechanism);
      if (speed != 0 && rpm(speed).base <= mechanism.limits.speed.base) {
        order.speed = rpm(speed);
        limits.speed = speed / 60.0 * per_turn;
      }
      const double foreseen = plan_ramp({}, std::llround(way / 360.0 * per_turn), limits).duration();
      const double began = bench.now().in(units::s);
      ASSERT_EQ(warp.move(order).result(), "") << way << " deg at " << speed << " rpm";
      const double took = bench.now().in(units::s)-began;
      at += way;
      EXPECT_NEAR(bench.signal("warp_beam.made"), at, 9.0 * 360.0 / per_turn) << "counts";
      EXPECT_GE(took, foreseen - 1e-6);
      // Up to a cycle and a half until it begins; told at the next instant that it stands, and a moment to
      // settle.
      EXPECT_LE(took, foreseen + 3.5 * cycle + 0.1) << way << " deg at " << speed << " rpm";
    }
    EXPECT_TRUE(bench.verdict().is_sound());
  }
}

}  // namespace
}  // namespace cogstride::bus_drive_test
