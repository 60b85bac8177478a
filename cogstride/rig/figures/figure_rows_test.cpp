#include "cogstride/rig/figures/figure_rows.hpp"

#include <gtest/gtest.h>

#include <cmath>
#include <set>

#include "cogstride/quantity/literals.hpp"
#include "cogstride/rig/figures/derive.hpp"
#include "support/demo_rig.hpp"

namespace cogstride::figure_rows_test {
namespace {

using namespace literals;

/// All figures of one mechanism of the demo rig by name.
class Figures {
 public:
  explicit Figures(std::vector<FigureRow> rows) : rows_(std::move(rows)) {}
  Figures(const Rig& rig, const char* name) : Figures(figure_rows(rig, mechanism_named(rig, name))) {}

  [[nodiscard]] FigureValue value(const std::string& name) const {
    for (const FigureRow& row : rows_)
      for (const auto& [key, each] : row.values)
        if (key == name) return each;
    ADD_FAILURE() << name << " is not among the figures";
    return std::int64_t{0};
  }
  [[nodiscard]] double number(const std::string& name) const { return std::get<double>(value(name)); }
  [[nodiscard]] Ratio exact(const std::string& name) const { return std::get<Ratio>(value(name)); }
  [[nodiscard]] std::string text(const std::string& label) const {
    for (const FigureRow& row : rows_)
      if (row.label == label) return row.text;
    ADD_FAILURE() << label << " is not among the rows";
    return "";
  }

