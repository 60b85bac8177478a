#include "cogstride/mechanism/devices.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>

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

}  // namespace cogstride
