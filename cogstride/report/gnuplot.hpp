// Figures drawn by gnuplot through a pipe: PNG of 1280x800 or SVG, by the file's ending.
#pragma once

#include <fmt/format.h>

#include <functional>
#include <iterator>
#include <string>
#include <utility>

namespace cogstride {

/// Whether a figure can be written under that name: it ends in .png or .svg.
[[nodiscard]] bool is_figure_name(const std::string& path);

/// Draws what `commands(terminal, output)` says; the file appears whole or not at all.
/// @throws Error when the ending is another, gnuplot is missing or fails, or the file cannot be written.
void draw_figure(
    const std::string& path,
    const std::function<std::string(const std::string& terminal, const std::string& output)>& commands);

/// Commands for gnuplot, put together piece by piece.
class GnuplotScript {
 public:
  template <class... Arguments>
  void add(fmt::format_string<Arguments...> format, Arguments&&... arguments) {
    fmt::format_to(std::back_inserter(text_), format, std::forward<Arguments>(arguments)...);
  }
  [[nodiscard]] std::string take() { return std::move(text_); }

 private:
  std::string text_{};
};

/// A text in quotes, as gnuplot reads it.
[[nodiscard]] std::string gnuplot_text(const std::string& text);

}  // namespace cogstride
