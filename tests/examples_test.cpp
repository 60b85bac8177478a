// The examples, run as a maker runs them: what they print is what their mechanisms do.
#include <gtest/gtest.h>

#include <regex>

#include "support/demo_rig.hpp"
#include "support/run_command.hpp"

namespace {

using cogstride::testing_support::demo_rig_path;
using cogstride::testing_support::Ran;
using cogstride::testing_support::run;

std::string output_of(const std::string& example, const std::string& rig = demo_rig_path) {
  const Ran ran = run(std::string(COGSTRIDE_EXAMPLES_DIR "/") + example + " " + rig);
  EXPECT_EQ(ran.status, 0) << ran.out;
  return ran.out;
}

void expect_lines(const std::string& out, const std::vector<std::string>& patterns) {
  for (const std::string& pattern : patterns)
    EXPECT_TRUE(std::regex_search(out, std::regex(pattern))) << pattern << "\nin\n" << out;
}

TEST(Examples, HomeAndShuttleEndsWhereItShould) {
  expect_lines(output_of("home_and_shuttle"),
               {"homed after 4\\.\\d\\d s, stands at 0 mm\n", "layer 3 laid after 17\\.\\d\\d s",
                "stands at (11\\.99|12\\.00)\\d mm, 0 microsteps lost"});
}

TEST(Examples, TheCreelGoesByTheShortWay) {
  expect_lines(output_of("creel_by_the_short_way"), {"cone 5: turned in 4\\.0\\d s, stands at -135 deg\n",
                                                     "cone 0: turned in 1\\.7\\d s, stands at -360 deg\n",
                                                     "clockwise to 225 deg: stands at -135 deg\n"});
}

TEST(Examples, TwoAtOnceArriveTogetherAtTheSlowerOnesTime) {
  const std::string out = output_of("two_at_once");
  expect_lines(
      out, {"side by side: traverse 1\\.60\\d s, creel (\\d\\.\\d+) s", "traverse at 12 mm, creel at 0 deg"});
  std::smatch times;
  ASSERT_TRUE(std::regex_search(out, times, std::regex("together: traverse ([0-9.]+) s, creel ([0-9.]+) s")));
  EXPECT_EQ(times[1], times[2]);
}

TEST(Examples, StopsInMidMoveLeaveATruePositionOrNone) {
  const std::string out = output_of("stop_in_mid_move");
  const std::regex stop(
      "(on a ramp|as hard as it can): ([0-9.]+) mm on, stands at ([0-9.]+) mm, really at ([0-9.]+) mm");
  std::vector<double> ways;
  for (std::sregex_iterator at(out.begin(), out.end(), stop), end; at != end; ++at) {
    ways.push_back(std::stod((*at)[2]));
    EXPECT_NEAR(std::stod((*at)[3]), std::stod((*at)[4]), 0.004);
  }
  ASSERT_EQ(ways.size(), 2u) << out;
  EXPECT_GT(ways[0], 2.0 * ways[1]) << "the hardest stop is much shorter";
  expect_lines(out, {"at 12\\.000 s: the emergency stop halt \\(line 38\\) is pressed\nposition not known"});
}

TEST(Examples, AnOwnLoopServesTheBench) {
  expect_lines(output_of("own_loop"), {"4\\.0\\d s: pedal down, the creel spins", "5\\.0\\d s: faster",
                                       "7\\.\\d\\d s: pedal up, stopped at \\d+\\.\\d deg"});
}

TEST(Examples, UpHoldReverse) {
  expect_lines(output_of("up_hold_reverse"),
               {" 1\\.00 s: up +duty   60 %,  3[34]\\d rpm", " 2\\.00 s: held +duty   60 %,  37\\d rpm",
                " 7\\.50 s: the other way +duty  -60 %, -43\\d rpm",
                "10\\.50 s: stopped +duty    0 %, +-?0 rpm", "at the most 1\\.\\d\\d A"});
}

TEST(Examples, EvenFeed) {
  expect_lines(
      output_of("even_feed"),
      {"1\\.8 s: duty 5[01] %, (299|300|301)\\.\\d rpm", "2\\.3 s: duty 5[45] %, (299|300|301)\\.\\d rpm",
       "3\\.3 s: duty 4[67] %, (299|300|301)\\.\\d rpm", "fed 2[01]\\.\\d\\d turns"});
}

TEST(Examples, TheFanBlowsHarderAndHarder) {
  expect_lines(output_of("clear_the_lint"),
               {"armed after 2\\.0\\d s", "throttle 40 %: turns at (39|40) % of full speed",
                "throttle 70 %: turns at (69|70) % of full speed, takes 0\\.1[56] A"});
}

TEST(Examples, TheSnipsCutAndOpenSlowly) {
  expect_lines(output_of("snip_the_yarn"),
               {"0\\.\\d\\d s: open at 0\\.\\d deg\n", ": cut at (69|70)\\.\\d deg\n",
                "2\\.\\d\\d s: open at 0\\.\\d deg\n"});
}

TEST(Examples, TheCartComesHomeAsItThinks) {
  const Ran ran = run(std::string(COGSTRIDE_EXAMPLES_DIR "/square_and_home ") +
                      cogstride::testing_support::cart_rig_path);
  EXPECT_EQ(ran.status, 0);
  expect_lines(ran.out, {"corner 1: thinks \\( 800,   +-?0\\) mm, stands",
                         "corner 4: thinks \\( +-?[01], +-?[01]\\) mm, stands \\("});
}

TEST(Examples, TheSpindleHoldsItsSpeedThroughALoadStep) {
  expect_lines(output_of("steady_spindle"), {"2\\.75 s: duty 2[0-3] %, (899|900|901) rpm",
                                             "3\\.50 s: duty (29|30|31) %, (899|900|901) rpm",
                                             "4\\.50 s: duty 2[0-4] %, (89[89]|90[0-2]) rpm"});
}

TEST(Examples, TheSpindleStartsWithoutItsSensors) {
  expect_lines(output_of("open_loop_spindle"),
               {"0\\.5 s: wanted +0 rpm", "3\\.0 s: wanted 300 rpm, turns at +(29|30|31)\\d rpm",
                "6\\.0 s: wanted 300 rpm, turns at +(29|30|31)\\d rpm"});
}

TEST(Examples, TheReelIsCaughtByItsBackEmf) {
  expect_lines(
      output_of("reel_without_sensors", COGSTRIDE_SOURCE_DIR "/demo/skein.rig.toml"),
      {"2\\.00 s: aligned, wanted +-?0 rpm, turns at +-?0 rpm", "2\\.70 s: stepped, wanted +\\d\\d rpm",
       "s: caught and held, wanted 300 rpm, turns at (29[5-9]|30[0-5]) rpm",
       "s: faster, wanted 400 rpm, turns at (39[5-9]|40[0-5]) rpm",
       "s: stopped, wanted +0 rpm, turns at +-?[0-9] rpm"});
}

TEST(Examples, APortOfOnesOwnGetsEveryStep) {
  expect_lines(output_of("own_port"), {"stands at 6 mm\n", "1600 pulses went out"});
}

TEST(Examples, KnobToSpeed) {
  expect_lines(output_of("knob_to_speed"), {"2\\.\\d s: knob at 100 %, duty 100 %, 67\\d rpm",
                                            "5\\.\\d s: knob at  1\\d %, duty  28 %, 12\\d rpm",
                                            "8\\.\\d s: knob at   0 %, duty   0 %, +\\d rpm"});
}

}  // namespace
