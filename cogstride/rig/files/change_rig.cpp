#include "cogstride/rig/files/change_rig.hpp"

#include <algorithm>

#include "cogstride/rig/files/parts_mark.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/rig/files/stray_character.hpp"
#include "cogstride/rig/files/toml_table.hpp"

namespace cogstride {
namespace {

/// Byte of a place; toml++ counts columns in characters.
std::size_t offset_of(const std::string& text, const toml::source_position& place) {
  std::size_t at = 0;
  for (toml::source_index line = 1; line < place.line; ++line) {
    at = text.find('\n', at);
    if (at == std::string::npos) return text.size();
    ++at;
  }
  for (toml::source_index column = 1; column < place.column && at < text.size(); ++column) {
    ++at;
    while (at < text.size() && (static_cast<unsigned char>(text[at]) & 0xC0U) == 0x80U) ++at;
  }
  return at;
}

std::size_t end_of_line(const std::string& text, std::size_t at) {
  const std::size_t end = text.find('\n', at);
  return end == std::string::npos ? text.size() : end;
}

std::vector<std::string> parts_of(const std::string& key) {
  std::vector<std::string> parts(1);
  for (const char c : key) {
    if (c == '.') {
      parts.emplace_back();
    } else {
      parts.back() += c;
    }
  }
  const auto is_plain = [](const std::string& part) {
    return !part.empty() && part.find_first_not_of(
                                "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ"
                                "0123456789_-") == std::string::npos;
  };
  if (!std::all_of(parts.begin(), parts.end(), is_plain))
    throw RangeError(
        fmt::format("'{}' is no key of a rig file: write one such as "
                    "mechanism.traverse.board.microsteps",
                    key));
  return parts;
}

bool is_toml_value(const std::string& value) {
  if (value.find('\n') != std::string::npos || find_stray_character("x = " + value)) return false;
  try {
    const toml::table table = toml::parse("x = " + value);
    return table.size() == 1;
  } catch (const toml::parse_error&) {
    return false;
  }
}

toml::table tables_of(const std::string& text, const std::string& name) {
  if (find_stray_character(text)) (void)parse_rig(text, name);  // which says where
  try {
    return toml::parse(text);
  } catch (const toml::parse_error&) {
    (void)parse_rig(text, name);
    throw;
  }
}

std::string toml_value(const std::string& value) {
  if (is_toml_value(value)) return value;
  std::string quoted = "\"";
  for (const char c : value) {
    if (static_cast<unsigned char>(c) < 0x20U) throw RangeError("a value stands on one line");
    if (c == '"' || c == '\\') quoted += '\\';
    quoted += c;
  }
  return quoted + "\"";
}

/// After the last value that stands directly in a table with a header of its own.
std::size_t end_of_table(const std::string& text, const toml::table& table) {
  std::size_t end = end_of_line(text, offset_of(text, table.source().begin));
  for (auto&& [key, node] : table) {
    const bool has_header = node.is_table() && !node.as_table()->is_inline();
    if (!has_header) end = std::max(end, end_of_line(text, offset_of(text, node.source().end)));
  }
  return end;
}

std::string with_added(const std::string& text, const toml::table* parent, const std::string& parent_path,
                       const std::string& key, const std::string& value) {
  std::string changed = text;
  const std::string line = fmt::format("{} = {}", key, value);
  if (parent == nullptr) {
    if (!changed.empty() && changed.back() != '\n') changed += '\n';
    return changed + fmt::format("\n[{}]\n{}\n", parent_path, line);
  }
  if (parent->is_inline()) {
    std::size_t brace = offset_of(text, parent->source().end);
    while (brace > 0 && (brace >= text.size() || text[brace] != '}')) --brace;
    std::size_t at = brace;
    while (at > 0 && text[at - 1] == ' ') --at;
    return changed.insert(at, (parent->empty() ? " " : ", ") + line);
  }
  const std::size_t at = end_of_table(text, *parent);
  return changed.insert(at, "\n" + line);
}

}  // namespace

std::string changed_rig_text(const std::string& text, const std::string& name, const std::string& key,
                             const std::string& value) {
  const std::vector<std::string> parts = parts_of(key);
  const std::string written = toml_value(value);
  const toml::table root = tables_of(text, name);
  const toml::table* table = &root;
  std::string path;
  for (std::size_t i = 0; i + 1 < parts.size(); ++i) {
    path += (path.empty() ? "" : ".") + parts[i];
    const toml::node* const node = table == nullptr ? nullptr : table->get(parts[i]);
    if (node != nullptr && !node->is_table())
      throw RangeError(fmt::format("{}: {} is a value, and has no keys", name, path));
    table = node == nullptr ? nullptr : node->as_table();
  }
  const toml::node* const node = table == nullptr ? nullptr : table->get(parts.back());
  std::string changed = text;
  if (node == nullptr) {
    changed = with_added(text, table, path, parts.back(), written);
  } else {
    const bool has_header = node->is_table() && !node->as_table()->is_inline();
    if (has_header) throw RangeError(fmt::format("{}: {} is a table: name one of its keys", name, key));
    const std::size_t begin = offset_of(text, node->source().begin);
    const std::size_t end = offset_of(text, node->source().end);
    changed.replace(begin, end - begin, written);
  }
  (void)parse_rig(changed, name);
  return changed;
}

std::string proven_rig_text(const std::string& text, const std::string& name, const std::string& mechanism,
                            const std::vector<std::string>& stages) {
  const std::string mark = parts_mark(tables_of(text, name), mechanism);
  if (mark.empty()) throw RangeError(fmt::format("{}: has no mechanism {}", name, mechanism));
  std::vector<std::string> quoted;
  for (const std::string& stage : stages) quoted.push_back(toml_value(stage));
  return changed_rig_text(text, name, fmt::format("mechanism.{}.proven", mechanism),
                          fmt::format("{{ stages = [{}], parts = \"{}\" }}", fmt::join(quoted, ", "), mark));
}

}  // namespace cogstride
