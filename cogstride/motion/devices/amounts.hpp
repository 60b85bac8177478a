// What a hand amounts to: the travel of a knob or an axis, the number of a device, the clicks of a wheel, as
// words that an order takes.
//
//   TravelAmount speed("300 rpm", "1800 rpm");
//   speed.text(0.5);                    // "1046 rpm"
//   UnitAmount pitch("0.01 mm");
//   pitch.text(137);                    // "1.37 mm"
#pragma once

#include <string>
#include <string_view>

namespace cogstride {

/// An order with an amount in the place of a word: "VALUE", wherever it stands.
[[nodiscard]] std::string with_amount(std::string line, std::string_view word, const std::string& amount);

/// Of so many of something, each of them so much.
class UnitAmount {
 public:
  /// @param each  a number with its unit. @throws RangeError when it is none
  explicit UnitAmount(const std::string& each);
  [[nodiscard]] const std::string& unit() const { return unit_; }
  [[nodiscard]] double each() const { return each_; }
  [[nodiscard]] std::string text(double count) const { return of(each_ * count); }
  [[nodiscard]] std::string of(double amount) const;

 private:
  double each_;
  std::string unit_;
};

/// Of a share of a travel: nothing is none, just above it is the first amount, its end the last one; of one
/// with a centre, the other side is the other way.
class TravelAmount {
 public:
  static constexpr double nothing = 0.01;  ///< share of a travel that is none

  /// @throws RangeError when they are no amounts, or not in one unit
  TravelAmount(const std::string& from, const std::string& to);
  /// @param share  -1 to 1
  [[nodiscard]] std::string text(double share) const;
  [[nodiscard]] static bool is_nothing(double share) { return share < nothing && share > -nothing; }

 private:
  UnitAmount from_;
  UnitAmount to_;
};

}  // namespace cogstride
