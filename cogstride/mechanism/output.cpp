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

namespace {

/// Where the unit of an amount begins.
std::size_t unit_of(std::string_view text) {
  const std::size_t digit = text.find_last_of("0123456789.", text.find("step"));
  const std::size_t unit = digit == std::string_view::npos ? 0 : digit + 1;
  return std::min(text.size(), text.find_first_not_of(' ', unit));
}

}  // namespace

bool is_in_steps(std::string_view text) {
  const std::string_view unit = text.substr(unit_of(text));
  return unit.rfind("step", 0) == 0;
}

template <int PerTime>
OutputAmount<PerTime> parse_output(std::string_view text, OutputKind kind, Ratio steps_per_base) {
  if (!is_in_steps(text)) {
    const OutputAmount<PerTime> amount = parse_output<PerTime>(text);
    if (amount.kind == kind) return amount;
    throw RangeError(
        fmt::format("found {}; expected one in {}", to_text(amount), display_unit(kind, PerTime)));
  }
  static constexpr std::string_view units[] = {"steps", "steps/s", "steps/s2", "steps/s3"};
  const std::size_t at = unit_of(text);
  const std::string_view unit = text.substr(at, text.find_last_not_of(' ') + 1 - at);
  if (unit != units[PerTime] && !(PerTime == 0 && unit == "step"))
    throw TextError(at, fmt::format("'{}' is in {}; expected {}, or {}", text, unit, units[PerTime],
                                    display_unit(kind, PerTime)));
  if (steps_per_base == Ratio(0)) throw RangeError(fmt::format("'{}': this takes no steps", text));
  std::string_view number = text.substr(0, at);
  while (!number.empty() && number.front() == ' ') number.remove_prefix(1);
  while (!number.empty() && number.back() == ' ') number.remove_suffix(1);
  // Forwards is forwards, whichever way round the steps are counted.
  return {kind, parse_ratio(number) / (steps_per_base < Ratio(0) ? -steps_per_base : steps_per_base)};
}

template OutputAmount<0> parse_output(std::string_view, OutputKind, Ratio);
template OutputAmount<1> parse_output(std::string_view, OutputKind, Ratio);
template OutputAmount<2> parse_output(std::string_view, OutputKind, Ratio);
template OutputAmount<3> parse_output(std::string_view, OutputKind, Ratio);
template std::string to_text(OutputAmount<0>);
template std::string to_text(OutputAmount<1>);
template std::string to_text(OutputAmount<2>);
template std::string to_text(OutputAmount<3>);
template OutputAmount<0> parse_output(std::string_view);
template OutputAmount<1> parse_output(std::string_view);
template OutputAmount<2> parse_output(std::string_view);
template OutputAmount<3> parse_output(std::string_view);

}  // namespace cogstride
