// The files that a command leaves behind: asked for by option, never overwritten unasked, whole or not at
// all.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/report/csv_writer.hpp"
#include "cogstride/report/figure.hpp"
#include "cogstride/report/run_figure.hpp"
#include "cogstride/report/vcd_writer.hpp"
#include "cogstride/trace/thinned.hpp"
#include "cogstride/trace/trace.hpp"
#include "commands.hpp"
#include "report_file.hpp"

/// s, of a time that an option says; 0 where it says none. @throws cogstride::Error that names the option
[[nodiscard]] double seconds_of(const char* option, const std::string& written);

/// @throws cogstride::Error when a file is there already, is named twice, or has an ending that means nothing
/// @param read  files that the command reads: none of them is written onto
void check_output_names(const OutputOptions& options, const std::vector<std::string>& read);

class Outputs {
 public:
  /// @throws cogstride::Error when a file is there already, is named twice, or cannot be written.
  /// @param read  as check_output_names
  Outputs(const OutputOptions& options, const std::vector<std::string>& read,
          const cogstride::Mechanism& shown);

  [[nodiscard]] cogstride::TraceSink& sink() { return fork_; }
  void also(cogstride::TraceSink& sink) { fork_.add(sink); }
  /// Draws the figure, once the run has ended.
  void draw(const cogstride::FigureContent& content);
  /// The same of a run.
  void draw(const cogstride::Rig& rig, const cogstride::RunFigure& what);
  /// Of a run of which is not known beforehand what is worth seeing: all signals of these movers.
  void draw_signals(const std::vector<std::string>& movers, const std::string& title);
  /// Figures for the report: SVG, with what stands over each.
  [[nodiscard]] const std::vector<Drawn>& figures() const { return figures_; }

 private:
  std::string plot_;
  bool reports_;
  std::vector<Drawn> figures_{};
  cogstride::TraceFork fork_;
  std::optional<cogstride::ThinnedTrace> thinned_;
  std::unique_ptr<cogstride::VcdWriter> waves_;
  std::unique_ptr<cogstride::CsvWriter> csv_;
};
