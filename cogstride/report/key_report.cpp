#include <fmt/format.h>

#include <algorithm>
#include <iterator>

#include "cogstride/report/reports.hpp"

namespace cogstride {
namespace {

std::string heading(const KeySection& section) {
  return section.kind.empty() ? section.table : fmt::format("{} of kind \"{}\"", section.table, section.kind);
}

std::string in_cells(std::string text) {
  for (std::size_t at = text.find('|'); at != std::string::npos; at = text.find('|', at + 2))
    text.insert(at, "\\");
  return text;
}

}  // namespace

std::string keys_text(const std::vector<KeySection>& sections) {
  std::string text;
  const auto out = std::back_inserter(text);
  for (const KeySection& section : sections) {
    fmt::format_to(out, "{}{}{}{}\n", text.empty() ? "" : "\n", heading(section),
                   section.about.empty() ? "" : ": ", section.about);
    std::size_t width = 0;
    for (const KeyInfo& key : section.keys) width = std::max(width, key.name.size());
    for (const KeyInfo& key : section.keys) {
      fmt::format_to(out, "  {:<{}}  {}", key.name, width, key.about.empty() ? key.value : key.about);
      fmt::format_to(out, " ({})\n", key.is_required() ? "required" : "otherwise: " + key.otherwise);
      if (!key.about.empty()) fmt::format_to(out, "  {:<{}}    {}\n", "", width, key.value);
    }
  }
  return text;
}

std::string keys_page(const std::vector<KeySection>& sections) {
  std::string page;
  const auto out = std::back_inserter(page);
  for (const KeySection& section : sections) {
    if (section.kind.empty()) {
      fmt::format_to(out, "## `{}`\n", section.table);
    } else {
      fmt::format_to(out, "## `{}`: {}\n", section.table, section.kind);
    }
    if (!section.about.empty()) fmt::format_to(out, "{}.\n", section.about);
    fmt::format_to(out, "\n| key | value | what it is | left out |\n|---|---|---|---|\n");
    for (const KeyInfo& key : section.keys)
      fmt::format_to(out, "| `{}` | {} | {} | {} |\n", key.name, in_cells(key.value), in_cells(key.about),
                     in_cells(key.is_required() ? "**required**" : key.otherwise));
    page += "\n";
  }
  return page;
}

}  // namespace cogstride
