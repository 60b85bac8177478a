#include <fmt/format.h>

#include <algorithm>
#include <cstdio>

#include "cogstride/quantity/text.hpp"
#include "cogstride/report/timer_report.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "commands.hpp"
#include "outputs.hpp"

using namespace cogstride;

namespace {

/// An option's amount. @throws Error that names the option
template <class Amount>
Amount amount(const char* option, const std::string& text) {
  try {
    return parse_quantity<Amount>(text);
  } catch (const Error& error) {
    throw Error(fmt::format("{} {}: {}", option, text, error.what()));
  }
}

/// A share ("40%"), a time of another ("3 ms of 8 ms") or counts of a full count ("600 of 1024").
Ratio duty_of(const std::string& text) {
  const std::size_t of = text.find(" of ");
  if (of == std::string::npos) return amount<ExactFraction>("--duty", text).base();
  const std::string part = text.substr(0, of);
  const std::string whole = text.substr(of + 4);
  const auto is_count = [](const std::string& one) {
    return !one.empty() && one.find_first_not_of("0123456789 ") == std::string::npos;
  };
  Ratio parts;
  Ratio all;
  if (is_count(part) && is_count(whole)) {
    parts = parse_ratio(part);
    all = parse_ratio(whole);
  } else {
    parts = amount<ExactTime>("--duty", part).base();
    all = amount<ExactTime>("--duty", whole).base();
  }
  if (!(all > Ratio(0))) throw Error(fmt::format("--duty {}: of a time or a count above 0", text));
  return parts / all;
}

void take_timer_of_rig(const TimerOptions& options, TimerReport& report) {
  const Rig rig = read_rig(options.rig);
  const TimerUnit* const timer = find_timer(rig, options.timer);
  if (timer == nullptr) {
    std::string names;
    for (const TimerUnit& each : rig.controller.timers) names += (names.empty() ? "" : ", ") + each.name;
    throw Error(fmt::format("{}: has no timer {}{}", options.rig, options.timer,
                            names.empty() ? "" : "; it has " + names));
  }
  report.name = timer->name;
  report.timer = {rig.controller.timer_clock, timer->width, {timer->prescaler}};
  report.software_rate = rig.controller.top_step_rate;
}

}  // namespace

ExitStatus run_timer(const TimerOptions& options) {
  check_output_names({.plot = options.plot, .overwrite = options.overwrite}, {options.rig});
  TimerReport report;
  if (!options.rig.empty()) {
    if (options.timer.empty()) throw Error("timer: name one of the rig's timers after the rig");
    take_timer_of_rig(options, report);
  } else if (options.clock.empty()) {
    throw Error("timer: say which one: a rig and its timer, or --clock with --width and --prescaler");
  }
  if (!options.clock.empty()) report.timer.clock = amount<ExactFrequency>("--clock", options.clock);
  if (options.width > 0) report.timer.width = options.width;
  if (!options.prescalers.empty()) {
    report.timer.prescalers = options.prescalers;
  } else if (options.rig.empty()) {
    report.timer.prescalers = usual_prescalers();
    report.tries_usual = true;
  }
  for (const std::int64_t prescaler : report.timer.prescalers)
    if (prescaler < 1 || prescaler > 1'000'000)
      throw Error(fmt::format("--prescaler {}: divides by 1 to 1000000", prescaler));
  report.wanted = amount<ExactFrequency>("--frequency", options.frequency);
  if (!(report.wanted > ExactFrequency()) || !(report.timer.clock > ExactFrequency()))
    throw Error(fmt::format("--frequency {}: a frequency above 0", options.frequency));
  report.alignment = options.up_and_down ? Alignment::centre : Alignment::edge;
  for (const std::string& text : options.duties) {
    const Ratio duty = duty_of(text);
    if (duty < Ratio(0) || Ratio(1) < duty)
      throw Error(fmt::format("--duty {}: none to all of a period are duties", text));
    report.duties.push_back(duty.to_double());
  }
  report.spread = options.spread;
  if (!options.dead_time.empty()) {
    report.has_pairs = true;
    report.dead_time = amount<Time>("--dead-time", options.dead_time);
    if (report.dead_time < Time()) throw Error(fmt::format("--dead-time {}: not below 0", options.dead_time));
  }
  if (!options.sample_at.empty()) {
    const auto at = amount<ExactFraction>("--sample-at", options.sample_at);
    if (at < ExactFraction() || !(at < ExactFraction::from_base(Ratio(1))))
      throw Error(
          fmt::format("--sample-at {}: a share of the period from 0 % to below 100 %", options.sample_at));
    report.sample_at = at.base().to_double();
  }
  report.settings = timer_settings(report.timer, report.wanted, report.alignment);
  if (!options.plot.empty()) draw_timer(options.plot, report);
  const std::string text = options.json ? timer_json(report) : timer_text(report);
  std::fputs(text.c_str(), stdout);
  return ExitStatus::done;
}
