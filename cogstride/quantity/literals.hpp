// Amounts written in C++ with their units: `using namespace cogstride::literals;` then 12_mm, 90_deg, 1.6_A.
//
// The digits are read by the compiler exactly as they stand: 0.07_mm is 7/100000 m, not the nearest double.
// A number that cannot be kept exactly does not compile.
#pragma once

#include "cogstride/quantity/quantity.hpp"

namespace cogstride {
namespace detail {

/// Reads "12", "0.07", "1'000" or "6.2e-6" at compile time.
consteval Ratio literal_ratio(const char* digits) {
  Ratio::Wide value = 0;
  int exponent = 0;
  bool after_point = false;
  for (; *digits != '\0' && *digits != 'e' && *digits != 'E'; ++digits) {
    if (*digits == '\'') continue;
    if (*digits == '.') {
      after_point = true;
      continue;
    }
    if (*digits < '0' || *digits > '9') throw RangeError("write the amount as a decimal number");
    value = value * 10 + (*digits - '0');
    if (value > Ratio::Wide(INT64_MAX)) throw RangeError("too many digits to be kept exactly");
    if (after_point) --exponent;
  }
  if (*digits != '\0') {
    ++digits;
    const bool negative = *digits == '-';
    if (*digits == '-' || *digits == '+') ++digits;
    int written = 0;
    for (; *digits != '\0'; ++digits) written = written * 10 + (*digits - '0');
    exponent += negative ? -written : written;
  }
  Ratio ratio = Ratio::reduced(value, 1);
  for (; exponent > 0; --exponent) ratio *= 10;
  for (; exponent < 0; ++exponent) ratio /= 10;
  return ratio;
}

template <class D>
consteval ExactQuantity<D> literal(const char* digits, Unit<D> unit) {
  return ExactQuantity<D>(literal_ratio(digits), unit);
}

}  // namespace detail

namespace literals {
using detail::literal;
consteval auto operator""_m(const char* n) {
  return literal(n, units::m);
}
consteval auto operator""_mm(const char* n) {
  return literal(n, units::mm);
}
consteval auto operator""_um(const char* n) {
  return literal(n, units::um);
}
consteval auto operator""_turn(const char* n) {
  return literal(n, units::turn);
}
consteval auto operator""_deg(const char* n) {
  return literal(n, units::deg);
}
consteval Angle operator""_rad(const char* n) {
  return Angle(detail::literal_ratio(n).to_double(), units::rad);
}
consteval auto operator""_s(const char* n) {
  return literal(n, units::s);
}
consteval auto operator""_ms(const char* n) {
  return literal(n, units::ms);
}
consteval auto operator""_us(const char* n) {
  return literal(n, units::us);
}
consteval auto operator""_ns(const char* n) {
  return literal(n, units::ns);
}
consteval auto operator""_m_per_s(const char* n) {
  return literal(n, units::m_per_s);
}
consteval auto operator""_mm_per_s(const char* n) {
  return literal(n, units::mm_per_s);
}
consteval auto operator""_mm_per_s2(const char* n) {
  return literal(n, units::mm_per_s2);
}
consteval auto operator""_deg_per_s(const char* n) {
  return literal(n, units::deg_per_s);
}
consteval auto operator""_deg_per_s2(const char* n) {
  return literal(n, units::deg_per_s2);
}
consteval auto operator""_turn_per_s(const char* n) {
  return literal(n, units::turn_per_s);
}
consteval auto operator""_rpm(const char* n) {
  return literal(n, units::rpm);
}
consteval auto operator""_Hz(const char* n) {
  return literal(n, units::Hz);
}
consteval auto operator""_kHz(const char* n) {
  return literal(n, units::kHz);
}
consteval auto operator""_MHz(const char* n) {
  return literal(n, units::MHz);
}
consteval auto operator""_A(const char* n) {
  return literal(n, units::A);
}
consteval auto operator""_mA(const char* n) {
  return literal(n, units::mA);
}
consteval auto operator""_V(const char* n) {
  return literal(n, units::V);
}
consteval auto operator""_ohm(const char* n) {
  return literal(n, units::ohm);
}
consteval auto operator""_mH(const char* n) {
  return literal(n, units::mH);
}
consteval auto operator""_Nm(const char* n) {
  return literal(n, units::Nm);
}
consteval auto operator""_kg(const char* n) {
  return literal(n, units::kg);
}
consteval auto operator""_percent(const char* n) {
  return literal(n, units::percent);
}
consteval auto operator""_kg_m2(const char* n) {
  return literal(n, units::kg_m2);
}
consteval auto operator""_Nm_per_A(const char* n) {
  return literal(n, units::Nm_per_A);
}
consteval ViscousFriction operator""_Nm_s(const char* n) {
  return ViscousFriction(detail::literal_ratio(n).to_double(), units::Nm_s_per_rad);
}
}  // namespace literals

}  // namespace cogstride
