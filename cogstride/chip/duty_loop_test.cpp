// The loop of a small chip: what it measures, what it gives, and how it ends, against a motor of first order
// and against the same loop in numbers with fractions.
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "cogstride/chip/duty_loop.hpp"

namespace cogstride::duty_loop_test {
namespace {

using chip::CountedCourse;
using chip::DutyLoop;
using chip::DutyLoopSetup;
using chip::LoopWanted;

constexpr std::uint32_t period = 32'000;  // ticks: 2 ms
constexpr double period_s = 0.002;
constexpr double tick_s = 1.0 / 16e6;

/// Gains in the loop's units. @param per_speed  duty a count/s @param per_place  duty a count
chip::SpeedLoopGains gains(double per_speed, double per_place) {
  return {static_cast<std::int32_t>(std::lround(per_speed * 32768.0 * 1048576.0 / (4096.0 * period_s))),
          static_cast<std::int32_t>(std::lround(per_place * 32768.0 * 1048576.0 / 256.0))};
}

/// T dn/dt = K (d - load) - n, with an encoder that counts it.
struct Motor {
  double full_speed = 6000.0;  // counts/s
  double time_constant = 0.05;
  double load = 0.0;
  double friction = 0.0;  // duty that it takes
  double place = 0.5;
  double speed = 0.0;
  std::int64_t count = 0;
  std::uint32_t counted_at = 0;

