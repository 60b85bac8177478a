// Switches, gates and hand controls: where they act, what a broken wire does, how long they bounce.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "cogstride/chip/edge_brake.hpp"
#include "cogstride/plan/move.hpp"
#include "cogstride/rig/findings/finding_sheet.hpp"

namespace cogstride {
namespace {

/// A contact as both sensors and hand controls have it.
struct ContactCheck {
  std::string key{};
  bool has_contact = false;
  bool stops_something = false;  ///< a broken wire must be seen
  std::optional<Contact> contact{};
  std::optional<Time> bounce{};
  std::optional<Time> debounce{};
};

template <class Sheet>
void check_contact(Sheet& sheet, const ContactCheck& check) {
  if (check.has_contact && check.stops_something) {
    if (!check.contact) {
      sheet.cannot_check("broken-wire-unseen", check.key + ".contact");
    } else if (*check.contact == Contact::normally_open) {
      sheet.add("broken-wire-unseen", check.key + ".contact",
                "normally open: with a broken wire it never acts, and nobody notices",
                "use its normally closed contact");
    }
  }
  if (!check.has_contact && !check.bounce) return;
  if (!check.bounce || !check.debounce) {
    sheet.cannot_check("bounce-over-debounce", check.key + (check.bounce ? ".debounce" : ".bounce"));
  } else if (*check.bounce > *check.debounce) {
    sheet.add("bounce-over-debounce", check.key + ".debounce",
              fmt::format("its contact bounces for {:.3g} ms, and is wanted steady for {:.3g} ms",
                          check.bounce->base() * 1e3, check.debounce->base() * 1e3),
              fmt::format("a debounce of {:.3g} ms or more", check.bounce->base() * 2e3));
  }
}

/// Which level a contact makes when it acts, by the resistor that holds its line: an open one leaves the line
/// to it, a closed one pulls the other way.
template <class Part, class Sheet>
void check_level(Sheet& sheet, const std::string& key, const Part& part) {
  if (!part.contact || !part.internal_pull || *part.internal_pull == Pull::none) return;
  const bool opens = *part.contact == Contact::normally_closed;
  const bool high_when_open = *part.internal_pull == Pull::up;
  const bool acts_high = opens == high_when_open;
  if (acts_high == (part.active == ActiveLevel::high)) return;
  const char* const level = acts_high ? "high" : "low";
  sheet.add("contact-inverted", key + ".active",
            fmt::format(
                "its contact is {} and its line is pulled {}: acting it makes the line {}, and the rig takes "
                "{} for acting, which it is at rest",
                opens ? "normally closed" : "normally open", high_when_open ? "up" : "down", level,
                acts_high ? "low" : "high"),
            fmt::format("write active = \"{}\"; or the other contact, or the other pull", level));
}

void check_place(MechanismSheet& sheet, const PlaceSwitch& place_switch) {
  const Mechanism& mechanism = sheet.mechanism;
  const Limits& limits = mechanism.limits;
  const std::string key = "sensor." + place_switch.name + ".acts_at";
  if (place_switch.is_window) return;
  const bool is_low = place_switch.is_low_end();
  if (place_switch.end && (*place_switch.end == TravelEnd::low) != is_low)
    sheet.add(
        "end-disagrees", "sensor." + place_switch.name + ".end",
        fmt::format(
            "said to stand at the {} end, and it acts at {} and releases at {}: it acts for what comes "
            "from {}",
            is_low ? "high" : "low", to_text(place_switch.acts_at), to_text(place_switch.releases_at),
            is_low ? "above" : "below"),
        fmt::format("exchange acts_at and releases_at, or write end = \"{}\"", is_low ? "low" : "high"));
  if (limits.travel_from && place_switch.acts_at.base > limits.travel_from->base &&
      place_switch.acts_at.base < limits.travel_to->base) {
    sheet.add(
        "switch-in-travel", key,
        fmt::format("{} acts at {}, inside the travel of {} to {}", place_switch.name,
                    to_text(place_switch.acts_at), to_text(*limits.travel_from), to_text(*limits.travel_to)),
        "move it, or let the travel end before it");
  }
  const bool homes = mechanism.homing && mechanism.homing->sensor == place_switch.name;
  if (!mechanism.hard_ends) {
    if (homes) sheet.cannot_check("homing-overruns", "limits.hard_ends");
    return;
  }
  const OutputPosition end = is_low ? mechanism.hard_ends->from : mechanism.hard_ends->to;
  const double room = (place_switch.acts_at.base - end.base).to_double() * (is_low ? 1.0 : -1.0);
  if (room <= 0.0) {
    sheet.add("switch-out-of-reach", key,
              fmt::format("{} acts at {}, and the hard end is at {}", place_switch.name,
                          to_text(place_switch.acts_at), to_text(end)),
              "move it inside the hard end");
    return;
  }
  if (!homes || limits.acceleration.base <= Ratio(0) || steps_per_base(mechanism) == Ratio(0)) return;
  const RampLimits ramp = own_limits(mechanism);
  const double steps = steps_per_base(mechanism).to_double();
  // The chip behind a link makes some steps before its ramp begins.
  const Controller& controller = sheet.rig.controller;
  const auto goes_on = [&](double speed) {
    if (!controller.link || !controller.small_chip) return 0.0;
    return chip::steps_before_brake(static_cast<std::uint32_t>(std::clamp(speed * steps, 1.0, 65'535.0)),
                                    static_cast<std::uint32_t>(controller.timer_clock.base().to_double())) /
           steps;
  };
  const auto stop_from = [&](double speed) {
    return way_to_rest(ramp, speed * steps) / steps + goes_on(speed);
  };
  const double speed = mechanism.homing->speed.base.to_double();
  const double stop = stop_from(speed);
  if (stop < room) return;
  double sound = 0.0;
  double beyond = speed;
  for (int i = 0; i < 40; ++i) {
    const double middle = 0.5 * (sound + beyond);
    (stop_from(middle) < 0.5 * room ? sound : beyond) = middle;
  }
  sheet.add("homing-overruns", "homing.speed",
            fmt::format("stopping from {} takes {}{}, and behind {} there are {}",
                        to_text(mechanism.homing->speed), sheet.output_text(stop, 0),
                        goes_on(speed) == 0.0 ? std::string()
                                              : fmt::format(", {} of it before the chip's ramp begins",
                                                            sheet.output_text(goes_on(speed), 0)),
                        place_switch.name, sheet.output_text(room, 0)),
            fmt::format("home at {} or less", sheet.output_text(sound, 1)));
}

}  // namespace

void check_switches(MechanismSheet& sheet) {
  for (const Sensor& sensor : sheet.mechanism.sensors) {
    const auto* const place_switch = std::get_if<PlaceSwitch>(&sensor);
    if (place_switch == nullptr) continue;
    check_place(sheet, *place_switch);
    check_level(sheet, "sensor." + place_switch->name, *place_switch);
    const bool contact =
        place_switch->kind == PlaceSwitch::Kind::lever || place_switch->kind == PlaceSwitch::Kind::reed;
    check_contact(sheet, {"sensor." + place_switch->name, contact, true, place_switch->contact,
                          place_switch->bounce, place_switch->debounce});
  }
}

/// On live lines the guardian puts all at rest when the program dies. What if both do?
void check_last_resort(const Rig& rig, FindingSheet& sheet) {
  const Controller& controller = rig.controller;
  if ((controller.chips.empty() && controller.pwm_chips.empty()) || controller.heartbeat) return;
  std::vector<std::string> goes_on;
  std::vector<std::string> supplies;
  for (const Mechanism& mechanism : rig.mechanisms) {
    const std::string& supply = mechanism.supply.name;
    const auto cuts = [&](const HandControl& hand) {
      return hand.kind == HandControl::Kind::stop &&
             std::any_of(hand.cuts.begin(), hand.cuts.end(),
                         [&](const std::string& cut) { return is_fed_from(rig, mechanism.supply, cut); });
    };
    if (!mechanism.moves() || std::any_of(rig.hands.begin(), rig.hands.end(), cuts)) continue;
    goes_on.push_back(mechanism.name);
    if (std::find(supplies.begin(), supplies.end(), supply) == supplies.end()) supplies.push_back(supply);
  }
  if (goes_on.empty()) return;
  sheet.add(
      "last-level-stays", controller.chips.empty() ? "controller.pwm" : "controller.gpio",
      fmt::format("when the program and its guardian are both gone at once, the lines keep their last "
                  "levels, and nothing cuts the power of {}",
                  fmt::join(goes_on, ", ")),
      fmt::format("give a circuit that cuts their power a line to listen to ([controller.heartbeat]), or "
                  "have an emergency stop cut {} in its own circuit and say so (cuts)",
                  fmt::join(supplies, " and ")));
}

/// Whether somebody can stop it all, and whether that takes the power away.
void check_stops(const Rig& rig, FindingSheet& sheet) {
  const bool moves = std::any_of(rig.mechanisms.begin(), rig.mechanisms.end(),
                                 [](const Mechanism& each) { return each.moves(); });
  if (!moves) return;
  bool has_stop = false;
  for (const HandControl& hand : rig.hands) {
    if (hand.kind != HandControl::Kind::stop) continue;
    has_stop = true;
    const bool cuts_some =
        std::any_of(rig.mechanisms.begin(), rig.mechanisms.end(), [&](const Mechanism& each) {
          return std::any_of(hand.cuts.begin(), hand.cuts.end(),
                             [&](const std::string& cut) { return is_fed_from(rig, each.supply, cut); });
        });
    const bool is_said = (!rig.controller.chips.empty() || !rig.controller.pwm_chips.empty()) &&
                         !rig.controller.heartbeat;  // last-level-stays
    if (!cuts_some && !is_said)
      sheet.add("stop-cuts-nothing", "hand." + hand.name + (hand.cuts.empty() ? "" : ".cuts"),
                hand.cuts.empty()
                    ? std::string(
                          "it tells the program, and takes no motor's supply away: where the program hangs, "
                          "nothing stops")
                    : fmt::format("it cuts {}, and no motor is fed by that", fmt::join(hand.cuts, ", ")),
                "wire it into the motors' supply as well, and say so: cuts = [\"main\"]");
  }
  if (!has_stop)
    sheet.add("no-emergency-stop", "name", "no hand control of the rig is an emergency stop",
              "a button with a normally closed contact in the motors' supply, and [hand.halt] with kind = "
              "\"emergency stop\"; or a plug within reach");
}

/// What a knob gives against what its input reads.
void check_knob(const Rig& rig, const HandControl& knob, FindingSheet& sheet) {
  if (!knob.channel || !rig.controller.analogue) return;
  const double reads = rig.controller.analogue->full_scale.base();
  const double most =
      std::max(knob.lowest.value_or(Voltage()).base(), knob.highest.value_or(Voltage()).base());
  if (most <= reads) return;
  sheet.add("knob-over-range", "hand." + knob.name + ".highest",
            fmt::format(
                "it gives up to {:.4g} V, and its input reads up to {:.4g} V: from {:.0f} % of its travel on "
                "all places look alike, and the input may be harmed",
                most, reads, 100.0 * reads / most),
            fmt::format("feed it from {:.4g} V, or halve its voltage by two resistors", reads));
}

/// A control does one thing.
void check_bindings(const Rig& rig, FindingSheet& sheet) {
  for (std::size_t i = 0; i < rig.bindings.size(); ++i)
    for (std::size_t before = 0; before < i; ++before) {
      const Binding& binding = rig.bindings[i];
      const Binding& other = rig.bindings[before];
      const bool is_shared = binding.control == other.control || binding.also == other.control ||
                             other.also == binding.control || (binding.also && binding.also == other.also);
      if (!is_shared) continue;
      sheet.add(
          "bound-twice", "binding." + binding.name + ".control",
          fmt::format("{} is bound to {} already: one press would order both", binding.control, other.name),
          fmt::format("one binding for {}, or another control for one of them", binding.control));
      break;
    }
}

void check_hands(const Rig& rig, FindingSheet& sheet) {
  check_bindings(rig, sheet);
  check_last_resort(rig, sheet);
  check_stops(rig, sheet);
  for (const HandControl& hand : rig.hands) {
    if (hand.kind == HandControl::Kind::knob) {
      check_knob(rig, hand, sheet);
      continue;
    }
    if (hand.kind == HandControl::Kind::wheel) continue;  // to and fro over an edge counts nothing
    check_level(sheet, "hand." + hand.name, hand);
    check_contact(sheet, {"hand." + hand.name, true, hand.kind == HandControl::Kind::stop, hand.contact,
                          hand.bounce, hand.debounce});
  }
}

}  // namespace cogstride
