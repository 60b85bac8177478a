// Axes that the chip gears to what encoders count, for a computer that says by how much: of the chip's end of
// a link. One axis goes by an encoder at a time.
//
// C++14 with <stdint.h> alone.
#pragma once

#include <stdint.h>

#include "link_frame.hpp"
#include "step_follow.hpp"
#include "tick.hpp"

namespace cogstride {
namespace chip {

/// @tparam count  of its encoders
template <class Machine, uint8_t count = Machine::counters>
class LinkGears {
 public:
  typedef typename Machine::Runs Runs;
  typedef typename Machine::Lock Lock;
  enum : uint8_t { none = 0xff };

  /// @return false: its encoder leads another axis
  COGSTRIDE_ONCE bool gear(FrameFields& frame, uint8_t axes) {
    const uint8_t axis = frame.byte();
    const uint8_t counter = frame.byte();
    CountFollow what;
    what.tick = frame.word();
    what.steps = static_cast<int32_t>(frame.word());
    what.counts = static_cast<int32_t>(frame.word());
    what.count = frame.half();
    what.place = static_cast<int32_t>(frame.word());
    what.rest = static_cast<int32_t>(frame.word());
    what.limits.speed = frame.half();
    what.limits.start_speed = frame.half();
    what.limits.acceleration = frame.word();
    if (frame.is_short() || axis >= axes || counter >= count || what.counts < 1 || what.counts > 65535 ||
        what.steps > what.counts || what.steps < -what.counts || what.limits.speed == 0 ||
        what.limits.acceleration == 0)
      return true;
    Geared& geared = geared_[counter];
    if (geared.axis != none && geared.axis != axis) return false;
    geared.axis = axis;
    geared.what = what;
    geared.waits = true;
    geared.lets_go = false;
    return true;
  }
  COGSTRIDE_ONCE void let_go(uint8_t axis, uint32_t tick) {
    Geared* const its = of(axis);
    if (its == nullptr) return;
    its->lets_go = true;
    its->let_go_at = tick;
  }
  bool is_on(uint8_t axis) const {
    for (uint8_t i = 0; i < count; ++i)
      if (geared_[i].axis == axis) return true;
    return false;
  }
  /// To rest on a ramp, now.
  void stop(uint8_t axis) {
    Geared* const its = of(axis);
    if (its == nullptr) return;
    its->waits = its->lets_go = false;
    if (its->is_on)
      its->follow.stop();
    else
      its->axis = none;
  }
  void forget(uint8_t axis) {
    Geared* const its = of(axis);
    if (its == nullptr) return;
    its->axis = none;
    its->is_on = its->comes_to_rest = false;
  }
  void clear() {
    for (uint8_t i = 0; i < count; ++i) {
      geared_[i].axis = none;
      geared_[i].is_on = geared_[i].waits = geared_[i].lets_go = geared_[i].comes_to_rest = false;
    }
  }
  /// @param left  ticks that its runs still take
  /// @return whether it stands, let go
  COGSTRIDE_ONCE bool serve(uint8_t axis, Runs& runs, RampMaker& ramp,
                            uint32_t (*ticks_of)(const NarrowPulseRun&, uint8_t)) {
    uint8_t counter = 0;
    while (counter < count && geared_[counter].axis != axis) ++counter;
    if (counter == count) return false;
    Geared& geared = geared_[counter];
    const uint32_t now = Machine::now();
    const uint32_t told = Machine::told_count(counter, now);
    const uint16_t counted = static_cast<uint16_t>(told);
    if (geared.waits && static_cast<int32_t>(geared.what.tick - now) <= 0 &&
        (geared.is_on || !runs.is_playing())) {
      geared.waits = false;
      if (geared.is_on)
        geared.follow.go_by(geared.what);
      else
        geared.follow.begin(ramp, geared.what, runs.position(), counted, now);
      geared.is_on = true;
    }
    if (!geared.is_on) return false;
    if (geared.lets_go && static_cast<int32_t>(geared.let_go_at - now) <= 0) {
      geared.lets_go = false;
      geared.follow.stop();
    }
    if (geared.follow.is_due(now))
      geared.follow.look(counted, now - (told >> 16) * 16, now,
                         runs.is_playing() ? runs.ticks_ahead(ticks_of, 0) : 0);
    // Where it comes to rest it may turn round: that takes its time.
    if (geared.comes_to_rest && !runs.is_playing()) geared.comes_to_rest = false;
    NarrowPulseRun run;
    while (!geared.comes_to_rest && !runs.is_full() &&
           (!runs.is_playing() || runs.ticks_ahead(ticks_of, 0) < geared.follow.ahead()) &&
           geared.follow.next(run)) {
      (void)runs.put(run);
      geared.comes_to_rest = (run.flags & run_ends) != 0;
      if (!runs.is_playing() && runs.queued() >= 2) break;
    }
    // It was to go on, and belongs where it is: that nothing follows is as it should be.
    if (!geared.comes_to_rest && runs.is_playing() && !runs.is_full() && geared.follow.is_at_rest()) {
      (void)runs.put(NarrowPulseRun{1000UL << 16, 0, 0, 1, run_silent | run_ends});
      geared.comes_to_rest = true;
    }
    if (!runs.is_playing() && runs.queued() != 0) {
      constexpr uint16_t begins_in = 2000;
      Lock lock;
      (void)Machine::start_at(axis, static_cast<uint16_t>(Machine::now() + begins_in), 0);
    }
    if (!geared.follow.is_stopping() || !geared.follow.is_at_rest() || runs.is_playing()) return false;
    geared.axis = none;
    geared.is_on = false;
    return true;
  }

 private:
  struct Geared {
    Geared() : follow(Machine::ticks_per_second) {}
    StepFollow follow;
    CountFollow what{};
    uint32_t let_go_at = 0;
    uint8_t axis = none;
    bool is_on = false;
    bool waits = false;
    bool lets_go = false;
    bool comes_to_rest = false;
  };
  Geared* of(uint8_t axis) {
    for (uint8_t i = 0; i < count; ++i)
      if (geared_[i].axis == axis) return &geared_[i];
    return nullptr;
  }
  Geared geared_[count];
};

/// A chip that counts nothing.
template <class Machine>
class LinkGears<Machine, 0> {
 public:
  bool gear(FrameFields&, uint8_t) { return true; }
  void let_go(uint8_t, uint32_t) {}
  bool is_on(uint8_t) const { return false; }
  void stop(uint8_t) {}
  void forget(uint8_t) {}
  void clear() {}
  template <class Runs, class TicksOf>
  bool serve(uint8_t, Runs&, RampMaker&, TicksOf) {
    return false;
  }
};

}  // namespace chip
}  // namespace cogstride
