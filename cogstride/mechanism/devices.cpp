#include "cogstride/mechanism/devices.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <charconv>
#include <cmath>

#include "cogstride/quantity/error.hpp"

namespace cogstride {
namespace {

constexpr std::int64_t most_digits = 18;  // that a whole number of 64 bits always holds

bool is_digit(char c) {
  return c >= '0' && c <= '9';
}

/// What stands around the number, or all of it.
struct Around {
  std::string_view before;
  std::string_view after;
};
Around around(const DeviceMessage& message) {
  const std::string_view text = message.text;
  const std::size_t at = text.find(number_word);
  return at == std::string_view::npos ? Around{text, {}}
                                      : Around{text.substr(0, at), text.substr(at + number_word.size())};
}

void require(const Device& device, const DeviceMessage& message) {
  const auto refuse = [&](const std::string& why) {
    throw RangeError(fmt::format("message {}: {}", message.name, why));
  };
  const auto [before, after] = around(message);
  if (message.text.empty()) refuse("says nothing (text)");
  if (before.size() + after.size() + most_digits + 1 > longest_device_text)
    refuse(fmt::format("its text is too long: at most {} bytes can be had", longest_device_text));
  if (after.find(number_word) != std::string_view::npos) refuse("a text has one number");
  if (device.ends_with && (before.find(*device.ends_with) != std::string_view::npos ||
                           after.find(*device.ends_with) != std::string_view::npos))
    refuse("has the bytes in it that end a text (ends_with)");
  if (message.has_number()) {
    if (message.fewest_digits < 1 || message.fewest_digits > message.most_digits ||
        message.most_digits > most_digits)
      refuse(fmt::format("{} to {} digits: 1 to {} can be had, the fewest first", message.fewest_digits,
                         message.most_digits, most_digits));
    if (message.lowest > message.highest) refuse("its lowest number is above its highest");
    if (message.lowest < 0 && !message.negative)
      refuse("its lowest number is below 0, and no minus may stand there (negative)");
  }
  if (message.releases) {
    const auto released =
        std::find_if(device.messages.begin(), device.messages.end(),
                     [&](const DeviceMessage& other) { return other.name == *message.releases; });
    if (released == device.messages.end() || released->name == message.name)
      refuse(
          fmt::format("releases: found \"{}\"; it is another message of {}", *message.releases, device.name));
    if (released->has_number() || message.has_number()) refuse("releases: neither of the two has a number");
    if (!released->held_at_most || !(Time() < *released->held_at_most))
      throw RangeError(fmt::format(
          "message {}: {} releases it, and may be lost: held_at_most says when it ends all the same",
          released->name, message.name));
  }
}

/// A text of each length that a message can have, which is the other's as far as it can be: the bytes that
/// are fixed in one lie over digits of the other, or differ.
std::vector<std::string> texts_of(const DeviceMessage& message, const DeviceMessage& other) {
  const auto [before, after] = around(message);
  if (!message.has_number()) return {message.text};
  const auto [other_before, other_after] = around(other);
  std::vector<std::string> texts;
  for (std::int64_t count = message.fewest_digits; count <= message.most_digits; ++count) {
    for (const std::string_view sign : {"", "-"}) {
      if (!sign.empty() && !message.negative) continue;
      std::string text =
          fmt::format("{}{}{}{}", before, sign, std::string(static_cast<std::size_t>(count), '1'), after);
      const std::size_t begin = before.size() + sign.size();
      const std::size_t end = begin + static_cast<std::size_t>(count);
      for (std::size_t i = begin; i < std::min(end, other_before.size()); ++i)
        if (is_digit(other_before[i])) text[i] = other_before[i];
      for (std::size_t i = 1; i <= std::min(other_after.size(), text.size()); ++i) {
        const std::size_t at = text.size() - i;
        const char byte = other_after[other_after.size() - i];
        if (at >= begin && at < end && is_digit(byte)) text[at] = byte;
      }
      texts.push_back(std::move(text));
    }
  }
  return texts;
}

bool can_be_the_same(const DeviceMessage& a, const DeviceMessage& b) {
  const auto fits = [](const DeviceMessage& message, const std::vector<std::string>& texts) {
    return std::any_of(texts.begin(), texts.end(),
                       [&](const std::string& text) { return said_by(message, text).has_value(); });
  };
  return fits(a, texts_of(b, a)) || fits(b, texts_of(a, b));
}

}  // namespace

std::optional<Said> said_by(const DeviceMessage& message, std::string_view text) {
  if (!message.has_number()) return text == message.text ? std::optional(Said{}) : std::nullopt;
  const auto [before, after] = around(message);
  if (text.size() < before.size() + after.size() || !text.starts_with(before) || !text.ends_with(after))
    return std::nullopt;
  text = text.substr(before.size(), text.size() - before.size() - after.size());
  const std::string_view digits = text.substr(message.negative && text.starts_with('-') ? 1 : 0);
  const auto count = static_cast<std::int64_t>(digits.size());
  if (count < message.fewest_digits || count > message.most_digits ||
      !std::all_of(digits.begin(), digits.end(), is_digit))
    return std::nullopt;
  std::int64_t written = 0;
  std::from_chars(text.data(), text.data() + text.size(), written);
  if (written < message.lowest || written > message.highest) return Said{written, false};
  return Said{message.inverted ? message.lowest + (message.highest - written) : written, true};
}

void require_readable(const Device& device) {
  const bool by_bytes = device.ends_with && !device.ends_with->empty();
  const bool by_silence = device.ends_after && Time() < *device.ends_after;
  if (by_bytes == by_silence || (device.ends_with && device.ends_after))
    throw RangeError(
        "its texts end with certain bytes (ends_with) or with a silence (ends_after): one of the two is "
        "said");
  for (std::size_t i = 0; i < device.messages.size(); ++i) {
    require(device, device.messages[i]);
    for (std::size_t before = 0; before < i; ++before)
      if (can_be_the_same(device.messages[i], device.messages[before]))
        throw RangeError(fmt::format("messages {} and {} cannot be told apart: one text can be both",
                                     device.messages[before].name, device.messages[i].name));
  }
}

std::vector<SaidControl> controls_of(const Device& device) {
  std::vector<SaidControl> controls;
  for (const DeviceMessage& message : device.messages) {
    SaidControl control{.name = device.name + "." + message.name};
    if (message.has_number()) control.says = SaidControl::Says::number;
    // No more than its digits say.
    std::int64_t most = 9;
    for (std::int64_t i = 1; i < message.most_digits; ++i) most = 10 * most + 9;
    control.lowest = std::max(message.lowest, -most);
    control.highest = std::min(message.highest, most);
    if (message.releases) control.releases = device.name + "." + *message.releases;
    const bool is_let_go =
        std::any_of(device.messages.begin(), device.messages.end(),
                    [&](const DeviceMessage& other) { return other.releases == message.name; });
    if (is_let_go) control.held_at_most = message.held_at_most;
    controls.push_back(std::move(control));
  }
  return controls;
}

std::vector<SaidControl> controls_of(const InputDevice& device) {
  constexpr std::int64_t most_clicks = 1000;  // in one event
  std::vector<SaidControl> controls;
  for (const InputKey& key : device.keys)
    controls.push_back({.name = device.name + "." + key.name, .says = SaidControl::Says::hold});
  for (const InputAxis& axis : device.axes)
    controls.push_back({.name = device.name + "." + axis.name,
                        .says = SaidControl::Says::share,
                        .has_centre = axis.centred});
  for (const InputWheel& wheel : device.wheels)
    controls.push_back({.name = device.name + "." + wheel.name,
                        .says = SaidControl::Says::number,
                        .lowest = -most_clicks,
                        .highest = most_clicks});
  return controls;
}

std::int64_t thousandths_of(const InputAxis& axis, std::int64_t value, std::int64_t least, std::int64_t most,
                            std::int64_t flat) {
  constexpr double whole = 1000.0;
  if (most <= least) return 0;
  const double span = static_cast<double>(most) - static_cast<double>(least);
  // Of 0 to 255 the middle is 127.5: neither 127 nor 128 is off it.
  const double middle = axis.centred ? static_cast<double>(least) + 0.5 * span
                                     : static_cast<double>(axis.reversed ? most : least);
  const double reach = axis.centred ? 0.5 * span : span;
  const double off = (static_cast<double>(value) - middle) * (axis.reversed ? -1.0 : 1.0);
  const double still =
      std::max(axis.dead_zone ? axis.dead_zone->base().to_double() * reach : static_cast<double>(flat),
               axis.centred ? 0.5 : 0.0);
  const double beyond = std::abs(off) - still;
  if (beyond <= 0.0 || still >= reach) return 0;
  const double share = std::min(1.0, beyond / (reach - still));
  return std::llround(std::copysign(whole * share, off));
}

std::vector<SaidControl> controls_of(const Remote& remote) {
  std::vector<SaidControl> controls;
  for (const RemoteKey& key : remote.keys)
    controls.push_back({.name = remote.name + "." + key.name, .says = SaidControl::Says::hold});
  return controls;
}

std::vector<SaidControl> controls_of(const BusSensor& sensor) {
  std::vector<SaidControl> controls;
  for (const SensorEvent& event : sensor.events) controls.push_back({.name = sensor.name + "." + event.name});
  return controls;
}

void require_sound(const Device& device) {
  require_readable(device);
  for (const DeviceReply& reply : device.replies) {
    const bool is_state = reply.says == DeviceReply::Says::state;
    const std::string_view word = is_state ? state_word : number_word;
    if (reply.text.find(word) == std::string::npos)
      throw RangeError(fmt::format("reply {}: the word {} stands where its {} is to come (text)", reply.name,
                                   word, is_state ? "state" : "number"));
    if (is_state && reply.each)
      throw RangeError(fmt::format("reply {}: a state has no amount (each)", reply.name));
    if (!is_state && !reply.each)
      throw RangeError(fmt::format("reply {}: `each` says what one of its number amounts to", reply.name));
    if (reply.every < Time(0.02, units::s))
      throw RangeError(fmt::format("reply {}: every: 20 ms or more can be had", reply.name));
  }
}

void require_sound(const InputDevice& device) {
  if (device.called.empty()) throw RangeError("called: as it calls itself");
  std::vector<std::string> codes;
  std::vector<std::string> names;
  const auto take = [&](const char* what, const auto& parts, std::initializer_list<const char*> begins) {
    for (const auto& part : parts) {
      if (std::none_of(begins.begin(), begins.end(),
                       [&](const char* begin) { return part.code.starts_with(begin); }))
        throw RangeError(fmt::format("{} {}: found code \"{}\"; it begins with {}", what, part.name,
                                     part.code, fmt::join(begins, " or ")));
      if (std::find(codes.begin(), codes.end(), part.code) != codes.end())
        throw RangeError(fmt::format("{} {}: {} is said twice", what, part.name, part.code));
      if (std::find(names.begin(), names.end(), part.name) != names.end())
        throw RangeError(fmt::format("{} {}: two of its controls have this name", what, part.name));
      codes.push_back(part.code);
      names.push_back(part.name);
    }
  };
  take("key", device.keys, {"KEY_", "BTN_"});
  take("axis", device.axes, {"ABS_"});
  take("wheel", device.wheels, {"REL_"});
  for (const InputAxis& axis : device.axes)
    if (axis.dead_zone && !(axis.dead_zone->base() < Ratio(1)))
      throw RangeError(fmt::format("axis {}: dead_zone: is below 100 %", axis.name));
}

namespace {

constexpr std::size_t most_durations = 400;
constexpr std::int64_t longest_duration = 1'000'000;  // us

void require_timing(const std::string& what, const std::vector<std::int64_t>& timing) {
  if (timing.empty()) return;
  if (timing.size() % 2 == 0 || timing.size() < 3 || timing.size() > most_durations)
    throw RangeError(
        fmt::format("{}: found {} durations; marks and gaps in turn, from the first mark to the last, are "
                    "an odd number of 3 to {}",
                    what, timing.size(), most_durations));
  for (const std::int64_t each : timing)
    if (each < 1 || each > longest_duration)
      throw RangeError(fmt::format("{}: found {} us; from 1 us to a second can be had", what, each));
}

}  // namespace

void require_sound(const Remote& remote) {
  const bool is_learned = remote.coding == Remote::Coding::learned;
  if (!is_learned && !remote.held_timing.empty()) throw RangeError("held_timing: is of a learned remote");
  if (!(Time(0.12, units::s) <= remote.held_for && remote.held_for <= Time(2.0, units::s)))
    throw RangeError("held_for: from 0.12 s (its frames are 0.11 s apart) to 2 s can be had");
  require_timing("held_timing", remote.held_timing);
  std::vector<std::int64_t> codes;
  for (const RemoteKey& key : remote.keys) {
    const auto refuse = [&](const std::string& why) {
      throw RangeError(fmt::format("key {}: {}", key.name, why));
    };
    if (is_learned && (key.timing.empty() || key.code))
      refuse("of a learned remote: `timing` says it, and no code");
    if (!is_learned && (!key.code || !key.timing.empty() || !key.other_timing.empty()))
      refuse("`code` says it, and no timing: that is of a learned remote");
    require_timing("key " + key.name + ": timing", key.timing);
    require_timing("key " + key.name + ": other_timing", key.other_timing);
    if (!key.code) continue;
    if (std::find(codes.begin(), codes.end(), *key.code) != codes.end())
      refuse(fmt::format("{:#010x} is another key's as well", *key.code));
    codes.push_back(*key.code);
    if (((*key.code >> 16) & 0xff) != (~(*key.code >> 24) & 0xff))
      refuse(fmt::format("{:#010x} is no code: its last eight bits are the third eight inverted", *key.code));
  }
}

void require_sound(const BusSensor& sensor) {
  if (sensor.events.empty()) throw RangeError("it tells nothing: its events are missing");
  std::vector<std::int64_t> values;
  for (const SensorEvent& event : sensor.events) {
    if (std::find(values.begin(), values.end(), event.value) != values.end())
      throw RangeError(fmt::format("event {}: {:#04x} is another event's as well", event.name, event.value));
    values.push_back(event.value);
  }
}

}  // namespace cogstride
