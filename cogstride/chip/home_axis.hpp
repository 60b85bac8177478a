// Homing of one axis by the chip itself: chip/homing.hpp decides, an AxisWalk walks.
//
//   HomeAxis<StepAxis<Channel>::Runs> home(axis, axis_walk, goal, paces, gate_acts);
//   home.begin(false, now);
//   while (home.serve(now)) {}                   // the main program; now: milliseconds
//   ISR(gate changed) { home.edge(Gate::acts()); }
//
// The slow approach ends in the gate's interrupt, on the very step. Switches and windows: who homes to an
// index or a hard end tells a Homing what happens by itself.
//
// C++14 with <stdint.h> alone.
#pragma once

#include <stdint.h>

#include "axis_walk.hpp"
#include "homing.hpp"

namespace cogstride {
namespace chip {

/// Whether a switch acts. @return false where there is none
typedef bool (*SwitchActs)();
inline bool no_switch() {
  return false;
}

struct HomingPaces {
  ChipLimits fast;
  ChipLimits slow;
  ChipLimits creep;
};

/// @tparam Axis  the Runs of a StepAxis
template <class Axis>
class HomeAxis {
 public:
  typedef HomingOrder<int32_t> Order;

  /// @param axis, walk, goal, paces  must outlive it @param sensor, other_end  read whether they act
  /// @param settling  milliseconds that it stands wherever it turns round
  HomeAxis(Axis& axis, AxisWalk<Axis>& walk, const HomingGoal<int32_t>& goal, const HomingPaces& paces,
           SwitchActs sensor, SwitchActs other_end = no_switch, uint16_t settling = 150)
      : axis_(axis),
        walk_(walk),
        goal_(goal),
        paces_(paces),
        sensor_acts_(sensor),
        other_end_acts_(other_end),
        settling_(settling) {}

  /// From rest. @param now  ms, of a clock that may wrap
  /// @return false for what it cannot do, and nothing begins: an index after the sensor, a hard end
  bool begin(bool aligned, uint16_t now) {
    if (goal_.then_index || goal_.kind == HomingKind::hard_end) return false;
    homing_ = Homing<int32_t>(goal_);
    walk_.ended();
    is_on_ = true;
    carry_out(homing_.begin(aligned), now);
    return true;
  }

  /// @return whether it goes on: false when found or failed
  COGSTRIDE_ONCE bool serve(uint16_t now) {
    if (!is_on_) return false;
    walk_.serve();
    if (met_edge_) {
      met_edge_ = false;
      by_interrupt_ = false;
      moving_ = false;
      walk_.ended();
      (void)homing_.level(true, axis_.position(), other_end_acts_());
      settled_at_ = static_cast<uint16_t>(now + settling_);
      return is_on_;
    }
    const int32_t at = axis_.position();
    const bool acts = sensor_acts_();
    if (looks_ || (moving_ && acts != acted_)) {
      looks_ = false;
      acted_ = acts;
      if (!by_interrupt_) carry_out(homing_.level(acts, at, other_end_acts_()), now);
    }
    if (homing_.minds_other_end() && other_end_acts_()) carry_out(homing_.other_end(at), now);
    if (moving_ && !walk_.is_busy()) {
      if (met_edge_) return true;  // just now
      moving_ = false;
      ends_at_edge_ = by_interrupt_ = false;
      carry_out(homing_.at_rest(at), now);
    }
    if (homing_.state() == HomingState::settling && static_cast<int16_t>(now - settled_at_) >= 0)
      carry_out(homing_.settled(axis_.position(), other_end_acts_()), now);
    return is_on_;
  }

  /// The sensor has changed; an interrupt's side.
  void edge(bool acts) {
    if (!ends_at_edge_ || !acts) return;
    ends_at_edge_ = false;
    axis_.end_here();
    met_edge_ = true;
  }

  bool has_found() const { return homing_.state() == HomingState::found; }
  HomingFault fault() const { return homing_.fault(); }
  const Homing<int32_t>& homing() const { return homing_; }

 private:
  const ChipLimits& pace(HomingPace pace) const {
    return pace == HomingPace::fast ? paces_.fast : pace == HomingPace::slow ? paces_.slow : paces_.creep;
  }
  COGSTRIDE_ONCE void carry_out(const Order& order, uint16_t now) {
    switch (order.act) {
      case HomingAct::settle:
        settled_at_ = static_cast<uint16_t>(now + settling_);
        break;
      case HomingAct::look:
        looks_ = true;
        break;
      case HomingAct::go:
      case HomingAct::go_to_edge:
        acted_ = sensor_acts_();
        moving_ = order.way != 0;
        by_interrupt_ = order.act == HomingAct::go_to_edge;
        ends_at_edge_ = by_interrupt_;
        walk_.go_to(axis_.position() + order.way, pace(order.pace));
        walk_.serve();
        if (!moving_) carry_out(homing_.at_rest(axis_.position()), now);
        break;
      case HomingAct::brake:
      case HomingAct::brake_steeply:
        walk_.brake();
        break;
      case HomingAct::found:
      case HomingAct::failed:
        is_on_ = false;
        break;
      default:
        break;
    }
  }

  Axis& axis_;
  AxisWalk<Axis>& walk_;
  const HomingGoal<int32_t>& goal_;
  const HomingPaces& paces_;
  const SwitchActs sensor_acts_;
  const SwitchActs other_end_acts_;
  const uint16_t settling_;
  Homing<int32_t> homing_{};
  uint16_t settled_at_ = 0;
  bool is_on_ = false;
  bool moving_ = false;
  bool looks_ = false;
  bool acted_ = false;
  bool by_interrupt_ = false;  // the sensor's interrupt takes its edge in this stage
  volatile bool ends_at_edge_ = false;
  volatile bool met_edge_ = false;
};

}  // namespace chip
}  // namespace cogstride
