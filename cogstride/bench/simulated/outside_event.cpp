#include "cogstride/bench/simulated/outside_event.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cctype>
#include <charconv>
#include <cmath>
#include <limits>

#include "cogstride/bench/simulated/device_stand_ins.hpp"
#include "cogstride/bench/simulated/world_events.hpp"
#include "cogstride/lines/noise.hpp"
#include "cogstride/motion/speed/held_range.hpp"
#include "cogstride/plan/knob.hpp"
#include "cogstride/quantity/finite.hpp"
#include "cogstride/quantity/text.hpp"

namespace cogstride {
namespace {

using PlantEvent = ShaftPlant::PlantEvent;

Tick tick_of(const OutsideEvent& event, ExactFrequency clock) {
  return (event.at.base() * clock.base()).rounded();
}

class WorldMaker {
 public:
  WorldMaker(const Rig& rig, const Rig& actual) : rig_(rig), actual_(actual) {
    for (const HandControl& hand : actual.hands)
      for (const std::optional<std::int64_t>& line : {hand.line, hand.line_b})
        if (line) add_line(*line, hand.active != ActiveLevel::high);
    for (const Level& level : levels_of_devices(actual)) world_.levels.push_back(level);
    for (const HandControl& hand : actual.hands)
      if (hand.channel && actual.controller.analogue) turn(hand, 0, 0.0);
    for (const Supply& supply : actual.supplies)
      if (supply.power_good_line)
        world_.supplies.push_back(
            {static_cast<LineId>(*supply.power_good_line), switches_that_cut(actual, supply)});
    for (const Mechanism& mechanism : actual.mechanisms) {
      // A servo drives its own.
      if (!mechanism.moves() || std::holds_alternative<StepServo>(mechanism.motor)) continue;
      if (const auto& fault = mechanism.common.fault)
        add_line(fault->number, fault->active != ActiveLevel::high);
      if (const auto& in = mechanism.common.in_position)
        add_line(in->number, in->active == ActiveLevel::high);
    }
  }

  void take(const OutsideEvent& event) {
    const Tick at = tick_of(event, rig_.controller.timer_clock);
    if (const auto* const hand = named(actual_.hands, event.what); hand != nullptr && hand->line_b) {
      turn_by_clicks(*hand, at, event);
    } else if (hand != nullptr && hand->line) {
      press(*hand, at, required(event));
    } else if (hand != nullptr && hand->channel && actual_.controller.analogue) {
      const KnobScale scale(*hand, *actual_.controller.analogue);
      const double least = scale.has_centre() ? -1.0 : 0.0;
      if (!event.share || !(*event.share >= least && *event.share <= 1.0))
        throw RangeError(
            fmt::format("{} is turned to {:.0f} % to 100 %, such as 40 %", hand->name, 100.0 * least));
      turn(*hand, at, *event.share);
    } else if (const Shaft* const shaft = find_shaft(actual_, event.what);
               shaft != nullptr && shaft->encoder) {
      if (!event.speed || event.speed->kind != output_kind(shaft->train))
        throw RangeError(fmt::format("{} is turned at a speed, such as 60 rpm", shaft->name));
      world_.by_shaft[shaft->name].push_back(
          {at, event.speed->base.to_double(), event.in ? event.in->base().to_double() : 0.0});
    } else if (const Supply* const supply = find_supply(actual_, event.what)) {
      switched_supplies_.push_back({at, supply->name, required(event)});
    } else if (is_of_a_device(actual_, event)) {
      for (const LineEdge& edge : edges_of_devices(rig_, {event})) world_.changes.push_back(edge);
    } else if (!take_of_mechanism(event, at)) {
      std::vector<std::string> names;
      for (const Device& device : actual_.devices) names.push_back(device.name);
      for (const Remote& remote : actual_.remotes) names.push_back(remote.name);
      for (const SaidControl& control : said_controls(actual_)) names.push_back(control.name);
      for (const HandControl& control : actual_.hands)
        if (control.line || control.channel) names.push_back(control.name);
      for (const Shaft& shaft : actual_.shafts)
        if (shaft.encoder) names.push_back(shaft.name);
      for (const Supply& other : actual_.supplies) names.push_back(other.name);
      for (const Mechanism& mechanism : actual_.mechanisms) {
        if (!mechanism.moves()) continue;
        for (const Sensor& sensor : mechanism.sensors)
          if (std::holds_alternative<PlaceSwitch>(sensor) || std::holds_alternative<Encoder>(sensor))
            names.push_back(mechanism.name + "." + name_of(sensor));
        if (mechanism.common.fault || std::holds_alternative<StepServo>(mechanism.motor))
          names.push_back(mechanism.name + ".fault");
        names.push_back(mechanism.name + ".jam");
        names.push_back(mechanism.name + (mechanism.takes_pulse_width() ? ".signal" : ".load"));
        if (mechanism.is_driven_by_duty()) names.push_back(mechanism.name + ".winding");
        if (mechanism.has_bus_drive()) names.push_back(mechanism.name + ".bus");
      }
      const std::string near = nearest_word(event.what, names);
      throw RangeError(fmt::format("nothing called '{}' happens to this rig{}; there are: {}", event.what,
                                   near.empty() ? "" : fmt::format(", did you mean {}?", near),
                                   fmt::join(names, ", ")));
    }
  }

