// The yarn cart drives a square and comes home: where it thinks it is, by the counts of its wheels, and where
// it really is when one tyre is 0.4 mm larger than the rig says.
#include <cogstride/cogstride.hpp>
#include <cstdio>
#include <exception>

using namespace cogstride::literals;

int main(int count, char** words) try {
  const cogstride::Rig rig = cogstride::read_rig(count > 1 ? words[1] : "demo/cart.rig.toml");
  cogstride::Rig actual = rig;
  actual.pairs[0].right_wheel = cogstride::Length(65.4, cogstride::units::mm);
  cogstride::SimulatedBench bench{rig, {.actual = actual}};
  auto cart = bench.cart("cart");
  for (int side = 0; side < 4; ++side) {
    cart.drive({.way = {.by = 800_mm}, .speed = 300_mm_per_s}).wait();
    cart.drive({.way = {.turns = 90_deg}}).wait();  // on the spot, as fast as its wheels can be held
    std::printf("corner %d: thinks (%4.0f, %4.0f) mm, stands (%4.0f, %4.0f) mm\n", side + 1,
                1e3 * cart.thinks().x, 1e3 * cart.thinks().y, 1e3 * bench.cart_pose("cart").x,
                1e3 * bench.cart_pose("cart").y);
  }
} catch (const std::exception& error) {
  std::fprintf(stderr, "%s\n", error.what());
  return 1;
}
