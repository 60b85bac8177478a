// The spindle without its Hall sensors: aligned, then stepped on faster and faster by six rows of gates.
#include <cogstride/cogstride.hpp>
#include <cstdio>
#include <exception>

using namespace cogstride::literals;

int main(int count, char** words) try {
  cogstride::Rig rig = cogstride::read_rig(count > 1 ? words[1] : "demo/bobbin.rig.toml");
  for (cogstride::Mechanism& mechanism : rig.mechanisms)
    if (mechanism.name == "spindle") mechanism.sensors.clear();
  cogstride::SimulatedBench bench{rig};
  auto spindle = bench.brushless("spindle");
  spindle.spin({.at = 300_rpm});
  for (int i = 0; i < 12; ++i) {
    bench.serve(500_ms);
    std::printf("%.1f s: wanted %3.0f rpm, turns at %4.0f rpm, phase A %+5.2f A\n",
                bench.now().in(cogstride::units::s), spindle.wanted_speed().in(cogstride::units::rpm),
                bench.signal("spindle.speed"), bench.signal("spindle.phase_a"));
  }
  spindle.stop().wait();
} catch (const std::exception& error) {
  std::fprintf(stderr, "%s\n", error.what());
  return 1;
}