  WorldEvents made() {
    switch_supplies();
    for (auto& [name, events] : world_.by_mechanism)
      std::stable_sort(events.begin(), events.end(),
                       [](const PlantEvent& a, const PlantEvent& b) { return a.at < b.at; });
    for (auto& [name, turned] : world_.by_shaft)
      std::stable_sort(turned.begin(), turned.end(),
                       [](const TurnedAt& a, const TurnedAt& b) { return a.at < b.at; });
    return std::move(world_);
  }

 private:
  template <class Part>
  static const Part* named(const std::vector<Part>& parts, const std::string& name) {
    const auto found =
        std::find_if(parts.begin(), parts.end(), [&](const Part& part) { return part.name == name; });
    return found == parts.end() ? nullptr : &*found;
  }

  static bool has_amount(const OutsideEvent& event) {
    return event.share || event.speed || event.torque || event.clicks || event.number || event.says ||
           event.lasts;
  }

  static bool required(const OutsideEvent& event) {
    if (event.on && !has_amount(event)) return *event.on;
    throw RangeError(fmt::format("{} is on or off; only a switch of a mechanism can be free", event.what));
  }

  void add_line(std::int64_t line, bool high) { world_.levels.push_back({static_cast<LineId>(line), high}); }

  void turn(const HandControl& hand, Tick at, double share) {
    const KnobScale scale(hand, *actual_.controller.analogue);
    world_.voltages.push_back({at, analogue_source(*hand.channel), scale.volts(share)});
  }

  /// A contact of a hand changes, and bounces for no longer than `most` ticks.
  void change(const HandControl& hand, std::int64_t number, Tick at, bool level, double most) {
    const auto line = static_cast<LineId>(number);
    world_.changes.push_back({at, line, level});
    if (!hand.bounce) return;
    const double lasts = std::min(most, hand.bounce->base() * rig_.controller.timer_clock.base().to_double());
    const std::uint64_t key = 0x30000u + static_cast<std::uint64_t>(number);
    Tick chatter[4];
    for (std::uint64_t i = 0; i < 4; ++i)
      chatter[i] = at + 1 + static_cast<Tick>(lasts * even_noise(key, static_cast<std::uint64_t>(at), i));
    std::sort(std::begin(chatter), std::end(chatter));
    for (int i = 0; i < 4; ++i) world_.changes.push_back({chatter[i], line, (i % 2 == 0) != level});
  }

