// Two mechanisms at once: side by side, each as fast as it can; then beginning and arriving together.
#include <cogstride/cogstride.hpp>
#include <cstdio>
#include <exception>

using namespace cogstride::literals;

int main(int count, char** words) try {
  const cogstride::Rig rig = cogstride::read_rig(count > 1 ? words[1] : "demo/bobbin.rig.toml");
  cogstride::SimulatedBench bench{rig};
  auto traverse = bench.stepper("traverse");
  auto creel = bench.stepper("creel");
  traverse.home();  // motions of one mechanism queue; those of two run side by side
  creel.home();
  bench.wait_for_all();
  bench.serve(0.3_s);

  auto lay = traverse.move({.to = 92_mm});
  auto turn = creel.turn({.to = 90_deg});
  bench.wait_for_all();
  std::printf("side by side: traverse %.3f s, creel %.3f s\n", lay.duration()->in(cogstride::units::s),
              turn.duration()->in(cogstride::units::s));
  bench.serve(0.4_s);

  auto both = bench.move_together({{"traverse", {.to = 12_mm}}, {"creel", {.to = 0_deg}}});
  bench.wait_for_all();
  std::printf("arriving together: traverse %.3f s, creel %.3f s\n",
              both[0].duration()->in(cogstride::units::s), both[1].duration()->in(cogstride::units::s));
  std::printf("traverse at %s, creel at %s\n", to_text(*traverse.position()).c_str(),
              to_text(*creel.position()).c_str());
} catch (const std::exception& error) {
  std::fprintf(stderr, "%s\n", error.what());
  return 1;
}
