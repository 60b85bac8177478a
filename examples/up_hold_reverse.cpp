// A brushed motor by duty: up on a ramp, held, down, and the other way after the pause that its rig asks for.
// Reversed at speed, its back-EMF and the supply would add up in one small resistance.
#include <cogstride/cogstride.hpp>
#include <cstdio>
#include <exception>

using namespace cogstride::literals;

namespace {

void say(cogstride::SimulatedBench& bench, cogstride::BrushedHandle& feeder, const char* what) {
  std::printf("%5.2f s: %-22s duty %4.0f %%, %4.0f rpm\n", bench.now().in(cogstride::units::s), what,
              feeder.duty().in(cogstride::units::percent), feeder.measured().speed.in(cogstride::units::rpm));
}

}  // namespace

int main(int count, char** words) try {
  cogstride::SimulatedBench bench{cogstride::read_rig(count > 1 ? words[1] : "demo/bobbin.rig.toml")};
  auto feeder = bench.brushed("feeder");

  feeder.spin({.duty = 60_percent, .in = 1_s}).wait();  // done when the duty is reached
  say(bench, feeder, "up");
  bench.serve(1_s);
  say(bench, feeder, "held");
  feeder.reverse(2_s).wait();  // down, 2.5 s without drive, and up the other way
  bench.serve(1_s);
  say(bench, feeder, "the other way");
  feeder.stop(1_s).wait();
  bench.serve(2_s);
  say(bench, feeder, "stopped");
  std::printf("at the most %.2f A\n", bench.verdict().of("feeder").figure("highest_current"));
} catch (const std::exception& error) {
  std::fprintf(stderr, "%s\n", error.what());
  return 1;
}
