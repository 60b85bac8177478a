// The snips open and cut, slowly open again, and are let go.
#include <cogstride/cogstride.hpp>
#include <cstdio>
#include <exception>

using namespace cogstride::literals;

int main(int count, char** words) try {
  cogstride::SimulatedBench bench{cogstride::read_rig(count > 1 ? words[1] : "demo/bobbin.rig.toml")};
  auto snips = bench.servo("snips");
  const auto say = [&](const char* what) {
    std::printf("%.2f s: %s at %.1f deg\n", bench.now().in(cogstride::units::s), what,
                bench.signal("snips.made"));
  };
  snips.swing({.to = 0_deg}).wait();  // nobody knows where it stands before its first pulse
  say("open");
  snips.swing({.to = 70_deg}).wait();
  say("cut");
  snips.swing({.to = 0_deg, .speed = 60_deg_per_s, .acceleration = 600_deg_per_s2}).wait();
  say("open");
  snips.release();  // no pulse: it draws nothing
} catch (const std::exception& error) {
  std::fprintf(stderr, "%s\n", error.what());
  return 1;
}
