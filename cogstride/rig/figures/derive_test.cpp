#include "cogstride/rig/figures/derive.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <set>

#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"

namespace cogstride::derive_test {
namespace {

using namespace literals;

const Mechanism& of(const Rig& rig, const char* name) {
  return mechanism_named(rig, name);
}

TEST(Derive, TheCreelStepsExactlyByItsTeeth) {
  const Rig rig = testing_support::demo_rig();
  const StepperFigures figures = stepper_figures(of(rig, "creel"), rig.controller);
  EXPECT_EQ(figures.steps_per_unit, Ratio(24 * 127687, 1188 * 360));
  EXPECT_NEAR(figures.top_step_rate, 287.0, 0.5) << "40 deg/s are 287 full steps/s";
  EXPECT_FALSE(figures.travel_steps) << "endless";
  // Two phases on, 4.2 V through 34 ohm each.
  EXPECT_NEAR(figures.winding_loss, 2.0 * 4.2 * 4.2 / 34.0, 1e-9);
  EXPECT_NEAR(figures.board_loss, 2.0 * 0.8 * 4.2 / 34.0, 1e-9);
  EXPECT_NEAR(*figures.winding_rise, 25.0 * figures.winding_loss, 1e-9);
  EXPECT_NEAR(figures.torque_at_rest, std::sqrt(2.0) * 0.030 * 4.2 / 34.0, 2e-5);
}

// Between whole steps both coils carry all of their current: that is what is held there, and three halves of
// it on average while it turns.
TEST(Derive, HalfStepsHoldWithTwoCoils) {
  Rig rig = testing_support::demo_rig();
  Mechanism& creel = rig.mechanisms[1];
  ASSERT_EQ(creel.name, "creel");
  const SupplyDraw whole = supply_draw(creel);
  const Losses both = *steady_losses(creel);
  std::get<TransistorArray>(creel.board).stepping = Stepping::half;
  EXPECT_NEAR(supply_draw(creel).most, whole.most, 1e-12);
  EXPECT_NEAR(supply_draw(creel).running, 0.75 * whole.running, 1e-12);
  EXPECT_NEAR(steady_losses(creel)->winding, both.winding, 1e-12);
  std::get<TransistorArray>(creel.board).stepping = Stepping::wave;
  EXPECT_NEAR(supply_draw(creel).most, 0.5 * whole.most, 1e-12);
  EXPECT_NEAR(steady_losses(creel)->board, 0.5 * both.board, 1e-12);
}

TEST(Derive, WhatASupplyGivesIsHeatAndWork) {
  const Rig rig = testing_support::demo_rig();
  EXPECT_NEAR(supply_draw(of(rig, "creel")).most, 2.0 * 4.2 / 34.0, 1e-9)
      << "both phases, whatever the speed";
  EXPECT_EQ(supply_draw(of(rig, "fan")).most, 1.2) << "from a standstill";
  EXPECT_EQ(supply_draw(of(rig, "fan")).running, 0.4);
  EXPECT_EQ(supply_draw(of(rig, "snips")).most, 1.0);
  EXPECT_EQ(supply_draw(of(rig, "snips")).running, 0.01);
  // The feeder at 600 rpm: back-EMF and resistance times the current of its load.
  const double shaft = 2.0 * pi * 10.0 * 4.75;
  const double current = (0.016 + 2e-5 * shaft + 0.042) / 0.0625;
  const double drawn = supply_draw(of(rig, "feeder")).running;
  const double works = 0.0625 * shaft * current + 2.85 * current * current + 0.06 * drawn * drawn;
  EXPECT_NEAR(24.0 * drawn, works, 1e-3 * works) << "and what its current ripples";
  EXPECT_GT(24.0 * drawn, works);
  // The spindle at 4 A and 1800 rpm: its work by six steps, two phases and transistors, and a diode in the
  // rest of a period.
  const double most = supply_draw(of(rig, "spindle")).most;
  const double duty = most / 4.0;
  const double work =
      3.0 / pi * 0.06 * 4.0 * 60.0 * pi + 0.48 * 16.0 + 0.7 * (1.0 - duty) * 4.0 + 0.06 * most * most;
  EXPECT_NEAR(24.0 * most, work, 5e-3 * work);
  EXPECT_LE(supply_draw(of(rig, "feeder")).most, 2.5) << "never more than its current limit";
  const StepperFigures traverse = stepper_figures(of(rig, "traverse"), rig.controller);
  const SupplyDraw draw = supply_draw(of(rig, "traverse"));
  EXPECT_GT(draw.running, (traverse.winding_loss + traverse.board_loss) / 24.0);
  EXPECT_GT(draw.most, draw.running);
}

TEST(Derive, LossesOfMotorsThatTurnAreThoseOfTheirLoad) {
  const Rig rig = testing_support::demo_rig();
  const Losses losses = *steady_losses(of(rig, "feeder"));
  // Ripple adds the square of its share: 24 V, 50 us and 1.9 mH make 57 mA of it, peak to peak, at 90 %.
  const double ripple = 24.0 * 50e-6 / 1.9e-3 * 0.9 * 0.1;
  const double square = losses.current * losses.current + ripple * ripple / 12.0;
  EXPECT_NEAR(losses.winding, 2.6 * square, 1e-4);
  EXPECT_NEAR(losses.board, 0.25 * square, 1e-5);
  EXPECT_FALSE(steady_losses(of(rig, "fan")));
  EXPECT_FALSE(steady_losses(of(rig, "snips")));
}

TEST(Derive, LinesComeInTheOrderOfTheConnector) {
  const Rig rig = testing_support::demo_rig();
  const std::vector<RigLine> lines = wiring_list(rig);
  ASSERT_EQ(lines.size(), 34u);
  EXPECT_EQ(lines.front().number, 0);
  EXPECT_EQ(lines.back().number, 20) << "the other side runs back";
  std::set<std::int64_t> numbers;
  for (const RigLine& line : lines) {
    EXPECT_TRUE(numbers.insert(line.number).second);
    EXPECT_EQ(rig.places.count(line.key), 1u) << line.key << " stands in the file";
  }
  Rig other = rig;
  other.controller.connector = {45, 39, 2};
  const std::vector<RigLine> few = wiring_list(other);
  EXPECT_EQ(few[0].number, 39);
  EXPECT_EQ(few[1].number, 2);
  EXPECT_EQ(few[2].number, 0) << "those that the connector leaves out follow by number";
}

TEST(Derive, ALineGivesWhatItsInputTakes) {
  Rig rig = testing_support::demo_rig();
  const auto current = [&](const char* owner, const char* use) -> std::optional<double> {
    const std::vector<RigLine> lines = rig_lines(rig);
    for (const RigLine& line : lines) {
      if (line.owner != owner || line.use != use) continue;
      const auto found = line_current(rig, line);
      return found ? std::optional(found->in(units::mA)) : std::nullopt;
    }
    ADD_FAILURE() << owner << " " << use;
    return std::nullopt;
  };
  EXPECT_NEAR(*current("traverse", "step"), (3.3 - 1.2) / 270.0 * 1000.0, 1e-9);
  EXPECT_NEAR(*current("lamp", "on"), 8.0, 1e-9);
  EXPECT_FALSE(current("traverse", "gate")) << "an input gives none";
  rig.parts.push_back({.name = "shifter", .output_level = 5_V, .input_current = 1_mA});
  rig.mechanisms[0].common.through = "shifter";
  EXPECT_NEAR(*current("traverse", "step"), 1.0, 1e-9) << "the line sees the part, not the board";
  EXPECT_EQ(high_level_at_board(rig, rig.mechanisms[0]), 5_V);
  EXPECT_EQ(high_level_at_board(rig, rig.mechanisms[1]), 3.3_V);
  rig.parts[0].input_current.reset();
  EXPECT_FALSE(current("traverse", "step"));
}

TEST(Derive, FrequenciesAreThoseOfDutiesAndPulses) {
  const Rig rig = testing_support::demo_rig();
  EXPECT_FALSE(wanted_frequency(of(rig, "traverse"))) << "steps have no frequency of their own";
  EXPECT_EQ(wanted_frequency(of(rig, "spindle"))->frequency, 20_kHz);
  EXPECT_EQ(wanted_frequency(of(rig, "spindle"))->alignment, Alignment::centre);
  EXPECT_EQ(wanted_frequency(of(rig, "feeder"))->alignment, Alignment::edge);
  EXPECT_EQ(wanted_frequency(of(rig, "snips"))->frequency, 50_Hz);
}

TEST(RigLines, NameTheTwoLinesOfATwoPulseDriveByDirection) {
  Rig rig = testing_support::demo_rig();
  rig.mechanisms[0].step_dir().form = StepDirBoard::Form::two_pulse;
  const std::vector<RigLine> lines = rig_lines(rig);
  EXPECT_EQ(lines[0].use, "forward");
  EXPECT_EQ(lines[1].use, "backward");
  EXPECT_TRUE(lines[1].timed) << "both make pulses";
  EXPECT_EQ(lines[1].key, "mechanism.traverse.lines.backward");
}

}  // namespace
}  // namespace cogstride::derive_test
