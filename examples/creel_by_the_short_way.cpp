// Brings one cone of the creel after the other to the front, always by the short way round.
#include <cogstride/cogstride.hpp>
#include <cstdio>
#include <exception>

using namespace cogstride::literals;

int main(int count, char** words) try {
  const cogstride::Rig rig = cogstride::read_rig(count > 1 ? words[1] : "demo/bobbin.rig.toml");
  cogstride::SimulatedBench bench{rig};
  auto creel = bench.stepper("creel");
  creel.home().wait();
  for (const int cone : {5, 2, 7, 0}) {
    auto turn = creel.turn({.to_station = cone, .way = cogstride::Way::shortest});
    turn.wait();
    bench.serve(0.4_s);
    std::printf("cone %d: turned in %.2f s, stands at %s\n", cone, turn.duration()->in(cogstride::units::s),
                to_text(*creel.position()).c_str());
  }
  // A way may be forced, where yarn must not be wound round the ring.
  creel.turn({.to = 225_deg, .way = cogstride::Way::clockwise}).wait();
  std::printf("clockwise to 225 deg: stands at %s\n", to_text(*creel.position()).c_str());
} catch (const std::exception& error) {
  std::fprintf(stderr, "%s\n", error.what());
  return 1;
}
