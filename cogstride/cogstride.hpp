// Everything of Cog Stride: `#include <cogstride/cogstride.hpp>`.
#pragma once

#include "cogstride/bench/simulated_bench.hpp"
#include "cogstride/plan/move.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/rig/read_rig.hpp"
#include "cogstride/rig/rig.hpp"
