// Movers alone on scripted lines: no bench, no plant.
#pragma once

#include <functional>
#include <vector>

#include "cogstride/bench/bench_loop.hpp"
#include "cogstride/motion/mover.hpp"
#include "support/scripted_lines.hpp"

namespace cogstride::testing_support {

/// Runs participants on scripted lines.
struct OnScript {
  explicit OnScript(std::vector<LineSetup> setups, std::vector<PwmSetup> pwm = {}, Tick lead = 480)
      : lines(std::move(setups), std::move(pwm), lead), loop(lines.checked) {}
  explicit OnScript(const Mover& mover, Tick lead = 480)
      : OnScript(mover.line_setups(), mover.pwm_setups(), lead) {}

  void run_to(Tick until) {
    loop.run(until, [] { return false; });
  }
  /// Until it is over, for 1000 s of a 48 MHz clock at the most.
  bool run_until(const std::function<bool()>& over) {
    return loop.run(lines.player.now() + 48'000'000'000, over);
  }
  [[nodiscard]] Lines& front() { return lines.checked; }
  [[nodiscard]] Tick now() const { return lines.player.now(); }

  ScriptedLines lines;
  BenchLoop loop;
};

}  // namespace cogstride::testing_support