  /// Edge after edge, evenly; it has come to rest before it is turned again.
  void turn_by_clicks(const HandControl& hand, Tick at, const OutsideEvent& event) {
    constexpr double usual_click = 0.02;   // s
    constexpr std::int64_t most = 10'000;  // clicks
    if (!event.clicks || *event.clicks == 0 || std::abs(*event.clicks) > most)
      throw RangeError(
          fmt::format("{} is turned by clicks, such as 5 clicks or -2 clicks in 0.5 s", hand.name));
    const std::int64_t edges = std::abs(*event.clicks) * hand.edges_per_click;
    const double clock = rig_.controller.timer_clock.base().to_double();
    const double lasts = clock * (event.in ? event.in->base().to_double()
                                           : usual_click * static_cast<double>(std::abs(*event.clicks)));
    const double between = std::max(1.0, lasts / static_cast<double>(edges));
    const int way = (*event.clicks > 0) != hand.reversed ? 1 : -1;
    std::int64_t& quarter = quarters_[hand.name];
    for (std::int64_t i = 1; i <= edges; ++i) {
      // A changes into the odd quarters, forwards; see chip/quadrature.hpp.
      const std::int64_t before = quarter & 3;
      quarter += way;
      const std::int64_t now = quarter & 3;
      const auto a = [](std::int64_t q) { return q == 1 || q == 2; };
      const bool changes_a = a(before) != a(now);
      const bool is_on = changes_a ? a(now) : now >= 2;
      change(hand, changes_a ? *hand.line : *hand.line_b, at + std::llround(between * static_cast<double>(i)),
             is_on == (hand.active == ActiveLevel::high), 0.5 * between);
    }
  }

  void press(const HandControl& hand, Tick at, bool on) {
    change(hand, *hand.line, at, on == (hand.active == ActiveLevel::high),
           std::numeric_limits<double>::infinity());
    for (const std::string& name : hand.cuts)
      if (const Supply* const supply = find_supply(actual_, name))
        switched_supplies_.push_back({at, supply->name, !on});
  }

  /// A regulator is up while it is switched on itself and so is all that feeds it.
  void switch_supplies() {
    std::stable_sort(switched_supplies_.begin(), switched_supplies_.end(),
                     [](const SwitchedSupply& a, const SwitchedSupply& b) { return a.at < b.at; });
    std::vector<std::string> off;
    for (const SwitchedSupply& change : switched_supplies_) {
      off.erase(std::remove(off.begin(), off.end(), change.name), off.end());
      if (!change.on) off.push_back(change.name);
      for (const Supply& supply : actual_.supplies) {
        if (!is_fed_from(actual_, supply, change.name)) continue;
        const bool is_up = std::none_of(off.begin(), off.end(), [&](const std::string& one) {
          return is_fed_from(actual_, supply, one);
        });
        switch_supply(supply, change.at, is_up);
      }
    }
  }

  void switch_supply(const Supply& supply, Tick at, bool on) {
    if (supply.power_good_line)
      world_.changes.push_back({at, static_cast<LineId>(*supply.power_good_line), on});
    for (const Mechanism& mechanism : actual_.mechanisms)
      if (mechanism.supply.name == supply.name)
        world_.by_mechanism[mechanism.name].push_back({at, PlantEvent::Kind::supply, {}, on});
  }

  bool take_of_mechanism(const OutsideEvent& event, Tick at) {
    const std::size_t dot = event.what.find('.');
    if (dot == std::string::npos) return false;
    const Mechanism* const mechanism = named(actual_.mechanisms, event.what.substr(0, dot));
    if (mechanism == nullptr || !mechanism->moves()) return false;
    const std::string part = event.what.substr(dot + 1);
    std::vector<PlantEvent>& events = world_.by_mechanism[mechanism->name];
    for (const Sensor& sensor : mechanism->sensors) {
      const auto* const place = std::get_if<PlaceSwitch>(&sensor);
      if (place == nullptr || place->name != part) continue;
      if (has_amount(event)) throw RangeError(fmt::format("{} is on, off or free", event.what));
      events.push_back({at, PlantEvent::Kind::contact, static_cast<LineId>(place->line), event.on});
      return true;
    }
    if (part == "signal" && mechanism->takes_pulse_width()) {
      events.push_back({at, PlantEvent::Kind::signal, {}, required(event)});
      return true;
    }
    if (part == "bus" && mechanism->has_bus_drive()) {
      events.push_back({at, PlantEvent::Kind::signal, {}, required(event)});
      return true;
    }
    if (part == "load" && event.torque && !mechanism->takes_pulse_width()) {
      events.push_back(
          {at, PlantEvent::Kind::load, {}, true, require_finite(event.torque->base(), event.what + ", N m")});
      return true;
    }
    for (const Sensor& sensor : mechanism->sensors) {
      const auto* const encoder = std::get_if<Encoder>(&sensor);
      if (encoder == nullptr || encoder->name != part) continue;
      events.push_back({at, PlantEvent::Kind::tracks, static_cast<LineId>(encoder->line_a), required(event)});
      return true;
    }
    if (part == "winding" && mechanism->is_driven_by_duty()) {
      events.push_back({at, PlantEvent::Kind::winding, {}, required(event)});
      return true;
    }
    if (part == "jam") {
      events.push_back({at, PlantEvent::Kind::jam, {}, required(event)});
      return true;
    }
    if (part == "fault" && std::holds_alternative<StepServo>(mechanism->motor)) {
      events.push_back({at, PlantEvent::Kind::drive_fault, {}, required(event)});
      return true;
    }
    if (part == "fault" && mechanism->common.fault) {
      const SensedLine& fault = *mechanism->common.fault;
      world_.changes.push_back(
          {at, static_cast<LineId>(fault.number), required(event) == (fault.active == ActiveLevel::high)});
      return true;
    }
    return false;
  }

