// Exact fractions: gear ratios, amounts written as decimals, positions.
//
//   constexpr Ratio steps_per_mm = Ratio(1600) * Ratio(24, 18) / Ratio(8);   // 800/3
//   steps_per_mm.rounded();                                                  // 267, half away from zero
//
// A Ratio is always reduced and its denominator positive. Arithmetic goes through 128 bits and throws
// RangeError when a reduced result does not fit 63 bits: a gear ratio is never silently rounded.
#pragma once

#include <compare>
#include <concepts>
#include <cstdint>
#include <numeric>
#include <string>

#include "cogstride/quantity/error.hpp"

namespace cogstride {

class Ratio {
 public:
  __extension__ typedef __int128 Wide;  // NOLINT: ISO C++ has no name for it

  constexpr Ratio() = default;
  constexpr Ratio(std::int64_t whole) : numerator_(whole) {}  // NOLINT: whole numbers are ratios
  /// A double is not exact by itself: `nearest` in quantity.hpp rounds it, to a grain that is said.
  template <std::floating_point Number>
  Ratio(Number) = delete;
  /// @throws RangeError when `denominator` is 0.
  constexpr Ratio(std::int64_t numerator, std::int64_t denominator)
      : Ratio(reduced(numerator, denominator)) {}
  template <class Above, class Below>
  requires(std::floating_point<Above> || std::floating_point<Below>) Ratio(Above, Below)
  = delete;

  /// numerator/denominator from 128-bit terms. @throws RangeError when 0 is below or the result does not fit.
  [[nodiscard]] static constexpr Ratio reduced(Wide numerator, Wide denominator) {
    if (denominator == 0) throw RangeError("a ratio with denominator 0");
    if (denominator < 0) {
      numerator = -numerator;
      denominator = -denominator;
    }
    const Wide divisor = greatest_common_divisor(numerator < 0 ? -numerator : numerator, denominator);
    Ratio result;
    result.numerator_ = narrow(divisor == 1 ? numerator : numerator / divisor);
    result.denominator_ = narrow(divisor == 1 ? denominator : denominator / divisor);
    return result;
  }

  [[nodiscard]] constexpr std::int64_t numerator() const { return numerator_; }
  [[nodiscard]] constexpr std::int64_t denominator() const { return denominator_; }
  [[nodiscard]] constexpr bool is_whole() const { return denominator_ == 1; }

  /// Nearest double.
  [[nodiscard]] constexpr double to_double() const {
    return static_cast<double>(static_cast<long double>(numerator_) / static_cast<long double>(denominator_));
  }

  /// Largest whole number not above.
  [[nodiscard]] constexpr std::int64_t floor() const {
    const std::int64_t quotient = numerator_ / denominator_;
    return quotient - (numerator_ % denominator_ < 0 ? 1 : 0);
  }
  /// Smallest whole number not below.
  [[nodiscard]] constexpr std::int64_t ceil() const { return -(-*this).floor(); }
  /// Nearest whole number, half away from zero.
  [[nodiscard]] constexpr std::int64_t rounded() const {
    const Wide magnitude = numerator_ < 0 ? -Wide(numerator_) : Wide(numerator_);
    const Wide whole = (2 * magnitude + denominator_) / (2 * Wide(denominator_));
    return narrow(numerator_ < 0 ? -whole : whole);
  }

  constexpr Ratio operator-() const { return reduced(-Wide(numerator_), denominator_); }

  friend constexpr Ratio operator+(Ratio a, Ratio b) {
    // Through the common factor of the denominators, so that sums of like fractions never overflow on the
    // way.
    const std::int64_t common = std::gcd(a.denominator_, b.denominator_);
    const Wide scale_a = b.denominator_ / common;
    const Wide scale_b = a.denominator_ / common;
    return reduced(a.numerator_ * scale_a + b.numerator_ * scale_b, a.denominator_ * scale_a);
  }
  friend constexpr Ratio operator-(Ratio a, Ratio b) { return a + (-b); }
  friend constexpr Ratio operator*(Ratio a, Ratio b) {
    return reduced(Wide(a.numerator_) * b.numerator_, Wide(a.denominator_) * b.denominator_);
  }
  /// @throws RangeError when `b` is 0.
  friend constexpr Ratio operator/(Ratio a, Ratio b) {
    return reduced(Wide(a.numerator_) * b.denominator_, Wide(a.denominator_) * b.numerator_);
  }
  constexpr Ratio& operator+=(Ratio other) { return *this = *this + other; }
  constexpr Ratio& operator-=(Ratio other) { return *this = *this - other; }
  constexpr Ratio& operator*=(Ratio other) { return *this = *this * other; }
  constexpr Ratio& operator/=(Ratio other) { return *this = *this / other; }

  friend constexpr bool operator==(Ratio a, Ratio b) = default;
  friend constexpr std::strong_ordering operator<=>(Ratio a, Ratio b) {
    return Wide(a.numerator_) * b.denominator_ <=> Wide(b.numerator_) * a.denominator_;
  }

 private:
  static constexpr Wide greatest_common_divisor(Wide a, Wide b) {
    if (a <= INT64_MAX && b <= INT64_MAX)
      return std::gcd(static_cast<std::int64_t>(a), static_cast<std::int64_t>(b));
    while (b != 0) {
      const Wide rest = a % b;
      a = b;
      b = rest;
    }
    return a;
  }
  static constexpr std::int64_t narrow(Wide value) {
    if (value > INT64_MAX || value < -Wide(INT64_MAX))
      throw RangeError("a fraction is too fine or too large to be kept exactly");
    return static_cast<std::int64_t>(value);
  }

  std::int64_t numerator_ = 0;
  std::int64_t denominator_ = 1;
};

/// The magnitude of `value`.
[[nodiscard]] constexpr Ratio magnitude(Ratio value) {
  return value < Ratio(0) ? -value : value;
}

/// "800/3", or "800" when whole.
[[nodiscard]] std::string to_text(Ratio value);

}  // namespace cogstride
