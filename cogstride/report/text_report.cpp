#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <iterator>
#include <map>

#include "cogstride/report/reports.hpp"
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
    words.push_back(fmt::format("{} {}{}", line.use, line.number, line.is_output ? active : ""));
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
    std::string row = fmt::format("{}  {:>4}  {:<25}  {:<6}  {:<5}  {:<13}  {}", pin, line.number,
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
    if (!event.is_always_told() && ++rows > most_shown) continue;
    const bool says_who = event.who.empty() || event.text.starts_with(event.who + ":");
    page.line("  {:>8.4f} s  {:>10}  {}{}", log.layout().seconds(event.at),
              event.kind == TraceEvent::Kind::began ? time_taken(i) : "", says_who ? "" : event.who + ": ",
              event.text);
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
  } else if (plan.margin >= 0.0) {
    page.row("torque",
             "{:.0f} % to spare; closest to losing steps at {}, where the rotor lags {:.0f} electrical "
             "degrees",
             plan.margin * 100.0, seconds_text(plan.worst_at), plan.worst_lag);
  } else {
    page.row("torque",
             "TOO LITTLE: steps may be lost at {}, it would take {:.0f} % more; --fastest finds what "
             "can be had",
             seconds_text(plan.worst_at), -plan.margin * 100.0);
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
                                4 * std::abs(loss.microsteps) / tally.microsteps_per_period));
    if (&loss - tally.losses.data() == 2 && tally.losses.size() > 3) {
      found.push_back("... and so on");
      break;
    }
  }
  if (!tally.losses.empty()) {
    found.push_back(fmt::format(
        "in all the rotor stands {} microsteps {} of its steps. Look at limits.acceleration, limits.speed "
        "and limits.start_speed, or give the oscillation after a stop time to die before turning round",
        std::abs(tally.lost_microsteps), tally.lost_microsteps >= 0 ? "short" : "ahead"));
  }
  if (!tally.stands_as_asked() && tally.losses.empty() && tally.missed() == 0) {
    found.push_back(fmt::format(
        "it stands {:.4g} {} from where its steps lead: the rotor did not follow its field. Look at the "
        "order of the coil lines (lines.a_plus and the next three, board.terminals), at the speed and at "
        "the load",
        std::abs(*tally.asked - tally.made), tally.unit));
  }
  return found;
}

std::vector<std::string> complaints(const BrushedTally& tally) {
  std::vector<std::string> found;
  const auto over = [](double value, const std::optional<double>& most) { return most && value > *most; };
  if (tally.driven_still >= BrushedTally::longest_still) {
    found.push_back(
        fmt::format("it was driven for {:.2g} s and stood, with up to {:.3g} A: friction and load hold it "
                    "up to about {:.3g} % of duty. Look at limits.lowest_duty, at load.stiction, and "
                    "whether something jams",
                    tally.driven_still, tally.still_current, 100.0 * tally.start_duty));
  }
  if (over(tally.sustained_current, tally.current_limit)) {
    found.push_back(
        fmt::format("{:.3g} A for 10 ms is over the {:.3g} A that the rig allows (limits.current), and "
                    "nothing held it back: a longer ramp, a board with a current limit "
                    "(board.current_limit), or a shunt by which the controller does",
                    tally.sustained_current, *tally.current_limit));
  }
  if (over(tally.motor_rise, tally.motor_stands))
    found.push_back(
        fmt::format("its motor stood {:.3g} K over the air, and stands {:.3g} K (motor.highest_rise)",
                    tally.motor_rise, *tally.motor_stands));
  if (over(tally.board_rise, tally.board_stands))
    found.push_back(
        fmt::format("its board stood {:.3g} K over the air, and stands {:.3g} K "
                    "(board.board_highest_rise)",
                    tally.board_rise, *tally.board_stands));
  if (over(tally.highest_supply, tally.board_volts))
    found.push_back(
        fmt::format("the supply was pumped up to {:.4g} V, and the board stands {:.4g} V "
                    "(board.highest_supply)",
                    tally.highest_supply, *tally.board_volts));
  return found;
}

