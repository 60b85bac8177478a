// A knob gives the duty of a motor: at its lower end nothing turns, and just above it the motor does, because
// what lies below its lowest duty is left out. Here a hand turns it up, half back, and down.
#include <cogstride/cogstride.hpp>
#include <cstdio>
#include <exception>

using namespace cogstride::literals;

int main(int count, char** words) try {
  cogstride::SimulatedBench bench{
      cogstride::read_rig(count > 1 ? words[1] : "demo/bobbin.rig.toml"),
      {.events = {{1_s, "dial", {}, 1.0}, {4_s, "dial", {}, 0.1}, {7_s, "dial", {}, 0.0}}}};
  auto feeder = bench.brushed("feeder");
  const cogstride::Knob& dial = bench.knob("dial");
  cogstride::Fraction share;

  while (bench.now() < 9_s) {
    bench.serve(20_ms);
    if (!dial.is_known() || dial.share() == share) continue;
    share = dial.share();
    feeder.spin_fraction(share, 500_ms).wait();
    bench.serve(1_s);
    std::printf("%.1f s: knob at %3.0f %%, duty %3.0f %%, %3.0f rpm\n", bench.now().in(cogstride::units::s),
                share.in(cogstride::units::percent), feeder.duty().in(cogstride::units::percent),
                feeder.measured().speed.in(cogstride::units::rpm));
  }
} catch (const std::exception& error) {
  std::fprintf(stderr, "%s\n", error.what());
  return 1;
}
