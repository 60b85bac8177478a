// Six-step commutation: which gates of a three-phase inverter are on in each sixth of an electrical turn, and
// what three Hall sensors say in it.
//
//   constexpr SixStepWiring wiring = {...};                        // how phases, Halls and gates are wired
//   constexpr SixStepTable table = six_step_table(wiring);         // a table with both gates of a leg on
//   does
//                                                                  // not compile
//   uint8_t port = table.by_hall[hall_code].port;                  // one port write
//
// Sector s (0 to 5) drives forwards while the rotor's flux lies between 60 s and 60 s + 60 degrees of
// electrical angle; angle 0 is where the back-EMF from phase A to phase B rises through nothing, so in the
// textbook's table (T. Kenjo, S. Nagamori, "Permanent-Magnet and Brushless DC Motors", 1985, ch. 4) the
// current flows
//
//   sector   0      1      2      3      4      5
//   from     C      A      A      B      B      C
//   to       B      B      C      C      A      A
//
// A Hall sensor is high for half an electrical turn; three of them at 120 degrees change one after the other
// at each sixth. At 60 degrees the middle one is the same turned over.
//
// C++14 with <stdint.h> alone; no division, no heap.
#pragma once

#include <stdint.h>

namespace cogstride {
namespace chip {

/// Bits of gates, and of what a row has on.
enum : uint8_t {
  gate_a_high = 1,
  gate_a_low = 2,
  gate_b_high = 4,
  gate_b_low = 8,
  gate_c_high = 16,
  gate_c_low = 32,
  no_gate = 0
};

/// Which transistors of the two that carry current are switched by the duty; the others stay on.
enum class SixStepSwitched : uint8_t { high_side, low_side, both };

struct SixStepWiring {
  uint8_t phase[3] = {0, 1, 2};     ///< inverter leg (0 to 2) that feeds the motor's phase A, B, C
  uint8_t hall[3] = {0, 1, 2};      ///< bit of the Hall code that the sensors H1, H2, H3 come in at
  uint8_t hall_inverted = 0;        ///< a bit for each of H1, H2, H3 that is low where it should be high
  bool hall_at_60_degrees = false;  ///< else 120
  uint8_t hall_shift = 0;           ///< sixths of an electrical turn that the sensors stand further on
  uint8_t gate_active_low = 0;      ///< a bit for each gate input that a low level turns on
  SixStepSwitched switched = SixStepSwitched::high_side;
};

/// One row: what is on, and what of it the duty switches.
struct SixStepRow {
  uint8_t on = no_gate;        ///< gates, bit by bit
  uint8_t switched = no_gate;  ///< those of `on` that carry the duty
  uint8_t port = 0;            ///< levels of the six gate inputs with all of `on` on
  bool is_fault = false;       ///< of a Hall code that cannot be: all off
};

struct SixStepTable {
  SixStepRow forwards[6];          ///< by sector
  SixStepRow backwards[6];         ///< by sector
  SixStepRow off;                  ///< all gates off
  uint8_t hall_of_sector[6] = {};  ///< code that the sensors say in a sector
  int8_t sector_of_hall[8] = {};   ///< -1 for a code that cannot be
  bool is_sound = false;           ///< no row has both gates of a leg on, and every sector its own code

