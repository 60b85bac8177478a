#include "cogstride/mechanism/drive_object.hpp"

#include <fmt/format.h>

#include <charconv>

#include "cogstride/quantity/error.hpp"

namespace cogstride {
namespace {

constexpr std::int64_t most_index = 0xffff;
constexpr std::int64_t most_sub = 0xff;

std::string_view without_spaces(std::string_view text) {
  while (!text.empty() && text.front() == ' ') text.remove_prefix(1);
  while (!text.empty() && text.back() == ' ') text.remove_suffix(1);
  return text;
}

[[noreturn]] void refuse(std::string_view text, const char* wanted) {
  throw TextError(0, fmt::format("found \"{}\"; expected {}", text, wanted));
}

bool whole(std::string_view text, int base, std::int64_t& value) {
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value, base);
  return error == std::errc() && end == text.data() + text.size();
}

}  // namespace

bool holds(const DriveObject& object, std::int64_t value) {
  const std::int64_t span = std::int64_t{1} << object.bits;
  return object.is_signed ? value >= -span / 2 && value < span / 2 : value >= 0 && value < span;
}

DriveObject parse_drive_object(std::string_view text) {
  constexpr const char* wanted = "an object such as 2010:01 u16: index and part, then i or u and its bits";
  const std::string_view all = without_spaces(text);
  const std::size_t colon = all.find(':');
  const std::size_t space = all.find(' ');
  if (colon == std::string_view::npos || space == std::string_view::npos || space < colon)
    refuse(text, wanted);
  DriveObject object;
  const std::string_view type = without_spaces(all.substr(space));
  if (!whole(all.substr(0, colon), 16, object.index) ||
      !whole(all.substr(colon + 1, space - colon - 1), 16, object.sub) || object.index < 0 ||
      object.index > most_index || object.sub < 0 || object.sub > most_sub || type.size() < 2 ||
      (type[0] != 'i' && type[0] != 'u') || !whole(type.substr(1), 10, object.bits) ||
      (object.bits != 8 && object.bits != 16 && object.bits != 32))
    refuse(text, wanted);
  object.is_signed = type[0] == 'i';
  return object;
}

DriveSetting parse_drive_setting(std::string_view text) {
  const std::size_t equals = text.find('=');
  if (equals == std::string_view::npos) refuse(text, "an object and its value, such as 2010:01 u16 = 1");
  DriveSetting setting;
  setting.object = parse_drive_object(text.substr(0, equals));
  if (!whole(without_spaces(text.substr(equals + 1)), 10, setting.value))
    refuse(text, "a whole number behind the =");
  if (!holds(setting.object, setting.value))
    refuse(text, fmt::format("a value that {} holds", to_text(setting.object)).c_str());
  return setting;
}

std::string to_text(const DriveObject& object) {
  return fmt::format("{:04X}:{:02X} {}{}", object.index, object.sub, object.is_signed ? 'i' : 'u',
                     object.bits);
}
std::string to_text(const DriveSetting& setting) {
  return fmt::format("{} = {}", to_text(setting.object), setting.value);
}

}  // namespace cogstride
