// Positions, speeds and accelerations of a mechanism's output, which moves either along a line or round.
//
// An output amount is exact: metres or turns (a second, a second squared) as a Ratio. It is made from an
// exact quantity, so `{.to = 92_mm}` and `{.to = 225_deg}` both say what they mean.
#pragma once

#include <string>
#include <string_view>

#include "cogstride/quantity/quantity.hpp"

namespace cogstride {

enum class OutputKind { linear, rotary };

/// @tparam PerTime 0 for a position or a way, 1 for a speed, 2 for an acceleration, 3 for a jerk
template <int PerTime>
struct OutputAmount {
  using LinearDimension = Dimension<1, 0, -PerTime, 0, 0, 0>;
  using RotaryDimension = Dimension<0, 0, -PerTime, 0, 1, 0>;

  OutputKind kind = OutputKind::linear;
  Ratio base;  ///< m or turns, for each second to the power of PerTime

  constexpr OutputAmount() = default;
  constexpr OutputAmount(OutputKind output_kind, Ratio amount) : kind(output_kind), base(amount) {}
  constexpr OutputAmount(ExactQuantity<LinearDimension> amount)
      : kind(OutputKind::linear), base(amount.base()) {}
  constexpr OutputAmount(ExactQuantity<RotaryDimension> amount)
      : kind(OutputKind::rotary), base(amount.base()) {}

  friend constexpr bool operator==(OutputAmount, OutputAmount) = default;
};

using OutputPosition = OutputAmount<0>;
using OutputSpeed = OutputAmount<1>;
using OutputAcceleration = OutputAmount<2>;
using OutputJerk = OutputAmount<3>;

/// A speed of an output that is not exact: measured, or wanted on the way to another one.
struct InexactSpeed {
  OutputKind kind = OutputKind::linear;
  double base = 0.0;  ///< m/s or turns/s

  /// @throws RangeError when the output moves the other way: round, or along a line
  [[nodiscard]] double in(Unit<dimensions::Speed> unit) const;
  [[nodiscard]] double in(Unit<dimensions::AngularSpeed> unit) const;
};

/// The unit in which an output is shown: mm or deg, mm/s or deg/s, and so on.
[[nodiscard]] std::string_view display_unit(OutputKind kind, int per_time);
/// Display units in one base unit: 1000 mm a metre, 360 deg a turn.
[[nodiscard]] constexpr int display_units_per_base(OutputKind kind) {
  return kind == OutputKind::linear ? 1000 : 360;
}
/// The unit in which the speed of what turns on and on is shown, and how many of it are one base unit: rpm
/// or mm/s.
[[nodiscard]] constexpr std::string_view speed_unit(OutputKind kind) {
  return kind == OutputKind::linear ? "mm/s" : "rpm";
}
[[nodiscard]] constexpr double speed_units_per_base(OutputKind kind) {
  return kind == OutputKind::linear ? 1000.0 : 60.0;
}

/// "92 mm" or "40 deg/s": exact where a decimal is, else six digits.
template <int PerTime>
[[nodiscard]] std::string to_text(OutputAmount<PerTime> amount);

/// Reads "85 mm" or "90 deg" (or their speeds, accelerations). @throws TextError, RangeError as
/// parse_quantity does.
template <int PerTime>
[[nodiscard]] OutputAmount<PerTime> parse_output(std::string_view text);
/// Whether a text says an amount in steps: "400 steps", "1000 steps/s".
[[nodiscard]] bool is_in_steps(std::string_view text);
/// The same, and in steps, of an output of which one metre or turn takes so many; 0: it takes none. @throws
/// RangeError for an amount of the other kind too
template <int PerTime>
[[nodiscard]] OutputAmount<PerTime> parse_output(std::string_view text, OutputKind kind,
                                                 Ratio steps_per_base);

}  // namespace cogstride