void drive_tally(Page& page, const BrushedTally& tally) {
  page.line("");
  const std::string speed = std::abs(tally.speed) < 1e-3
                                ? "at rest"
                                : fmt::format("turning at {:.4g} {}", tally.speed, tally.speed_unit);
  page.line("{}: ends at {:.1f} {}, {}{}", tally.name, tally.made, tally.unit, speed,
            tally.duty == 0.0 ? "" : fmt::format(", at {:.4g} %", 100.0 * tally.duty));
  page.row("current", "{:.3g} A at the most, {:.3g} A for 10 ms, {:.3g} A on average{}",
           tally.highest_current, tally.sustained_current, tally.mean_current,
           tally.current_limit ? fmt::format("; the rig allows {:.3g} A", *tally.current_limit) : "");
  page.row("heat", "motor up to {:.3g} K over the air, board {:.3g} K", tally.motor_rise, tally.board_rise);
  page.row("supply", "{:.4g} V at the most", tally.highest_supply);
  for (const std::string& complaint : complaints(tally)) page.line("  ! {}", complaint);
}

std::vector<std::string> complaints(const PulseTally& tally) {
  std::vector<std::string> found;
  if (tally.too_soon > 0)
    found.push_back(
        fmt::format("{} pulses with throttle came before its speed controller was armed, and were not "
                    "obeyed: what the rig "
                    "says of arming is not what it wants (board.arming)",
                    tally.too_soon));
  if (tally.longest_stall >= PulseTally::longest_held)
    found.push_back(
        fmt::format("it was held fast for {:.2g} s and drew {:.3g} A: something jams, or it is sent "
                    "beyond its own end points (board.shortest_pulse, board.longest_pulse)",
                    tally.longest_stall, tally.highest_current));
  if (!tally.stands_as_asked())
    found.push_back(
        fmt::format("it stands {:.3g} {} from where it was sent; its dead band explains {:.2g} {}",
                    std::abs(*tally.asked - tally.made), tally.unit, tally.spare, tally.unit));
  if (tally.too_warm_at)
    found.push_back(
        fmt::format("after {:.1f} s it was warmer than the {:.3g} K over the air that it stands, and "
                    "came to {:.3g} K: it must rest for {:.3g} s then, to be half as warm",
                    *tally.too_warm_at, *tally.stands, tally.rise, tally.rest));
  return found;
}

void pulse_tally(Page& page, const PulseTally& tally) {
  page.line("");
  if (tally.swings) {
    page.line(
        "{}: {}, stands at {:.1f} {}", tally.name,
        tally.asked ? fmt::format("sent to {:.4g} {}", *tally.asked, tally.unit) : "without pulses, limp",
        tally.made, tally.unit);
  } else {
    page.line("{}: {}, turns at {:.1f} % of full speed", tally.name,
              tally.asked ? fmt::format("throttle {:.4g} %", *tally.asked) : "without pulses, not armed",
              tally.made);
  }
  page.row("current", "{:.3g} A at the most, {:.3g} A on average; {:.3g} J taken from its supply",
           tally.highest_current, tally.mean_current, tally.energy);
  if (tally.rise > 0.0)
    page.row("heat", "up to {:.3g} K over the air{}", tally.rise,
             tally.stands ? fmt::format("; it stands {:.3g} K", *tally.stands) : "");
  for (const std::string& complaint : complaints(tally)) page.line("  ! {}", complaint);
}

std::vector<std::string> complaints(const BrushlessTally& tally) {
  std::vector<std::string> found;
  if (tally.times_empty > 0)
    found.push_back(fmt::format(
        "a high side went off {} times because its bootstrap capacitor was empty (board.bootstrap_holds, "
        "board.bootstrap_refresh)",
        tally.times_empty));
  if (tally.destroyed_at)
    found.push_back(
        fmt::format("at {:.6f} s both gates of a leg were on ({}): its two transistors are no more",
                    *tally.destroyed_at, tally.destroyed_by));
  if (tally.current_limit && tally.sustained_current > 1.1 * *tally.current_limit)
    found.push_back(
        fmt::format("a phase carried {:.3g} A for 10 ms, and the rig allows {:.3g} A (limits.current)",
                    tally.sustained_current, *tally.current_limit));
  if (tally.motor_stands && tally.motor_rise > *tally.motor_stands)
    found.push_back(
        fmt::format("its motor stood {:.3g} K over the air, and stands {:.3g} K (motor.highest_rise)",
                    tally.motor_rise, *tally.motor_stands));
  return found;
}