  void run(double duty, std::uint32_t from) {
    constexpr std::uint32_t slice = 160;
    for (std::uint32_t at = 0; at < period; at += slice) {
      const double drives = duty - load;
      const double way = speed != 0.0 ? std::copysign(1.0, speed) : std::copysign(1.0, drives);
      const double before = speed;
      if (speed != 0.0 || std::abs(drives) > friction)
        speed += slice * tick_s / time_constant * (full_speed * (drives - way * friction) - speed);
      if (friction > 0.0 && before * speed < 0.0) speed = 0.0;
      place += speed * slice * tick_s;
      const auto now = static_cast<std::int64_t>(std::floor(place));
      if (now == count) continue;
      count = now;
      counted_at = from + at;
    }
  }
};

DutyLoopSetup loop_setup() {
  DutyLoopSetup setup;
  setup.period = period;
  setup.for_speed = gains(1.0 / 6000.0, 0.0).per_speed;
  setup.for_emf = setup.for_speed;
  setup.span = 20'000;
  setup.brakes = static_cast<std::int32_t>(65536.0 * 4000.0 * period_s * period_s);
  return setup;
}
/// From a place in counts at a speed in counts/s.
LoopWanted wanted_at(std::uint32_t tick, double place, double speed, std::uint8_t flags) {
  LoopWanted wanted;
  wanted.tick = tick;
  wanted.place = static_cast<std::uint32_t>(static_cast<std::int64_t>(std::llround(place * 65536.0)));
  wanted.speed = static_cast<std::int32_t>(std::lround(speed * period_s * 65536.0));
  wanted.gains = gains(0.0012, 0.06);
  wanted.flags = flags;
  return wanted;
}

class Held {
 public:
  Held(const DutyLoopSetup& setup, std::uint32_t begins) : loop(setup), now(begins) {}
  void run(int periods) {
    for (int i = 0; i < periods; ++i, now += period) {
      if (loop.is_due(now)) duty = loop.step(static_cast<std::uint16_t>(motor.count), motor.counted_at, now);
      motor.run(duty / 32768.0, now);
    }
  }
  DutyLoop<4> loop;
  Motor motor{};
  std::uint32_t now;
  std::int16_t duty = 0;
};

TEST(DutyLoop, HoldsASpeedExactlyThroughALoadAndRoundItsNumbers) {
  // Ticks begin close to where they go round, and counts go round twice.
  Held held(loop_setup(), 0xffff0000U);
  held.loop.put(wanted_at(held.now, 0.5, 2500.0, LoopWanted::yields));
  held.run(1000);
  const double before = held.motor.place;
  held.motor.load = 0.15;
  held.run(29'500);  // 59 s
  EXPECT_NEAR((held.motor.place - before) / (29'500 * period_s), 2500.0, 0.2);
  EXPECT_NEAR(held.motor.speed, 2500.0, 40.0);
  EXPECT_GT(held.motor.count, 2 * 65536);
}

TEST(DutyLoop, GivesWhatTheSameLoopGivesInFractions) {
  std::mt19937 random(4);
  std::uniform_real_distribution<double> part(0.0, 1.0);
  for (int trial = 0; trial < 2000; ++trial) {
    DutyLoopSetup setup = loop_setup();
    setup.span = static_cast<std::int16_t>(2000 + 30'000 * part(random));
    const double speed = 4000.0 * (part(random) - 0.5);
    DutyLoop<4> loop(setup);
    LoopWanted wanted = wanted_at(0, 0.5, speed, 0);
    wanted.base = static_cast<std::int16_t>(4000.0 * (part(random) - 0.5));
    loop.put(wanted);
    // Even counts at another speed, an edge each so many ticks.
    const double is = 100.0 + 2000.0 * part(random);
    double place = 0.0;
    std::int16_t duty = 0;
    std::uint32_t now = 0;
    std::int64_t count = 0;
    std::uint32_t at = 0;
    double due_place = 0.0;
    for (int i = 0; i < 12; ++i, now += period) {
      due_place = is * now * tick_s;
      count = static_cast<std::int64_t>(std::floor(due_place));
      at = static_cast<std::uint32_t>(std::ceil(static_cast<double>(count) / is / tick_s));
      duty = loop.step(static_cast<std::uint16_t>(count), at, now);
      place = due_place;
    }
    const double measured = loop.shaft().speed() / 4096.0 / period_s;
    if (count > 2) {
      ASSERT_NEAR(measured, is, 0.01 * is + 3.0) << trial;
    }
    const double wants = 0.5 + speed * (now - period) * tick_s;
    const double seen = static_cast<double>(loop.shaft().place()) / 65536.0;
    ASSERT_NEAR(seen, place, 1.01) << trial;
    const double emf = measured / 6000.0 * 32768.0;
    const double asked = wanted.base + speed / 6000.0 * 32768.0 + 0.0012 * 32768.0 * (speed - measured) +
                         0.06 * 32768.0 * (wants - seen);
    const double least = std::clamp(emf - setup.span, -32767.0, 32767.0);
    const double most = std::clamp(emf + setup.span, -32767.0, 32767.0);
    ASSERT_NEAR(duty, std::clamp(asked, least, most), 20.0) << trial << ": " << is << " for " << speed;
  }
}

TEST(DutyLoop, SeesACreepAndAShaftThatTurnsBack) {
  CountedCourse shaft;
  shaft.begin(0, 0);
  // A count each 40 ms: 20 periods, 1/20 of one a period.
  std::uint32_t now = 0;
  for (int i = 1; i <= 400; ++i) {
    now += period;
    const auto count = static_cast<std::uint16_t>(i / 20);
    shaft.look(count, static_cast<std::uint32_t>(i / 20 * 20) * period, now, 4, 2000);
  }
  EXPECT_NEAR(shaft.speed() / 4096.0, 0.05, 0.001);
  EXPECT_NEAR(shaft.place() / 65536.0, 20.0, 0.06);
  // It stands: what is known of it falls as time passes, and it stays on its count.
  for (int i = 0; i < 200; ++i) shaft.look(20, 400 * period, now += period, 4, 2000);
  EXPECT_LT(shaft.speed() / 4096.0, 0.0051);
  EXPECT_LE(shaft.place() / 65536.0, 21.0);
  // The same edge again, the other way: no way was gone.
  shaft.look(19, now, now, 4, 2000);
  EXPECT_EQ(shaft.speed(), 0);
  shaft.look(17, now + period - 1000, now + period, 4, 2000);
  EXPECT_LT(shaft.speed() / 4096.0, -1.9);
  EXPECT_NEAR(shaft.place() / 65536.0, 18.0, 0.07);
}

TEST(DutyLoop, TakesWhatIsPutForLaterInThePlaceOfWhatWasPut) {
  Held held(loop_setup(), 0);
  held.loop.put(wanted_at(0, 0.5, 1000.0, LoopWanted::yields));
  held.loop.put(wanted_at(100 * period, 200.5, 3000.0, LoopWanted::yields));
  held.loop.put(wanted_at(200 * period, 800.5, 0.0, LoopWanted::yields));
  held.run(50);
  held.loop.put(wanted_at(150 * period, 300.5, 500.0, LoopWanted::yields));
  held.run(90);
  EXPECT_NEAR(held.motor.speed, 3000.0, 120.0) << "its tick is before that of the one put last";
  held.run(160);
  EXPECT_NEAR(held.motor.speed, 500.0, 40.0);
  for (int i = 0; i < 4; ++i) {
    ASSERT_TRUE(held.loop.has_room((400U + static_cast<unsigned>(i)) * period));
    held.loop.put(wanted_at((400U + static_cast<unsigned>(i)) * period, 0.5, 500.0, 0));
  }
  EXPECT_FALSE(held.loop.has_room(404 * period));
  EXPECT_TRUE(held.loop.has_room(402 * period)) << "in the place of two of them";
  LoopWanted off;
  off.tick = 310 * period;
  held.loop.put(off);
  held.run(20);
  EXPECT_FALSE(held.loop.is_on());
  EXPECT_EQ(held.duty, 0);
}

TEST(DutyLoop, StandsOnItsCountAndIsPressedOnToIt) {
  Held held(loop_setup(), 0);
  held.motor.friction = 0.05;
  // To 100 counts in 0.2 s, evenly; then it stands there.
  held.loop.put(wanted_at(0, 0.5, 500.0, LoopWanted::eases));
  held.loop.put(wanted_at(100 * period, 100.5, 0.0, LoopWanted::eases));
  held.run(300);
  EXPECT_NEAR(static_cast<double>(held.motor.count), 100.0, 1.0);
  EXPECT_EQ(held.duty, 0) << "as nothing is fed forward";
  // A hand that turns it off its count is answered with more and more.
  held.motor.place -= 4.0;
  held.motor.friction = 10.0;
  held.run(10);
  const int first = held.duty;
  EXPECT_GT(first, 3000);
  held.run(40);
  EXPECT_GT(held.duty, first + 300);
}

TEST(DutyLoop, BrakesByItselfAndIsOff) {
  Held held(loop_setup(), 0);
  held.loop.put(wanted_at(0, 0.5, 2000.0, LoopWanted::yields));
  held.run(400);
  ASSERT_NEAR(held.motor.speed, 2000.0, 60.0);
  held.loop.brake();
  held.run(125);  // 0.25 s of the 0.5 s
  EXPECT_NEAR(held.motor.speed, 1000.0, 100.0);
  held.run(128);
  EXPECT_FALSE(held.loop.is_on());
  EXPECT_NEAR(held.motor.speed, 0.0, 60.0);
  EXPECT_EQ(held.duty, 0);
}

TEST(DutyLoop, GivesNoMoreThanItsSpanAndMakesUpForNothingItYields) {
  DutyLoopSetup setup = loop_setup();
  setup.span = 3000;
  Held held(setup, 0);
  held.loop.put(wanted_at(0, 0.5, 2000.0, LoopWanted::yields));
  for (int i = 0; i < 300; ++i) {
    held.run(1);
    const double emf = held.loop.shaft().speed() * 32768.0 / 4096.0 / period_s / 6000.0;
    EXPECT_LE(held.duty, emf + 3001.0);
  }
  EXPECT_GT(held.loop.yielded(), 256 * 50);
  EXPECT_NEAR(held.motor.speed, 2000.0, 60.0) << "and no faster than that";
  // Half of it is let through.
  LoopWanted half = wanted_at(held.now, 0.0, 0.0, LoopWanted::yields | LoopWanted::anew);
  half.place = held.loop.shaft().place();
  half.lets = LoopWanted::lets_all / 2;
  held.loop.put(half);
  held.run(1);
  const double emf = held.loop.shaft().speed() * 32768.0 / 4096.0 / period_s / 6000.0;
  EXPECT_NEAR(held.duty, (emf - 3000.0) / 2.0, 2.0) << "braked as hard as its span allows, and half of that";
  // One that cannot brake just runs out.
  for (const bool can_brake : {true, false}) {
    setup.can_brake = can_brake;
    DutyLoop<4> loop(setup);
    loop.put(wanted_at(0, 0.5, 0.0, 0));
    std::int16_t duty = 0;
    for (std::uint32_t i = 0; i < 20; ++i)
      duty = loop.step(static_cast<std::uint16_t>(4 * i), i * period, i * period);
    EXPECT_NEAR(duty, can_brake ? 2000.0 / 6000.0 * 32768.0 - 3000.0 : 0.0, 3.0);
  }
}

TEST(DutyLoop, LeavesOutWhatCameTooLateAndGoesOnInTime) {
  Held held(loop_setup(), 0);
  held.loop.put(wanted_at(0, 0.5, 2000.0, LoopWanted::yields));
  held.run(200);
  // Nobody asks for four periods; its course has gone on.
  for (int i = 0; i < 4; ++i, held.now += period) held.motor.run(held.duty / 32768.0, held.now);
  held.run(200);
  EXPECT_NEAR(held.motor.place, 0.5 + 404 * period_s * 2000.0 - held.loop.yielded() / 256.0, 4.0);
}

}  // namespace
}  // namespace cogstride::duty_loop_test
