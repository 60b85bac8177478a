// Everything in chip/ as a small chip's compiler sees it: C++14, freestanding, no exceptions, no RTTI.
// Compiled by a test; played by nothing.
#include "cogstride/chip/coils.hpp"
#include "cogstride/chip/pulse_run.hpp"
#include "cogstride/chip/quadrature.hpp"
#include "cogstride/chip/reaction.hpp"
#include "cogstride/chip/row_cycle.hpp"
#include "cogstride/chip/six_step.hpp"
#include "cogstride/chip/speed_loop.hpp"
#include "cogstride/chip/tick.hpp"

template class cogstride::chip::CoilSine<16, 63>;
static_assert(cogstride::chip::six_step_table(cogstride::chip::SixStepWiring{}).is_sound,
              "made while compiling");
// The decoder counts while compiling, too.
constexpr int64_t counted() {
  cogstride::chip::QuadratureDecoder decoder(4);
  decoder.take(true, false);
  decoder.take(true, true);
  return decoder.count();
}
static_assert(counted() == 2, "two quarters forwards");

static_assert(cogstride::chip::speed_loop_step({1 << 20, 1 << 20}, 100, 16, -6, -50, 50).duty == 50,
              "held to its range");
static_assert(cogstride::chip::speed_loop_step({1 << 20, 1 << 20}, 100, 16, -6, -50, 50).beyond == 60,
              "and by how much");

constexpr uint8_t coil_rows[] = {1, 4, 2, 8};
static_assert(cogstride::chip::RowCycle(coil_rows, 4).step(true) == 8, "round backwards");
static_assert(!cogstride::chip::Reaction(true, 10, 0, 0).is_due(1000), "nothing has changed");

template class cogstride::chip::PulsePlayer<cogstride::chip::PulseRun>;
template class cogstride::chip::PulsePlayer<cogstride::chip::NarrowPulseRun>;
