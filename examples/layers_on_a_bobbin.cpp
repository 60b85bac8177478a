// Two layers of yarn on a bobbin: the traverse goes to and fro behind the spindle, 1.4 mm a turn, exactly.
#include <cogstride/cogstride.hpp>
#include <cstdio>
#include <string>

using namespace cogstride;
using namespace cogstride::literals;

int main(int count, char** words) {
  const std::string rig_file = count > 1 ? words[1] : "demo/bobbin.rig.toml";
  try {
    SimulatedBench bench{read_rig(rig_file)};
    auto traverse = bench.stepper("traverse");
    auto spindle = bench.brushless("spindle");
    traverse.home().wait();
    traverse.move({.to = 12_mm}).wait();

    GearOrder order{.to = *traverse.parts().follows};
    order.to.may_fall_behind = 0.1_mm;
    order.lay = LayOrder{.from = 12_mm, .to = 26_mm, .layers = 2};
    auto lay = bench.gear("traverse", order);

    spindle.spin({.at = 600_rpm});
    double most = 0.0;
    while (lay.layers() < 2) {
      bench.serve(1_ms);
      if (lay.goes_along() && std::abs(lay.lag_in_steps()) > most) most = std::abs(lay.lag_in_steps());
    }
    spindle.stop().wait();
    std::printf("two layers, and the spindle stands after %.2f turns; at most %.1f steps behind\n",
                lay.phase().to_double(), most);
    lay.let_go();
    std::printf("the guide stands at %s\n", to_text(*traverse.position()).c_str());
  } catch (const Error& error) {
    std::fprintf(stderr, "%s\n", error.what());
    return 1;
  }
}
