// The first thing to try: a stepper that turns a screw, behind a STEP/DIR board, moved on the simulated
// bench.
#include <cogstride/cogstride.hpp>
#include <cstdio>
#include <exception>

using namespace cogstride::literals;

int main() try {
  cogstride::Mechanism traverse{.name = "traverse", .supply = {.voltage = 24_V}};
  traverse.motor = cogstride::Stepper{.full_steps = 200,
                                      .rated_current = 1.6_A,
                                      .resistance = 1.9_ohm,
                                      .inductance = 3.4_mH,
                                      .holding_torque = 0.45_Nm,
                                      .rotor_inertia = 6.2e-6_kg_m2};
  traverse.board = cogstride::StepDirBoard{
      .microsteps = 8, .current = 1.6_A, .shortest_high = 2.2_us, .shortest_low = 2.2_us};
  traverse.wiring = cogstride::StepDirWiring{
      .step = {.number = 0}, .dir = {.number = 1}, .pulse_width = 3_us, .dir_steady_before = 5_us};
  traverse.common.enable = cogstride::EnableUse::tied;  // ENABLE is wired to its active level
  traverse.train = {{cogstride::Belt{.driving = 18, .driven = 24}, cogstride::Screw{.lead = 8_mm}}};
  traverse.load = {.inertia = 7.6e-5_kg_m2, .coulomb_friction = 0.02_Nm};
  traverse.limits = {.speed = 60_mm_per_s, .acceleration = 1500_mm_per_s2, .start_speed = 4_mm_per_s};

  cogstride::Rig rig;
  rig.controller = {
      .timer_clock = 48_MHz, .top_step_rate = 60_kHz, .logic_level = 3.3_V, .line_current = 12_mA};
  rig.mechanisms.push_back(traverse);

  cogstride::SimulatedBench bench{rig};
  auto carriage = bench.stepper("traverse");
  for (const cogstride::MoveOrder& order :
       {cogstride::MoveOrder{.to = 85_mm}, {.by = -75_mm, .speed = 20_mm_per_s}}) {
    carriage.move(order).wait();
    bench.serve(0.2_s);  // let the oscillation after the stop die away
    std::printf("asked for %s, stands at %.3f mm after %.3f s\n", to_text(*carriage.position()).c_str(),
                bench.signal("traverse.made"), bench.now().in(cogstride::units::s));
  }
} catch (const std::exception& error) {
  std::fprintf(stderr, "%s\n", error.what());
  return 1;
}
