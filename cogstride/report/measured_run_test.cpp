// Tables of a real machine held against signals of a run that are known in closed form.
#include "cogstride/report/measured_run.hpp"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <unistd.h>

#include <cmath>
#include <filesystem>
#include <limits>

#include "cogstride/files/output_file.hpp"

namespace cogstride::measured_run_test {
namespace {

constexpr double unknown = std::numeric_limits<double>::quiet_NaN();

/// A table in a file of its own, held against a run of 2 s: speed 10 t rpm, current 2 A, rise not known.
class Held {
 public:
  explicit Held(const std::string& table)
      : path_(
            (std::filesystem::temp_directory_path() / fmt::format("measured-{}.csv", ::getpid())).string()) {
    OutputFile file(path_);
    file.write(table);
    file.commit();
  }
  ~Held() { std::filesystem::remove(path_); }

  std::vector<MeasuredSignal> against_the_run() {
    MeasuredOver over(path_, "drum");
    TraceLayout layout;
    layout.ticks_per_second_numerator = 1000;
    layout.signals = {
        {"drum.speed", "rpm"}, {"drum.current", "A"}, {"drum.motor_rise", "K"}, {"fan.asked", "%"}};
    over.begin(layout);
    for (Tick at = 0; at <= 2000; at += 100) {
      const double values[] = {10.0 * static_cast<double>(at) / 1000.0, 2.0, unknown, 50.0};
      over.sample(at, values);
    }
    over.end(2000);
    return over.signals();
  }
  std::string refusal() {
    try {
      (void)against_the_run();
    } catch (const InputError& error) {
      return std::string(error.what()).substr(path_.size());
    }
    return "taken";
  }

 private:
  std::string path_;
};

TEST(MeasuredRun, IsHeldAgainstWhatWasRehearsedAtTheSameInstant) {
  // Half way between two samples the run is straight; units are turned into those of the run.
  const auto signals = Held(
                           "# by a logger\n"
                           "time_ms, speed_deg_per_s, current_mA, fan.throttle_percent\n"
                           "50, 6, 2100,\n"
                           "1000, 60, 1900, 51\n"
                           "1950, 117, , 51\n"
                           "2500, 120, 2000, 51\n")
                           .against_the_run();
  ASSERT_EQ(signals.size(), 3u);
  EXPECT_EQ(signals[0].name, "drum.speed");
  EXPECT_EQ(signals[0].points.size(), 4u);
  EXPECT_EQ(signals[0].compared, 3u);
  // 6 deg/s are 1 rpm and the run has 0.5; 10 and 10; 19.5 and 19.5.
  EXPECT_NEAR(signals[0].most, 0.5, 1e-9);
  EXPECT_NEAR(signals[0].most_at, 0.05, 1e-9);
  EXPECT_NEAR(signals[0].mean_off, 0.5 / 3.0, 1e-9);
  EXPECT_NEAR(signals[0].rms, 0.5 / std::sqrt(3.0), 1e-9);
  EXPECT_NEAR(signals[1].mean_off, 0.0, 1e-12);
  EXPECT_NEAR(signals[1].rms, 0.1, 1e-12);
  EXPECT_EQ(signals[2].name, "fan.asked");
  EXPECT_NEAR(signals[2].mean_off, 1.0, 1e-12);
  EXPECT_NE(agreement_words(signals[0]).find("3 readings (1 more cannot be held against it)"),
            std::string::npos)
      << agreement_words(signals[0]);
}

TEST(MeasuredRun, ATemperatureIsARiseOverItsFirstRow) {
  const auto signals = Held("time_s,temperature_degC\n0,21.5\n1,23\n").against_the_run();
  ASSERT_EQ(signals.size(), 1u);
  EXPECT_EQ(signals[0].points[1].second, 1.5);
  EXPECT_EQ(signals[0].compared, 0u);
  EXPECT_NE(agreement_words(signals[0]).find("not known there"), std::string::npos);
}

TEST(MeasuredRun, PointsToWhatCannotBeTaken) {
  EXPECT_EQ(
      Held("time_s,curent_A\n0,1\n").refusal().rfind(":1:8: column 'curent_A': drum has no such signal", 0),
      0u);
  EXPECT_NE(Held("time_s,curent_A\n0,1\n").refusal().find("did you mean current?"), std::string::npos);
  EXPECT_NE(Held("time_s,current_V\n0,1\n").refusal().find("'V' is no unit for it; it is rehearsed in A"),
            std::string::npos);
  EXPECT_NE(Held("time_s,current\n0,1\n").refusal().find("has no unit at its end"), std::string::npos);
  EXPECT_NE(Held("current_A\n1\n").refusal().find("name one time_s"), std::string::npos);
  EXPECT_NE(Held("time_s,current_A\n0,1\n0,1\n").refusal().find(":3:1: the time of this row"),
            std::string::npos);
  EXPECT_NE(Held("time_s,current_A\n0,1,2\n").refusal().find("this row has 3 cells"), std::string::npos);
  EXPECT_NE(Held("time_s,current_A\n0,one\n").refusal().find(":2:3: found 'one'"), std::string::npos);
  EXPECT_NE(Held("time_s,loom.current_A\n0,1\n").refusal().find("nothing of 'loom' is rehearsed"),
            std::string::npos);
  EXPECT_NE(Held("time_s,current_A\n").refusal().find("no row below its header"), std::string::npos);
  EXPECT_NE(Held("").refusal().find("the file has no header"), std::string::npos);
}

}  // namespace
}  // namespace cogstride::measured_run_test
