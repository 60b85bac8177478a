// A ring goes on by one pin for each turn of a master speed; how many pins it has is set by hand, while it
// runs.
#include <cogstride/cogstride.hpp>
#include <cstdio>
#include <string>

using namespace cogstride;
using namespace cogstride::literals;

int main(int count, char** words) {
  const std::string rig_file = count > 1 ? words[1] : "demo/bobbin.rig.toml";
  try {
    Rig rig = read_rig(rig_file);
    Shaft pace;  // nothing turns: a speed that only this program knows
    pace.name = "pace";
    pace.speed = 60_rpm;
    pace.acceleration = OutputAcceleration{OutputKind::rotary, Ratio(1)};
    rig.shafts.push_back(pace);
    SimulatedBench bench{rig};
    auto creel = bench.stepper("creel");
    creel.home().wait();

    const auto pins = [](int many) {
      Following to;
      to.first = {.leader = "pace", .by = {OutputKind::rotary, Ratio(1, many)}};
      return to;
    };
    auto ring = bench.gear("creel", {.to = pins(24)});
    const auto six_turns = [&] {
      bench.shaft("pace").spin({.at = 24_rpm, .by = OutputPosition(6_turn)}).wait();
      bench.serve(0.2_s);
    };
    six_turns();
    std::printf("24 pins: six turns of the pace are %s\n", to_text(*creel.position()).c_str());

    ring.change(pins(36));  // a hand has set another number
    six_turns();
    std::printf("36 pins: and six more lead to %.4f deg, to a step\n",
                360.0 * creel.position()->base.to_double());
    ring.let_go();
  } catch (const Error& error) {
    std::fprintf(stderr, "%s\n", error.what());
    return 1;
  }
}
