// A report as one page of HTML that needs nothing else: it opens from a mail, prints, and its figures can be
// zoomed into. The same content gives the same bytes.
//
//   ReportPage page("first.moves on Bobbin bench", true, "all as asked, after 12.4 s on the bench");
//   page.add_text("What it came to", rehearsal_text(...));
//   page.add_figure("The run", read_text_file("run.svg"));
//   write_report(path, page, existing);
#pragma once

#include <string>
#include <vector>

#include "cogstride/files/output_file.hpp"
#include "cogstride/rig/findings/findings.hpp"
#include "cogstride/rig/rig.hpp"
#include "cogstride/trace/event_log.hpp"
#include "cogstride/trace/verdict.hpp"

namespace cogstride {

class ReportPage {
 public:
  /// @param is_sound  whether all is well: said in colour and in words
  ReportPage(std::string title, bool is_sound, std::string says)
      : title_(std::move(title)), is_sound_(is_sound), says_(std::move(says)) {}

  /// As a terminal shows it.
  void add_text(const std::string& heading, const std::string& text);
  void add_table(const std::string& heading, const std::vector<std::string>& columns,
                 const std::vector<std::vector<std::string>>& rows);
  void add_list(const std::string& heading, const std::vector<std::string>& lines);
  /// @param svg  of any size
  void add_figure(const std::string& heading, const std::string& svg);
  /// One that is missing. @param why  as the program that draws said
  void add_undrawn(const std::string& heading, const std::string& why);
  /// A file as it was, with its lines numbered; folded until it is wanted.
  void add_source(const std::string& file, const std::string& text);

  // What most reports have.
  /// What each mover came to, its figures and what was not looked at.
  void add_verdict(const Verdict& verdict);
  void add_events(const EventLog& log);
  void add_findings(const std::vector<Finding>& findings);
  void add_lines(const Rig& rig);
  /// Versions and what else it takes to make it again.
  void add_made_by(const std::vector<std::pair<std::string, std::string>>& rows);

  [[nodiscard]] std::string html() const;

 private:
  void add_section(const std::string& heading, const std::string& inside);

  std::string title_;
  bool is_sound_;
  std::string says_;
  std::string body_{};
  int figures_ = 0;
};

/// Whether a report can be written under that name: it ends in .html.
[[nodiscard]] bool is_report_name(const std::string& path);
/// Whole or not at all. @throws Error when it cannot be written
void write_report(const std::string& path, const ReportPage& page, OutputFile::Existing existing);

}  // namespace cogstride
