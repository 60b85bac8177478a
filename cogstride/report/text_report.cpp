#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <iterator>
#include <map>

#include "cogstride/mechanism/line_name.hpp"
#include "cogstride/report/happenings.hpp"
#include "cogstride/report/reports.hpp"
#include "cogstride/rig/figures/connections.hpp"
#include "cogstride/rig/figures/derive.hpp"
#include "cogstride/rig/figures/figure_rows.hpp"

namespace cogstride {
namespace {

class Page {
 public:
  template <class... Arguments>
  void line(fmt::format_string<Arguments...> format, Arguments&&... arguments) {
    fmt::format_to(std::back_inserter(text_), format, std::forward<Arguments>(arguments)...);
    text_ += '\n';
  }
  /// A row of two columns under a heading.
  template <class... Arguments>
  void row(const char* label, fmt::format_string<Arguments...> format, Arguments&&... arguments) {
    fmt::format_to(std::back_inserter(text_), "  {:<14}", label);
    text_ += wrapped(fmt::format(format, std::forward<Arguments>(arguments)...), 16) + "\n";
  }
  std::string take() { return std::move(text_); }

  /// Lines of at most 120 columns; those after the first are indented.
  static std::string wrapped(const std::string& text, std::size_t indent) {
    constexpr std::size_t widest = 120;
    std::string lines;
    std::size_t at = 0;
    while (text.size() - at > widest - indent) {
      std::size_t blank = text.rfind(' ', at + widest - indent);
      if (blank == std::string::npos || blank <= at) blank = text.find(' ', at);
      if (blank == std::string::npos) break;
      lines += text.substr(at, blank - at) + "\n" + std::string(indent, ' ');
      at = blank + 1;
    }
    return lines + text.substr(at);
  }

