// What the command says: the same figures as text for people and as JSON for programs.
#pragma once

#include <string>

#include "cogstride/rig/derive.hpp"
#include "cogstride/rig/findings.hpp"
#include "cogstride/rig/plan_figures.hpp"
#include "cogstride/rig/rig.hpp"
#include "cogstride/trace/event_log.hpp"
#include "cogstride/trace/tally.hpp"

namespace cogstride {

struct RehearsalReport {
  std::string rig{};
  std::string script{};
  RunTally tally{};
};

[[nodiscard]] std::string inspect_text(const Rig& rig, const Inspection& inspection, const std::string& file);
[[nodiscard]] std::string inspect_json(const Rig& rig, const Inspection& inspection, const std::string& file);

/// The wiring list: every line with what it goes to, its rest level, and what it must carry.
[[nodiscard]] std::string lines_text(const Rig& rig);
[[nodiscard]] std::string lines_json(const Rig& rig);

/// One kind of finding, its story and formula.
[[nodiscard]] std::string explain_text(const FindingKind& kind);
/// All of them, a line each.
[[nodiscard]] std::string explain_list();

[[nodiscard]] std::string plan_text(const PlanFigures& plan);
[[nodiscard]] std::string plan_json(const PlanFigures& plan);

[[nodiscard]] std::string rehearsal_text(const RehearsalReport& report, const EventLog& log);
[[nodiscard]] std::string rehearsal_json(const RehearsalReport& report, const EventLog& log);

/// What is wrong with a mechanism's run, each with what to look at; empty when all is sound.
[[nodiscard]] std::vector<std::string> complaints(const MechanismTally& tally, const TraceLayout& layout);

}  // namespace cogstride
