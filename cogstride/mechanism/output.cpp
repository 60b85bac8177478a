#include "cogstride/mechanism/output.hpp"

#include <fmt/format.h>

#include "cogstride/quantity/text.hpp"

namespace cogstride {

double InexactSpeed::in(Unit<dimensions::Speed> unit) const {
  if (kind != OutputKind::linear)
    throw RangeError("the speed of an output that turns is no length in a time");
  return Speed::from_base(base).in(unit);
}

double InexactSpeed::in(Unit<dimensions::AngularSpeed> unit) const {
  if (kind != OutputKind::rotary)
    throw RangeError("the speed of an output that moves along a line is no angle in a time");
  return AngularSpeed::from_base(base).in(unit);
}

std::string_view display_unit(OutputKind kind, int per_time) {
  constexpr std::string_view linear[] = {"mm", "mm/s", "mm/s2", "mm/s3"};
  constexpr std::string_view rotary[] = {"deg", "deg/s", "deg/s2", "deg/s3"};
  return kind == OutputKind::linear ? linear[per_time] : rotary[per_time];
}

template <int PerTime>
std::string to_text(OutputAmount<PerTime> amount) {
  using Amount = OutputAmount<PerTime>;
  const std::string_view unit = display_unit(amount.kind, PerTime);
  std::string exact =
      amount.kind == OutputKind::linear
          ? to_text(ExactQuantity<typename Amount::LinearDimension>::from_base(amount.base), unit)
          : to_text(ExactQuantity<typename Amount::RotaryDimension>::from_base(amount.base), unit);
  if (exact.find('/') >= exact.find(' '))
    return exact;  // a fraction bar before the unit: no decimal is exact
  return fmt::format("{:.6g} {}", amount.base.to_double() * display_units_per_base(amount.kind), unit);
}

template <int PerTime>
OutputAmount<PerTime> parse_output(std::string_view text) {
  using Amount = OutputAmount<PerTime>;
  const ParsedQuantity parsed = parse_any_quantity(text);
  if (parsed.powers == powers_of<typename Amount::RotaryDimension>) {
    return parse_quantity<ExactQuantity<typename Amount::RotaryDimension>>(text);
  }
  if (parsed.powers == powers_of<typename Amount::LinearDimension>) {
    return parse_quantity<ExactQuantity<typename Amount::LinearDimension>>(text);
  }
  throw TextError(0, fmt::format("'{}' is not {} or {}", text,
                                 describe_dimension(powers_of<typename Amount::LinearDimension>),
                                 describe_dimension(powers_of<typename Amount::RotaryDimension>)));
}

template std::string to_text(OutputAmount<0>);
template std::string to_text(OutputAmount<1>);
template std::string to_text(OutputAmount<2>);
template std::string to_text(OutputAmount<3>);
template OutputAmount<0> parse_output(std::string_view);
template OutputAmount<1> parse_output(std::string_view);
template OutputAmount<2> parse_output(std::string_view);
template OutputAmount<3> parse_output(std::string_view);

}  // namespace cogstride
