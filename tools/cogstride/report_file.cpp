#include "report_file.hpp"

#include <fmt/format.h>

#include <cstdio>
#include <utility>

#include "cogstride/files/scratch_folder.hpp"
#include "cogstride/report/signals_figure.hpp"
#include "cogstride/rig/diagnostic.hpp"

using namespace cogstride;

Drawn drawn(std::string heading, const std::function<bool(const std::string& path)>& draw) {
  Drawn figure{std::move(heading), {}, {}};
  try {
    const ScratchFolder scratch;
    const std::string file = scratch.file("figure.svg");
    if (draw(file)) figure.svg = read_text_file(file, std::string::npos);
  } catch (const Error& error) {
    figure.why_not = error.what();
  }
  return figure;
}

Drawn drawn_signals(std::string heading, const ThinnedTrace& trace, const std::string& mover,
                    const std::string& title) {
  return drawn(std::move(heading), [&](const std::string& file) {
    return write_signals_figure(file, trace, mover, mover + ": " + title);
  });
}

void add_drawn(ReportPage& page, const std::vector<Drawn>& figures) {
  std::string told;
  for (const Drawn& figure : figures) {
    if (!figure.svg.empty()) page.add_figure(figure.heading, figure.svg);
    if (figure.why_not.empty()) continue;
    page.add_undrawn(figure.heading, figure.why_not);
    if (std::exchange(told, figure.why_not) != figure.why_not)
      fmt::print(stderr, "note: the report goes without: {}\n", figure.why_not);
  }
}

void finish_report(ReportPage& page, const Rig& rig, const std::vector<std::string>& read,
                   std::vector<std::pair<std::string, std::string>> how, const std::string& path,
                   bool overwrite) {
  page.add_findings(inspect_rig(rig).findings);
  page.add_lines(rig);
  for (const std::string& file : read)
    if (!file.empty()) page.add_source(file, read_text_file(file));
  how.insert(how.begin(), {"Cog Stride", COGSTRIDE_VERSION});
  page.add_made_by(how);
  write_report(path, page, overwrite ? OutputFile::Existing::replaced : OutputFile::Existing::refused);
}
