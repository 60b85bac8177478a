// Coils and six-step gates as an axis: each step writes the next row of a cycle to a port.
//
//   typedef RowChannel<Timing, Coils> Motor;     // a compare of a port; rows, and where they are written
//   StepAxis<Motor> motor;
//
// A row that turns a leg over (one end off, the other on) goes through "all of that leg off" and stands there
// for the dead time. Rows are written in the compare's interrupt: later than its tick by the interrupt's
// latency.
//
// C++14 with <stdint.h> alone.
#pragma once

#include <stdint.h>

#include "row_cycle.hpp"
#include "tick.hpp"

namespace cogstride {
namespace chip {

/// The ends of legs that must not be on while the other one is: pairs of bits, 01 and 10.
constexpr uint8_t other_ends(uint8_t row) {
  return static_cast<uint8_t>(((row & 0x55) << 1) | ((row & 0xaa) >> 1));
}

/// Writes a row after another: through off, where a leg changes sides.
/// @tparam Port  has, static: write(row), which knows the levels, and wait_dead_time()
template <class Port>
COGSTRIDE_IN_INTERRUPT void write_row(uint8_t before, uint8_t row) {
  const uint8_t turned = static_cast<uint8_t>(before & other_ends(row));
  if (turned != 0) {
    Port::write(static_cast<uint8_t>(before & ~turned));
    Port::wait_dead_time();
  }
  Port::write(row);
}

/// A StepAxis' channel. @tparam Timing  Lock, now(), on(), off(), at(tick) of a compare whose output is not
/// used
/// @tparam Rows  has, static: cycle(), a RowCycle&, and the Port of write_row()
template <class Timing, class Rows>
struct RowChannel {
  typedef typename Timing::Lock Lock;
  static uint16_t now() { return Timing::now(); }
  COGSTRIDE_IN_INTERRUPT static void at(uint16_t tick) { Timing::at(tick); }
  static void on() { Timing::on(); }
  static void off() {
    state().makes = false;
    Timing::off();
  }
  COGSTRIDE_IN_INTERRUPT static void makes_pulses(bool whether) { state().makes = whether; }
  COGSTRIDE_IN_INTERRUPT static void direction(bool backwards) { state().backwards = backwards; }
  /// The compare has matched: the next row, if it is one.
  COGSTRIDE_IN_INTERRUPT static void end_pulse() {
    if (!state().makes) return;
    const uint8_t before = Rows::cycle().row();
    write_row<Rows>(before, Rows::cycle().step(state().backwards));
  }
  /// What is matched and not written is not made.
  static bool is_high() { return false; }
  static void end_pulse_when_long_enough() {}

 private:
  struct State {
    bool makes;
    bool backwards;
  };
  COGSTRIDE_IN_INTERRUPT static State& state() {
    static State kept = {false, false};
    return kept;
  }
};

}  // namespace chip
}  // namespace cogstride
