// The report that a command leaves behind (--report): what it printed and drew, and what it had read.
#pragma once

#include <functional>
#include <string>
#include <utility>
#include <vector>

#include "cogstride/report/report_page.hpp"
#include "cogstride/trace/thinned.hpp"

/// A figure of a report. One that cannot be drawn takes nothing from the rest: it says why.
struct Drawn {
  std::string heading{};
  std::string svg{};
  std::string why_not{};
};
/// @param draw  into a file of that name; whether there was something to be seen
[[nodiscard]] Drawn drawn(std::string heading, const std::function<bool(const std::string& path)>& draw);
/// All signals of a mover. @param title  of the figure, behind its name
[[nodiscard]] Drawn drawn_signals(std::string heading, const cogstride::ThinnedTrace& trace,
                                  const std::string& mover, const std::string& title);
/// Those in which there is something to be seen, or why they are missing.
void add_drawn(cogstride::ReportPage& page, const std::vector<Drawn>& figures);

/// Findings, lines, the files that were read, and what made it; and the whole into `path`.
/// @param read  files in the order in which they are shown; empty names are left out
/// @param how  what else it takes to make it again: {"seed", "1"}
void finish_report(cogstride::ReportPage& page, const cogstride::Rig& rig,
                   const std::vector<std::string>& read, std::vector<std::pair<std::string, std::string>> how,
                   const std::string& path, bool overwrite);
