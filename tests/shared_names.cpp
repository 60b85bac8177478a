// Takes the address of what programs call, one of each form of name that a shared library has to show.
#include "cogstride/cogstride.hpp"

namespace cogstride::shared_names_test {

// Not called, and kept all the same: others could call it.
void of_a_bench(Bench& bench, SimulatedBench& simulated, LiveBench& live);
void of_a_bench(Bench& bench, SimulatedBench& simulated, LiveBench& live) {
  (void)bench.stepper("x");
  (void)bench.brushed("x");
  (void)bench.brushless("x");
  (void)bench.servo("x");
  (void)bench.speed_controller("x");
  (void)bench.cart("x");
  (void)bench.mechanism("x");
  (void)bench.output("x");
  (void)bench.knob("x");
  (void)bench.signal("x");
  (void)bench.status("x");
  (void)bench.post("x", [] {}).is_done();
  bench.request_stop();
  (void)simulated.verdict().of("x").figure("y");
  (void)live.played();
}

}  // namespace cogstride::shared_names_test