 private:
  std::string text_;
};

std::string rest_text(const RigLine& line) {
  if (!line.is_output) return "";
  return line.driven.active == ActiveLevel::low ? "high" : "low";
}

/// What an output does until the program sets it.
std::string boot_text(const Rig& rig, const RigLine& line) {
  std::optional<ActiveLevel> held = line.driven.external_pull;
  if (!held && line.mechanism != nullptr) held = inputs_of(line.mechanism->board).external_pull;
  if (held) return *held == ActiveLevel::low ? "held low" : "held high";
  const auto& boot = rig.controller.at_boot;
  if (!boot) return "not said";
  if (*boot != BootLevel::floating) return *boot == BootLevel::low ? "low" : "high";
  // No current goes through a diode that nothing drives.
  const bool diode = line.mechanism != nullptr && Voltage() < inputs_of(line.mechanism->board).drop;
  return diode ? "floats, off" : "floats";
}

void figure_list(Page& page, const std::vector<FigureRow>& rows) {
  for (const FigureRow& row : rows) page.row(row.label.c_str(), "{}", row.text);
}

/// "step 0 (active high), gate 3": what is wired to which line.
std::string lines_of(const Rig& rig, const Mechanism& mechanism) {
  std::vector<std::string> words;
  const std::vector<RigLine> lines = rig_lines(rig);
  for (const RigLine& line : lines) {
    if (line.mechanism != &mechanism) continue;
    const char* const active = line.driven.active == ActiveLevel::low ? " (active low)" : "";
    words.push_back(fmt::format("{} {}{}", line.use, line_name(line.number), line.is_output ? active : ""));
  }
  return fmt::format("{}", fmt::join(words, ", "));
}

void inspect_mechanism(Page& page, const Rig& rig, const Mechanism& mechanism) {
  page.line("");
  page.line("{}: {}", mechanism.name, parts_text(mechanism));
  figure_list(page, figure_rows(rig, mechanism));
  page.row("lines", "{}", lines_of(rig, mechanism));
}

void wiring_table(Page& page, const Rig& rig) {
  const auto& connector = rig.controller.connector;
  page.line("{}  line  goes to                    is      rests  at boot        carries",
            connector.empty() ? "" : "  pin");
  const std::vector<RigLine> lines = wiring_list(rig);
  for (const RigLine& line : lines) {
    std::string pin;
    if (!connector.empty()) {
      const auto found = std::find(connector.begin(), connector.end(), line.number);
      pin = found == connector.end() ? "    -" : fmt::format("{:>5}", found - connector.begin() + 1);
    }
    const std::optional<Current> current = line_current(rig, line);
    std::string row = fmt::format("{}  {:>4}  {:<25}  {:<6}  {:<5}  {:<13}  {}", pin, line_name(line.number),
                                  line.owner + " " + line.use, line.is_output ? "output" : "input",
                                  rest_text(line), line.is_output ? boot_text(rig, line) : "",
                                  current           ? fmt::format("{:.3g} mA", current->in(units::mA))
                                  : line.high_level ? fmt::format("{:.3g} V", line.high_level->in(units::V))
                                                    : std::string());
    row.erase(row.find_last_not_of(' ') + 1);
    page.line("{}", row);
  }
}

std::string verdict(const Inspection& inspection) {
  std::map<Severity, int> counts;
  for (const Finding& finding : inspection.findings) ++counts[finding.severity];
  if (counts.empty()) return "nothing wrong found";
  std::vector<std::string> words;
  for (const Severity severity : {Severity::error, Severity::warning, Severity::note}) {
    if (counts[severity] > 0)
      words.push_back(
          fmt::format("{} {}{}", counts[severity], to_text(severity), counts[severity] > 1 ? "s" : ""));
  }
  return fmt::format("{}", fmt::join(words, ", "));
}

void findings_list(Page& page, const Inspection& inspection) {
  for (const Finding& finding : inspection.findings) {
    page.line("");
    const std::string place = finding.place.line == 0 ? ""
                                                      : fmt::format("{}:{}:{}: ", finding.place.file,
                                                                    finding.place.line, finding.place.column);
    // Not wrapped: a line a finding can be searched.
    page.line("{}{} {}: {}{}", place, to_text(finding.severity), finding.code,
              finding.mechanism.empty() ? "" : finding.mechanism + ": ", finding.what);
    page.line("  way out: {}", finding.way_out);
  }
  if (inspection.unchecked.empty()) return;
  page.line("");
  page.line("not checked, because the rig does not say:");
  for (const Unchecked& unchecked : inspection.unchecked) {
    page.line("  {:<22} needs {}", unchecked.code, unchecked.needs);
  }
}

void happenings(Page& page, const EventLog& log) {
  constexpr std::size_t most_shown = 24;
  const std::vector<Happening> all = happenings_of(log);
  if (all.empty()) return;
  page.line("");
  page.line("  {:>10}  {:>10}  what happened", "at", "took");
  std::size_t rows = 0;
  for (const Happening& each : all) {
    if (!each.is_always_told && ++rows > most_shown) continue;
    page.line("  {:>8.4f} s  {:>10}  {}", each.at, each.took ? fmt::format("{:.4f} s", *each.took) : "",
              each.words);
  }
  const std::size_t rest = (rows > most_shown ? rows - most_shown : 0) + log.left_out();
  if (rest > 0) page.line("  {:>10}  {:>10}  and {} more", "", "", rest);
}

}  // namespace

std::string inspect_text(const Rig& rig, const Inspection& inspection, const std::string& file,
                         const std::string& only) {
  Page page;
  page.line("{} ({}): {}", rig.name, file, verdict(inspection));
  if (only.empty()) {
    page.row("controller", "{:.6g} MHz timer clock, so a tick is {:.4g} ns",
             rig.controller.timer_clock.base().to_double() / 1e6,
             1e9 / rig.controller.timer_clock.base().to_double());
    figure_list(page, controller_rows(rig));
    for (const Supply& supply : rig.supplies) figure_list(page, figure_rows(rig, supply));
  }
  for (const Mechanism& mechanism : rig.mechanisms)
    if (only.empty() || mechanism.name == only) inspect_mechanism(page, rig, mechanism);
  if (only.empty()) {
    page.line("");
    wiring_table(page, rig);
  }
  findings_list(page, inspection);
  return page.take();
}

namespace {
void torque_rows(Page& page, const PlanFigures& plan, const MoveTrial& trial) {
  const std::string tried = fmt::format("{:.4g} to {:.4g} {}/s from {} phases of the field", trial.slowest,
                                        trial.fastest, plan.unit, trial.phases);
  if (trial.margin >= 0.0) {
    page.row("torque", "{:.0f} %{} to spare at {}", trial.margin * 100.0, trial.is_more ? " or more" : "",
             tried);
  } else if (trial.holds) {
    page.row("torque",
             "TOO LITTLE: at {} nothing was lost, but it would take {:.0f} % more to be safe; "
             "--fastest finds what can be had",
             tried, -trial.margin * 100.0);
  } else {
    page.row("torque",
             "TOO LITTLE: steps are lost at {}; it would take {:.0f} % more; --fastest finds what can be had",
             tried, -trial.margin * 100.0);
  }
  page.row(
      "tried", "{} ways of making it, on the simulated bench, with this torque and {} shares of it{}",
      trial.ways, trial.shares - 1,
      trial.shortened ? fmt::format(", the top speed held for {}", seconds_text(trial.cruise_tried)) : "");
  page.row("closest",
           "to losing steps at {}: the rotor is {:.0f} electrical degrees behind its field (90: the greatest "
           "pull), and {:.0f} behind the command, which currents follow late",
           seconds_text(plan.worst_at), plan.behind_field, plan.worst_lag);
}
}  // namespace

std::string plan_text(const PlanFigures& plan, const std::optional<MoveTrial>& trial) {
  Page page;
  page.line("{}: {} to {} in {}", plan.mechanism, plan.from, plan.to, seconds_text(plan.duration));
  page.row("steps", "{} {}", std::abs(plan.steps), plan.steps < 0 ? "backwards" : "forwards");
  if (plan.steps == 0) return page.take();
  page.row("top speed", "{:.6g} {}/s = {:.6g} steps/s{}", plan.peak_speed, plan.unit, plan.peak_step_rate,
           plan.cruise_time > 0.0
               ? fmt::format(", held for {}", seconds_text(plan.cruise_time))
               : fmt::format(": too short a move to reach {:.6g} {}/s", plan.limit_speed, plan.unit));
  if (plan.ramp_time > 0.0) {
    page.row("ramps", "{:.6g} {}/s2 from {:.6g} {}/s{}: {} and {:.4g} {} each", plan.acceleration, plan.unit,
             plan.start_speed, plan.unit,
             plan.jerk > 0.0 ? fmt::format(", jerk {:.6g} {}/s3", plan.jerk, plan.unit) : "",
             seconds_text(plan.ramp_time), plan.ramp_way, plan.unit);
  } else {
    page.row("ramps", "none: the start speed is enough");
  }
  if (!plan.loses_steps) {
    page.row("torque", "{:.0f} % of the servo's peak {} at {}, where it is wanted most",
             std::abs(plan.margin) * 100.0, plan.margin >= 0.0 ? "to spare" : "TOO LITTLE",
             seconds_text(plan.worst_at));
  } else if (trial) {
    torque_rows(page, plan, *trial);
  }
  if (plan.grain_seconds > 1.5 * plan.tick_seconds)
    page.row("intervals", "whole multiples of {}: {:.6g} {}/s is the fastest that they make of what is asked",
             seconds_text(plan.grain_seconds), plan.limit_speed, plan.unit);
  page.row("pulses", "first after {}, then at least {} apart", seconds_text(plan.first_pulse),
           seconds_text(plan.shortest_interval));
  const std::string error =
      plan.worst_error_ticks < 0.01 ? "every pulse on its tick"
      : plan.worst_error_ticks > 1000.0
          ? fmt::format("no pulse more than {} off", seconds_text(plan.worst_error_ticks * plan.tick_seconds))
          : fmt::format("no pulse more than {:.2f} ticks ({:.3g} ns) off", plan.worst_error_ticks,
                        plan.worst_error_ticks * plan.tick_seconds * 1e9);
  if (!plan.guesses.empty()) page.row("rests on", "{}", guesses_words(plan.guesses));
  page.row("stored in", "{} pulse runs, {} bytes; {}", plan.pulse_runs, plan.pulse_runs * 24, error);
  return page.take();
}

namespace {
void mover_verdict(Page& page, const MoverVerdict& verdict) {
  page.line("");
  page.line("{}: {}", verdict.name, verdict.sum);
  for (const MoverVerdict::Row& row : verdict.rows) page.row(row.about.c_str(), "{}", row.words);
  for (const std::string& complaint : verdict.complaints) page.line("  ! {}", complaint);
  for (std::size_t i = 0; i < verdict.causes.size(); ++i)
    page.row(i == 0 ? "look at" : "then at", "{}", verdict.causes[i].words);
  if (!verdict.not_looked_at.empty()) page.row("not judged", "{}", fmt::join(verdict.not_looked_at, "; "));
  if (!verdict.guesses.empty()) page.row("rests on", "{}", guesses_words(verdict.guesses));
}
}  // namespace

std::string rehearsal_text(const RehearsalReport& report, const EventLog& log) {
  Page page;
  const Verdict& verdict = report.verdict;
  page.line("{} rehearsed on {}: {} after {:.3f} s on the bench", report.script, report.rig,
            verdict.is_sound() ? "all as asked," : "SOMETHING IS WRONG,", verdict.seconds);
  if (!verdict.fault.empty()) page.line("  fault: {}", verdict.fault);
  happenings(page, log);
  std::vector<std::string> untouched;
  for (const MoverVerdict& mover : verdict.movers) {
    if (mover.has_moved || !mover.is_sound()) {
      mover_verdict(page, mover);
    } else {
      untouched.push_back(mover.name);
    }
  }
  if (!untouched.empty()) page.line("\nnot moved: {}", fmt::join(untouched, ", "));
  if (!report.measured.empty()) {
    page.line("\nheld against {}", report.measured_file);
    std::string owner;
    for (const MeasuredSignal& signal : report.measured) {
      const std::size_t dot = signal.name.find('.');
      if (signal.name.substr(0, dot) != owner) page.line("{}:", owner = signal.name.substr(0, dot));
      page.row(signal.name.substr(dot + 1).c_str(), "{}", agreement_words(signal));
    }
  }
  if (!report.notes.empty()) page.line("");
  for (const std::string& note : report.notes) page.line("{}", note);
  return page.take();
}

std::string drive_text(const LiveReport& report, const EventLog& log) {
  Page page;
  const Verdict& verdict = report.verdict;
  const LivePlay& played = report.played;
  page.line("{} driven on {}{}: {} after {:.3f} s", report.script, report.rig,
            report.replayed ? fmt::format(" on {}, played again", report.replayed->began) : "",
            !verdict.fault.empty()                              ? "STOPPED"
            : report.replayed && !report.replayed->ends.empty() ? "no further"
            : !verdict.is_sound()                               ? "done, BUT SOMETHING IS WRONG,"
                                                                : "done",
            verdict.seconds);
  if (!verdict.fault.empty()) page.line("  fault: {}", verdict.fault);
  happenings(page, log);
  page.line("");
  for (const MoverVerdict& mover : verdict.movers) {
    if (!mover.sum.empty()) page.row(mover.name.c_str(), "{}", mover.sum);
    for (const MoverVerdict::Row& each : mover.rows) page.row(each.about.c_str(), "{}", each.words);
    for (const std::string& complaint : mover.complaints) page.line("  ! {}", complaint);
  }
  if (report.replayed) {
    const LiveReport::Replayed& again = *report.replayed;
    page.row("planned", "as then: compared {} times", again.compared);
    if (!again.ends.empty()) page.row("ends", "{}", again.ends);
    for (const std::string& note : report.notes) page.line("{}", note);
    return page.take();
  }
  if (!played.by_a_chip)
    page.row(
        "edges",
        "{} written; 99 of 100 within {:.1f} us, the worst {:.1f} us late; {} past the bound of {:.0f} us",
        played.edges, 1e6 * played.late_99, 1e6 * played.late_worst,
        played.edges_too_late == 0 ? "none"
                                   : fmt::format("{} ({:.2g} %)", played.edges_too_late,
                                                 100.0 * static_cast<double>(played.edges_too_late) /
                                                     static_cast<double>(played.edges)),
        1e6 * played.bound);
  if (played.stood_still > 0.0) page.row("waited", "all lines together, {:.3g} ms", 1e3 * played.stood_still);
  page.row("player", "{}", played.conditions);
  if (!played.record_failure.empty()) page.row("no record", "{}", played.record_failure);
  for (const std::string& note : report.notes) page.line("{}", note);
  return page.take();
}

std::string lines_text(const Rig& rig) {
  Page page;
  wiring_table(page, rig);
  for (const Mechanism& mechanism : rig.mechanisms) {
    page.line("");
    page.line("{}: {}, {}", mechanism.name, kind_name(mechanism.motor), kind_name(mechanism.board));
    for (const Connection& each : connections_of(rig, mechanism))
      page.row(each.about.c_str(), "{}", each.words);
  }
  return page.take();
}

std::string explain_text(const FindingKind& kind) {
  Page page;
  page.line("{} ({}): {}", kind.code, to_text(kind.severity), kind.title);
  page.line("");
  page.line("{}", Page::wrapped(kind.story, 0));
  page.line("");
  page.line("{}", Page::wrapped(fmt::format("Compared: {}.", kind.formula), 0));
  return page.take();
}

std::string explain_list() {
  Page page;
  for (const FindingKind& kind : finding_kinds())
    page.line("{:<30} {:<8} {}", kind.code, to_text(kind.severity), kind.title);
  return page.take();
}

}  // namespace cogstride
