#include "cogstride/report/gnuplot.hpp"

#include <fmt/format.h>

#include <cstdio>

#include "cogstride/quantity/error.hpp"
#include "cogstride/report/output_file.hpp"

namespace cogstride {
namespace {

bool ends_with(const std::string& text, const std::string& ending) {
  return text.size() >= ending.size() &&
         text.compare(text.size() - ending.size(), ending.size(), ending) == 0;
}

void run_gnuplot(const std::string& commands) {
  std::FILE* const pipe = popen("gnuplot >/dev/null 2>&1", "w");
  if (pipe == nullptr) throw Error("gnuplot cannot be started: install the Debian package gnuplot-nox");
  const bool written = std::fwrite(commands.data(), 1, commands.size(), pipe) == commands.size();
  const int status = pclose(pipe);
  if (!written || status != 0) {
    throw Error(
        "the figure was not drawn: gnuplot is missing or failed (Debian packages gnuplot-nox and "
        "fonts-dejavu-core)");
  }
}

}  // namespace

bool is_figure_name(const std::string& path) {
  return ends_with(path, ".png") || ends_with(path, ".svg");
}

void draw_figure(const std::string& path,
                 const std::function<std::string(const std::string&, const std::string&)>& commands) {
  if (!is_figure_name(path)) throw Error(fmt::format("{}: a figure's name ends in .png or .svg", path));
  const std::string terminal = ends_with(path, ".png")
                                   ? "pngcairo size 1280,800 font 'DejaVu Sans,11' background '#ffffff'"
                                   : "svg size 1280,800 font 'DejaVu Sans,11' background '#ffffff'";
  OutputFile file(path);
  run_gnuplot(commands(terminal, file.part_path()));
  file.commit();
}

std::string gnuplot_text(const std::string& text) {
  std::string result = "\"";
  for (const char c : text) {
    if (c == '"' || c == '\\') result += '\\';
    result += c;
  }
  return result + "\"";
}

}  // namespace cogstride
