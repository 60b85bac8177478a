// A controller's own program, with nothing but the chip part.
#include <cogstride/chip/pulse_run.hpp>

int main() {
  cogstride::chip::PulsePlayer<cogstride::chip::PulseRun> player({0, 0});
  player.load({3000ull << 16, 0, 0, 2, 0, 0});
  player.advance();
  player.advance();
  return player.tick() == 6000 ? 0 : 1;
}
