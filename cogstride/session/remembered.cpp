#include "cogstride/session/remembered.hpp"

#include <fmt/format.h>

#include <charconv>
#include <fstream>

#include "cogstride/files/output_file.hpp"
#include "cogstride/motion/mover.hpp"
#include "cogstride/quantity/text.hpp"

namespace cogstride {
namespace {

constexpr std::string_view first_line = "remember positions: 1";

std::string sum_line(std::string_view text) {
  return fmt::format("sum: {:016x}\n", fingerprint(text));
}

/// The next line, which must begin with `key`; what follows it.
std::string_view take_line(std::string_view& text, std::string_view key) {
  const std::size_t end = text.find('\n');
  const std::string_view line = text.substr(0, end);
  if (end == std::string_view::npos || line.substr(0, key.size()) != key)
    throw Error(fmt::format("remembered positions: '{}' is missing", key));
  text.remove_prefix(end + 1);
  return line.substr(key.size());
}

std::int64_t whole_number(std::string_view text) {
  std::int64_t number = 0;
  const auto [stop, status] = std::from_chars(text.data(), text.data() + text.size(), number);
  if (status != std::errc() || stop != text.data() + text.size())
    throw Error(fmt::format("remembered positions: '{}' is no whole number", text));
  return number;
}

OutputPosition parse_place(std::string_view text) {
  const std::size_t bar = text.find('/');
  const std::size_t blank = text.find(' ');
  if (bar == std::string_view::npos || blank == std::string_view::npos || bar > blank)
    throw Error(fmt::format("remembered positions: '{}' is no position", text));
  const std::string_view unit = text.substr(blank + 1);
  if (unit != "m" && unit != "turn") throw Error(fmt::format("remembered positions: '{}' is no unit", unit));
  return {unit == "m" ? OutputKind::linear : OutputKind::rotary,
          Ratio(whole_number(text.substr(0, bar)), whole_number(text.substr(bar + 1, blank - bar - 1)))};
}

/// What a switch should say at a position; nothing where the position is too near its edges to tell.
std::optional<bool> should_act(const Mechanism& mechanism, const PlaceSwitch& place,
                               OutputPosition position) {
  const double at = position.base.to_double();
  const double unsure =
      static_cast<double>(steps_lost_at_once(mechanism)) / std::abs(steps_per_base(mechanism).to_double());
  double inside = 0.0;   // how far inside its place of acting
  double outside = 0.0;  // how far outside its place of release
  if (place.is_window) {
    const double centre = (place.window_from.base + place.window_to.base).to_double() / 2.0;
    const double half = (place.window_to.base - place.window_from.base).to_double() / 2.0;
    double off = at - centre;
    if (!mechanism.limits.travel_from) off -= std::round(off);
    inside = half - std::abs(off);
    outside = std::abs(off) - half - place.hysteresis.base.to_double();
  } else {
    const double side = place.is_low_end() ? 1.0 : -1.0;
    inside = side * (place.acts_at.base.to_double() - at);
    outside = side * (at - place.releases_at.base.to_double());
  }
  if (inside > unsure) return true;
  if (outside > unsure) return false;
  return std::nullopt;
}

std::string why_not(const Bench& bench, const Mechanism& mechanism, OutputPosition position) {
  bool any_agrees = false;
  for (const Sensor& sensor : mechanism.sensors) {
    const auto* const place = std::get_if<PlaceSwitch>(&sensor);
    if (place == nullptr) continue;
    const std::optional<bool> should = should_act(mechanism, *place, position);
    const std::optional<bool> does = bench.inputs().acts(static_cast<LineId>(place->line));
    if (!should || !does) continue;
    if (*should != *does)
      return fmt::format("{} {} there", place->name,
                         *does ? "acts, and should not" : "should act, and does not");
    any_agrees = true;
  }
  return any_agrees ? "" : "no switch can tell whether it is so";
}

}  // namespace

std::string to_text(const RememberedPositions& remembered) {
  std::string text = fmt::format("{}\nrig: {:016x}\nstanding: {}\n", first_line, remembered.rig,
                                 remembered.standing ? "yes" : "no");
  for (const auto& [name, position] : remembered.positions) {
    text += fmt::format("{}: {}/{} {}\n", name, position.base.numerator(), position.base.denominator(),
                        position.kind == OutputKind::linear ? "m" : "turn");
  }
  return text + sum_line(text);
}

RememberedPositions parse_remembered(std::string_view text) {
  const std::size_t sum_at = text.rfind("sum: ");
  if (sum_at == std::string_view::npos || text.substr(sum_at) != sum_line(text.substr(0, sum_at)))
    throw Error("remembered positions: the file is damaged or cut short");
  text = text.substr(0, sum_at);
  (void)take_line(text, first_line);
  RememberedPositions remembered;
  const std::string_view rig = take_line(text, "rig: ");
  if (std::from_chars(rig.data(), rig.data() + rig.size(), remembered.rig, 16).ec != std::errc())
    throw Error("remembered positions: the rig's fingerprint is none");
  remembered.standing = take_line(text, "standing: ") == "yes";
  while (!text.empty()) {
    const std::size_t colon = text.find(": ");
    if (colon == std::string_view::npos) throw Error("remembered positions: a line has no position");
    const std::string name(text.substr(0, colon));
    remembered.positions.emplace(name, parse_place(take_line(text, name + ": ")));
  }
  return remembered;
}

void write_remembered(const std::string& path, const RememberedPositions& remembered) {
  OutputFile file(path);
  if (std::ifstream there(path, std::ios::binary); there) {
    std::string begins(first_line.size(), '\0');
    there.read(begins.data(), static_cast<std::streamsize>(begins.size()));
    if (there.gcount() > 0 && begins != first_line)
      throw Error(fmt::format(
          "{}: holds something other than remembered positions, and is left as it is; name another file",
          path));
  }
  file.write(to_text(remembered));
  file.commit();
}

std::vector<std::string> recall_positions(Bench& bench, const RememberedPositions& remembered,
                                          std::uint64_t rig) {
  std::vector<std::string> notes;
  if (remembered.rig != rig) return {"remembered positions are of another rig: nothing is taken over"};
  if (!remembered.standing) return {"the last run did not come to its end standing: nothing is taken over"};
  while (!bench.inputs().are_known()) bench.serve(Time(1e-4, units::s));
  for (const auto& [name, position] : remembered.positions) {
    const Mechanism& mechanism = bench.stepper(name).parts();
    const std::string why = why_not(bench, mechanism, position);
    if (why.empty()) bench.mover(name).zeroed()->believe(position);
    notes.push_back(why.empty()
                        ? fmt::format("{} stands at {}, as remembered", name, to_text(position))
                        : fmt::format("{} is not believed to stand at {}: {}", name, to_text(position), why));
  }
  return notes;
}

RememberedPositions park_positions(Bench& bench, std::uint64_t rig, std::vector<std::string>& notes) {
  RememberedPositions remembered;
  remembered.rig = rig;
  remembered.standing = true;
  for (const auto& mover : bench.movers()) {
    const Zeroed* const zeroed = mover->zeroed();
    const Mechanism* const mechanism = mover->parts();
    if (zeroed == nullptr || mechanism == nullptr || !mechanism->homing || !mover->has_ended() ||
        !zeroed->knows_zero())
      continue;
    if (const std::optional<MoveOrder> order = zeroed->to_whole_period()) {
      const OutputPosition was = *bench.stepper(mechanism->name).position();
      bench.stepper(mechanism->name).move(*order).wait();
      notes.push_back(
          fmt::format("{} was moved on from {} to {}, to be remembered there: on a whole electrical period "
                      "its rotor stays "
                      "when its board is switched off and on",
                      mechanism->name, to_text(was), to_text(*bench.stepper(mechanism->name).position())));
    }
    remembered.positions.emplace(mechanism->name, *bench.stepper(mechanism->name).position());
  }
  return remembered;
}

}  // namespace cogstride
