#include "cogstride/rig/diagnostic.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <fstream>
#include <sstream>
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

std::string read_text_file(const std::string& path) {
  std::ifstream file(path, std::ios::binary);
  if (!file) throw Error(fmt::format("{}: cannot be opened: {}", path, std::strerror(errno)));
  std::ostringstream text;
  text << file.rdbuf();
  if (file.bad() || text.bad()) throw Error(fmt::format("{}: cannot be read", path));
  return std::move(text).str();
}

}  // namespace cogstride
