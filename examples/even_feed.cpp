// The feeder feeds yarn at a held speed while its tension goes up and down: the encoder of its motor closes
// a loop, whose gains follow from the motor. The printed speed is the one that the encoder tells.
#include <cogstride/cogstride.hpp>
#include <cstdio>
#include <exception>

using namespace cogstride::literals;

int main(int count, char** words) try {
  const cogstride::Torque tight(0.063, cogstride::units::Nm), slack(0.021, cogstride::units::Nm);
  cogstride::SimulatedBench bench{cogstride::read_rig(count > 1 ? words[1] : "demo/bobbin.rig.toml"),
                                  {.events = {{.at = 2_s, .what = "feeder.load", .torque = tight},
                                              {.at = 3_s, .what = "feeder.load", .torque = slack}}}};
  auto feeder = bench.brushed("feeder");
  feeder.spin({.at = 300_rpm}).wait();  // done when it has come to its speed

  for (int i = 0; i < 8; ++i) {
    bench.serve(500_ms);
    std::printf("%.1f s: duty %2.0f %%, %5.1f rpm\n", bench.now().in(cogstride::units::s),
                feeder.duty().in(cogstride::units::percent),
                feeder.measured().speed.in(cogstride::units::rpm));
  }
  feeder.stop().wait();
  std::printf("fed %.2f turns\n", feeder.measured().position->base.to_double());
} catch (const std::exception& error) {
  std::fprintf(stderr, "%s\n", error.what());
  return 1;
}
