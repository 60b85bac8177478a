// Servos and speed controllers alone on scripted lines: which pulse goes out in which frame.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <vector>

#include "cogstride/motion/pulse_width/servo_mover.hpp"
#include "cogstride/motion/pulse_width/throttle_mover.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/on_script.hpp"

namespace cogstride::pulse_width_mover_test {
namespace {

using namespace literals;
using testing_support::demo_rig;
using testing_support::OnScript;

constexpr Tick frame = 960'000;  // 50 Hz of 48 MHz
constexpr LineId snips_line{34};
constexpr LineId fan_line{33};

/// Seconds of the pulse that is out.
double pulse(const OnScript& on, LineId line) {
  return static_cast<double>(on.lines.player.on_ticks(line)) / 48e6;
}

TEST(ServoMover, ItsPulsesFollowItsRampFrameByFrame) {
  const Rig rig = demo_rig();
  ServoMover snips(mechanism_named(rig, "snips"), MechanismId{}, rig.controller);
  OnScript on(snips);
  on.loop.add(snips);
  EXPECT_TRUE(on.lines.player.duties.empty()) << "no pulse before the first order";
  auto first = snips.swing(on.front(), {.to = 0_deg});
  EXPECT_TRUE(on.run_until([&] { return first->has_ended(); }));
  EXPECT_NEAR(pulse(on, snips_line), 0.92e-3, 1e-6);
  const Tick began = on.now();
  auto swing = snips.swing(on.front(), {.to = 70_deg, .speed = 100_deg_per_s});
  EXPECT_TRUE(on.run_until([&] { return swing->has_ended(); }));
  EXPECT_EQ(swing->status, MotionStatus::done);
  EXPECT_NEAR(pulse(on, snips_line), 0.92e-3 + (2.06e-3 - 0.92e-3) * 70.0 / 168.0, 1e-6);
  double last = 0.0;
  Tick changed = began;
  for (const auto& duty : on.lines.player.duties) {
    if (duty.at < began) continue;
    const double share = (static_cast<double>(duty.compare.on_ticks) / 48e6 - 0.92e-3) / (2.06e-3 - 0.92e-3);
    EXPECT_GE(share, last - 1e-9) << "the same way all along";
    EXPECT_LE(168.0 * (share - last), 2.0 + 0.05) << "no faster than asked in a frame, but for a count";
    if (share > last) changed = duty.at;
    last = share;
  }
  EXPECT_NEAR(static_cast<double>(changed - began) / 48e6, 0.7, 0.03) << "70 deg at 100 deg/s";
  EXPECT_EQ(snips.position(), OutputPosition(70_deg));
  snips.release(on.front());
  on.run_to(on.now() + 2 * frame);
  EXPECT_EQ(on.lines.player.on_ticks(snips_line), 0);
  EXPECT_FALSE(snips.position());
}

TEST(ServoMover, BrakesOnItsWayAndRefusesWhatLiesBeyond) {
  const Rig rig = demo_rig();
  ServoMover snips(mechanism_named(rig, "snips"), MechanismId{}, rig.controller);
  OnScript on(snips);
  on.loop.add(snips);
  EXPECT_THROW(snips.swing(on.front(), {.by = 5_deg}), RangeError) << "nobody knows where it stands";
  auto first = snips.swing(on.front(), {.to = 0_deg});
  on.run_until([&] { return first->has_ended(); });
  auto swing = snips.swing(on.front(), {.to = 70_deg, .speed = 70_deg_per_s});
  on.run_to(on.now() + 24'000'000);
  auto stop = snips.stop(on.front());
  EXPECT_EQ(swing->status, MotionStatus::cancelled);
  on.run_until([&] { return stop->has_ended(); });
  ASSERT_TRUE(snips.position());
  EXPECT_NEAR(360.0 * snips.position()->base.to_double(), 35.0, 3.0);
  EXPECT_THROW(snips.swing(on.front(), {.to = 90_deg}), RangeError);
  EXPECT_THROW(snips.swing(on.front(), {.to = 10_deg, .speed = 501_deg_per_s}), RangeError);
  EXPECT_THROW(snips.swing(on.front(), {.to = 10_mm}), RangeError);
}

TEST(ThrottleMover, IsArmedByItsStagesAndGoesDownBeforeItIsReleased) {
  const Rig rig = demo_rig();
  const Mechanism& parts = mechanism_named(rig, "fan");
  const auto& input = std::get<PulseWidthInput>(parts.board);
  ThrottleMover fan(parts, MechanismId{}, rig.controller);
  OnScript on(fan);
  on.loop.add(fan);
  EXPECT_THROW(fan.spin(on.front(), {.duty = 30_percent}), RangeError) << "not armed";
  auto arm = fan.arm(on.front());
  EXPECT_TRUE(on.run_until([&] { return arm->has_ended(); }));
  EXPECT_TRUE(fan.is_armed());
  std::vector<double> widths;
  for (const auto& duty : on.lines.player.duties) {
    const double seconds = static_cast<double>(duty.compare.on_ticks) / 48e6;
    if (widths.empty() || std::abs(widths.back() - seconds) > 1e-6) widths.push_back(seconds);
  }
  std::vector<double> stages;
  for (const auto& stage : input.arming)
    if (stages.empty() || std::abs(stages.back() - stage.pulse.base()) > 1e-6)
      stages.push_back(stage.pulse.base());
  ASSERT_GE(widths.size(), stages.size());
  for (std::size_t i = 0; i < stages.size(); ++i) EXPECT_NEAR(widths[i], stages[i], 1e-6) << i;
  auto spin = fan.spin(on.front(), {.duty = 40_percent, .in = 1_s});
  const Tick from = on.now();
  on.run_to(from + 24'000'000);
  EXPECT_NEAR(fan.throttle_at(on.now()), 0.25, 0.02) << "from the lowest that turns it, 10 %";
  on.run_until([&] { return spin->has_ended(); });
  EXPECT_NEAR(fan.throttle_at(on.now()), 0.4, 1e-9);
  fan.halt(on.front(), {FaultCode::other_failed, "something else"});
  on.run_until([&] { return fan.has_ended(); });
  EXPECT_EQ(fan.throttle_at(on.now()), 0.0);
  fan.release(on.front());
  on.run_to(on.now() + 2 * frame);
  EXPECT_EQ(on.lines.player.on_ticks(fan_line), 0);
  EXPECT_FALSE(fan.is_armed());
}

TEST(ServoMover, IsHaltedCutAndSaysWhatItDoes) {
  const Rig rig = demo_rig();
  ServoMover snips(mechanism_named(rig, "snips"), MechanismId{}, rig.controller);
  OnScript on(snips);
  on.loop.add(snips);
  EXPECT_FALSE(snips.came_to(on.now()).sum.empty());
  auto first = snips.swing(on.front(), {.to = 0_deg});
  on.run_until([&] { return first->has_ended(); });
  auto swing = snips.swing(on.front(), {.to = 70_deg, .speed = 70_deg_per_s});
  on.run_to(on.now() + 24'000'000);
  std::vector<double> values(snips.signals().size());
  snips.sample(on.now(), values);
  EXPECT_NEAR(values.front(), 35.0, 2.5);
  EXPECT_NE(snips.asked(on.now()).find("deg"), std::string::npos);
  snips.halt(on.front(), {FaultCode::stopped, "the lid is open"});
  EXPECT_EQ(swing->status, MotionStatus::faulted);
  on.run_until([&] { return snips.has_ended(); });
  auto other = snips.swing(on.front(), {.to = 10_deg});
  on.run_to(on.now() + 4'800'000);
  on.front().cut();
  snips.lines_were_cut(on.front(), {FaultCode::stopped, "the lid is open"});
  EXPECT_EQ(other->status, MotionStatus::faulted);
  EXPECT_FALSE(snips.position()) << "no pulse holds it";
}

TEST(ThrottleMover, ChangesStopsAndSaysWhatItDoes) {
  const Rig rig = demo_rig();
  ThrottleMover fan(mechanism_named(rig, "fan"), MechanismId{}, rig.controller);
  OnScript on(fan);
  on.loop.add(fan);
  auto arm = fan.arm(on.front());
  on.run_until([&] { return arm->has_ended(); });
  auto timed = fan.spin(on.front(), {.duty = 30_percent, .lasts = 1_s});
  on.run_until([&] { return timed->has_ended(); });
  EXPECT_EQ(timed->status, MotionStatus::done);
  EXPECT_EQ(fan.throttle_at(on.now()), 0.0);
  fan.spin(on.front(), {.duty = 30_percent});
  on.run_to(on.now() + 96'000'000);
  auto more = fan.change(on.front(), 10_percent);
  on.run_until([&] { return more->has_ended(); });
  EXPECT_NEAR(fan.throttle_at(on.now()), 0.4, 1e-9);
  EXPECT_THROW((void)fan.change(on.front(), Fraction(-60.0, units::percent)), RangeError);
  EXPECT_THROW((void)fan.spin(on.front(), {.duty = Fraction(140.0, units::percent)}), RangeError);
  EXPECT_THROW((void)fan.reverse(on.front(), {}), RangeError) << "it turns one way alone";
  EXPECT_THROW(fan.let(on.front(), SlowsBy::braking), RangeError);
  std::vector<double> values(fan.signals().size());
  fan.sample(on.now(), values);
  EXPECT_NEAR(values.front(), 40.0, 1e-6);
  EXPECT_NE(fan.asked(on.now()).find('%'), std::string::npos);
  EXPECT_FALSE(fan.came_to(on.now()).sum.empty());
  auto stop = fan.stop(on.front(), 500_ms);
  on.run_until([&] { return stop->has_ended(); });
  EXPECT_EQ(stop->status, MotionStatus::done);
  fan.spin(on.front(), {.duty = 30_percent});
  on.run_to(on.now() + 48'000'000);
  on.front().cut();
  fan.lines_were_cut(on.front(), {FaultCode::stopped, "the lid is open"});
  EXPECT_FALSE(fan.is_armed());
}

}  // namespace
}  // namespace cogstride::pulse_width_mover_test
