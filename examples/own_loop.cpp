// A loop of one's own: it serves the bench for a hundredth of a second at a time and does its own work in
// between. Here the pedal decides: held, the creel spins, the knob of the loop making it faster; let go, it
// stops. Nothing waits, nothing blocks.
#include <cogstride/cogstride.hpp>
#include <cstdio>
#include <exception>

using namespace cogstride::literals;

int main(int count, char** words) try {
  const cogstride::Rig rig = cogstride::read_rig(count > 1 ? words[1] : "demo/bobbin.rig.toml");
  cogstride::SimulatedBench bench{
      rig, {.start_positions = {{"creel", -4_deg}}, .events = {{4_s, "pedal", true}, {7_s, "pedal", false}}}};
  auto creel = bench.stepper("creel");
  auto home = creel.home();
  const cogstride::LineId pedal{35};
  bool spins = false;
  bool was_faster = false;

  while (bench.now() < 9_s) {
    bench.serve(10_ms);
    if (!home.has_ended()) continue;
    const bool held = bench.inputs().acts(pedal).value_or(false);
    if (held && !spins) {
      creel.spin({.at = 20_deg_per_s});
      std::printf("%.2f s: pedal down, the creel spins\n", bench.now().in(cogstride::units::s));
    } else if (held && !was_faster && bench.now() > 5_s) {
      creel.faster(10_deg_per_s);
      was_faster = true;
      std::printf("%.2f s: faster\n", bench.now().in(cogstride::units::s));
    } else if (!held && spins) {
      creel.stop();
      std::printf("%.2f s: pedal up, stopped at %.1f deg\n", bench.now().in(cogstride::units::s),
                  360 * creel.position()->base.to_double());
    }
    spins = held;
  }
} catch (const std::exception& error) {
  std::fprintf(stderr, "%s\n", error.what());
  return 1;
}
