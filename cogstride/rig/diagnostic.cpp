#include "cogstride/rig/diagnostic.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <tuple>

namespace cogstride {
namespace {

std::vector<Diagnostic> in_file_order(std::vector<Diagnostic> diagnostics) {
  const auto place = [](const Diagnostic& d) { return std::tie(d.place.line, d.place.column); };
  std::stable_sort(diagnostics.begin(), diagnostics.end(),
                   [&](const Diagnostic& a, const Diagnostic& b) { return place(a) < place(b); });
  return diagnostics;
}

std::string all_lines(const std::vector<Diagnostic>& diagnostics) {
  std::string text;
  for (const Diagnostic& diagnostic : diagnostics) {
    if (!text.empty()) text += "\n";
    text += to_text(diagnostic);
  }
  return text;
}

}  // namespace

std::string to_text(const Diagnostic& diagnostic) {
  const SourcePlace& place = diagnostic.place;
  std::string text = fmt::format("{}:{}:{}: {}", place.file, place.line, place.column, diagnostic.message);
  if (!diagnostic.code.empty()) text += fmt::format(" (cogstride explain {})", diagnostic.code);
  if (!diagnostic.excerpt.empty()) text += "\n" + diagnostic.excerpt;
  return text;
}

InputError::InputError(std::vector<Diagnostic> diagnostics)
    : Error(all_lines(in_file_order(diagnostics))), diagnostics_(in_file_order(std::move(diagnostics))) {}

void add_or_end(std::vector<Diagnostic>& diagnostics, Diagnostic diagnostic) {
  diagnostics.push_back(std::move(diagnostic));
  if (diagnostics.size() < most_diagnostics) return;
  SourcePlace last = diagnostics.back().place;
  for (const Diagnostic& each : diagnostics)
    if (std::tie(last.line, last.column) < std::tie(each.place.line, each.place.column)) last = each.place;
  diagnostics.push_back(
      {last,
       fmt::format("{} things are wrong so far: mend these first, more is not looked for", most_diagnostics),
       {}});
  throw InputError(std::move(diagnostics));
}

std::string read_text_file(const std::string& path, std::size_t most) {
  std::error_code none;
  if (std::filesystem::is_directory(path, none))
    throw Error(fmt::format("{}: is a folder; name a file in it", path));
  std::ifstream file(path, std::ios::binary);
  if (!file) throw Error(fmt::format("{}: cannot be opened: {}", path, std::strerror(errno)));
  std::string text;
  std::array<char, 1U << 16U> piece{};
  while (file.read(piece.data(), piece.size()) || file.gcount() > 0) {
    text.append(piece.data(), static_cast<std::size_t>(file.gcount()));
    if (text.size() > most)
      throw Error(fmt::format("{}: is longer than {} MB, the most that is read", path, most >> 20U));
  }
  if (file.bad()) throw Error(fmt::format("{}: cannot be read", path));
  // The mark that some editors put before a text says nothing.
  constexpr std::string_view byte_order_mark = "\xef\xbb\xbf";
  if (text.starts_with(byte_order_mark)) text.erase(0, byte_order_mark.size());
  return text;
}

}  // namespace cogstride
