// Everything in chip/ as a small chip's compiler sees it: C++14, freestanding, no exceptions, no RTTI.
// Compiled by a test; played by nothing.
#include "cogstride/chip/coils.hpp"
#include "cogstride/chip/pulse_run.hpp"
#include "cogstride/chip/quadrature.hpp"
#include "cogstride/chip/tick.hpp"

template class cogstride::chip::CoilSine<16, 63>;
// The decoder counts while compiling, too.
constexpr int64_t counted() {
  cogstride::chip::QuadratureDecoder decoder(4);
  decoder.take(true, false);
  decoder.take(true, true);
  return decoder.count();
}
static_assert(counted() == 2, "two quarters forwards");

template class cogstride::chip::PulsePlayer<cogstride::chip::PulseRun>;
template class cogstride::chip::PulsePlayer<cogstride::chip::NarrowPulseRun>;
