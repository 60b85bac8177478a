// Everything of Cog Stride: `#include <cogstride/cogstride.hpp>`.
//
// Whoever adds a mover of their own includes motion/mover.hpp and bench/simulated/twin.hpp as well; a verb,
// script/verbs/verb.hpp and script/line_reader.hpp; a port, port/line_port.hpp.
#pragma once

#include "cogstride/bench/live/live_bench.hpp"
#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/plan/fastest.hpp"
#include "cogstride/plan/move.hpp"
#include "cogstride/plan/rotor_lag.hpp"
#include "cogstride/plan/timer_setting.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/rig/rig.hpp"
#include "cogstride/script/script.hpp"
#include "cogstride/script/script_player.hpp"
#include "cogstride/session/proving.hpp"
#include "cogstride/session/remembered.hpp"
#include "cogstride/study/duty_sweep.hpp"
#include "cogstride/study/mode_comparison.hpp"
#include "cogstride/study/scatter.hpp"
#include "cogstride/study/sweep.hpp"
