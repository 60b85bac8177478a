// Everything in chip/ as a small chip's compiler sees it: C++14, freestanding, no exceptions, no RTTI.
// Compiled by a test; played by nothing.
#include "cogstride/chip/coils.hpp"
#include "cogstride/chip/pulse_run.hpp"
#include "cogstride/chip/tick.hpp"

template class cogstride::chip::CoilSine<16, 63>;
template class cogstride::chip::PulsePlayer<cogstride::chip::PulseRun>;
template class cogstride::chip::PulsePlayer<cogstride::chip::NarrowPulseRun>;
