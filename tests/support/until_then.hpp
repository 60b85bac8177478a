// Lets a bench run with a guest for so long: one where nothing happens leaps to the next event.
#pragma once

#include <algorithm>
#include <cmath>

#include "cogstride/bench/bench.hpp"
#include "cogstride/motion/participant.hpp"

namespace cogstride::testing_support {

inline void go_on(Bench& bench, Participant& guest, double seconds) {
  struct UntilThen final : Participant {
    UntilThen(Participant& other, Tick then) : guest(other), until(then) {}
    [[nodiscard]] Tick next_act() const override { return std::min(guest.next_act(), until); }
    void act(Lines& lines, std::span<const Reading> readings) override {
      guest.act(lines, readings);
      is_over = lines.now() >= until;
    }
    Participant& guest;
    Tick until;
    bool is_over = false;
  };
  const double clock = bench.rig().controller.timer_clock.base().to_double();
  UntilThen until(guest, std::llround((bench.now().in(units::s) + seconds) * clock));
  bench.run(until, [&] { return until.is_over; });
}

}  // namespace cogstride::testing_support
