#include <fmt/format.h>
#include <fmt/ranges.h>

#include <cmath>
#include <iterator>
#include <map>

#include "cogstride/report/reports.hpp"

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
    line(format, std::forward<Arguments>(arguments)...);
  }
  std::string take() { return std::move(text_); }

 private:
  std::string text_;
};

std::string seconds_text(double seconds) {
  if (seconds != 0.0 && std::abs(seconds) < 1e-3) return fmt::format("{:.4g} us", seconds * 1e6);
  if (seconds != 0.0 && std::abs(seconds) < 1.0) return fmt::format("{:.4g} ms", seconds * 1e3);
  return fmt::format("{:.4f} s", seconds);
}

struct StageText {
  std::string operator()(const Belt& belt) const {
    return fmt::format("belt {}:{}", belt.driving, belt.driven);
  }
  std::string operator()(const GearPair& gears) const {
    return fmt::format("gears {}:{}", gears.driving, gears.driven);
  }
  std::string operator()(const Screw& screw) const {
    return fmt::format("screw of {} lead", to_text(OutputPosition(screw.lead)));
  }
};

std::string parts_text(const Mechanism& mechanism) {
  std::vector<std::string> parts{"bipolar stepper", "STEP/DIR board"};
  for (const TrainStage& stage : mechanism.train.stages) parts.push_back(std::visit(StageText{}, stage));
  return fmt::format("{}", fmt::join(parts, ", "));
}

std::string line_text(const char* name, const DrivenLine& line) {
  return fmt::format("{} {} (active {})", name, line.number,
                     line.active == ActiveLevel::low ? "low" : "high");
}

std::string wiring_text(const Mechanism& mechanism) {
  const StepDirWiring& wiring = mechanism.wiring;
  std::vector<std::string> lines{line_text("step", wiring.step), line_text("dir", wiring.dir)};
  if (wiring.enable) lines.push_back(line_text("enable", *wiring.enable));
  if (mechanism.gate) {
    lines.push_back(fmt::format("gate {} ({} when blocked)", mechanism.gate->line,
                                mechanism.gate->blocked == ActiveLevel::low ? "low" : "high"));
  }
  return fmt::format("{}", fmt::join(lines, ", "));
}

void inspect_mechanism(Page& page, const Mechanism& mechanism, const Controller& controller) {
  const MechanismFigures figures = figures_of(mechanism, controller);
  const std::string_view unit = display_unit(figures.kind, 0);
  const Limits& limits = mechanism.limits;
  page.line("");
  page.line("{}: {}", mechanism.name, parts_text(mechanism));
  page.row(
      "steps", "{} a {}{}", to_text(figures.steps_per_unit), unit,
      figures.steps_per_unit.is_whole() ? "" : fmt::format(" = {:.9g}", figures.steps_per_unit.to_double()));
  if (figures.kind == OutputKind::linear) {
    page.row("one step", "{:.6g} um", figures.resolution * 1000.0);
  } else {
    page.row("one step", "{:.6g} deg", figures.resolution);
  }
  page.row("top speed", "{} = {:.6g} steps/s; this controller makes {:.6g}{}", to_text(limits.speed),
           figures.top_step_rate, figures.controller_step_rate,
           figures.controller_can() ? "" : ": TOO FAST FOR IT");
  page.row("ramp", "{}, from {} to top speed in {} over {:.4g} {}", to_text(limits.acceleration),
           to_text(limits.start_speed), seconds_text(figures.ramp_time), figures.ramp_way, unit);
  if (figures.travel_steps) {
    page.row(
        "travel", "{} to {} = {} steps{}", to_text(*limits.travel_from), to_text(*limits.travel_to),
        *figures.travel_steps,
        figures.travel_time ? fmt::format(", end to end in {}", seconds_text(*figures.travel_time)) : "");
  } else {
    page.row("travel", "endless");
  }
  page.row("torque", "{:.3g} N m at rest, {:.3g} N m left at top speed: about {:.4g} {} can be had",
           figures.torque_at_rest, figures.torque_left, figures.usable_acceleration,
           display_unit(figures.kind, 2));
  page.row("start", "can jump to about {:.3g} {}; swings at {:.3g} Hz", figures.pull_in_speed,
           display_unit(figures.kind, 1), figures.natural_frequency);
  page.row("heat", "{:.3g} W in the windings{}; takes up to {:.3g} A from {}", figures.winding_loss,
           figures.winding_rise ? fmt::format(", {:.3g} K over the air", *figures.winding_rise) : "",
           figures.supply_current, mechanism.supply.name);
  if (mechanism.homing) {
    page.row("homing", "to the gate at {}, then {}; stands at {} afterwards",
             to_text(mechanism.homing->speed), to_text(mechanism.homing->slow_speed),
             to_text(mechanism.homing->position));
  } else {
    page.row("homing", "none: it stands at 0 {} when it is switched on", unit);
  }
  page.row("lines", "{}", wiring_text(mechanism));
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
    page.line("{}{} {}: {}{}", place, to_text(finding.severity), finding.code,
              finding.mechanism.empty() ? "" : finding.mechanism + ": ", finding.what);
    page.line("  way out: {}", finding.way_out);
  }
  if (inspection.unchecked.empty()) return;
  page.line("");
  page.line("not checked, because the rig does not say:");
  for (const Unchecked& unchecked : inspection.unchecked) {
    page.line("  {:<22} needs {}.{}", unchecked.code, unchecked.mechanism, unchecked.needs);
  }
}

