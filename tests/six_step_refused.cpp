// Must not compile: two phases on one leg would turn both of its gates on. A test compiles it and expects
// that.
#include "cogstride/chip/six_step.hpp"

constexpr cogstride::chip::SixStepWiring wrong() {
  cogstride::chip::SixStepWiring wiring{};
  wiring.phase[1] = 0;
  return wiring;
}
constexpr cogstride::chip::SixStepTable table = cogstride::chip::six_step_table(wrong());
