// A knob gives the duty of a motor: at its lower end nothing turns, and just above it the motor does, because
// what lies below its lowest duty is left out. Here a hand turns it up, half back, and down.
#include <cogstride/cogstride.hpp>
#include <cstdio>

using namespace cogstride::literals;

int main(int count, char** words) {
  cogstride::SimulatedBench bench{
      cogstride::read_rig(count > 1 ? words[1] : "demo/bobbin.rig.toml"),
      {.stimuli = {{1_s, "pace", {}, 1.0}, {4_s, "pace", {}, 0.1}, {7_s, "pace", {}, 0.0}}}};
  auto letoff = bench.drive("letoff");
  const cogstride::Knob& pace = bench.knob("pace");
  double share = 0.0;

  while (bench.now() < 9_s) {
    bench.serve(20_ms);
    if (!pace.is_known() || pace.share() == share) continue;
    share = pace.share();
    letoff.spin_fraction(share, 500_ms).wait();
    bench.serve(1_s);
    std::printf("%.1f s: knob at %3.0f %%, duty %3.0f %%, %3.0f rpm\n", bench.now().in(cogstride::units::s),
                100.0 * share, 100.0 * letoff.duty(), 60.0 * letoff.measured().speed);
  }
}