void brushless_tally(Page& page, const BrushlessTally& tally) {
  page.line("");
  page.line("{}: ends {}, at most at {:.4g} {}", tally.name,
            std::abs(tally.speed) < 1e-3 ? std::string("at rest")
                                         : fmt::format("turning at {:.4g} {}", tally.speed, tally.speed_unit),
            tally.highest_speed, tally.speed_unit);
  page.row("current", "{:.3g} A of a phase at the most, {:.3g} A for 10 ms{}", tally.highest_current,
           tally.sustained_current,
           tally.current_limit ? fmt::format("; the rig allows {:.3g} A", *tally.current_limit) : "");
  page.row("supply", "{:.4g} V at the most", tally.highest_supply);
  if (tally.motor_rise > 0.0) page.row("heat", "motor up to {:.3g} K over the air", tally.motor_rise);
  for (const std::string& complaint : complaints(tally)) page.line("  ! {}", complaint);
}

void pair_tally(Page& page, const PairTally& tally) {
  const auto at = [](const PairTally::Pose& pose) {
    return fmt::format("{:.1f} mm on, {:.1f} mm to the left, turned {:.2f} deg", pose.x + 0.0, pose.y + 0.0,
                       pose.heading);
  };
  page.line("");
  page.line("{}: {:.1f} mm and {:.2f} deg from where it thinks it is", tally.name, tally.off(),
            std::abs(tally.stands.heading - tally.thinks.heading));
  page.row("thinks", "{}", at(tally.thinks));
  page.row("stands", "{}", at(tally.stands));
  if (tally.slowest_pace < 1.0)
    page.row("pace", "both wheels were slowed to {:.0f} % at the least, for one that was held back",
             100.0 * tally.slowest_pace);
}

std::string rehearsal_text(const RehearsalReport& report, const EventLog& log) {
  Page page;
  const bool sound = report.tally.is_sound();
  page.line("{} rehearsed on {}: {} after {:.3f} s on the bench", report.script, report.rig,
            sound ? "all as asked," : "SOMETHING IS WRONG,", report.tally.seconds);
  if (!report.tally.fault.empty()) page.line("  fault: {}", report.tally.fault);
  happenings(page, log);
  std::vector<std::string> untouched;
  for (const PairTally& tally : report.tally.pairs) pair_tally(page, tally);
  for (const MechanismTally& tally : report.tally.mechanisms) {
    const auto is_its = [&](const TraceEvent& event) { return event.who == tally.name; };
    if (tally.pulses == 0 && std::none_of(log.events().begin(), log.events().end(), is_its)) {
      untouched.push_back(tally.name);
      continue;
    }
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
             !tally.counts_losses   ? "not counted: its zero was not found"
             : tally.losses.empty() ? "none"
                                    : fmt::format("{} microsteps", std::abs(tally.lost_microsteps)));
    for (const std::string& complaint : complaints(tally, log.layout())) page.line("  ! {}", complaint);
  }
  for (const BrushedTally& tally : report.tally.drives) {
    // A wheel turns where its pair is driven.
    const auto rolls = [&](const std::string& who) {
      return std::any_of(report.tally.pairs.begin(), report.tally.pairs.end(), [&](const PairTally& pair) {
        return pair.name == who && (pair.left == tally.name || pair.right == tally.name);
      });
    };
    const auto is_its = [&](const TraceEvent& event) { return event.who == tally.name || rolls(event.who); };
    if (std::none_of(log.events().begin(), log.events().end(), is_its)) {
      untouched.push_back(tally.name);
    } else {
      drive_tally(page, tally);
    }
  }
  for (const BrushlessTally& tally : report.tally.brushless) {
    const auto is_its = [&](const TraceEvent& event) { return event.who == tally.name; };
    if (std::none_of(log.events().begin(), log.events().end(), is_its) && !tally.destroyed_at) {
      untouched.push_back(tally.name);
    } else {
      brushless_tally(page, tally);
    }
  }
  for (const PulseTally& tally : report.tally.pulsed) {
    const auto is_its = [&](const TraceEvent& event) { return event.who == tally.name; };
    if (std::none_of(log.events().begin(), log.events().end(), is_its)) {
      untouched.push_back(tally.name);
    } else {
      pulse_tally(page, tally);
    }
  }
  if (!untouched.empty()) page.line("\nnot moved: {}", fmt::join(untouched, ", "));
  if (!report.notes.empty()) page.line("");
  for (const std::string& note : report.notes) page.line("{}", note);
  return page.take();
}

