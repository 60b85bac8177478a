#include "report_file.hpp"

#include "cogstride/files/scratch_folder.hpp"
#include "cogstride/report/signals_figure.hpp"
#include "cogstride/rig/diagnostic.hpp"

using namespace cogstride;

std::string drawn_svg(const std::function<void(const std::string& path)>& draw) {
  const ScratchFolder scratch;
  const std::string file = scratch.file("figure.svg");
  draw(file);
  return read_text_file(file, std::string::npos);
}

std::string signals_svg(const ThinnedTrace& trace, const std::string& mover, const std::string& title) {
  const ScratchFolder scratch;
  const std::string file = scratch.file("figure.svg");
  return write_signals_figure(file, trace, mover, mover + ": " + title)
             ? read_text_file(file, std::string::npos)
             : std::string();
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
