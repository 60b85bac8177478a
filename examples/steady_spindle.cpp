// The spindle holds 900 rpm by its Hall sensors while the yarn's drag comes and goes.
#include <cogstride/cogstride.hpp>
#include <cstdio>
#include <exception>

using namespace cogstride::literals;

int main(int count, char** words) try {
  const cogstride::Torque drag(0.1, cogstride::units::Nm), none(0.0, cogstride::units::Nm);
  cogstride::SimulatedBench bench{cogstride::read_rig(count > 1 ? words[1] : "demo/bobbin.rig.toml"),
                                  {.events = {{.at = 3_s, .what = "spindle.load", .torque = drag},
                                              {.at = 4_s, .what = "spindle.load", .torque = none}}}};
  auto spindle = bench.brushless("spindle");
  spindle.spin({.at = 900_rpm}).wait();
  bench.serve(2.5_s - bench.now());
  for (int i = 0; i < 8; ++i) {
    bench.serve(250_ms);
    std::printf("%.2f s: duty %2.0f %%, %3.0f rpm\n", bench.now().in(cogstride::units::s),
                spindle.duty().in(cogstride::units::percent), bench.signal("spindle.speed"));
  }
  spindle.stop().wait();
} catch (const std::exception& error) {
  std::fprintf(stderr, "%s\n", error.what());
  return 1;
}