/// One row for each motion, with the time it took, and one for whatever else happened.
void happenings(Page& page, const EventLog& log) {
  constexpr std::size_t most_shown = 24;
  const std::vector<TraceEvent>& events = log.events();
  if (events.empty()) return;
  const auto time_taken = [&](std::size_t began) -> std::string {
    for (std::size_t i = began + 1; i < events.size(); ++i) {
      if (events[i].who != events[began].who || events[i].kind == TraceEvent::Kind::note) continue;
      return fmt::format("{:.4f} s", log.layout().seconds(events[i].at - events[began].at));
    }
    return "";
  };
  page.line("");
  page.line("  {:>10}  {:>10}  what happened", "at", "took");
  std::size_t rows = 0;
  for (std::size_t i = 0; i < events.size(); ++i) {
    const TraceEvent& event = events[i];
    const bool was_cancelled = event.kind == TraceEvent::Kind::ended && event.text.starts_with("cancelled");
    if (event.kind == TraceEvent::Kind::ended && !was_cancelled) continue;
    if (++rows > most_shown && !event.is_fault()) continue;
    const bool says_who = event.who.empty() || event.text.starts_with(event.who + ":");
    page.line("  {:>8.4f} s  {:>10}  {}{}", log.layout().seconds(event.at),
              event.kind == TraceEvent::Kind::began ? time_taken(i) : "", says_who ? "" : event.who + ": ",
              event.text);
  }
  const std::size_t rest = (rows > most_shown ? rows - most_shown : 0) + log.left_out();
  if (rest > 0) page.line("  {:>10}  {:>10}  and {} more", "", "", rest);
}

}  // namespace

std::string inspect_text(const Rig& rig, const Inspection& inspection, const std::string& file) {
  Page page;
  page.line("{} ({}): {}", rig.name, file, verdict(inspection));
  std::vector<std::string> supplies;
  for (const Supply& supply : rig.supplies) {
    supplies.push_back(fmt::format("{} {:.4g} V {:.4g} A", supply.name, supply.voltage.in(units::V),
                                   supply.current.in(units::A)));
  }
  page.row("controller", "{:.6g} MHz timer clock, so a tick is {:.4g} ns",
           rig.controller.timer_clock.base().to_double() / 1e6,
           1e9 / rig.controller.timer_clock.base().to_double());
  page.row("supplies", "{}", fmt::join(supplies, ", "));
  for (const Mechanism& mechanism : rig.mechanisms) inspect_mechanism(page, mechanism, rig.controller);
  findings_list(page, inspection);
  return page.take();
}

std::string plan_text(const PlanFigures& plan) {
  Page page;
  page.line("{}: {} to {} in {}", plan.mechanism, plan.from, plan.to, seconds_text(plan.duration));
  page.row("steps", "{} {}", std::abs(plan.steps), plan.steps < 0 ? "backwards" : "forwards");
  if (plan.steps == 0) return page.take();
  page.row("top speed", "{:.6g} {}/s = {:.6g} steps/s{}", plan.peak_speed, plan.unit, plan.peak_step_rate,
           plan.cruise_time > 0.0
               ? fmt::format(", held for {}", seconds_text(plan.cruise_time))
               : fmt::format(": too short a move to reach {:.6g} {}/s", plan.limit_speed, plan.unit));
  if (plan.ramp_time > 0.0) {
    page.row("ramps", "{:.6g} {}/s2 from {:.6g} {}/s: {} and {:.4g} {} each", plan.acceleration, plan.unit,
             plan.start_speed, plan.unit, seconds_text(plan.ramp_time), plan.ramp_way, plan.unit);
  } else {
    page.row("ramps", "none: the start speed is enough");
  }
  page.row("pulses", "first after {}, then at least {} apart", seconds_text(plan.first_pulse),
           seconds_text(plan.shortest_interval));
  const std::string error =
      plan.worst_error_ticks < 0.01
          ? "every pulse on its tick"
          : fmt::format("no pulse more than {:.2f} ticks ({:.3g} ns) off", plan.worst_error_ticks,
                        plan.worst_error_ticks * plan.tick_seconds * 1e9);
  page.row("stored in", "{} pulse runs, {} bytes; {}", plan.pulse_runs, plan.pulse_runs * 24, error);
  return page.take();
}