  /// The row for a Hall code, one way or the other; all off for one that cannot be.
  constexpr const SixStepRow& by_hall(uint8_t code, bool turns_backwards) const {
    return code > 7 || sector_of_hall[code] < 0
               ? off
               : (turns_backwards ? backwards : forwards)[sector_of_hall[code]];
  }
};

/// The same out of a table that lies where a chip reads only by its own means: flash.
/// @tparam Read  read(there) gives a copy of what lies there: a uint8_t, an int8_t, a SixStepRow
template <class Read>
SixStepRow row_by_hall(const SixStepTable& table, uint8_t code, bool turns_backwards, const Read& read) {
  const int8_t sector = code > 7 ? static_cast<int8_t>(-1) : read(table.sector_of_hall[code]);
  if (sector < 0) return read(table.off);
  return read((turns_backwards ? table.backwards : table.forwards)[sector]);
}

namespace six_step_checks {

/// Phases that the current comes from and goes to, by sector.
constexpr uint8_t from_phase[6] = {2, 0, 0, 1, 1, 2};
constexpr uint8_t to_phase[6] = {1, 1, 2, 2, 0, 0};

constexpr bool both_gates_of_a_leg(uint8_t on) {
  return ((on & (on >> 1)) & 0x15U) != 0;
}

/// Levels of H1 (bit 0), H2, H3 in a sector: each high for three sectors, 120 degrees after the one before;
/// at 60 degrees the middle one turned over.
constexpr uint8_t ideal_hall(uint8_t sector, bool at_60_degrees) {
  // H1 is high in sectors 0 to 2, H2 in 2 to 4, H3 in 4, 5 and 0.
  const bool h1 = sector < 3;
  const bool h2 = sector >= 2 && sector < 5;
  const bool h3 = sector >= 4 || sector == 0;
  return static_cast<uint8_t>((h1 ? 1 : 0) | ((h2 != at_60_degrees) ? 2 : 0) | (h3 ? 4 : 0));
}

constexpr uint8_t wired_hall(uint8_t ideal, const SixStepWiring& wiring) {
  uint8_t code = 0;
  for (int i = 0; i < 3; ++i) {
    const bool high = (((ideal ^ wiring.hall_inverted) >> i) & 1) != 0;
    if (high) code = static_cast<uint8_t>(code | (1U << wiring.hall[i]));
  }
  return code;
}

constexpr SixStepRow row_of(uint8_t from, uint8_t to, const SixStepWiring& wiring) {
  SixStepRow row{};
  const uint8_t high = static_cast<uint8_t>(1U << (2 * wiring.phase[from]));
  const uint8_t low = static_cast<uint8_t>(2U << (2 * wiring.phase[to]));
  row.on = static_cast<uint8_t>(high | low);
  row.switched = wiring.switched == SixStepSwitched::high_side  ? high
                 : wiring.switched == SixStepSwitched::low_side ? low
                                                                : row.on;
  row.port = static_cast<uint8_t>((row.on ^ wiring.gate_active_low) & 0x3fU);
  return row;
}

constexpr bool is_order(const uint8_t (&order)[3]) {
  return order[0] < 3 && order[1] < 3 && order[2] < 3 && order[0] != order[1] && order[1] != order[2] &&
         order[0] != order[2];
}

}  // namespace six_step_checks

/// The table of a wiring; one that is no wiring (a leg named twice, a bit beyond 2) gives a table with all
/// gates off that is not sound.
constexpr SixStepTable make_six_step_table(const SixStepWiring& wiring) {
  SixStepTable table{};
  table.off.port = static_cast<uint8_t>(wiring.gate_active_low & 0x3fU);
  table.off.is_fault = true;
  for (int i = 0; i < 8; ++i) table.sector_of_hall[i] = -1;
  for (int i = 0; i < 6; ++i) table.forwards[i] = table.backwards[i] = table.off;
  if (!six_step_checks::is_order(wiring.phase) || !six_step_checks::is_order(wiring.hall)) return table;
  bool is_sound = true;
  for (uint8_t sector = 0; sector < 6; ++sector) {
    const uint8_t from = six_step_checks::from_phase[sector];
    const uint8_t to = six_step_checks::to_phase[sector];
    table.forwards[sector] = six_step_checks::row_of(from, to, wiring);
    table.backwards[sector] = six_step_checks::row_of(to, from, wiring);
    const uint8_t stands = static_cast<uint8_t>((sector + 6U - wiring.hall_shift % 6U) % 6U);
    const uint8_t code =
        six_step_checks::wired_hall(six_step_checks::ideal_hall(stands, wiring.hall_at_60_degrees), wiring);
    table.hall_of_sector[sector] = code;
    is_sound = is_sound && table.sector_of_hall[code] < 0 &&
               !six_step_checks::both_gates_of_a_leg(table.forwards[sector].on) &&
               !six_step_checks::both_gates_of_a_leg(table.backwards[sector].on);
    table.sector_of_hall[code] = static_cast<int8_t>(sector);
  }
  table.is_sound = is_sound;
  return table;
}

/// Never defined: where a table is made while compiling, calling it is an error that names it.
void a_six_step_table_must_not_turn_both_gates_of_a_leg_on();

/// The same for a table that is made while compiling: one that is not sound does not compile.
/// @pre the wiring is one
constexpr SixStepTable six_step_table(const SixStepWiring& wiring) {
  return make_six_step_table(wiring).is_sound
             ? make_six_step_table(wiring)
             : (a_six_step_table_must_not_turn_both_gates_of_a_leg_on(), SixStepTable{});
}

static_assert(make_six_step_table(SixStepWiring{}).is_sound, "the plain wiring");

}  // namespace chip
}  // namespace cogstride