  const Rig& rig_;
  const Rig& actual_;
  WorldEvents world_;
  struct SwitchedSupply {
    Tick at;
    std::string name;
    bool on;
  };
  std::vector<SwitchedSupply> switched_supplies_{};
  std::map<std::string, std::int64_t> quarters_{};  // that wheels have been turned by
};

std::vector<std::pair<std::string, std::size_t>> words_of(std::string_view line) {
  std::vector<std::pair<std::string, std::size_t>> words;
  std::size_t at = 0;
  const auto is_blank = [](char c) { return c == ' ' || c == '\t' || c == '\r'; };
  while (at < line.size() && line[at] != '#') {
    const std::size_t start = at;
    while (at < line.size() && line[at] != '#' && !is_blank(line[at])) ++at;
    if (at > start) words.emplace_back(line.substr(start, at - start), start + 1);
    if (at < line.size() && line[at] != '#') ++at;
  }
  return words;
}

/// " in 2 s" behind an amount.
std::optional<ExactTime> time_of(const std::string& value) {
  const std::size_t in = value.find(" in ");
  if (in == std::string::npos) return std::nullopt;
  const auto time = parse_quantity<ExactTime>(value.substr(in + 4));
  if (time < ExactTime()) throw RangeError("a change takes no time below 0");
  return time;
}

/// "60 rpm" or "60 rpm in 2 s"; nothing: it is no speed.
std::optional<std::pair<OutputSpeed, std::optional<ExactTime>>> speed_of(const std::string& value) {
  OutputSpeed speed;
  try {
    speed = parse_output<1>(value.substr(0, value.find(" in ")));
  } catch (const Error&) {
    return std::nullopt;
  }
  return std::pair{speed, time_of(value)};
}

/// "5", "-370"; nothing: it is no whole number.
std::optional<std::int64_t> number_of(const std::string& value) {
  std::int64_t number = 0;
  const auto read = std::from_chars(value.data(), value.data() + value.size(), number);
  const bool is_one = read.ec == std::errc() && read.ptr == value.data() + value.size();
  return is_one ? std::optional(number) : std::nullopt;
}

/// "5 clicks", "1 click" or "-5 clicks in 0.1 s"; nothing: they are no clicks.
std::optional<std::pair<std::int64_t, std::optional<ExactTime>>> clicks_of(const std::string& value) {
  const std::string amount = value.substr(0, value.find(" in "));
  const std::size_t blank = amount.find(' ');
  if (blank == std::string::npos || (amount.substr(blank) != " clicks" && amount.substr(blank) != " click"))
    return std::nullopt;
  std::int64_t clicks = 0;
  const char* const end = amount.data() + blank;
  const auto read = std::from_chars(amount.data(), end, clicks);
  if (read.ec != std::errc() || read.ptr != end)
    throw RangeError(fmt::format("found '{}'; a wheel is turned by whole clicks, such as 5 clicks", value));
  return std::pair{clicks, time_of(value)};
}

/// Bytes as a line of text has them: \"\\x40\", \"\\r\\n\". @param text  from its first quote on
std::string unquoted(std::string_view text) {
  std::string bytes;
  const auto refuse = [&](const char* why) { throw RangeError(fmt::format("{}: {}", text, why)); };
  std::size_t at = 1;
  for (; at < text.size() && text[at] != '"'; ++at) {
    if (text[at] != '\\') {
      bytes += text[at];
      continue;
    }
    constexpr std::string_view marks = "rnt0\\\"";
    constexpr std::string_view meant{"\r\n\t\0\\\"", 6};
    const char mark = ++at < text.size() ? text[at] : 'x';
    if (const std::size_t known = marks.find(mark); known != std::string_view::npos) {
      bytes += meant[known];
      continue;
    }
    unsigned value = 0;
    const std::string_view digits = text.substr(std::min(at + 1, text.size()), 2);
    const auto read = std::from_chars(digits.data(), digits.data() + digits.size(), value, 16);
    if (mark != 'x' || read.ptr != digits.data() + 2)
      refuse("behind a \\ stands one of r, n, t, 0, \\, \", or x and two hexadecimal digits");
    bytes += static_cast<char>(value);
    at += 2;
  }
  if (at >= text.size()) refuse("its closing quote is missing");
  const std::string_view rest = text.substr(at + 1);
  const std::size_t more = rest.find_first_not_of(" \t\r");
  if (more != std::string_view::npos && rest[more] != '#') refuse("nothing stands behind its closing quote");
  if (bytes.empty()) refuse("it says nothing");
  return bytes;
}

OutsideEvent parse_event(const std::vector<std::pair<std::string, std::size_t>>& words,
                         std::string_view line) {
  constexpr const char* form =
      "write 'at TIME NAME on' (or off, or free, or 40 %, or 5 clicks, or 0.05 N m, or 60 rpm)";
  if (words.size() < 4 || words[0].first != "at") throw RangeError(form);
  // "3s" or "3 s"; and all after the name is one value: "on", "40 %", "0.05 N m".
  std::size_t next = 1;
  std::string time = words[next++].first;
  if (std::isdigit(static_cast<unsigned char>(time.back())) != 0) time += " " + words[next++].first;
  if (next + 2 > words.size()) throw RangeError(form);
  OutsideEvent event;
  event.at = parse_quantity<ExactTime>(time);
  if (event.at < ExactTime()) throw RangeError(fmt::format("'{}' is before the start", time));
  if (ExactTime(3660, Unit<dimensions::Time>{86'400}) < event.at)
    throw RangeError(fmt::format("'{}' is more than ten years", time));
  event.what = words[next++].first;
  std::string value = words[next++].first;
  if (value == "says") {
    // Its text may have blanks in it, and a mark that begins a comment elsewhere.
    const std::size_t begin = line.find('"', words[next - 1].second);
    if (begin == std::string_view::npos || next == words.size() || words[next].second != begin + 1)
      throw RangeError("'says' is followed by bytes in quotes, such as \"@5\\r\\n\"");
    event.says = unquoted(line.substr(begin));
    return event;
  }
  while (next < words.size()) value += " " + words[next++].first;
  if (value == "on") {
    event.on = true;
  } else if (value.starts_with("on for ")) {
    event.lasts = parse_quantity<ExactTime>(value.substr(7));
    if (event.lasts < ExactTime() || ExactTime(3600, Unit<dimensions::Time>{1}) < event.lasts)
      throw RangeError(fmt::format("'{}': it is said for at most an hour", value));
  } else if (value == "off") {
    event.on = false;
  } else if (value == "free") {
    event.on = std::nullopt;
  } else if (value.back() == '%') {
    event.share = parse_quantity<ExactFraction>(value).base().to_double();
  } else if (const auto number = number_of(value)) {
    event.number = number;
  } else if (const auto clicks = clicks_of(value)) {
    event.clicks = clicks->first;
    event.in = clicks->second;
  } else if (const auto speed = speed_of(value)) {
    event.speed = speed->first;
    event.in = speed->second;
  } else if (std::isdigit(static_cast<unsigned char>(value.front())) != 0 || value.front() == '-') {
    event.torque = parse_quantity<Torque>(value);
  } else {
    throw RangeError(
        fmt::format("found '{}'; expected on, off or free, a share of a knob's travel, clicks of a wheel, "
                    "what a device says, or the torque of a load",
                    value));
  }
  return event;
}

}  // namespace

std::string quoted(const std::string& bytes) {
  std::string text = "\"";
  for (const char byte : bytes) {
    const auto code = static_cast<unsigned char>(byte);
    if (byte == '"' || byte == '\\')
      text += {'\\', byte};
    else if (byte == '\r' || byte == '\n')
      text += byte == '\r' ? "\\r" : "\\n";
    else if (code < ' ' || code > '~')
      text += fmt::format("\\x{:02x}", code);
    else
      text += byte;
  }
  return text + '"';
}

std::string to_text(const OutsideEvent& event) {
  if (event.share) return fmt::format("{} {:.6g} %", event.what, 100.0 * *event.share);
  if (event.clicks)
    return fmt::format("{} {} click{}{}", event.what, *event.clicks, std::abs(*event.clicks) == 1 ? "" : "s",
                       event.in ? fmt::format(" in {}", to_text(*event.in, "s")) : "");
  if (event.speed)
    return fmt::format("{} {}{}", event.what, speed_text(event.speed->kind, event.speed->base.to_double()),
                       event.in ? fmt::format(" in {}", to_text(*event.in, "s")) : "");
  if (event.torque) return fmt::format("{} {}", event.what, to_text(*event.torque, "N m"));
  if (event.number) return fmt::format("{} {}", event.what, *event.number);
  if (event.says) return fmt::format("{} says {}", event.what, quoted(*event.says));
  if (event.lasts) return fmt::format("{} on for {}", event.what, to_text(*event.lasts, "s"));
  return fmt::format("{} {}", event.what, !event.on ? "free" : *event.on ? "on" : "off");
}

EventTeller::EventTeller(const std::vector<OutsideEvent>& events, ExactFrequency clock,
                         std::function<void(Tick, const OutsideEvent&)> listener)
    : listener_(std::move(listener)) {
  for (const OutsideEvent& event : events) all_.push_back({tick_of(event, clock), event});
  std::stable_sort(all_.begin(), all_.end(), [](const Timed& a, const Timed& b) { return a.at < b.at; });
}

std::vector<OutsideEvent> EventTeller::not_come() const {
  std::vector<OutsideEvent> left;
  for (std::size_t i = next_; i < all_.size(); ++i) left.push_back(all_[i].event);
  return left;
}

void EventTeller::act(Lines& lines, std::span<const Reading>) {
  for (; next_ < all_.size() && all_[next_].at <= lines.now(); ++next_)
    listener_(all_[next_].at, all_[next_].event);
}

std::vector<Level> switches_that_cut(const Rig& rig, const Supply& supply) {
  std::vector<Level> switches;
  for (const Mechanism& mechanism : rig.mechanisms) {
    if (!mechanism.moves()) continue;
    for (const Sensor& sensor : mechanism.sensors) {
      const auto* const place = std::get_if<PlaceSwitch>(&sensor);
      if (place == nullptr ||
          std::none_of(place->cuts.begin(), place->cuts.end(),
                       [&](const std::string& cut) { return is_fed_from(rig, supply, cut); }))
        continue;
      switches.push_back({static_cast<LineId>(place->line), place->active == ActiveLevel::high});
    }
  }
  return switches;
}

WorldEvents world_events(const Rig& rig, const Rig& actual, const std::vector<OutsideEvent>& events) {
  WorldMaker maker(rig, actual);
  for (const OutsideEvent& event : events) maker.take(event);
  return maker.made();
}

std::vector<OutsideEvent> parse_events(std::string_view text, const std::string& name, const Rig& rig) {
  std::vector<OutsideEvent> events;
  std::vector<Diagnostic> wrong;
  for (std::size_t number = 1; !text.empty(); ++number) {
    const std::size_t end = text.find('\n');
    const std::string_view line = text.substr(0, end);
    text.remove_prefix(end == std::string_view::npos ? text.size() : end + 1);
    const auto words = words_of(line);
    if (words.empty()) continue;
    try {
      events.push_back(parse_event(words, line));
      (void)world_events(rig, rig, {events.back()});
    } catch (const Error& error) {
      add_or_end(wrong, {{name, number, words.front().second}, error.what(), fmt::format("    {}", line)});
    }
  }
  if (!wrong.empty()) throw InputError(std::move(wrong));
  return events;
}

std::vector<OutsideEvent> read_events(const std::string& path, const Rig& rig) {
  return parse_events(read_text_file(path), path, rig);
}

}  // namespace cogstride