namespace {
std::string cut_pulses_text(const LiveTally::Pulsed& pulsed) {
  if (pulsed.cut_with == 0.0) return "without pulses";
  return fmt::format(
      "without pulses; its motor had {:.3g} % throttle until {:.2g} s before the end, and MAY STILL TURN",
      100.0 * pulsed.cut_with, pulsed.cut_before);
}
/// Nothing measures it: the figures are those of its friction by the rig.
std::string runs_down_text(const LiveTally::RunsDown& runs_down) {
  if (!std::isfinite(runs_down.stands_in))
    return "STILL TURNS without drive: by the rig its load may turn it, or nothing slows it";
  return fmt::format("STILL TURNS without drive, at up to {:.3g} {}; by its friction it stands in {:.2g} s",
                     std::abs(runs_down.speed), runs_down.speed_unit, runs_down.stands_in);
}
}  // namespace

std::string drive_text(const LiveReport& report, const EventLog& log) {
  Page page;
  const LiveTally& tally = report.tally;
  page.line("{} driven on {}: {} after {:.3f} s", report.script, report.rig,
            tally.fault.empty() ? "done" : "STOPPED", tally.seconds);
  if (!tally.fault.empty()) page.line("  fault: {}", tally.fault);
  happenings(page, log);
  page.line("");
  for (const LiveTally::Mechanism& mechanism : tally.mechanisms) {
    page.row(mechanism.name.c_str(), "{}, {} steps net",
             mechanism.stands_at ? fmt::format("stands at {:.6g} {}", *mechanism.stands_at, mechanism.unit)
                                 : "where it stands is not known",
             mechanism.steps);
  }
  for (const LiveTally::Drive& drive : tally.drives)
    page.row(drive.name.c_str(), "driven for {:.3g} s, at {:.3g} % duty at the most{}", drive.driven_seconds,
             100.0 * drive.highest_duty,
             drive.runs_down.stands_in == 0.0 ? "" : "; " + runs_down_text(drive.runs_down));
  for (const LiveTally::Brushless& brushless : tally.brushless)
    page.row(brushless.name.c_str(), "{}",
             brushless.runs_down.stands_in == 0.0 ? "at rest" : runs_down_text(brushless.runs_down));
  for (const LiveTally::Pulsed& pulsed : tally.pulsed)
    page.row(pulsed.name.c_str(), "{}",
             !pulsed.asked   ? cut_pulses_text(pulsed)
             : pulsed.swings ? fmt::format("sent to {:.1f} % of its swing", 100.0 * *pulsed.asked)
                             : fmt::format("at {:.3g} % throttle", 100.0 * *pulsed.asked));
  page.row("edges",
           "{} written; 99 of 100 within {:.1f} us, the worst {:.1f} us late; {} past the bound of {:.0f} us",
           tally.edges, 1e6 * tally.late_99, 1e6 * tally.late_worst,
           tally.edges_too_late == 0 ? "none"
                                     : fmt::format("{} ({:.2g} %)", tally.edges_too_late,
                                                   100.0 * static_cast<double>(tally.edges_too_late) /
                                                       static_cast<double>(tally.edges)),
           1e6 * tally.bound);
  if (tally.stood_still > 0.0) page.row("waited", "all lines together, {:.3g} ms", 1e3 * tally.stood_still);
  page.row("player", "{}", tally.conditions);
  if (!tally.record_failure.empty()) page.row("no record", "{}", tally.record_failure);
  for (const std::string& note : report.notes) page.line("{}", note);
  return page.take();
}

std::string lines_text(const Rig& rig) {
  Page page;
  wiring_table(page, rig);
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
