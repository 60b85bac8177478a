// A planned move put out on lines with nothing at their other ends: the very pulses that a bench would get.
#pragma once

#include <string>

#include "cogstride/plan/move.hpp"
#include "cogstride/rig/rig.hpp"
#include "cogstride/trace/trace.hpp"

namespace cogstride {

/// Puts the plan out on simulated lines. Traced signals: `NAME.position` and `NAME.speed`, as planned.
void trace_plan(const Rig& rig, const std::string& mechanism, const MovePlan& plan, TraceSink& sink);

}  // namespace cogstride
