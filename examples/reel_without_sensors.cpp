// The skein reel has no sensors: it is stepped open loop, let go, caught by its back-EMF, and held.
#include <cogstride/cogstride.hpp>
#include <cstdio>
#include <exception>

using namespace cogstride::literals;

int main(int count, char** words) try {
  cogstride::SimulatedBench bench{cogstride::read_rig(count > 1 ? words[1] : "demo/skein.rig.toml")};
  auto reel = bench.brushless("reel");
  const auto show = [&](const char* what) {
    std::printf("%.2f s: %s, wanted %3.0f rpm, turns at %3.0f rpm\n", bench.now().in(cogstride::units::s),
                what, reel.wanted_speed().in(cogstride::units::rpm), bench.signal("reel.speed"));
  };
  auto spin = reel.spin({.at = 300_rpm});
  bench.serve(2_s);
  show("aligned");
  bench.serve(0.7_s);
  show("stepped");
  spin.wait();
  show("caught and held");
  reel.faster(100_rpm).wait();
  bench.serve(0.5_s);
  show("faster");
  reel.stop().wait();
  show("stopped");
} catch (const std::exception& error) {
  std::fprintf(stderr, "%s\n", error.what());
  return 1;
}
