// Steppers whose coils the controller switches, on the simulated bench.
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <string>
#include <vector>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/plan/stepper_torque.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/inside.hpp"
#include "support/trials.hpp"

namespace cogstride::coil_bench_test {
namespace {

using namespace literals;

/// The creel alone, standing at 0 when it is switched on.
Rig creel_rig(Stepping stepping = Stepping::full) {
  Rig rig = testing_support::demo_rig();
  Mechanism creel = mechanism_named(rig, "creel");
  creel.homing.reset();
  creel.sensors.clear();
  std::get<TransistorArray>(creel.board).stepping = stepping;
  creel.steps_per_turn.reset();
  rig = alone_on(rig, creel);
  return rig;
}

double degrees(SimulatedBench& bench) {
  return 360.0 * bench.plant("creel").position();
}

TEST(CoilBench, BringsConeFiveRoundByTheShortWay) {
  for (const Stepping stepping : {Stepping::full, Stepping::wave, Stepping::half}) {
    SimulatedBench bench(creel_rig(stepping));
    auto creel = bench.stepper("creel");
    creel.move({.to = OutputPosition(-135_deg), .speed = OutputSpeed(30_deg_per_s)}).wait();
    bench.serve(0.5_s);
    EXPECT_NEAR(degrees(bench), -135.0, 0.15) << "within a step, 0.14 deg";
    EXPECT_TRUE(bench.verdict().is_sound());
    EXPECT_EQ(creel.position(), OutputPosition(-135_deg));
    // A whole turn, exactly by its teeth: 24 x 127687 / 1188 full steps.
    creel.move({.by = OutputPosition(360_deg), .speed = OutputSpeed(30_deg_per_s)}).wait();
    bench.serve(0.5_s);
    EXPECT_NEAR(degrees(bench), 225.0, 0.15);
    const double steps = 225.0 / 360.0 * 24.0 * 127687.0 / 1188.0 * (stepping == Stepping::half ? 2.0 : 1.0);
    EXPECT_EQ(bench.verdict().of("creel").figure("net_steps"), std::lround(steps));
    // Back by 135 degrees and on by a turn: each step is one, however many of its lines change.
    const double made = steps / 225.0 * (135.0 + 360.0);
    EXPECT_NEAR(bench.verdict().of("creel").figure("pulses"), made, 1.0);
  }
}

TEST(CoilBench, HoldsWithItsCoilsOnAndRestsWithThemOff) {
  SimulatedBench bench(creel_rig());
  const std::array lines{LineId{8}, LineId{9}, LineId{10}, LineId{11}};
  const auto on = [&] {
    return std::count_if(lines.begin(), lines.end(),
                         [&](LineId line) { return bench.simulated_lines().level(line); });
  };
  EXPECT_EQ(on(), 0) << "off first";
  bench.stepper("creel").move({.to = OutputPosition(10_deg)}).wait();
  EXPECT_EQ(on(), 2) << "two phases on, standing";
  EXPECT_NEAR(std::abs(bench.plant("creel").current_a()), 4.2 / 34.0, 0.01);
  bench.stop();
  EXPECT_EQ(on(), 0) << "and off last";
}

TEST(CoilBench, AMoveThatIsTakenBackStopsOnARampAndKnowsWhereItStands) {
  SimulatedBench bench(creel_rig());
  auto creel = bench.stepper("creel");
  auto long_way = creel.move({.to = OutputPosition(180_deg)});
  bench.serve(2_s);
  long_way.cancel();
  (void)long_way.result();
  bench.serve(0.5_s);
  const double stands = creel.position()->base.to_double() * 360.0;
  EXPECT_GT(stands, 30.0);
  EXPECT_LT(stands, 120.0);
  EXPECT_NEAR(degrees(bench), stands, 0.15);
  creel.move({.to = OutputPosition(0_deg)}).wait();
  bench.serve(0.5_s);
  EXPECT_NEAR(degrees(bench), 0.0, 0.15) << "no step lost on the way";
}

TEST(CoilBench, StartedTooFastItStaysBehind) {
  Rig rig = creel_rig();
  Mechanism& creel = rig.mechanisms[0];
  // Well above what it can jump to.
  const double jump = 2.5 * pull_in_speed(creel);
  creel.limits.start_speed = {OutputKind::rotary, Ratio(std::llround(jump * 1e6), 1'000'000)};
  creel.limits.speed = creel.limits.start_speed;
  SimulatedBench bench(rig);
  bench.stepper("creel").move({.to = OutputPosition(90_deg)}).wait();
  bench.serve(0.5_s);
  EXPECT_LT(std::abs(degrees(bench)), 45.0);
  EXPECT_FALSE(bench.verdict().is_sound());
}

enum class Turns { forwards, backwards, neither, nobody_knows };

/// What the field does, by adding up the coil ends that are really on in each step of a period.
Turns field_turns(const std::array<int, 4>& order, Stepping stepping) {
  constexpr std::array<double, 4> degrees_of_end{0.0, 180.0, 90.0, 270.0};  // A+, A-, B+, B-
  const std::array<std::vector<int>, 3> periods{
      {{0b0001, 0b0100, 0b0010, 0b1000},
       {0b0101, 0b0110, 0b1010, 0b1001},
       {0b0101, 0b0100, 0b0110, 0b0010, 0b1010, 0b1000, 0b1001, 0b0001}}};
  const std::size_t mode = stepping == Stepping::wave ? 0 : stepping == Stepping::full ? 1 : 2;
  std::vector<double> angles;
  for (const int commanded : periods[mode]) {
    double x = 0.0;
    double y = 0.0;
    for (std::size_t line = 0; line < 4; ++line) {
      if ((commanded >> order[line] & 1) == 0)
        continue;  // line is taken for end order[line], and feeds end `line`
      x += std::cos(degrees_of_end[line] * pi / 180.0);
      y += std::sin(degrees_of_end[line] * pi / 180.0);
    }
    if (std::hypot(x, y) > 0.1) angles.push_back(std::atan2(y, x) * 180.0 / pi);
  }
  double way = 0.0;
  for (std::size_t i = 0; i < angles.size(); ++i) {
    const double jump = std::remainder(angles[(i + 1) % angles.size()] - angles[i], 360.0);
    if (std::abs(jump) > 179.0) return Turns::nobody_knows;
    way += jump;
  }
  if (std::abs(way) < 1.0) return Turns::neither;
  return way > 0.0 ? Turns::forwards : Turns::backwards;
}

/// What the rotor does when line i is taken for coil end `order[i]` while the terminals feed A+, A-, B+, B-,
/// asked to turn forwards or back.
Turns turned(const std::array<int, 4>& order, Stepping stepping, bool back = false) {
  Rig rig = creel_rig(stepping);
  Mechanism& creel = rig.mechanisms[0];
  auto& wiring = std::get<CoilWiring>(creel.wiring);
  std::get<TransistorArray>(creel.board).terminals = {CoilEnd::a_plus, CoilEnd::a_minus, CoilEnd::b_plus,
                                                      CoilEnd::b_minus};
  wiring.terminals = {8, 9, 10, 11};
  for (std::size_t i = 0; i < 4; ++i)
    wiring.coils[static_cast<std::size_t>(order[i])].number = 8 + static_cast<int>(i);
  SimulatedBench bench(rig);
  bench.stepper("creel")
      .move({.to = OutputPosition(back ? -20_deg : 20_deg), .speed = OutputSpeed(8_deg_per_s)})
      .wait();
  bench.serve(0.5_s);
  const double stands = degrees(bench);
  if (std::abs(stands - 20.0) < 1.0) return Turns::forwards;
  if (std::abs(stands + 20.0) < 1.0) return Turns::backwards;
  return Turns::neither;
}

TEST(CoilBench, SaysThatTheRotorDidNotFollowItsField) {
  Rig rig = creel_rig();
  Mechanism& creel = rig.mechanisms[0];
  auto& coils = std::get<CoilWiring>(creel.wiring).coils;
  std::swap(coils[1].number, coils[2].number);  // connector order; the terminals say how it is really wired
  SimulatedBench bench(rig);
  for (const ExactAngle to : {45_deg, -45_deg}) {  // it may go one way, but not both
    bench.stepper("creel").move({.to = OutputPosition(to), .speed = OutputSpeed(8_deg_per_s)}).wait();
    bench.serve(0.5_s);
  }
  const MoverVerdict verdict = bench.verdict().of("creel");
  ASSERT_FALSE(verdict.is_sound()) << verdict.sum;
  const double full_step = 360.0 / (24.0 * 127687.0 / 1188.0);
  EXPECT_GT(std::abs(verdict.figure("asked") - verdict.figure("made")), full_step);
}

// A turn of the field may begin anywhere, so 4 orders turn and 4 turn back, in every way of stepping. With
// the other 16 the field jumps by half a turn somewhere: the rotor shakes, or transients fling it on, one way
// only.
TEST(CoilBench, SortsTheTwentyFourOrdersOfFourLines) {
  for (const Stepping stepping : {Stepping::full, Stepping::wave, Stepping::half}) {
    if (stepping == Stepping::wave && !testing_support::runs_slow_tests()) continue;
    std::array<int, 4> order{0, 1, 2, 3};
    std::map<Turns, int> counts;
    int both_ways = 0;
    do {
      const Turns wanted = field_turns(order, stepping);
      ++counts[wanted];
      const Turns forth = turned(order, stepping);
      const Turns back = turned(order, stepping, true);
      const std::string name =
          fmt::format("{} stepping {}", fmt::join(order, ""), static_cast<int>(stepping));
      if (wanted == Turns::nobody_knows) {
        both_ways += forth == Turns::forwards && back == Turns::backwards ? 1 : 0;
      } else {
        EXPECT_EQ(forth, wanted) << name;
        EXPECT_NE(back, wanted) << name;
        EXPECT_NE(back, Turns::neither) << name;
      }
    } while (std::next_permutation(order.begin(), order.end()));
    EXPECT_EQ(counts[Turns::forwards], 4);
    EXPECT_EQ(counts[Turns::backwards], 4);
    EXPECT_EQ(counts[Turns::nobody_knows], 16);
    EXPECT_LE(both_ways, 4) << "few are flung on the right way both times";
  }
}

TEST(CoilBench, ADualBridgeWithCurrentControlTurnsTheSame) {
  Rig rig = testing_support::demo_rig_without_gate();
  Mechanism reel = rig.mechanisms[0];
  reel.name = "creel";  // as the helper looks for it
  reel.train = {};
  reel.hard_ends.reset();
  DualHBridge board;
  board.current_limit = 1.5_A;
  board.stage.drop = Voltage(0.8, units::V);
  reel.board = board;
  CoilWiring wiring;
  for (std::size_t i = 0; i < 4; ++i) wiring.coils[i].number = 20 + static_cast<int>(i);
  wiring.enable = DrivenLine{24};
  reel.wiring = wiring;
  reel.follows.reset();
  // So much friction that the swing of a whole step has died before the next one comes.
  reel.load.coulomb_friction = 0.08_Nm;
  reel.limits = {.speed = 10_rpm, .acceleration = 1000_deg_per_s2, .start_speed = 10_rpm};
  rig = alone_on(rig, reel);
  SimulatedBench bench(rig);
  bench.stepper("creel").move({.to = OutputPosition(540_deg)}).wait();
  bench.serve(0.5_s);
  EXPECT_NEAR(degrees(bench), 540.0, 0.5) << "within what friction holds back";
  EXPECT_TRUE(bench.simulated_lines().level(LineId{24})) << "ENABLE holds";
  EXPECT_NEAR(std::abs(bench.plant("creel").current_a()), 1.5, 0.1);
  EXPECT_TRUE(bench.verdict().is_sound());
  bench.stepper("creel").move({.to = OutputPosition(0_deg)}).wait();
  bench.serve(0.5_s);
  EXPECT_NEAR(degrees(bench), 0.0, 0.5);
}

}  // namespace
}  // namespace cogstride::coil_bench_test
