// Two drives with ids on a bus: the cloth beam geared to the warp beam, and what both tell of themselves.
#include <cogstride/cogstride.hpp>
#include <cstdio>
#include <string>

using namespace cogstride;
using namespace cogstride::literals;

int main(int count, char** words) {
  const std::string rig_file = count > 1 ? words[1] : "demo/beams.rig.toml";
  try {
    SimulatedBench bench{read_rig(rig_file)};
    auto warp = bench.bus_drive("warp_beam");
    auto cloth = bench.bus_drive("cloth_beam");

    warp.move({.by = OutputPosition(90_deg)}).wait();  // brought up by the bench, then driven
    auto geared = bench.gear("cloth_beam");            // 240 deg for each turn, as the rig says
    warp.spin({.at = OutputSpeed(30_rpm)}).wait();
    bench.serve(6_s);
    warp.stop().wait();
    bench.serve(0.5_s);
    geared.let_go();

    std::printf("warp beam at %s, cloth beam at %s\n", to_text(warp.told()->place).c_str(),
                to_text(cloth.told()->place).c_str());
    std::printf("both %s, at %.1f V and %.1f degrees C\n", warp.told()->state.c_str(),
                warp.told()->supply.in(units::V), warp.told()->degrees_celsius.value_or(0.0));

    // As much as its winding bears, at whatever speed that gives: the warp is kept taut.
    warp.pull(0.1_Nm).wait();
    bench.serve(1_s);
    std::printf("pulled with %.2f N m of its motor it turns at %.1f rpm\n", warp.told()->torque.in(units::Nm),
                60.0 * warp.told()->speed.base);
    warp.stop().wait();
    warp.release();  // its shaft can be turned by hand
  } catch (const Error& error) {
    std::fprintf(stderr, "%s\n", error.what());
    return 1;
  }
}
