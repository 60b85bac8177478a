// The fan clears lint: its speed controller is armed as the rig says, then it blows harder and harder.
#include <cogstride/cogstride.hpp>
#include <cstdio>
#include <exception>

using namespace cogstride::literals;

int main(int count, char** words) try {
  cogstride::SimulatedBench bench{cogstride::read_rig(count > 1 ? words[1] : "demo/bobbin.rig.toml")};
  auto fan = bench.speed_controller("fan");
  fan.arm().wait();  // nothing but the pulses of its arming stages goes out before
  std::printf("armed after %.2f s\n", bench.now().in(cogstride::units::s));
  fan.throttle({.duty = 30_percent, .in = 1_s}).wait();
  for (int i = 0; i < 4; ++i) {
    fan.faster(cogstride::ExactFraction(10, cogstride::units::percent)).wait();
    bench.serve(1_s);
    std::printf("throttle %2.0f %%: turns at %2.0f %% of full speed, takes %.2f A\n",
                fan.throttle().in(cogstride::units::percent), bench.signal("fan.speed"),
                bench.signal("fan.current"));
  }
  fan.stop(0.5_s).wait();
} catch (const std::exception& error) {
  std::fprintf(stderr, "%s\n", error.what());
  return 1;
}
