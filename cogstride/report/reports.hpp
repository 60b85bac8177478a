// What the command says: the same figures as text for people and as JSON for programs.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "cogstride/report/measured_run.hpp"
#include "cogstride/rig/figures/plan_figures.hpp"
#include "cogstride/rig/findings/findings.hpp"
#include "cogstride/rig/keys/key_list.hpp"
#include "cogstride/rig/rig.hpp"
#include "cogstride/study/results/move_trial.hpp"
#include "cogstride/trace/event_log.hpp"
#include "cogstride/trace/live_play.hpp"
#include "cogstride/trace/verdict.hpp"

namespace cogstride {

struct RehearsalReport {
  std::string rig{};
  std::string script{};
  Verdict verdict{};
  std::vector<std::string> notes{};  ///< what else is worth knowing
  std::string measured_file{};       ///< a table that was laid over it; empty: none
  std::vector<MeasuredSignal> measured{};
};

/// Why a command did nothing, for programs: {"error": {"message": ..., "places": [{"file": ...}]}}.
[[nodiscard]] std::string error_json(const std::string& message, const std::vector<Diagnostic>& places);

/// @param only  name of a mechanism: the page is about it alone; findings are those of `inspection`
[[nodiscard]] std::string inspect_text(const Rig& rig, const Inspection& inspection, const std::string& file,
                                       const std::string& only = "");
[[nodiscard]] std::string inspect_json(const Rig& rig, const Inspection& inspection, const std::string& file,
                                       const std::string& only = "");

/// The wiring list: every line with what it goes to, its rest level, and what it must carry.
[[nodiscard]] std::string lines_text(const Rig& rig);
[[nodiscard]] std::string lines_json(const Rig& rig);

/// Keys of a rig file, section by section, for a terminal or as the tables of docs/rig.md.
[[nodiscard]] std::string keys_text(const std::vector<KeySection>& sections);
[[nodiscard]] std::string keys_page(const std::vector<KeySection>& sections);

/// One kind of finding, its story and formula.
[[nodiscard]] std::string explain_text(const FindingKind& kind);
/// All of them, a line each.
[[nodiscard]] std::string explain_list();

/// @param trial  of a stepper's move; nothing of what loses no steps
[[nodiscard]] std::string plan_text(const PlanFigures& plan, const std::optional<MoveTrial>& trial);
[[nodiscard]] std::string plan_json(const PlanFigures& plan, const std::optional<MoveTrial>& trial);

[[nodiscard]] std::string rehearsal_text(const RehearsalReport& report, const EventLog& log);
[[nodiscard]] std::string rehearsal_json(const RehearsalReport& report, const EventLog& log);

struct LiveReport {
  std::string rig{};
  std::string script{};
  Verdict verdict{};
  LivePlay played{};
  std::vector<std::string> notes{};
  /// Of a run that was played again from its black box.
  struct Replayed {
    std::string began{};
    std::int64_t compared = 0;  ///< how often what was ordered was held against what was ordered then
    std::string ends{};         ///< why it ends before its end; empty: it does not
  };
  std::optional<Replayed> replayed{};
};
[[nodiscard]] std::string drive_text(const LiveReport& report, const EventLog& log);
[[nodiscard]] std::string drive_json(const LiveReport& report, const EventLog& log);

}  // namespace cogstride
