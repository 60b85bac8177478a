#include "cogstride/report/timer_report.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/report/panel_figure.hpp"
#include "cogstride/rig/figures/figure_rows.hpp"

namespace cogstride {
namespace {

using Json = nlohmann::ordered_json;

std::string hertz(double value) {
  if (value >= 1e6) return fmt::format("{:.7g} MHz", value / 1e6);
  return value >= 1e3 ? fmt::format("{:.7g} kHz", value / 1e3) : fmt::format("{:.7g} Hz", value);
}

std::string error_text(double error) {
  if (error == 0.0) return "exact";
  return fmt::format("{:+.3g} %", 100.0 * error);
}

std::string values_text(const TimerReport& report, const TimerSetting& setting) {
  if (setting.overflows > 0)
    return fmt::format("{} whole overflow{}", setting.overflows, setting.overflows == 1 ? "" : "s");
  return fmt::format("top value {}", top_value(setting, report.alignment));
}

std::string row(const TimerReport& report, const TimerSetting& setting) {
  const std::string duty = setting.bits > 0.0 ? fmt::format("{:.1f} bits of duty", setting.bits)
                                              : std::string("no duty but none and full");
  return fmt::format("prescaler {}, {}: {}, {}, {}", setting.prescaler, values_text(report, setting),
                     hertz(setting.frequency.to_double()), error_text(setting.error), duty);
}

/// How the frequency comes about, in the figures of a setting.
std::string formula(const TimerReport& report, const TimerSetting& setting) {
  const std::string clock = hertz(report.timer.clock.base().to_double());
  if (setting.overflows > 0)
    return fmt::format("{} / ({} x 2^{} x {} overflows{})", clock, setting.prescaler, report.timer.width,
                       setting.overflows, report.alignment == Alignment::edge ? "" : " x 2");
  if (report.alignment == Alignment::edge)
    return fmt::format("{} / ({} x (top value + 1))", clock, setting.prescaler);
  return fmt::format("{} / (2 x {} x top value)", clock, setting.prescaler);
}

double dead_seconds(const TimerReport& report) {
  return static_cast<double>(ticks_at_least(report.dead_time, report.timer.clock)) /
         report.timer.clock.base().to_double();
}

double tick_seconds(const TimerReport& report, const TimerSetting& setting) {
  return static_cast<double>(setting.prescaler) / report.timer.clock.base().to_double();
}

Json setting_json(const TimerReport& report, const TimerSetting& setting) {
  return {{"prescaler", setting.prescaler},
          {"counts", setting.counts},
          {"top", top_value(setting, report.alignment)},
          {"overflows", setting.overflows},
          {"frequency_Hz", setting.frequency.to_double()},
          {"error_share", setting.error},
          {"bits", setting.bits}};
}

/// Of a channel of the first setting: seconds in a period from on to off, its phase counted in.
struct OnTime {
  double from;
  double to;
};
OnTime on_time(const TimerReport& report, std::size_t channel) {
  const TimerSetting& setting = report.settings.front();
  const double tick = tick_seconds(report, setting);
  const std::int64_t on = compare_value(setting, report.duties[channel]);
  const auto phase =
      static_cast<double>(phase_counts(setting, static_cast<std::int64_t>(channel),
                                       static_cast<std::int64_t>(report.duties.size()), report.spread));
  if (setting.overflows > 0) {
    const double overflow = tick * static_cast<double>(setting.counts);
    return {0.0, static_cast<double>(on) * overflow};
  }
  const auto counts = static_cast<double>(setting.counts);
  if (report.alignment == Alignment::edge) return {phase * tick, (phase + static_cast<double>(on)) * tick};
  // Counting up and down it is on round the middle of the period, where the counter is at its top.
  const double ways = 2.0;
  return {(counts - static_cast<double>(on) + ways * phase) * tick,
          (counts + static_cast<double>(on) + ways * phase) * tick};
}

}  // namespace

std::string timer_text(const TimerReport& report) {
  const TimerSetting& best = report.settings.front();
  std::string text = fmt::format(
      "{}{} at {}, {} bits, {}: {} asked for\n", report.name.empty() ? "" : "timer ",
      report.name.empty() ? "a timer" : report.name, hertz(report.timer.clock.base().to_double()),
      report.timer.width, report.alignment == Alignment::edge ? "counting up" : "counting up and down",
      hertz(report.wanted.base().to_double()));
  text += fmt::format("  {:<12}{}\n", "best", row(report, best));
  text += fmt::format("  {:<12}{}\n", "", formula(report, best));
  constexpr std::size_t most_others = 5;
  for (std::size_t i = 1; i < report.settings.size() && i <= most_others; ++i)
    text += fmt::format("  {:<12}{}\n", i == 1 ? "otherwise" : "", row(report, report.settings[i]));
  if (report.tries_usual)
    text +=
        fmt::format("  {:<12}the powers of two up to 1024: --prescaler says which it has\n", "prescalers");
  const char* label = "beside it";
  for (const std::int64_t more : {1, -1}) {
    const auto other = beside(report.timer, best, report.wanted, report.alignment, more);
    if (!other) continue;
    text += fmt::format("  {:<12}{}: {}, {}\n", label, values_text(report, *other),
                        hertz(other->frequency.to_double()), error_text(other->error));
    label = "";
  }
  const double period = 1.0 / best.frequency.to_double();
  const std::int64_t all = best.overflows > 0 ? best.overflows : best.counts;
  for (std::size_t i = 0; i < report.duties.size(); ++i) {
    const std::int64_t value = compare_value(best, report.duties[i]);
    const double really = static_cast<double>(value) / static_cast<double>(all);
    const std::int64_t phase = phase_counts(best, static_cast<std::int64_t>(i),
                                            static_cast<std::int64_t>(report.duties.size()), report.spread);
    text += fmt::format(
        "  {:<12}{:.4g} %: {}, on for {}{}{}{}\n",
        report.duties.size() > 1 ? fmt::format("channel {}", i + 1) : "duty", 100.0 * report.duties[i],
        best.overflows > 0
            ? fmt::format("{} of {} overflows", value, all)
            : fmt::format(
                  "compare value {}{}", compared_with(best, report.alignment, value),
                  report.alignment == Alignment::edge ? "" : fmt::format(", {} below the top", value)),
        seconds_text(really * period),
        std::abs(really - report.duties[i]) > 1e-9 ? fmt::format(", really {:.6g} %", 100.0 * really) : "",
        value == 0     ? " (never)"
        : value == all ? " (always)"
                       : "",
        phase > 0 ? fmt::format("; begins {} counts later", phase) : "");
    if (!report.has_pairs) continue;
    const PairTimes pair = pair_times(really * period, period, dead_seconds(report));
    const auto lasts = [&](double seconds) {
      if (seconds <= 0.0) return std::string("never on");
      return fmt::format("on for {} = {:.4g} %", seconds_text(seconds), 100.0 * seconds / period);
    };
    text += fmt::format("  {:<12}its dead time leaves it {}, its complement {}\n", "", lasts(pair.on),
                        lasts(pair.complement));
  }
  if (report.has_pairs) {
    const std::int64_t ticks = ticks_at_least(report.dead_time, report.timer.clock);
    text += fmt::format("  {:<12}{} ticks, {}: rounded up, never less\n", "dead time", ticks,
                        seconds_text(static_cast<double>(ticks) / report.timer.clock.base().to_double()));
  }
  if (!report.duties.empty())
    text += fmt::format("  {:<12}at {:.4g} % of the period, {} after it begins\n", "sample",
                        100.0 * report.sample_at, seconds_text(report.sample_at * period));
  if (report.software_rate) {
    const SoftwareDuty software = software_duty(*report.software_rate, report.wanted);
    text += software.fits
                ? fmt::format(
                      "  {:<12}edge by edge this controller makes {:.3g} % to {:.3g} %, and none or full\n",
                      "software", 100.0 * software.lowest, 100.0 * software.highest)
                : fmt::format("  {:<12}edge by edge this controller makes at most {}\n", "software",
                              hertz(report.software_rate->base().to_double()));
  }
  return text;
}

std::string timer_json(const TimerReport& report) {
  Json json;
  json["clock_Hz"] = report.timer.clock.base().to_double();
  json["width_bits"] = report.timer.width;
  json["wanted_Hz"] = report.wanted.base().to_double();
  json["counting"] = report.alignment == Alignment::edge ? "up" : "up and down";
  json["settings"] = Json::array();
  for (const TimerSetting& setting : report.settings)
    json["settings"].push_back(setting_json(report, setting));
  json["beside"] = Json::array();
  for (const std::int64_t more : {1, -1})
    if (const auto other =
            beside(report.timer, report.settings.front(), report.wanted, report.alignment, more))
      json["beside"].push_back(setting_json(report, *other));
  json["channels"] = Json::array();
  for (std::size_t i = 0; i < report.duties.size(); ++i) {
    const OnTime on = on_time(report, i);
    const TimerSetting& best = report.settings.front();
    const std::int64_t counts = compare_value(best, report.duties[i]);
    Json channel{{"duty_share", report.duties[i]},
                 {"on_counts", counts},
                 {"compare", best.overflows > 0 ? counts : compared_with(best, report.alignment, counts)},
                 {"on_from_s", on.from},
                 {"on_to_s", on.to}};
    if (report.has_pairs) {
      const PairTimes pair =
          pair_times(on.to - on.from, 1.0 / best.frequency.to_double(), dead_seconds(report));
      channel["on_s"] = pair.on;
      channel["complement_on_s"] = pair.complement;
    }
    json["channels"].push_back(std::move(channel));
  }
  return json.dump(2) + "\n";
}

void draw_timer(const std::string& path, const TimerReport& report) {
  const TimerSetting& setting = report.settings.front();
  const double period = 1.0 / setting.frequency.to_double();
  const double scale = period < 1e-3 ? 1e6 : period < 1.0 ? 1e3 : 1.0;
  PanelFigure figure;
  figure.title = fmt::format("{} from {}: prescaler {}, {}", hertz(setting.frequency.to_double()),
                             hertz(report.timer.clock.base().to_double()), setting.prescaler,
                             values_text(report, setting));
  figure.axis = scale == 1e6 ? "time [us]" : scale == 1e3 ? "time [ms]" : "time [s]";
  const double top = static_cast<double>(setting.overflows > 0 ? setting.overflows : setting.counts);
  Panel counter{setting.overflows > 0 ? "overflows" : "counter", {}, true};
  PanelCurve count{{}, "counter", "#6b6b6b"};
  for (int i = 0; i < 2; ++i) {
    const double at = i * period * scale;
    count.points.emplace_back(at, 0.0);
    if (report.alignment == Alignment::edge) {
      count.points.emplace_back(at + period * scale, top);
    } else {
      count.points.emplace_back(at + 0.5 * period * scale, top);
    }
  }
  count.points.emplace_back(2.0 * period * scale, 0.0);
  counter.curves.push_back(count);
  constexpr const char* colours[] = {"#2a5c9a", "#bd5b0b", "#1f7a5c", "#8f62ab"};
  for (std::size_t i = 0; i < report.duties.size(); ++i) {
    // Counting up and down a channel is on while the counter is above what is left of its compare value.
    const auto value = static_cast<double>(compare_value(setting, report.duties[i]));
    const double level = report.alignment == Alignment::edge ? value : top - value;
    if (!report.spread || i == 0)
      counter.curves.push_back(
          {{{0.0, level}, {2.0 * period * scale, level}},
           setting.overflows > 0 ? fmt::format("{} overflows", value)
                                 : fmt::format("compare {}", compared_with(setting, report.alignment,
                                                                           static_cast<std::int64_t>(value))),
           colours[i % std::size(colours)],
           1.3,
           true});
  }
  figure.panels.push_back(counter);
  const double dead = report.has_pairs ? dead_seconds(report) : 0.0;
  for (std::size_t i = 0; i < report.duties.size(); ++i) {
    const OnTime on = on_time(report, i);
    for (const bool complement : {false, true}) {
      if (complement && !report.has_pairs) continue;
      const std::string channel = report.duties.size() > 1 ? fmt::format("channel {}", i + 1) : "output";
      Panel panel{complement ? "complement" : channel, {}, true};
      PanelCurve curve{{}, "", complement ? "#6b6b6b" : colours[i % std::size(colours)]};
      // Sampled finely enough that a dead time shows; a digital line has upright edges all the same.
      bool was = false;
      const auto is_on = [&](double at) {
        const double in_period = std::fmod(at - on.from + 8.0 * period, period);
        const double length = on.to - on.from;
        if (length <= 0.0) return complement;
        if (length >= period) return !complement;
        return complement ? in_period >= length + dead : in_period >= dead && in_period < length;
      };
      const int samples = 4000;
      for (int k = 0; k <= samples; ++k) {
        const double at = 2.0 * period * k / samples;
        const bool now = is_on(at);
        if (k > 0 && now != was) curve.points.emplace_back(at * scale, was ? 1.0 : 0.0);
        if (k == 0 || now != was || k == samples) curve.points.emplace_back(at * scale, now ? 1.0 : 0.0);
        was = now;
      }
      panel.curves.push_back(std::move(curve));
      panel.has_levels = true;
      figure.panels.push_back(std::move(panel));
    }
  }
  if (!report.duties.empty()) figure.marks.emplace_back(report.sample_at * period * scale, "sample");
  write_panels(path, figure);
}

}  // namespace cogstride
