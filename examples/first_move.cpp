// The first thing to try: one stepper on a screw, wired to a STEP/DIR board, moved on the simulated bench.
// A motor with its board, the way it is geared, and what it may do; then a move there and back.
#include <cogstride/cogstride.hpp>
#include <cstdio>

using namespace cogstride::literals;

int main() {
  cogstride::Rig rig;
  rig.controller = {.timer_clock = 48_MHz, .top_step_rate = 60_kHz};
  rig.mechanisms.push_back({
      .name = "traverse",
      .supply = {.voltage = 24_V},
      .motor = {.full_steps = 200,
                .rated_current = 1.6_A,
                .resistance = 1.9_ohm,
                .inductance = 3.4_mH,
                .holding_torque = 0.45_Nm,
                .detent_torque = 0.012_Nm},
      .board = {.microsteps = 8,
                .current = 1.6_A,
                .shortest_high = 2.2_us,
                .shortest_low = 2.2_us,
                .dir_setup = 5_us,
                .dir_hold = 5_us,
                .wake = 1_ms,
                .drop = 0.8_V,
                .chopper_off_time = 15_us},
      .wiring = {.step = {.number = 0},
                 .dir = {.number = 1},
                 .pulse_width = 2.2_us,
                 .dir_setup = 5_us,
                 .dir_hold = 5_us},
      .train = {{cogstride::Belt{.driving = 18, .driven = 24}, cogstride::Screw{.lead = 8_mm}}},
      .load = {.inertia = 7.6e-5_kg_m2, .coulomb_friction = 0.02_Nm, .viscous_friction = 1e-4_Nm_s},
      .limits = {.speed = 60_mm_per_s, .acceleration = 1500_mm_per_s2, .start_speed = 4_mm_per_s},
  });

  cogstride::SimulatedBench bench{rig};
  auto traverse = bench.mechanism("traverse");
  auto there = traverse.move({.to = 85_mm});
  auto back = traverse.move({.to = 10_mm, .speed = 20_mm_per_s});
  for (auto* motion : {&there, &back}) {
    motion->wait();
    bench.serve(0.2_s);  // let the swing of the stop die away
    std::printf("ordered %s, stands at %.3f mm after %.3f s\n", to_text(*traverse.position()).c_str(),
                1000 * bench.plant("traverse").position(), bench.now().in(cogstride::units::s));
  }
}
