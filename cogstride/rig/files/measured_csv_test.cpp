#include "cogstride/rig/files/measured_csv.hpp"

#include <gtest/gtest.h>

#include "cogstride/rig/diagnostic.hpp"
#include "support/demo_rig.hpp"

namespace cogstride::measured_csv_test {
namespace {

using testing_support::demo_rig;

MeasuredCsv parse(const std::string& text) {
  return parse_measured(text, "run.csv", mechanism_named(demo_rig(), "feeder"));
}

std::string wrong_in(const std::string& text) {
  try {
    (void)parse(text);
  } catch (const InputError& error) {
    return error.what();
  }
  return "";
}

TEST(MeasuredCsv, TakesColumnsByNameAndUnitInAnyOrder) {
  const MeasuredCsv read = parse(
      "# the feeder, on the bench\n"
      "speed_rpm, time_ms , current_mA,duty_percent,temperature_degC\n"
      "\n"
      "0,0,0,0,24.5\n"
      "60,500,850,40,\n"
      "120,1000,,80,26\r\n");
  const MeasuredTable& table = read.table;
  ASSERT_EQ(table.rows.size(), 3u);
  EXPECT_TRUE(table.has_time && table.has_speed && table.has_current && table.has_rise);
  EXPECT_FALSE(table.is_voltage);
  EXPECT_DOUBLE_EQ(table.rows[1].time, 0.5);
  EXPECT_DOUBLE_EQ(table.rows[1].drive, 0.4);
  EXPECT_DOUBLE_EQ(*table.rows[1].current, 0.85);
  EXPECT_NEAR(*table.rows[1].speed, 2.0 * pi * 19.0 / 4.0, 1e-12) << "of the output: the motor turns faster";
  EXPECT_FALSE(table.rows[1].rise);
  EXPECT_DOUBLE_EQ(*table.rows[2].rise, 1.5);
  EXPECT_FALSE(table.rows[2].current);
}

TEST(MeasuredCsv, TakesWhatRehearseWrites) {
  const MeasuredCsv read = parse(
      "tick,time_s,traverse.speed_mm_per_s,feeder.duty_percent,feeder.made_deg,feeder.speed_rpm,feeder."
      "current_A\n"
      "0,0.000000,1,0,0,0,0\n4800,0.000100,1,20,0,1,0.5\n");
  EXPECT_EQ(read.table.rows.size(), 2u);
  EXPECT_DOUBLE_EQ(*read.table.rows[1].current, 0.5);
  EXPECT_EQ(read.unused, std::vector<std::string>{"feeder.made_deg"});
}

TEST(MeasuredCsv, TakesTheMotorsOwnSpeedAndAVoltage) {
  const MeasuredCsv read = parse("voltage_V,motor_speed_rpm\n12,1500\n24,3300\n");
  EXPECT_TRUE(read.table.is_voltage);
  EXPECT_FALSE(read.table.has_time);
  EXPECT_NEAR(*read.table.rows[0].speed, 50.0 * pi, 1e-12);
}

TEST(MeasuredCsv, GuessesWhatAColumnWasToBe) {
  EXPECT_NE(wrong_in("time_s,duty_percent,curent_A\n")
                .find("run.csv:1:21: column 'curent_A' is not known here; did you "
                      "mean current_A?"),
            std::string::npos);
  EXPECT_NE(wrong_in("duty_percent,motr_speed_rpm\n").find("did you mean motor_speed_rpm?"),
            std::string::npos);
  EXPECT_NE(wrong_in("duty_percent,speed_rpm,weather\n")
                .find("column 'weather' is not known here; there are time_s"),
            std::string::npos);
}

TEST(MeasuredCsv, PointsAtWhatIsWrong) {
  EXPECT_NE(wrong_in("").find("no header"), std::string::npos);
  EXPECT_NE(wrong_in("time_s,speed_rpm\n0,1\n")
                .find("run.csv:1:1: the columns say nothing of what the motor was given"),
            std::string::npos);
  EXPECT_NE(wrong_in("duty_percent,voltage_V\n").find("both a duty and a voltage"), std::string::npos);
  EXPECT_NE(wrong_in("duty_percent, speed\n")
                .find("run.csv:1:15: column 'speed' has no unit; write it as speed_rpm"),
            std::string::npos);
  EXPECT_NE(wrong_in("duty_percent,current_rpm\n").find("'rpm' is no unit for it; write it as current_A"),
            std::string::npos);
  EXPECT_NE(wrong_in("duty_percent,speed_mm_per_s\n").find("write it as speed_rpm"), std::string::npos)
      << "its output turns";
  EXPECT_NE(
      wrong_in("duty_percent,speed_rpm\n20,fast\n").find("run.csv:2:4: found 'fast'; expected a number"),
      std::string::npos);
  EXPECT_NE(wrong_in("duty_percent,speed_rpm\n20\n").find("run.csv:2:1: this row has 1 cells"),
            std::string::npos);
  EXPECT_NE(wrong_in("duty_percent,speed_rpm\n120,3\n").find("120 is more than full duty"),
            std::string::npos);
  EXPECT_NE(wrong_in("time_s,duty_percent\n0,20\n0,20\n").find("run.csv:3:1: the time of this row"),
            std::string::npos);
  EXPECT_NE(wrong_in("time_s,duty_percent\n,20\n").find("this row has no time"), std::string::npos);
  EXPECT_NE(wrong_in("time_s,duty_percent\n0,\n").find("does not say what the motor was given"),
            std::string::npos);
}

}  // namespace
}  // namespace cogstride::measured_csv_test
