// The report that a command leaves behind (--report): what it printed and drew, and what it had read.
#pragma once

#include <functional>
#include <string>
#include <utility>
#include <vector>

#include "cogstride/report/report_page.hpp"
#include "cogstride/trace/thinned.hpp"

/// A figure, as text of SVG. @param draw  into a file of that name @throws cogstride::Error as it
[[nodiscard]] std::string drawn_svg(const std::function<void(const std::string& path)>& draw);

/// All signals of a mover; "" when there are none to be seen.
[[nodiscard]] std::string signals_svg(const cogstride::ThinnedTrace& trace, const std::string& mover,
                                      const std::string& title);

/// Findings, lines, the files that were read, and what made it; and the whole into `path`.
/// @param read  files in the order in which they are shown; empty names are left out
/// @param how  what else it takes to make it again: {"seed", "1"}
void finish_report(cogstride::ReportPage& page, const cogstride::Rig& rig,
                   const std::vector<std::string>& read, std::vector<std::pair<std::string, std::string>> how,
                   const std::string& path, bool overwrite);
