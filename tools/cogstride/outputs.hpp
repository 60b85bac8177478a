// The files that a command leaves behind: asked for by option, never overwritten unasked, whole or not at
// all.
#pragma once

#include <memory>
#include <optional>
#include <string>

#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/report/csv_writer.hpp"
#include "cogstride/report/figure.hpp"
#include "cogstride/report/panel_figure.hpp"
#include "cogstride/report/vcd_writer.hpp"
#include "cogstride/trace/thinned.hpp"
#include "cogstride/trace/trace.hpp"
#include "commands.hpp"

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
  /// Of one mechanism that is driven by duty.
  void draw_drive(const std::string& title, const cogstride::Mechanism& mechanism);
  /// Of one that takes a pulse width, in deg or in % of full speed.
  /// @param too_warm_at  s, when it passed the rise that it stands
  void draw_pulsed(const std::string& title, const cogstride::Mechanism& mechanism,
                   std::optional<double> too_warm_at);
  /// Of a bare brushless motor.
  void draw_brushless(const std::string& title, const cogstride::Mechanism& mechanism);
  /// The way of a wheeled pair.
  void draw_cart(const std::string& title, const std::string& cart);
  /// The same of several mechanisms.
  void draw(const std::string& title, const std::vector<cogstride::MechanismPanel>& panels);

 private:
  [[nodiscard]] cogstride::PanelCurve curve(const cogstride::Mechanism& mechanism, const char* signal,
                                            const char* colour, const char* label = "") const;

  std::string plot_;
  cogstride::TraceFork fork_;
  std::optional<cogstride::ThinnedTrace> thinned_;
  std::unique_ptr<cogstride::VcdWriter> waves_;
  std::unique_ptr<cogstride::CsvWriter> csv_;
};
