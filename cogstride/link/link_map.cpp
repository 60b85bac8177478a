#include "cogstride/link/link_map.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <random>
#include <variant>

#include "cogstride/chip/link_words.hpp"
#include "cogstride/plan/move.hpp"
#include "cogstride/plan/small_chip.hpp"

namespace cogstride {
namespace {

constexpr int bits_of_port = 8;
constexpr int ports = 16;  // a code has 7 bits

/// FNV-1a.
std::uint32_t mark_of(const std::string& text) {
  std::uint32_t mark = 2'166'136'261U;
  for (const char each : text) mark = (mark ^ static_cast<std::uint8_t>(each)) * 16'777'619U;
  return mark;
}

bool has_own_pull_up(const Rig& rig, std::int64_t line) {
  for (const HandControl& hand : rig.hands)
    if (hand.line == line || hand.line_b == line)
      return hand.contact && hand.internal_pull.value_or(Pull::up) == Pull::up;
  for (const Mechanism& mechanism : rig.mechanisms)
    for (const Sensor& sensor : mechanism.sensors)
      if (const auto* const place = std::get_if<PlaceSwitch>(&sensor);
          place != nullptr && place->line == line)
        return place->internal_pull ? place->internal_pull == Pull::up : place->contact.has_value();
  return false;
}

/// The encoders of a rig, with the names of what they count.
std::vector<std::pair<std::string, const Encoder*>> encoders_of(const Rig& rig) {
  std::vector<std::pair<std::string, const Encoder*>> all;
  for (const Mechanism& mechanism : rig.mechanisms)
    for (const Sensor& sensor : mechanism.sensors)
      if (const auto* const encoder = std::get_if<Encoder>(&sensor))
        all.emplace_back(mechanism.name, encoder);
  for (const Shaft& shaft : rig.shafts)
    if (shaft.encoder) all.emplace_back(shaft.name, &*shaft.encoder);
  return all;
}

LinkMap::Use use_of(const RigLine& line, const Rig& rig) {
  for (const auto& [name, encoder] : encoders_of(rig))
    if (line.number == encoder->line_a || line.number == encoder->line_b) return LinkMap::Use::counted;
  if (!line.is_output) return LinkMap::Use::input;
  if (line.mechanism == nullptr) return LinkMap::Use::output;
  const auto* const wiring = std::get_if<StepDirWiring>(&line.mechanism->wiring);
  if (wiring != nullptr && wiring->step.number == line.number) return LinkMap::Use::step;
  if (wiring != nullptr && wiring->dir.number == line.number) return LinkMap::Use::direction;
  return LinkMap::Use::output;
}

}  // namespace

std::optional<std::uint8_t> link_code(LineId line) {
  const std::optional<Pin> pin = pin_of(static_cast<std::int64_t>(line));
  if (!pin || pin->bit >= bits_of_port || pin->port - 'A' >= ports) return std::nullopt;
  return static_cast<std::uint8_t>(bits_of_port * (pin->port - 'A') + pin->bit);
}

std::uint8_t pin_code(LineId line) {
  const std::optional<std::uint8_t> code = link_code(line);
  if (!code) throw RangeError(fmt::format("line {} is no pin of the chip", static_cast<int>(line)));
  return *code;
}

LineId line_of_link(std::uint8_t code) {
  return static_cast<LineId>(line_of(Pin{static_cast<char>('A' + code / bits_of_port), code % bits_of_port}));
}

bool LinkMap::has_frame() const {
  return std::any_of(duties.begin(), duties.end(),
                     [](const LinkDuty& each) { return each.by == LinkDuty::By::frame; });
}

LinkMap link_map(const Rig& part) {
  const Rig& rig = part.whole ? *part.whole : part;
  LinkMap map;
  map.duties = link_duties(rig).duties;
  const auto has_duty = [&](std::int64_t number) {
    return std::any_of(map.duties.begin(), map.duties.end(),
                       [&](const LinkDuty& each) { return each.line == static_cast<LineId>(number); });
  };
  for (const RigLine& line : rig_lines(rig)) {
    const std::optional<std::uint8_t> code = link_code(static_cast<LineId>(line.number));
    if (!code) continue;
    map.lines.push_back({*code, *pin_of(line.number),
                         has_duty(line.number) ? LinkMap::Use::duty : use_of(line, rig),
                         line.is_output && line.driven.active == ActiveLevel::low,
                         !line.is_output && has_own_pull_up(rig, line.number), line.owner + " " + line.use});
  }
  std::sort(map.lines.begin(), map.lines.end(),
            [](const LinkMap::Line& a, const LinkMap::Line& b) { return a.code < b.code; });
  for (const auto& [name, encoder] : encoders_of(rig)) {
    const std::optional<std::uint8_t> a = link_code(static_cast<LineId>(encoder->line_a));
    const std::optional<std::uint8_t> b = link_code(static_cast<LineId>(encoder->line_b));
    if (a && b) map.counters.push_back({*a, *b, *pin_of(encoder->line_a), *pin_of(encoder->line_b), name});
  }
  for (const Mechanism& mechanism : rig.mechanisms) {
    if (!std::holds_alternative<BridgeWiring>(mechanism.wiring)) continue;
    for (const LinkMap::Counter& counter : map.counters)
      if (counter.name == mechanism.name) map.loops.push_back(counter.code_a);
  }
  std::string all =
      fmt::format("{} {}\n", int{chip::link_version}, rig.controller.timer_clock.base().to_double());
  for (const LinkMap::Line& line : map.lines)
    all += fmt::format("{} {} {} {}\n", line.code, static_cast<int>(line.use), line.rest_high, line.pull_up);
  for (const LinkDuty& duty : map.duties)
    all += fmt::format("{} {} {} {}\n", line_name(static_cast<std::int64_t>(duty.line)),
                       static_cast<int>(duty.by), duty.period, duty.grain);
  for (const LinkMap::Counter& counter : map.counters)
    all += fmt::format("{} {}\n", counter.code_a, counter.code_b);
  for (const std::uint8_t code : map.loops) all += fmt::format("loop {}\n", code);
  for (const Mechanism& mechanism : rig.mechanisms) {
    if (!mechanism.is_movable()) continue;
    const auto place = std::find_if(part.mechanisms.begin(), part.mechanisms.end(),
                                    [&](const Mechanism& each) { return each.name == mechanism.name; });
    map.axes.push_back(place == part.mechanisms.end()
                           ? LinkMap::not_there
                           : static_cast<std::size_t>(place - part.mechanisms.begin()));
    const chip::ChipLimits limits =
        chip_limits(ramp_limits(mechanism, rig.controller, mechanism.limits.speed));
    all += fmt::format("{} {} {}\n", mechanism.name, limits.start_speed, limits.acceleration);
  }
  map.mark = mark_of(all);
  return map;
}

std::string why_no_chip_counts(const Encoder& encoder) {
  const std::optional<Pin> a = pin_of(encoder.line_a);
  const std::optional<Pin> b = pin_of(encoder.line_b);
  if (!a || !b || a->port != b->port)
    return fmt::format("the tracks of {} are on {} and {}: two pins of one port bring one interrupt",
                       encoder.name, line_name(encoder.line_a), line_name(encoder.line_b));
  if (encoder.filter && *encoder.filter > Time())
    return fmt::format("{} wants pulses below {:.3g} us left out (filter), and a chip counts each edge",
                       encoder.name, encoder.filter->in(units::us));
  return {};
}

std::uint16_t new_link_session() {
  std::random_device random;
  return static_cast<std::uint16_t>(1 + random() % 0xfffe);
}

std::string why_not_with(const LinkMap& map, std::uint8_t version, std::uint32_t mark,
                         const std::string& port) {
  constexpr const char* anew = "build the rig's program anew (`cogstride export --firmware --link`)";
  if (version != chip::link_version)
    return fmt::format("{}: its program speaks form {} of the link, and this is form {}: {}", port, version,
                       int{chip::link_version}, anew);
  if (mark != map.mark)
    return fmt::format(
        "{}: its program was made from other lines or figures ({:08x}, and this rig has {:08x}): {}", port,
        mark, map.mark, anew);
  return {};
}

std::string no_answer_words(const std::string& port, std::int64_t baud) {
  return fmt::format(
      "{}: no chip answers. Is it plugged in, has it its program (`cogstride export --firmware "
      "--link`), and does it speak {} baud?",
      port, baud);
}

}  // namespace cogstride
