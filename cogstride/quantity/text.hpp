// Quantities as text, in and out.
//
//   Current current = parse_quantity<Current>("1.6 A");
//   ExactLength length = parse_quantity<ExactLength>("0.07 mm");   // exactly 7/100000 m
//   to_text(current, "A");                                         // "1.6 A"
//
// A text is a decimal number, optional blanks and a unit that is always written. The exact form keeps every
// digit. `unit_symbols()` lists the units; mu and omega signs, "^", superscript digits and typographic blanks
// are understood, as they come when a datasheet is pasted.
#pragma once

#include <array>
#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "cogstride/quantity/quantity.hpp"

namespace cogstride {

/// Powers of length, mass, time, current, angle and temperature, as a value.
using DimensionPowers = std::array<int, 6>;

template <class D>
inline constexpr DimensionPowers powers_of = {D::length,  D::mass,  D::time,
                                              D::current, D::angle, D::temperature};

/// A quantity whose dimension is known only from its text.
struct ParsedQuantity {
  DimensionPowers powers{};
  double base = 0.0;      ///< in base units
  bool is_exact = false;  ///< `exact` holds; false for radians and for more digits than 63 bits keep
  Ratio exact;            ///< in base units
};

/// @throws TextError when there is no number, no unit, or a unit that is not known; its message names the
///         nearest known unit.
[[nodiscard]] ParsedQuantity parse_any_quantity(std::string_view text);

/// A decimal number ("-12.5e-3") as an exact fraction. @throws TextError, or RangeError when it has too many
/// digits.
[[nodiscard]] Ratio parse_ratio(std::string_view text);

/// "a length such as 85 mm": how a dimension is named in messages.
[[nodiscard]] std::string describe_dimension(const DimensionPowers& powers);

/// Every unit symbol that can be written.
[[nodiscard]] std::vector<std::string> unit_symbols();

/// The number of single-letter edits that turn `a` into `b`: what "nearest known" means in messages.
[[nodiscard]] std::size_t edit_distance(std::string_view a, std::string_view b);

/// The candidate nearest to `word`, or an empty string when none is near.
[[nodiscard]] std::string nearest_word(std::string_view word, const std::vector<std::string>& candidates);

/// Whether a name of something in a rig is one: letters, digits, _ and -, 64 of them at the most.
[[nodiscard]] bool is_plain_name(std::string_view name);
/// What is wrong with another one.
inline constexpr const char* plain_names = "letters, digits, _ and - make a name, 64 of them at the most";

/// A text as it may be shown on a terminal: control characters as '?', and cut where it is very long.
[[nodiscard]] std::string printable(std::string_view text);

/// A short mark of a text, which another text has with odds of 1 in 2^64 (FNV-1a).
[[nodiscard]] std::uint64_t fingerprint(std::string_view text);

namespace detail {
[[nodiscard]] ParsedQuantity parse_with_powers(std::string_view text, const DimensionPowers& powers);
[[nodiscard]] ParsedQuantity parse_exact_with_powers(std::string_view text, const DimensionPowers& powers);
[[nodiscard]] std::string text_in_unit(double base, const DimensionPowers& powers, std::string_view unit,
                                       int digits);
[[nodiscard]] std::string text_in_unit(Ratio base, const DimensionPowers& powers, std::string_view unit);

template <class Q>
struct Parser;
template <class D>
struct Parser<Quantity<D>> {
  static Quantity<D> parse(std::string_view text) {
    return Quantity<D>::from_base(parse_with_powers(text, powers_of<D>).base);
  }
};
template <class D>
struct Parser<ExactQuantity<D>> {
  static ExactQuantity<D> parse(std::string_view text) {
    return ExactQuantity<D>::from_base(parse_exact_with_powers(text, powers_of<D>).exact);
  }
};
}  // namespace detail

/// Reads a Quantity or ExactQuantity type from text.
/// @throws TextError when the text is no amount or has another dimension; RangeError when it cannot be exact.
template <class Q>
[[nodiscard]] Q parse_quantity(std::string_view text) {
  return detail::Parser<Q>::parse(text);
}

/// "1.6 A", with at most `digits` significant digits. @throws RangeError when `unit` has another dimension.
template <class D>
[[nodiscard]] std::string to_text(Quantity<D> quantity, std::string_view unit, int digits = 6) {
  return detail::text_in_unit(quantity.base(), powers_of<D>, unit, digits);
}
/// "0.07 mm" with every digit, or "1/3 mm" when no decimal is exact.
template <class D>
[[nodiscard]] std::string to_text(ExactQuantity<D> quantity, std::string_view unit) {
  return detail::text_in_unit(quantity.base(), powers_of<D>, unit);
}

}  // namespace cogstride
