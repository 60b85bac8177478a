#include "cogstride/rig/files/read_hands.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>

#include "cogstride/plan/knob.hpp"
#include "cogstride/rig/files/read_part.hpp"

namespace cogstride {
namespace {

void read_hand(const std::string& name, TomlTable table, Rig& rig) {
  const auto kind = kind_of(table, hand_kinds());
  if (!kind) return;
  HandControl hand;
  hand.name = name;
  hand.kind = *kind;
  read_keys(table, OutputKind::rotary, hand);
  const bool is_knob = hand.kind == HandControl::Kind::knob;
  if (hand.kind == HandControl::Kind::wheel) {
    if (!hand.line || !hand.line_b)
      table.error(table.place(), "an encoder wheel needs `line_a` and `line_b`, its tracks");
    if (hand.edges_per_click == 3)
      table.error(table.place_of("edges_per_click"), "edges_per_click: found 3; it is 1, 2 or 4");
  } else if (is_knob != hand.channel.has_value() || is_knob == hand.line.has_value())
    table.error(table.place(), is_knob ? "a knob needs `channel`, its analogue input, and no line"
                                       : "a contact needs `line`, and no channel");
  if (is_knob && rig.controller.analogue && Voltage() < rig.controller.analogue->full_scale) {
    try {
      (void)KnobScale(hand, *rig.controller.analogue);
    } catch (const RangeError& error) {
      table.error(table.place(), error.what());
    }
  }
  table.finish();
  rig.hands.push_back(std::move(hand));
}

/// What it orders is checked when the rig is operated.
void read_binding(const std::string& name, TomlTable table, Rig& rig) {
  Binding binding;
  binding.name = name;
  read_keys(table, OutputKind::rotary, binding);
  const auto has = [&](const char* key) { return table.has(key); };
  const bool has_range = has("from") || has("to");
  if (binding.value && (has("on") || has("latched")))
    table.error(table.place(),
                "a value has no `on` and is not latched: what it is of is turned, not pressed");
  else if (binding.value && binding.value->find("VALUE") == std::string::npos)
    table.error(table.place_of("value"), "value: the word VALUE stands where the amount is to come");
  else if (binding.value && has("from") != has("to"))
    table.error(table.place(), "of `from` and `to` both are said, or none");
  else if (has("each") && (!binding.value || has("also") || has("off")))
    table.error(table.place_of("each"),
                "each: is of the value of an encoder wheel or a device's number, which have no `off` and no "
                "second one beside them");
  else if (binding.value && binding.also.has_value() != (binding.value->find("OTHER") != std::string::npos))
    table.error(table.place_of("value"),
                "value: the word OTHER stands where the amount of `also` is to come");
  else if (binding.also && !(has("other_from") && has("other_to")))
    table.error(table.place(), "a second knob (also) needs `other_from` and `other_to`");
  else if (!binding.value && (has_range || has("also") || has("other_from") || has("other_to")))
    table.error(table.place(), "`from`, `to` and a second knob are of a value");
  else if (!binding.value && !binding.on && !binding.off)
    table.error(table.place(), "it does nothing: `on`, `off` or `value` says what");
  table.finish();
  rig.bindings.push_back(std::move(binding));
}

/// Bytes as a text of TOML says them: what stands for a code up to 255 is that byte, "\u00ff" too.
std::string bytes_of(const std::string& text) {
  std::string bytes;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const auto byte = static_cast<unsigned char>(text[i]);
    const bool is_one = (byte == 0xc2 || byte == 0xc3) && i + 1 < text.size();
    bytes += is_one ? static_cast<char>(((byte & 3) << 6) | (static_cast<unsigned char>(text[++i]) & 0x3f))
                    : text[i];
  }
  return bytes;
}

/// The parts that a device has by name: its messages, its keys.
template <class Part>
void read_named(TomlTable& table, const char* key, std::vector<Part>& parts) {
  for_each_table(table, key, [&](const auto& name, TomlTable& its) {
    Part part = read_part<Part>(its);
    part.name = name;
    parts.push_back(std::move(part));
  });
}

/// What of a device makes no sense is told where it is declared.
template <class Of>
void finish_device(TomlTable& table, Of device, std::vector<Of>& devices) {
  try {
    require_sound(device);
  } catch (const RangeError& error) {
    table.error(table.place(), error.what());
  }
  table.finish();
  devices.push_back(std::move(device));
}

template <class Of>
Of begin_device(const std::string& name, TomlTable& table) {
  Of device;
  device.name = name;
  read_keys(table, OutputKind::rotary, device);
  return device;
}

void read_devices(TomlTable& root, Rig& rig) {
  for_each_table(root, "device", [&](const auto& name, TomlTable& table) {
    auto device = begin_device<Device>(name, table);
    read_named(table, "message", device.messages);
    read_named(table, "reply", device.replies);
    for (DeviceReply& reply : device.replies) reply.text = bytes_of(reply.text);
    if (device.ends_with) device.ends_with = bytes_of(*device.ends_with);
    for (DeviceMessage& message : device.messages) message.text = bytes_of(message.text);
    finish_device(table, std::move(device), rig.devices);
  });
  for_each_table(root, "input_device", [&](const auto& name, TomlTable& table) {
    auto device = begin_device<InputDevice>(name, table);
    read_named(table, "key", device.keys);
    read_named(table, "axis", device.axes);
    read_named(table, "wheel", device.wheels);
    finish_device(table, std::move(device), rig.input_devices);
  });
  for_each_table(root, "remote", [&](const auto& name, TomlTable& table) {
    auto remote = begin_device<Remote>(name, table);
    read_named(table, "key", remote.keys);
    finish_device(table, std::move(remote), rig.remotes);
  });
  for_each_table(root, "bus_sensor", [&](const auto& name, TomlTable& table) {
    auto sensor = begin_device<BusSensor>(name, table);
    read_named(table, "setting", sensor.settings);
    read_named(table, "event", sensor.events);
    finish_device(table, std::move(sensor), rig.bus_sensors);
  });
}

Operating read_operating(TomlTable table) {
  Operating operating;
  read_keys(table, OutputKind::rotary, operating);
  if (table.has("hold_lasts") &&
      (operating.hold_lasts < Time(0.05, units::s) || Time(5.0, units::s) < operating.hold_lasts))
    table.error(table.place_of("hold_lasts"),
                fmt::format("hold_lasts: found {}; from 0.05 s (a link is quicker than that) to 5 s (so far "
                            "it may run on) it can be",
                            to_text(operating.hold_lasts, "s")));
  table.finish();
  return operating;
}

/// What it orders is checked when the page is served.
void read_page_control(const std::string& name, TomlTable table, Rig& rig) {
  PageControl control;
  control.name = name;
  read_keys(table, OutputKind::rotary, control);
  const auto has = [&](const char* key) { return table.has(key); };
  const bool is_own = has("on") || has("off") || has("value");
  if (control.of && (is_own || has("latched")))
    table.error(table.place(),
                "what is `of` something has its own orders: `on`, `off`, `latched` and `value` are "
                "for a control of its own");
  else if (!control.of && !is_own)
    table.error(table.place(), "it shows nothing: `of` names a mechanism, `on` or `value` says an order");
  else if (control.value && (has("on") || has("off") || has("latched")))
    table.error(table.place(), "a value is a slider: it has no `on`, no `off` and is not latched");
  else if (control.value && control.value->find("VALUE") == std::string::npos)
    table.error(table.place_of("value"), "value: the word VALUE stands where the amount is to come");
  else if (has("from") != has("to") || (control.value && !has("from")))
    table.error(table.place(), "a slider goes `from` an amount `to` another one: both are said");
  else if (has("from") && !control.of && !control.value)
    table.error(table.place_of("from"), "from: is of a slider (`of`, `value`)");
  else if (has("shows") && !control.of)
    table.error(table.place_of("shows"), "shows: is of what `of` names");
  for (const std::string& part : control.shows)
    if (std::find(page_parts.begin(), page_parts.end(), part) == page_parts.end())
      table.error(table.place_of("shows"), fmt::format("shows: found \"{}\"; it is one of {}",
                                                       printable(part), fmt::join(page_parts, ", ")));
  table.finish();
  rig.page.push_back(std::move(control));
}

}  // namespace

void read_hands(TomlTable& root, Rig& rig) {
  for_each_table(root, "hand", [&](const auto& name, TomlTable& table) { read_hand(name, table, rig); });
  read_devices(root, rig);
  for_each_table(root, "binding",
                 [&](const auto& name, TomlTable& table) { read_binding(name, table, rig); });
  for_each_table(root, "page",
                 [&](const auto& name, TomlTable& table) { read_page_control(name, table, rig); });
  if (auto operating = root.optional_table("operate")) rig.operating = read_operating(*operating);
}

}  // namespace cogstride