 private:
  std::vector<FigureRow> rows_;
};

TEST(FigureRows, OfTheTraverse) {
  const Rig rig = testing_support::demo_rig();
  const Figures figures(rig, "traverse");
  EXPECT_EQ(figures.exact("steps_per_mm"), Ratio(800, 3));
  EXPECT_DOUBLE_EQ(figures.number("top_rate_steps_per_s"), 16'000);
  EXPECT_DOUBLE_EQ(figures.number("interval_ticks"), 3000);
  EXPECT_NEAR(figures.number("speed_of_next_interval_mm_per_s"), 60.0 * 3000 / 3001, 1e-9);
  EXPECT_NEAR(figures.number("speed_of_previous_interval_mm_per_s"), 60.0 * 3000 / 2999, 1e-9);
  EXPECT_DOUBLE_EQ(figures.number("electrical_Hz"), 16'000.0 / 8 / 4) << "four full steps a period";
  EXPECT_EQ(figures.exact("steps_per_leader_turn"), Ratio(1120, 3)) << "1.4 mm a turn";
  EXPECT_NEAR(figures.number("gate_noise_steps"), 0.4e-3 * 800 / 3, 1e-12);
  EXPECT_EQ(figures.text("leads"), "A+ black, A- green, B+ red, B- blue");
  EXPECT_NEAR(figures.number("board_rise_K"), 8.0 * 4.0 / pi * 1.6 * 0.8, 1e-9);
}

TEST(FigureRows, OfTheCreelItsStationsAreExact) {
  const Figures figures(testing_support::demo_rig(), "creel");
  EXPECT_EQ(std::get<std::int64_t>(figures.value("stations")), 8);
  EXPECT_NE(figures.text("stations").find("45 deg apart = 127687/396"), std::string::npos)
      << figures.text("stations");
  EXPECT_NE(figures.text("station").find("acts from -2.5 deg to 2.5 deg"), std::string::npos);
  EXPECT_EQ(figures.text("travel"), "endless");
}

TEST(FigureRows, OfTheSpindle) {
  const Figures figures(testing_support::demo_rig(), "spindle");
  EXPECT_DOUBLE_EQ(figures.number("electrical_Hz"), 210.0) << "7 pole pairs, 30 turns a second";
  EXPECT_EQ(figures.exact("turns_counts_per_deg"), Ratio(2000, 360));
  EXPECT_DOUBLE_EQ(figures.number("turns_top_rate_counts_per_s"), 60'000);
  EXPECT_EQ(std::get<std::int64_t>(figures.value("pwm_counts")), 1200);
  EXPECT_NEAR(figures.number("pwm_bits"), std::log2(1200.0), 1e-12);
  EXPECT_DOUBLE_EQ(figures.number("current_a_V_per_A"), 0.1) << "5 milliohm, gain 20";
  EXPECT_NEAR(figures.number("current_a_A_per_code"), 3.3 / 4095 / 0.1, 1e-12);
  // By six steps 4 A give (3 / pi) 0.06 4 = 0.229 N m; friction takes 0.015.
  EXPECT_NEAR(figures.number("torque_left_Nm"), 3.0 / pi * 0.06 * 4 - 0.015, 1e-9);
  EXPECT_EQ(figures.text("top speed"), "1800 rpm");
}

TEST(FigureRows, OfTheFeeder) {
  const Figures figures(testing_support::demo_rig(), "feeder");
  EXPECT_EQ(figures.exact("motor_turns_per_turn"), Ratio(19, 4));
  EXPECT_NEAR(figures.number("motor_rpm"), 2850, 1e-9);
  EXPECT_EQ(figures.exact("disc_counts_per_deg"), Ratio(228, 360));
  EXPECT_NEAR(figures.number("start_duty_share"), 0.1325, 1e-4);
  EXPECT_NEAR(figures.number("top_speed_duty_share"), 0.9008, 1e-4);
  EXPECT_NEAR(figures.number("spin_down_s"), 1.98, 0.01);
}

TEST(FigureRows, OfWhatTakesAPulseWidth) {
  const Rig rig = testing_support::demo_rig();
  const Figures snips(rig, "snips");
  EXPECT_NEAR(snips.number("pulse_s_per_deg"), 1.14e-3 / 168, 1e-12);
  EXPECT_NEAR(snips.number("travel_to_pulse_s"), 0.92e-3 + 70.0 / 168 * 1.14e-3, 1e-12);
  EXPECT_NEAR(snips.number("travel_s"), 0.14, 1e-12);
  EXPECT_NEAR(snips.number("count_s"), 16.0 / 48e6, 1e-15) << "a count of the timer with its prescaler";
  EXPECT_NEAR(snips.number("dead_band_deg"), 4e-6 / (1.14e-3 / 168), 1e-9);
  Rig turned = rig;
  turned.mechanisms[5].reversed = true;
  EXPECT_NEAR(Figures(turned, "snips").number("travel_to_pulse_s"), 2.06e-3 - 70.0 / 168 * 1.14e-3, 1e-12)
      << "counted from the longest pulse";
  const Figures fan(rig, "fan");
  EXPECT_NEAR(fan.number("start_pulse_s"), 1.06e-3, 1e-12);
  EXPECT_NEAR(fan.number("arming_s"), 2.0, 1e-12);
}

TEST(FigureRows, OfABatterySayHowLongItLasts) {
  Rig rig = testing_support::demo_rig();
  rig.supplies[1].charge = Charge(2.2, units::Ah);
  const std::vector<FigureRow> rows = figure_rows(rig, rig.supplies[1]);
  const Figures figures(rows);
  const double running = supply_draw(mechanism_named(rig, "creel")).running + 0.01;
  EXPECT_NEAR(figures.number("run_h"), 2.2 / running, 1e-9);
  EXPECT_NEAR(figures.number("running_A"), running, 1e-12);
  EXPECT_EQ(figure_rows(rig, rig.supplies[0]).size(), 1u) << "no battery";
}

TEST(FigureRows, OfTheControllerAddUpItsLines) {
  const Figures figures(controller_rows(testing_support::demo_rig()));
  EXPECT_EQ(std::get<std::int64_t>(figures.value("outputs")), 19);
  EXPECT_EQ(std::get<std::int64_t>(figures.value("inputs")), 15);
  const double sum = 3 * 2.1 / 270 + 4 * 2.6 / 2700 + 6 * 3.3 / 1000 + 5 * 3.3 / 10'000 + 0.008;
  EXPECT_NEAR(figures.number("all_lines_current_A"), sum, 1e-12);
}

TEST(FigureRows, NameEachFigureOnce) {
  const Rig rig = testing_support::demo_rig();
  for (const Mechanism& mechanism : rig.mechanisms) {
    std::set<std::string> names;
    for (const FigureRow& row : figure_rows(rig, mechanism)) {
      EXPECT_FALSE(row.text.empty()) << row.label;
      for (const auto& [name, value] : row.values) EXPECT_TRUE(names.insert(name).second) << name;
    }
    EXPECT_GE(names.size(), 5u) << mechanism.name;
  }
}

TEST(FigureRows, OfAReversedMechanismSaySo) {
  Rig rig = testing_support::demo_rig();
  rig.mechanisms[0].reversed = true;
  EXPECT_EQ(parts_text(rig.mechanisms[0]),
            "bipolar stepper, STEP/DIR board at 8 microsteps, belt 18:24, screw of 8 mm lead, reversed");
  EXPECT_EQ(parts_text(rig.mechanisms[3]), "brushed motor, two-input H-bridge, gears 4:19");
}

TEST(FigureRows, ShowTimesAndSpeedsInTheUnitThatSuits) {
  EXPECT_EQ(seconds_text(0.0), "0.0000 s");
  EXPECT_EQ(seconds_text(2.5), "2.5000 s");
  EXPECT_EQ(seconds_text(0.0373), "37.3 ms");
  EXPECT_EQ(seconds_text(2.2e-6), "2.2 us");
  EXPECT_EQ(seconds_text(20.8e-9), "20.8 ns");
  const Rig rig = testing_support::demo_rig();
  EXPECT_EQ(speed_text(rig.mechanisms[2], OutputSpeed(1800_rpm)), "1800 rpm");
  EXPECT_EQ(speed_text(rig.mechanisms[1], OutputSpeed(40_deg_per_s)), "40 deg/s");
  EXPECT_EQ(speed_text(rig.mechanisms[0], 0.06), "60 mm/s");
}

}  // namespace
}  // namespace cogstride::figure_rows_test
