// How the coils of a two-phase stepper are switched: whole and half steps as rows of four ends, microsteps as
// currents from a sine table.
//
// A field angle of 0 is coil A alone, forwards; 90 degrees is coil B alone. A step forwards turns the field
// by 90 degrees (whole steps) or 45 (half steps), and the rotor by a whole or a half step.
//
//   uint8_t ends = coil_row(Stepping::full, step);      // coil_a_plus | coil_b_plus
//   CoilSine<8, 31>::current(phase)               // -31 ... 31, of coil A; of B a quarter later
//
// C++14 with <stdint.h> alone; tables are made and checked while compiling, and looked up without division.
#pragma once

#include <stdint.h>

namespace cogstride {
namespace chip {

/// Ends of coils that carry current into the motor. A unipolar motor's half coils have the same names.
enum : uint8_t { coil_a_plus = 1, coil_a_minus = 2, coil_b_plus = 4, coil_b_minus = 8 };

/// wave: one phase on; full: two; half: one and two in turns.
enum class Stepping : uint8_t { wave, full, half };

/// Rows of half steps by field angle, each 45 degrees on. Wave drive takes the even ones, full steps the odd.
constexpr uint8_t half_step_rows[8] = {
    coil_a_plus,  coil_a_plus | coil_b_plus,   coil_b_plus,  coil_b_plus | coil_a_minus,
    coil_a_minus, coil_a_minus | coil_b_minus, coil_b_minus, coil_b_minus | coil_a_plus};

/// Field angle of a step in eighths of an electrical turn, 0 to 7. Step 0 of full and half steps stands
/// between the coils, where a microstepping board stands too.
constexpr uint8_t field_eighth(Stepping stepping, int32_t step) {
  return static_cast<uint8_t>((stepping == Stepping::half ? static_cast<uint32_t>(step) + 1U
                                                          : 2U * static_cast<uint32_t>(step) +
                                                                (stepping == Stepping::full ? 1U : 0U)) &
                              7U);
}

/// Ends that are on at a step, counted from any whole number of electrical turns on; backwards too.
constexpr uint8_t coil_row(Stepping stepping, int32_t step) {
  return half_step_rows[field_eighth(stepping, step)];
}

namespace coil_checks {

constexpr bool both_ends_of_a_coil(uint8_t row) {
  return (row & (coil_a_plus | coil_a_minus)) == (coil_a_plus | coil_a_minus) ||
         (row & (coil_b_plus | coil_b_minus)) == (coil_b_plus | coil_b_minus);
}
constexpr int ends_on(uint8_t row) {
  return (row & 1) + ((row >> 1) & 1) + ((row >> 2) & 1) + ((row >> 3) & 1);
}
/// The row half an electrical turn away has the other end of each coil on.
constexpr uint8_t opposite(uint8_t row) {
  return static_cast<uint8_t>(((row & 0x5U) << 1) | ((row & 0xaU) >> 1));
}
constexpr bool rows_are_sound() {
  for (int32_t step = -16; step < 16; ++step) {
    const uint8_t wave = coil_row(Stepping::wave, step);
    const uint8_t full = coil_row(Stepping::full, step);
    const uint8_t half = coil_row(Stepping::half, step);
    if (ends_on(wave) != 1 || ends_on(full) != 2) return false;
    if (both_ends_of_a_coil(wave) || both_ends_of_a_coil(full) || both_ends_of_a_coil(half)) return false;
    if (coil_row(Stepping::wave, step + 2) != opposite(wave)) return false;
    if (coil_row(Stepping::full, step + 2) != opposite(full)) return false;
    if (coil_row(Stepping::half, step + 4) != opposite(half)) return false;
    // Equal angles, forwards and backwards.
    if (((field_eighth(Stepping::full, step + 1) - field_eighth(Stepping::full, step)) & 7) != 2)
      return false;
    if (((field_eighth(Stepping::wave, step + 1) - field_eighth(Stepping::wave, step)) & 7) != 2)
      return false;
    if (((field_eighth(Stepping::half, step + 1) - field_eighth(Stepping::half, step)) & 7) != 1)
      return false;
  }
  return true;
}
static_assert(rows_are_sound(), "each step turns the field by the same angle, and never shorts a coil");

/// sin(x) for 0 <= x <= pi/2, to the last digit of a double; for tables only.
constexpr double quarter_sine(double x) {
  double term = x;
  double sum = x;
  for (int n = 1; n < 14; ++n) {
    term = -term * x * x / ((2.0 * n) * (2.0 * n + 1.0));
    sum += term;
  }
  return sum;
}

}  // namespace coil_checks

/// Currents of a coil over an electrical turn of 4 x `microsteps`, in `levels` equal steps of the peak, each
/// rounded to the nearest. @tparam microsteps 1 to 256, a full step; @tparam levels 1 to 32767
template <int microsteps, int levels>
class CoilSine {
 public:
  static_assert(microsteps >= 1 && microsteps <= 256, "1 to 256 microsteps");
  static_assert(levels >= 1 && levels <= 32767, "1 to 32767 levels of current");
  static constexpr int phases = 4 * microsteps;

  constexpr CoilSine() : quarter_() {
    for (int i = 0; i <= microsteps; ++i)
      quarter_[i] = static_cast<int16_t>(
          levels * coil_checks::quarter_sine(1.57079632679489661923 * i / microsteps) + 0.5);
  }

  /// levels x sin of an angle of `phase` / `phases` turns, rounded. @param phase 0 to phases - 1
  constexpr int16_t sine(int phase) const {
    return phase <= microsteps       ? quarter_[phase]
           : phase <= 2 * microsteps ? quarter_[2 * microsteps - phase]
           : phase <= 3 * microsteps ? static_cast<int16_t>(-quarter_[phase - 2 * microsteps])
                                     : static_cast<int16_t>(-quarter_[phases - phase]);
  }
  /// Of coil A; coil B's is sine(). @param phase 0 to phases - 1
  constexpr int16_t cosine(int phase) const {
    return sine(phase < 3 * microsteps ? phase + microsteps : phase - 3 * microsteps);
  }

  /// Whether the field never turns back, whatever the rounding; it may stand still where levels are few.
  constexpr bool is_monotone() const {
    for (int phase = 0; phase < phases; ++phase) {
      const int next = phase + 1 == phases ? 0 : phase + 1;
      // The cross product of two field vectors is above 0 when the second lies further on.
      if (static_cast<int32_t>(cosine(phase)) * sine(next) -
              static_cast<int32_t>(sine(phase)) * cosine(next) <
          0)
        return false;
    }
    return true;
  }
  /// Whether going backwards is the mirror of going forwards.
  constexpr bool is_mirrored() const {
    for (int phase = 1; phase < phases; ++phase)
      if (sine(phases - phase) != -sine(phase) || cosine(phases - phase) != cosine(phase)) return false;
    return true;
  }

 private:
  int16_t quarter_[microsteps + 1];
};

static_assert(CoilSine<1, 1>().is_monotone() && CoilSine<1, 1>().is_mirrored(), "full steps");
static_assert(CoilSine<8, 31>().is_monotone() && CoilSine<8, 31>().is_mirrored(), "8 of 31 levels");
static_assert(CoilSine<256, 255>().is_monotone(), "256 of 255 levels");

}  // namespace chip
}  // namespace cogstride
