#include "cogstride/script/line_reader.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <charconv>

#include "cogstride/quantity/text.hpp"

namespace cogstride {
namespace {

const ExactTime longest_time = ExactTime(366, Unit<dimensions::Time>{86'400});

/// Input lines of a rig with the names that scripts have for them.
std::vector<AwaitedLine> named_inputs(const Rig& rig) {
  std::vector<AwaitedLine> inputs;
  const auto add = [&](std::string name, std::int64_t line) {
    inputs.push_back({std::move(name), static_cast<LineId>(line), true});
  };
  for (const HandControl& hand : rig.hands)
    if (hand.line && !hand.is_turned()) add(hand.name, *hand.line);
  for (const Supply& supply : rig.supplies)
    if (supply.power_good_line) add(supply.name, *supply.power_good_line);
  for (const Mechanism& mechanism : rig.mechanisms) {
    if (!mechanism.moves()) continue;
    for (const Sensor& sensor : mechanism.sensors)
      if (const auto* const place = std::get_if<PlaceSwitch>(&sensor))
        add(mechanism.name + "." + place->name, place->line);
    if (mechanism.common.fault) add(mechanism.name + ".fault", mechanism.common.fault->number);
    if (mechanism.common.in_position)
      add(mechanism.name + ".in_position", mechanism.common.in_position->number);
  }
  return inputs;
}

}  // namespace

const Word& LineReader::word(const std::string& wanted) {
  if (at_end()) throw Wrong{end_column(), 1, fmt::format("the line ends here; expected {}", wanted)};
  return line_.words[next_++];
}

void LineReader::expect(const std::string& wanted) {
  const Word& found = word("'" + wanted + "'");
  if (found.text != wanted) throw wrong(found, fmt::format("found '{}'; expected '{}'", found.text, wanted));
}

void LineReader::expect_end() const {
  if (at_end()) return;
  const Word& extra = line_.words[next_];
  throw Wrong{extra.column, end_column() - extra.column,
              fmt::format("'{}' is more than this statement takes", extra.text)};
}

namespace {

LineReader::Moved way_of(const Mechanism& mechanism) {
  using Moved = LineReader::Moved;
  if (mechanism.is_driven_by_duty()) return Moved::by_duty;
  if (mechanism.swings()) return Moved::swings;
  if (mechanism.is_throttled()) return Moved::throttled;
  if (mechanism.has_six_gates()) return Moved::six_step;
  if (mechanism.has_bus_drive()) return Moved::on_bus;
  require_movable(mechanism);
  return Moved::by_steps;
}

/// What can be said of one that is moved so.
const char* what_it_does(LineReader::Moved way, bool only_by_duty) {
  using Moved = LineReader::Moved;
  switch (way) {
    case Moved::by_steps:
      return only_by_duty ? "is not driven by duty: it is stopped and released"
                          : "is moved by steps: it homes, moves, turns, spins, stops, holds and is released";
    case Moved::by_duty:
      return "is driven by duty: it spins, moves where it has an encoder, stops, brakes and coasts";
    case Moved::swings:
      return "is a hobby servo: it swings, stops and is released";
    case Moved::throttled:
      return "is behind a speed controller: it is armed, throttled, stopped and released";
    case Moved::six_step:
      return "is a bare brushless motor: it spins and stops";
    case Moved::on_bus:
      return "has a drive on a bus: it is armed, moves, turns, spins, follows, stops, holds and is released";
  }
  return "";
}

}  // namespace

std::size_t LineReader::mechanism(std::initializer_list<Moved> ways) {
  const Word& name = word("the name of a mechanism");
  try {
    const Mechanism& mechanism = mechanism_named(rig_, std::string(name.text));
    const Moved way = way_of(mechanism);
    if (std::find(ways.begin(), ways.end(), way) == ways.end()) {
      const bool only_by_duty = ways.size() == 1 && *ways.begin() == Moved::by_duty;
      throw RangeError(fmt::format("{}: {}", mechanism.name, what_it_does(way, only_by_duty)));
    }
    return static_cast<std::size_t>(&mechanism - rig_.mechanisms.data());
  } catch (const RangeError& error) {
    throw wrong(name, error.what());
  }
}

bool LineReader::comes_a_pair() const {
  return std::any_of(rig_.pairs.begin(), rig_.pairs.end(),
                     [&](const WheeledPair& pair) { return next_is(pair.name); });
}

std::size_t LineReader::pair() {
  const Word& name = word("the name of a wheeled pair");
  try {
    return static_cast<std::size_t>(&pair_named(rig_, std::string(name.text)) - rig_.pairs.data());
  } catch (const RangeError& error) {
    throw wrong(name, error.what());
  }
}

bool LineReader::comes_a_shaft() const {
  return std::any_of(rig_.shafts.begin(), rig_.shafts.end(),
                     [&](const Shaft& shaft) { return next_is(shaft.name); });
}

std::size_t LineReader::shaft() {
  const Word& name = word("the name of a shaft");
  for (std::size_t i = 0; i < rig_.shafts.size(); ++i)
    if (rig_.shafts[i].name == name.text) return i;
  throw wrong(name, fmt::format("'{}' is not a shaft of this rig", name.text));
}

std::size_t LineReader::output() {
  const Word& name = word("the name of an output");
  std::vector<std::string> names;
  for (std::size_t i = 0; i < rig_.outputs.size(); ++i) {
    if (rig_.outputs[i].name == name.text) return i;
    names.push_back(rig_.outputs[i].name);
  }
  throw wrong(name, names.empty() ? fmt::format("'{}': this rig has no output to switch", name.text)
                                  : fmt::format("'{}' is not an output of this rig; it has: {}", name.text,
                                                fmt::join(names, ", ")));
}

AwaitedLine LineReader::input() {
  const Word& name = word("the name of an input line");
  std::vector<std::string> names;
  for (const AwaitedLine& input : named_inputs(rig_)) {
    if (input.name == name.text) return input;
    names.push_back(input.name);
  }
  const std::string near = nearest_word(std::string(name.text), names);
  throw wrong(name, fmt::format("'{}' is not an input line of this rig{}; it has: {}", name.text,
                                near.empty() ? "" : fmt::format(", did you mean {}?", near),
                                names.empty() ? "none" : fmt::format("{}", fmt::join(names, ", "))));
}

const std::string* LineReader::value_of(std::string_view name) const {
  const auto found = values_.find(name);
  return found == values_.end() ? nullptr : &found->second;
}

LineReader::AmountText LineReader::amount_text(const std::string& wanted) {
  const Word& first = word(wanted);
  const bool negated = first.text.size() > 1 && first.text.front() == '-';
  if (const std::string* const value = value_of(negated ? first.text.substr(1) : first.text)) {
    std::string text = *value;
    if (negated) text = text.front() == '-' ? text.substr(1) : "-" + text;
    return {std::move(text), first.column, first.text.size()};
  }
  AmountText found{std::string(first.text), first.column, first.text.size()};
  const bool ends_with_digit = found.text.back() >= '0' && found.text.back() <= '9';
  // "at 0.5 for 1 s" has lost its unit: what follows is a word of the statement.
  constexpr std::string_view goes_on[] = {"for", "until", "with", "by", "to", "at", "and", "within", "every"};
  const auto is_unit = [&](std::string_view text) {
    return std::find(std::begin(goes_on), std::end(goes_on), text) == std::end(goes_on);
  };
  if (ends_with_digit && !at_end() && is_unit(line_.words[next_].text)) {
    const Word& unit = line_.words[next_++];
    found.text += " " + std::string(unit.text);
    found.length = unit.column + unit.text.size() - first.column;
    // "0.2 N m"
    if (unit.text.ends_with('N') && (next_is("m") || next_is("cm"))) {
      const Word& rest = line_.words[next_++];
      found.text += " " + std::string(rest.text);
      found.length = rest.column + rest.text.size() - first.column;
    }
  }
  return found;
}

/// "28/75 turn" is 28 turns, by 75.
LineReader::Fractional LineReader::fractional(const std::string& text) {
  const std::size_t slash = text.find('/');
  if (slash == std::string::npos) return {text};
  const std::size_t unit = std::min(text.find(' ', slash), text.size());
  std::int64_t below = 0;
  const char* const end = text.data() + unit;
  const auto [stop, status] = std::from_chars(text.data() + slash + 1, end, below);
  if (status != std::errc() || stop != end || below == 0) return {text};
  return {text.substr(0, slash) + text.substr(unit), below};
}

std::int64_t LineReader::count(const std::string& wanted, std::int64_t least, std::int64_t most) {
  const Word& number = word(wanted);
  const std::string* const value = value_of(number.text);
  const std::string text = value != nullptr ? *value : std::string(number.text);
  std::int64_t count = 0;
  const char* const end = text.data() + text.size();
  const auto [stop, status] = std::from_chars(text.data(), end, count);
  if (status != std::errc() || stop != end || count < least || count > most) {
    throw wrong(number, fmt::format("found '{}'; expected {} from {} to {}", text,
                                    wanted.substr(0, wanted.find(" such")), least, most));
  }
  return count;
}

ExactTime LineReader::time(const std::string& wanted) {
  return amount(wanted, [](const std::string& text) {
    const auto time = parse_quantity<ExactTime>(text);
    if (time < ExactTime())
      throw RangeError(fmt::format("'{}' lies in the past: a wait is not below 0", text));
    if (longest_time < time) throw RangeError(fmt::format("'{}' is more than a year", text));
    return time;
  });
}

Wrong LineReader::wrong_statement(std::string message) const {
  const Word& first = line_.words.front();
  return {first.column, end_column() - first.column, std::move(message)};
}

std::size_t LineReader::end_column() const {
  return line_.words.empty() ? 1 : line_.words.back().column + line_.words.back().text.size();
}

bool LineReader::on_or_off() {
  const Word& next = word("'on' or 'off'");
  if (next.text != "on" && next.text != "off")
    throw wrong(next, fmt::format("found '{}'; expected 'on' or 'off'", next.text));
  return next.text == "on";
}

OutputPosition LineReader::position(const Mechanism& mechanism, const std::string& wanted) {
  return amount(wanted, [&](const std::string& text) {
    const OutputPosition value = parse_output<0>(mechanism, text);
    require_kind(mechanism, value.kind);
    return value;
  });
}

}  // namespace cogstride
