// What a program does not see of a bench: its movers, its lines, its plants. For tests that look at them.
#pragma once

#include "cogstride/bench/bench_loop.hpp"
#include "cogstride/bench/simulated/simulated_lines.hpp"
#include "cogstride/bench/simulated/twin.hpp"
#include "cogstride/bench/simulated/world_events.hpp"
#include "cogstride/motion/brushed/duty_mover.hpp"
#include "cogstride/motion/brushless/six_step_mover.hpp"
#include "cogstride/motion/cart/pair_mover.hpp"
#include "cogstride/motion/pulse_width/servo_mover.hpp"
#include "cogstride/motion/pulse_width/throttle_mover.hpp"
#include "cogstride/motion/stepper/stepper_mover.hpp"
#include "cogstride/plant/brushed_plant.hpp"
#include "cogstride/plant/brushless_plant.hpp"
#include "cogstride/plant/hobby_servo_plant.hpp"
#include "cogstride/plant/step_servo_plant.hpp"
#include "cogstride/plant/stepper_plant.hpp"
#include "cogstride/plant/throttled_plant.hpp"
