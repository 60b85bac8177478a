// Everything of Cog Stride: `#include <cogstride/cogstride.hpp>`.
#pragma once

#include "cogstride/bench/live/live_bench.hpp"
#include "cogstride/bench/mode_comparison.hpp"
#include "cogstride/bench/proving.hpp"
#include "cogstride/bench/remembered.hpp"
#include "cogstride/bench/scatter.hpp"
#include "cogstride/bench/simulated_bench.hpp"
#include "cogstride/bench/sweep.hpp"
#include "cogstride/plan/fastest.hpp"
#include "cogstride/plan/move.hpp"
#include "cogstride/plan/rotor_lag.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/rig/read_rig.hpp"
#include "cogstride/rig/rig.hpp"
#include "cogstride/script/script.hpp"
#include "cogstride/script/script_player.hpp"