std::vector<std::string> complaints(const MechanismTally& tally, const TraceLayout& layout) {
  std::vector<std::string> found;
  if (tally.missed_off > 0 && tally.missed_off == tally.pulses) {
    found.push_back(
        fmt::format("nothing moved: ENABLE had the level that switches the board off whenever a pulse came; "
                    "the board wants it {}. Look at lines.enable.active and board.enable_active",
                    tally.enable_wanted));
  } else if (tally.missed_off > 0) {
    found.push_back(fmt::format(
        "{} pulses came while the board was switched off. Look at when ENABLE changes", tally.missed_off));
  }
  if (tally.missed_waking > 0) {
    found.push_back(
        fmt::format("{} pulses came before the board was awake. Look at board.wake", tally.missed_waking));
  }
  if (tally.missed_short > 0) {
    found.push_back(fmt::format(
        "{} of {} pulses were missed: STEP stayed at one level for as little as {}, and the board needs {}. "
        "Look at lines.pulse_width and at the top step rate",
        tally.missed_short, tally.pulses, seconds_text(layout.seconds(tally.shortest_step_level)),
        seconds_text(tally.shortest_allowed)));
  }
  if (tally.wrong_direction > 0) {
    found.push_back(fmt::format(
        "{} steps went the wrong way: DIR changed too near to a step. Look at lines.dir_steady_before "
        "and lines.dir_steady_after",
        tally.wrong_direction));
  }
  for (const LossTally& loss : tally.losses) {
    found.push_back(fmt::format("{} microsteps {} at {:.4f} s, at {:.0f} steps/s (a slip of {} full steps)",
                                std::abs(loss.microsteps), loss.microsteps > 0 ? "lost" : "too many",
                                layout.seconds(loss.at), loss.step_rate,
                                4 * std::abs(loss.microsteps) / tally.microsteps_a_period));
    if (&loss - tally.losses.data() == 2 && tally.losses.size() > 3) {
      found.push_back("... and so on");
      break;
    }
  }
  if (!tally.losses.empty()) {
    found.push_back(fmt::format(
        "in all the rotor stands {} microsteps {} of its steps. Look at limits.acceleration, limits.speed "
        "and limits.start_speed, or give the swing of a stop time to die before turning round",
        std::abs(tally.lost_microsteps), tally.lost_microsteps >= 0 ? "short" : "ahead"));
  }
  return found;
}

std::string rehearsal_text(const RehearsalReport& report, const EventLog& log) {
  Page page;
  const bool sound = report.tally.is_sound();
  page.line("{} rehearsed on {}: {} after {:.3f} s on the bench", report.script, report.rig,
            sound ? "all as asked," : "SOMETHING IS WRONG,", report.tally.seconds);
  if (!report.tally.fault.empty()) page.line("  fault: {}", report.tally.fault);
  happenings(page, log);
  for (const MechanismTally& tally : report.tally.mechanisms) {
    page.line("");
    if (tally.asked) {
      page.line("{}: asked to stand at {:.6g} {}, stands at {:.3f} {}", tally.name, *tally.asked, tally.unit,
                tally.made, tally.unit);
    } else {
      page.line("{}: where it was to stand is not known; it stands at {:.3f} {}", tally.name, tally.made,
                tally.unit);
    }
    page.row("pulses", "{} put out, {} missed", tally.pulses,
             tally.missed() == 0 ? "none" : fmt::format("{}", tally.missed()));
    page.row("steps lost", "{}",
             tally.losses.empty() ? "none" : fmt::format("{} microsteps", std::abs(tally.lost_microsteps)));
    for (const std::string& complaint : complaints(tally, log.layout())) page.line("  ! {}", complaint);
  }
  return page.take();
}

std::string lines_text(const Rig& rig) {
  Page page;
  page.line("  line  goes to                     is       rests  carries");
  for (const WiredLine& line : wiring_list(rig)) {
    page.line("  {:>4}  {:<26}  {:<7}  {:<5}  {}", line.number, line.mechanism + " " + line.use,
              line.is_output ? "output" : "input", line.rest,
              line.current ? fmt::format("{:.3g} mA", line.current->in(units::mA)) : "");
  }
  return page.take();
}

std::string explain_text(const FindingKind& kind) {
  Page page;
  page.line("{} ({}): {}", kind.code, to_text(kind.severity), kind.title);
  page.line("");
  page.line("{}", kind.story);
  page.line("");
  page.line("Compared: {}.", kind.formula);
  return page.take();
}

std::string explain_list() {
  Page page;
  for (const FindingKind& kind : finding_kinds())
    page.line("{:<30} {:<8} {}", kind.code, to_text(kind.severity), kind.title);
  return page.take();
}

}  // namespace cogstride
