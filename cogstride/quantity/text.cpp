#include "cogstride/quantity/text.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <optional>

namespace cogstride {
namespace {

struct NamedUnit {
  std::string_view symbol;
  DimensionPowers powers;
  Ratio scale;
  int pi_power;
};

template <class D>
constexpr NamedUnit named(std::string_view symbol, Ratio scale, int pi_power = 0) {
  return {symbol, powers_of<D>, scale, pi_power};
}

constexpr Ratio milli{1, 1'000};
constexpr Ratio micro{1, 1'000'000};
constexpr Ratio nano{1, 1'000'000'000};

namespace d = dimensions;

// The first unit of a dimension is the one shown as an example in messages.
constexpr std::array unit_table = {
    named<d::Length>("mm", milli),
    named<d::Length>("m", 1),
    named<d::Length>("in", {254, 10'000}),
    named<d::Length>("cm", {1, 100}),
    named<d::Length>("um", micro),
    named<d::Angle>("deg", {1, 360}),
    named<d::Angle>("turn", 1),
    named<d::Angle>("turns", 1),
    named<d::Angle>("rad", {1, 2}, -1),
    named<d::Time>("s", 1),
    named<d::Time>("ms", milli),
    named<d::Time>("us", micro),
    named<d::Time>("ns", nano),
    named<d::Time>("min", 60),
    named<d::Time>("h", 3600),
    named<d::Speed>("mm/s", milli),
    named<d::Speed>("m/s", 1),
    named<d::Speed>("mm/min", {1, 60'000}),
    named<d::Speed>("in/s", {254, 10'000}),
    named<d::Acceleration>("mm/s2", milli),
    named<d::Acceleration>("in/s2", {254, 10'000}),
    named<d::Acceleration>("m/s2", 1),
    named<d::Jerk>("mm/s3", milli),
    named<d::Jerk>("m/s3", 1),
    named<d::AngularSpeed>("deg/s", {1, 360}),
    named<d::AngularSpeed>("rpm", {1, 60}),
    named<d::AngularSpeed>("turn/s", 1),
    named<d::AngularSpeed>("turns/s", 1),
    named<d::AngularSpeed>("rad/s", {1, 2}, -1),
    named<d::AngularAcceleration>("deg/s2", {1, 360}),
    named<d::AngularAcceleration>("rpm/s", {1, 60}),
    named<d::AngularAcceleration>("turn/s2", 1),
    named<d::AngularAcceleration>("rad/s2", {1, 2}, -1),
    named<d::AngularJerk>("deg/s3", {1, 360}),
    named<d::AngularJerk>("turn/s3", 1),
    named<d::Frequency>("Hz", 1),
    named<d::Frequency>("kHz", 1'000),
    named<d::Frequency>("MHz", 1'000'000),
    named<d::Current>("A", 1),
    named<d::Current>("mA", milli),
    named<d::Voltage>("V", 1),
    named<d::Voltage>("mV", milli),
    named<d::Resistance>("ohm", 1),
    named<d::Resistance>("mohm", milli),
    named<d::Resistance>("kohm", 1'000),
    named<d::Inductance>("mH", milli),
    named<d::Inductance>("H", 1),
    named<d::Inductance>("uH", micro),
    named<d::Capacitance>("uF", micro),
    named<d::Capacitance>("F", 1),
    named<d::Capacitance>("nF", nano),
    named<d::Mass>("kg", 1),
    named<d::Mass>("g", milli),
    named<d::Force>("N", 1),
    named<d::Torque>("N m", 1),
    named<d::Torque>("mN m", milli),
    named<d::Torque>("N cm", {1, 100}),
    named<d::Torque>("kg cm", {980'665, 10'000'000}),  // of weight, at 9.80665 m/s2: as motors are sold
    named<d::Inertia>("kg m2", 1),
    named<d::Inertia>("g cm2", {1, 10'000'000}),
    named<d::Power>("W", 1),
    named<d::TorqueConstant>("N m/A", 1),
    named<d::BackEmfConstant>("V s/rad", 2, 1),
    named<d::ViscousFriction>("N m s/rad", 2, 1),
    named<d::ViscousFriction>("N m s", 2, 1),
    named<d::Temperature>("K", 1),
    named<d::ThermalResistance>("K/W", 1),
    named<d::HeatCapacity>("J/K", 1),
    named<d::Charge>("A h", 3600),
    named<d::Charge>("mA h", {18, 5}),
    named<NoDimension>("%", {1, 100}),
};

struct NamedDimension {
  DimensionPowers powers;
  std::string_view phrase;
};

constexpr std::array dimension_names = {
    NamedDimension{powers_of<d::Length>, "a length such as 85 mm"},
    NamedDimension{powers_of<d::Angle>, "an angle such as 90 deg"},
    NamedDimension{powers_of<d::Time>, "a time such as 1.5 s"},
    NamedDimension{powers_of<d::Speed>, "a speed such as 40 mm/s"},
    NamedDimension{powers_of<d::Acceleration>, "an acceleration such as 1500 mm/s2"},
    NamedDimension{powers_of<d::Jerk>, "a jerk such as 40000 mm/s3"},
    NamedDimension{powers_of<d::AngularSpeed>, "a speed of turning such as 600 rpm"},
    NamedDimension{powers_of<d::AngularAcceleration>, "an angular acceleration such as 40 deg/s2"},
    NamedDimension{powers_of<d::AngularJerk>, "an angular jerk such as 400 deg/s3"},
    NamedDimension{powers_of<d::Frequency>, "a frequency such as 40 kHz"},
    NamedDimension{powers_of<d::Current>, "a current such as 1.6 A"},
    NamedDimension{powers_of<d::Voltage>, "a voltage such as 24 V"},
    NamedDimension{powers_of<d::Resistance>, "a resistance such as 1.9 ohm"},
    NamedDimension{powers_of<d::Inductance>, "an inductance such as 3.4 mH"},
    NamedDimension{powers_of<d::Capacitance>, "a capacitance such as 2200 uF"},
    NamedDimension{powers_of<d::Mass>, "a mass such as 0.2 kg"},
    NamedDimension{powers_of<d::Force>, "a force such as 2 N"},
    NamedDimension{powers_of<d::Torque>, "a torque such as 0.45 N m"},
    NamedDimension{powers_of<d::Inertia>, "an inertia such as 6.2e-6 kg m2"},
    NamedDimension{powers_of<d::Power>, "a power such as 20 W"},
    NamedDimension{powers_of<d::TorqueConstant>, "a torque constant such as 0.03 N m/A"},
    NamedDimension{powers_of<d::BackEmfConstant>, "a back-EMF constant such as 0.06 V s/rad"},
    NamedDimension{powers_of<d::ViscousFriction>, "a viscous friction such as 1e-4 N m s"},
    NamedDimension{powers_of<d::Temperature>, "a temperature difference such as 40 K"},
    NamedDimension{powers_of<d::ThermalResistance>, "a thermal resistance such as 9 K/W"},
    NamedDimension{powers_of<d::HeatCapacity>, "a heat capacity such as 180 J/K"},
    NamedDimension{powers_of<d::Charge>, "a charge such as 2.2 A h"},
    NamedDimension{powers_of<NoDimension>, "a share such as 80 %"},
};

bool is_blank(char c) {
  return c == ' ' || c == '\t';
}
bool is_digit(char c) {
  return c >= '0' && c <= '9';
}

std::size_t skip_blanks(std::string_view text, std::size_t at) {
  while (at < text.size() && is_blank(text[at])) ++at;
  return at;
}

std::size_t skip_digits(std::string_view text, std::size_t at) {
  while (at < text.size() && is_digit(text[at])) ++at;
  return at;
}

/// Length of the decimal number at the start of `text`; 0 when there is none. An "e" belongs to the number
/// only when digits follow it.
std::size_t number_length(std::string_view text) {
  std::size_t at = 0;
  if (at < text.size() && (text[at] == '+' || text[at] == '-')) ++at;
  const std::size_t whole_end = skip_digits(text, at);
  std::size_t digits = whole_end - at;
  at = whole_end;
  if (at < text.size() && text[at] == '.') {
    const std::size_t fraction_end = skip_digits(text, at + 1);
    digits += fraction_end - at - 1;
    at = fraction_end;
  }
  if (digits == 0) return 0;
  if (at < text.size() && (text[at] == 'e' || text[at] == 'E')) {
    std::size_t exponent = at + 1;
    if (exponent < text.size() && (text[exponent] == '+' || text[exponent] == '-')) ++exponent;
    const std::size_t exponent_end = skip_digits(text, exponent);
    if (exponent_end > exponent) at = exponent_end;
  }
  return at;
}

double number_value(std::string_view number) {
  if (number.front() == '+') number.remove_prefix(1);
  double value = 0.0;
  const auto [end, status] = std::from_chars(number.data(), number.data() + number.size(), value);
  if (status == std::errc::result_out_of_range)
    throw RangeError(fmt::format("{} is beyond the numbers this computer keeps", number));
  return value;
}

void replace_all(std::string& text, std::string_view from, std::string_view to) {
  for (std::size_t at = text.find(from); at != std::string::npos; at = text.find(from, at + to.size())) {
    text.replace(at, from.size(), to);
  }
}

/// Spellings that mean the same: one blank between words, plain letters, no "^".
std::string plain_unit(std::string_view written) {
  std::string unit(written);
  replace_all(unit, "\u00b5", "u");
  replace_all(unit, "\u03bc", "u");
  replace_all(unit, "\u03a9", "ohm");
  replace_all(unit, "\u2126", "ohm");
  replace_all(unit, "\u00b2", "2");
  replace_all(unit, "\u00b3", "3");
  replace_all(unit, "\u00b7", " ");
  replace_all(unit, "\u00b0", "deg");
  replace_all(unit, "\u00a0", " ");
  replace_all(unit, "\u202f", " ");
  replace_all(unit, "^", "");
  replace_all(unit, "\t", " ");
  replace_all(unit, "  ", " ");
  replace_all(unit, " /", "/");
  replace_all(unit, "/ ", "/");
  while (!unit.empty() && unit.back() == ' ') unit.pop_back();
  if (!unit.empty() && unit.front() == ' ') unit.erase(0, 1);
  return unit;
}

const NamedUnit* find_unit(std::string_view symbol) {
  for (const NamedUnit& unit : unit_table) {
    if (unit.symbol == symbol) return &unit;
  }
  return nullptr;
}

std::string units_of(const DimensionPowers& powers) {
  std::string list;
  for (const NamedUnit& unit : unit_table) {
    if (unit.powers != powers) continue;
    if (!list.empty()) list += ", ";
    list += unit.symbol;
  }
  return list;
}

std::vector<std::string> symbols_of(const std::optional<DimensionPowers>& wanted) {
  std::vector<std::string> symbols;
  for (const NamedUnit& unit : unit_table) {
    if (!wanted || unit.powers == *wanted) symbols.emplace_back(unit.symbol);
  }
  return symbols;
}

/// The unit that stands at `at`; where it is not known, the nearest one of the wanted dimension is named.
const NamedUnit& unit_at(std::string_view text, std::size_t at,
                         const std::optional<DimensionPowers>& wanted) {
  const std::string symbol = plain_unit(text.substr(at));
  if (symbol.empty())
    throw TextError(at, fmt::format("'{}' has no unit: write one, as in 85 mm or 1.6 A", text));
  const NamedUnit* unit = find_unit(symbol);
  if (unit != nullptr) return *unit;
  const std::string near = nearest_word(symbol, symbols_of(wanted));
  throw TextError(at, fmt::format("unit '{}' is not known{}", symbol,
                                  near.empty() ? "" : fmt::format("; did you mean {}?", near)));
}

double unit_factor(const NamedUnit& unit) {
  return Unit<NoDimension>{unit.scale, unit.pi_power}.factor();
}

}  // namespace

Ratio parse_ratio(std::string_view text) {
  const std::size_t length = number_length(text);
  if (length == 0 || length != text.size())
    throw TextError(0, fmt::format("'{}' is not a decimal number", text));
  const auto too_many = [&] {
    return RangeError(fmt::format("{} has more digits than can be kept exactly", text));
  };
  Ratio::Wide digits = 0;
  int exponent = 0;
  bool negative = false;
  bool after_point = false;
  std::size_t at = 0;
  for (; at < text.size() && text[at] != 'e' && text[at] != 'E'; ++at) {
    const char c = text[at];
    if (c == '-') negative = true;
    if (c == '.') after_point = true;
    if (!is_digit(c)) continue;
    if (digits > Ratio::Wide(INT64_MAX) * 1'000'000) throw too_many();
    digits = digits * 10 + (c - '0');
    if (after_point) --exponent;
  }
  if (at < text.size()) {
    std::string_view written = text.substr(at + 1);
    if (written.front() == '+') written.remove_prefix(1);
    int value = 0;
    const auto [end, status] = std::from_chars(written.data(), written.data() + written.size(), value);
    if (status != std::errc() || value > 1000 || value < -1000) throw too_many();
    exponent += value;
  }
  if (digits == 0) return 0;
  Ratio::Wide denominator = 1;
  for (; exponent > 0; --exponent) {
    if (digits > Ratio::Wide(INT64_MAX)) throw too_many();
    digits *= 10;
  }
  for (; exponent < 0; ++exponent) {
    if (digits % 10 == 0) {
      digits /= 10;
      continue;
    }
    if (denominator > Ratio::Wide(INT64_MAX)) throw too_many();
    denominator *= 10;
  }
  try {
    return Ratio::reduced(negative ? -digits : digits, denominator);
  } catch (const RangeError&) {
    throw too_many();
  }
}

namespace {

ParsedQuantity parse_wanted(std::string_view text, const std::optional<DimensionPowers>& wanted) {
  const std::size_t start = skip_blanks(text, 0);
  const std::size_t length = number_length(text.substr(start));
  if (length == 0)
    throw TextError(start,
                    fmt::format("'{}' is not an amount: write a number and a unit, as in 85 mm", text));
  const std::string_view number = text.substr(start, length);
  const std::size_t after = start + length;
  if (after + 1 < text.size() && text[after] == ',' && text[after + 1] >= '0' && text[after + 1] <= '9') {
    std::string pointed(text.substr(start));
    pointed[length] = '.';
    throw TextError(after, fmt::format("'{}' has a comma: write a point, {}", text, pointed));
  }
  const NamedUnit& unit = unit_at(text, skip_blanks(text, after), wanted);
  ParsedQuantity parsed;
  parsed.powers = unit.powers;
  try {
    parsed.exact = parse_ratio(number) * unit.scale;
    parsed.is_exact = unit.pi_power == 0;
  } catch (const RangeError&) {
    parsed.is_exact = false;
  }
  parsed.base = parsed.is_exact ? parsed.exact.to_double() : number_value(number) * unit_factor(unit);
  return parsed;
}

}  // namespace

ParsedQuantity parse_any_quantity(std::string_view text) {
  return parse_wanted(text, std::nullopt);
}

std::string describe_dimension(const DimensionPowers& powers) {
  for (const NamedDimension& name : dimension_names) {
    if (name.powers == powers) return std::string(name.phrase);
  }
  return "an amount of another kind";
}

std::vector<std::string> unit_symbols() {
  return symbols_of(std::nullopt);
}

std::size_t edit_distance(std::string_view a, std::string_view b) {
  std::vector<std::size_t> row(b.size() + 1);
  for (std::size_t j = 0; j <= b.size(); ++j) row[j] = j;
  for (std::size_t i = 1; i <= a.size(); ++i) {
    std::size_t diagonal = row[0];
    row[0] = i;
    for (std::size_t j = 1; j <= b.size(); ++j) {
      const std::size_t replaced = diagonal + (a[i - 1] == b[j - 1] ? 0 : 1);
      diagonal = row[j];
      row[j] = std::min({row[j] + 1, row[j - 1] + 1, replaced});
    }
  }
  return row[b.size()];
}

std::string nearest_word(std::string_view word, const std::vector<std::string>& candidates) {
  const std::size_t reach = std::max<std::size_t>(1, word.size() / 3 + 1);
  std::size_t best = reach + 1;
  std::string nearest;
  for (const std::string& candidate : candidates) {
    const std::size_t distance = edit_distance(word, candidate);
    if (distance < best && distance < std::max(word.size(), candidate.size())) {
      best = distance;
      nearest = candidate;
    }
  }
  return nearest;
}

bool is_plain_name(std::string_view name) {
  constexpr std::size_t longest = 64;
  const auto is_plain = [](char c) {
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_' || c == '-';
  };
  return !name.empty() && name.size() <= longest && std::all_of(name.begin(), name.end(), is_plain);
}

std::string printable(std::string_view text) {
  constexpr std::size_t longest = 80;
  std::string shown(text.substr(0, longest));
  for (char& c : shown)
    if (static_cast<unsigned char>(c) < 0x20 || c == 0x7f) c = '?';
  return text.size() > longest ? shown + "..." : shown;
}

std::uint64_t fingerprint(std::string_view text) {
  std::uint64_t hash = 0xcbf29ce484222325u;  // FNV-1a, 64 bits
  for (const char byte : text) hash = (hash ^ static_cast<unsigned char>(byte)) * 0x100000001b3u;
  return hash;
}

namespace detail {

ParsedQuantity parse_with_powers(std::string_view text, const DimensionPowers& powers) {
  const ParsedQuantity parsed = parse_wanted(text, powers);
  if (parsed.powers != powers) {
    throw TextError(
        0, fmt::format("'{}' is not {} (units: {})", text, describe_dimension(powers), units_of(powers)));
  }
  return parsed;
}

ParsedQuantity parse_exact_with_powers(std::string_view text, const DimensionPowers& powers) {
  const ParsedQuantity parsed = parse_with_powers(text, powers);
  if (!parsed.is_exact) {
    throw RangeError(
        fmt::format("'{}' cannot be kept exactly: give at most 18 digits, and angles in deg or turns", text));
  }
  return parsed;
}

namespace {
const NamedUnit& unit_for(const DimensionPowers& powers, std::string_view symbol) {
  const NamedUnit* unit = find_unit(symbol);
  if (unit == nullptr || unit->powers != powers) {
    throw RangeError(fmt::format("'{}' is not a unit of {}", symbol, describe_dimension(powers)));
  }
  return *unit;
}
}  // namespace

std::string text_in_unit(double base, const DimensionPowers& powers, std::string_view unit, int digits) {
  return fmt::format("{:.{}g} {}", base / unit_factor(unit_for(powers, unit)), digits, unit);
}

std::string text_in_unit(Ratio base, const DimensionPowers& powers, std::string_view unit) {
  const NamedUnit& found = unit_for(powers, unit);
  if (found.pi_power != 0) throw RangeError(fmt::format("an exact amount cannot be written in '{}'", unit));
  const Ratio amount = base / found.scale;
  std::int64_t rest = amount.denominator();
  int twos = 0;
  int fives = 0;
  for (; rest % 2 == 0; rest /= 2) ++twos;
  for (; rest % 5 == 0; rest /= 5) ++fives;
  const int places = std::max(twos, fives);
  if (rest != 1 || places > 18) return fmt::format("{} {}", to_text(amount), unit);
  Ratio::Wide scaled = amount.numerator();
  for (int i = twos; i < places; ++i) scaled *= 2;
  for (int i = fives; i < places; ++i) scaled *= 5;
  const bool negative = scaled < 0;
  std::string digits = fmt::format("{}", negative ? -scaled : scaled);
  if (places > 0) {
    if (digits.size() <= static_cast<std::size_t>(places)) digits.insert(0, places + 1 - digits.size(), '0');
    digits.insert(digits.size() - places, ".");
  }
  return fmt::format("{}{} {}", negative ? "-" : "", digits, unit);
}

}  // namespace detail
}  // namespace cogstride
