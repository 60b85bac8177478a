// A drum geared to a reel that another machine turns, by gears of 28 and 75 teeth that nobody had to cut.
#include <cogstride/cogstride.hpp>
#include <cstdio>
#include <string>

using namespace cogstride;
using namespace cogstride::literals;

int main(int count, char** words) {
  const std::string rig_file = count > 1 ? words[1] : "demo/bobbin.rig.toml";
  try {
    Rig rig = read_rig(rig_file);
    Shaft reel;  // on an old machine of the workshop; its encoder is ours
    reel.name = "reel";
    reel.speed = 60_rpm;
    reel.encoder = Encoder{.name = "turns", .line_a = 40, .line_b = 41, .lines_per_turn = 360};
    rig.shafts.push_back(reel);
    rig.controller.counters->count = 3;

    // Somebody treads it: up to 40 rpm, a moment the other way, still.
    SimulatedBench bench{rig,
                         {.events = {{.at = 0.5_s, .what = "reel", .speed = OutputSpeed(40_rpm), .in = 1_s},
                                     {.at = 5_s, .what = "reel", .speed = OutputSpeed(-10_rpm), .in = 0.5_s},
                                     {.at = 6_s, .what = "reel", .speed = OutputSpeed(0_rpm), .in = 0.2_s}}}};
    GearOrder order;
    order.to.first = {.leader = "reel", .by = {OutputKind::rotary, Ratio(28, 75)}};
    order.to.may_fall_behind = 20_deg;
    auto drum = bench.gear("feeder", order);
    bench.serve(7_s);
    std::printf("the reel made %s turns, and the drum 28/75 of them, %.2f counts off\n",
                to_text(drum.phase()).c_str(), drum.lag_in_steps());
    drum.let_go();
  } catch (const Error& error) {
    std::fprintf(stderr, "%s\n", error.what());
    return 1;
  }
}
