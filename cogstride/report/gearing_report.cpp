#include "cogstride/report/gearing_report.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "cogstride/plan/lay_path.hpp"
#include "cogstride/plan/move.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/rig/figures/figure_rows.hpp"

namespace cogstride {
namespace {

/// "28/40 x 20/60".
std::string train_text(const ChangeGears& gears) {
  std::string text;
  for (std::size_t i = 0; i + 1 < gears.teeth.size(); i += 2)
    text += fmt::format("{}{}/{}", i == 0 ? "" : " x ", gears.teeth[i], gears.teeth[i + 1]);
  return text;
}

std::string error_text(const ChangeGears& gears) {
  if (gears.error == 0.0) return "exact";
  const double millionths = 1e6 * gears.error;
  return std::abs(millionths) < 1000.0 ? fmt::format("{:+.3g} millionths", millionths)
                                       : fmt::format("{:+.3g} %", 1e2 * gears.error);
}

nlohmann::json fraction_json(const Ratio& ratio) {
  return {{"numerator", ratio.numerator()}, {"denominator", ratio.denominator()}};
}

}  // namespace

bool keeps_up(const GearingReport& report) {
  return report.gearing.top_speed <= report.follower.limits.speed.base.to_double();
}

std::string gearing_text(const GearingReport& report) {
  const Gearing& gearing = report.gearing;
  const Mechanism& follower = report.follower;
  const Mechanism& leader = report.leader;
  std::string text = fmt::format("{} behind {}\n", follower.name, leader.name);
  const auto row = [&](const char* name, const std::string& words) {
    text += fmt::format("  {:<14}{}\n", name, words);
  };
  const char* const one = output_kind(leader.train) == OutputKind::rotary ? "turn" : "metre";
  const OutputPosition a_turn{output_kind(follower.train), gearing.per_turn};
  row("ratio", gearing.steps_per_turn
                   ? fmt::format("{} for each {} of {}: {} steps", to_text(a_turn), one, leader.name,
                                 to_text(*gearing.steps_per_turn))
                   : fmt::format("{} for each {} of {}", to_text(a_turn), one, leader.name));
  if (gearing.steps_per_turn) {
    row("whole steps",
        gearing.whole_after == 1
            ? std::string("after each turn: this ratio is made exactly, turn by turn")
            : fmt::format("after every {} turns; in between it is less than one step away, and it "
                          "never drifts",
                          gearing.whole_after));
  }
  if (gearing.steps_per_count) {
    const Ratio step = Ratio(1) / steps_per_base(follower);
    const OutputPosition count{output_kind(follower.train), *gearing.steps_per_count * step};
    row("counts",
        fmt::format("{} counts {} a turn: {} steps each, {}", gearing.encoder,
                    to_text(*gearing.counts_per_turn), to_text(*gearing.steps_per_count),
                    fmt::format("{:.4g} {}", count.base.to_double() * display_units_per_base(count.kind),
                                display_unit(count.kind, 0))));
  } else if (gearing.encoder.empty()) {
    row("counts", fmt::format("none: {} has no encoder", leader.name));
  }
  const std::string own = speed_text(follower, follower.limits.speed);
  row("at top speed",
      fmt::format("{}'s {} asks for {}{}; its own is {}", leader.name,
                  speed_text(leader, leader.limits.speed), speed_text(follower, gearing.top_speed),
                  gearing.top_rate > 0.0 ? fmt::format(", {:.0f} steps/s", gearing.top_rate) : std::string(),
                  own));
  if (!keeps_up(report))
    row("can follow", fmt::format("{} up to {}", leader.name, speed_text(leader, gearing.leader_top)));
  const auto way = [&](double base) {
    return fmt::format("{:.3g} {}", base * display_units_per_base(output_kind(follower.train)),
                       display_unit(output_kind(follower.train), 0));
  };
  if (!gearing.counts_per_turn) {
    row("lag", "none: where it is told to be is known ahead");
  } else {
    const std::vector<FollowTiming> straight = follow_timings(gearing, report.controller, true);
    const std::vector<FollowTiming> behind = follow_timings(gearing, report.controller, false);
    for (std::size_t i = 0; i < straight.size(); ++i) {
      const double blind = straight[i].looks + straight[i].lead;
      const ExpectedLag lag = expected_lag(follower, leader, behind[i].looks, behind[i].lead);
      row(straight[i].where.c_str(),
          fmt::format("{} at that speed, by the speed of the counts; slowing down by 10 turn/s2 it is passed "
                      "by {} more",
                      gearing.steps_per_count && *gearing.steps_per_count <= Ratio(1) &&
                              Ratio(-1) <= *gearing.steps_per_count
                          ? "within a step"
                          : "within " + way(lag.count),
                      way(0.5 * 10.0 * std::abs(gearing.per_turn.to_double()) * blind * blind)));
      row("",
          fmt::format("never beyond (compensated = false): {} behind: {} of a count, {} of looking each "
                      "{}ms, {} of delay, {} to stop",
                      way(lag.sum()), way(lag.count), way(lag.sampling),
                      behind[i].looks == 1e-3 ? std::string() : fmt::format("{:.3g} ", 1e3 * behind[i].looks),
                      way(lag.delay), way(lag.limits)));
    }
  }
  if (gearing.top_rate > 0.0 && gearing.top_speed > 0.0) {
    const RampLimits limits = own_limits(follower);
    const double rate = std::min(gearing.top_rate, limits.speed);
    const TurnRound turns = turn_round(limits, rate);
    row("turn-round",
        fmt::format("to and fro at that speed: {:.3g} s, {:.3g} turns of {}, its middle {} short "
                    "of the end",
                    turns.seconds, turns.way / std::abs(gearing.steps_per_turn->to_double()), leader.name,
                    way(turns.short_by * gearing.top_speed / gearing.top_rate)));
  }
  if (!report.wanted) return text;
  text += fmt::format("\nchange gears for {} turns of the driven shaft a turn of the driving one\n",
                      to_text(*report.wanted));
  if (report.trains.empty()) text += "  none: at least two gears of different teeth are wanted\n";
  std::size_t widest = 0;
  for (const ChangeGears& gears : report.trains) widest = std::max(widest, train_text(gears).size());
  for (const ChangeGears& gears : report.trains)
    text += fmt::format("  {:<{}}  {:<10.7g}  {}\n", train_text(gears), widest, gears.ratio.to_double(),
                        error_text(gears));
  return text;
}

std::string gearing_json(const GearingReport& report) {
  const Gearing& gearing = report.gearing;
  nlohmann::ordered_json json;
  json["follower"] = report.follower.name;
  json["leader"] = report.leader.name;
  const bool linear = output_kind(report.follower.train) == OutputKind::linear;
  json[linear ? "m_per_turn" : "turns_per_turn"] = fraction_json(gearing.per_turn);
  if (gearing.steps_per_turn) {
    json["steps_per_turn"] = fraction_json(*gearing.steps_per_turn);
    json["whole_steps_after_turns"] = gearing.whole_after;
  }
  if (gearing.counts_per_turn) {
    json["encoder"] = gearing.encoder;
    json["counts_per_turn"] = fraction_json(*gearing.counts_per_turn);
  }
  if (gearing.steps_per_count) json["steps_per_count"] = fraction_json(*gearing.steps_per_count);
  json[linear ? "asked_m_per_s" : "asked_turns_per_s"] = gearing.top_speed;
  json[linear ? "own_m_per_s" : "own_turns_per_s"] = report.follower.limits.speed.base.to_double();
  if (gearing.top_rate > 0.0) json["asked_steps_per_s"] = gearing.top_rate;
  if (gearing.counts_per_turn) {
    json["lag"] = nlohmann::ordered_json::array();
    const std::vector<FollowTiming> straight = follow_timings(gearing, report.controller, true);
    const std::vector<FollowTiming> behind = follow_timings(gearing, report.controller, false);
    for (std::size_t i = 0; i < behind.size(); ++i) {
      const ExpectedLag lag = expected_lag(report.follower, report.leader, behind[i].looks, behind[i].lead);
      json["lag"].push_back({{"lead_s", lag.lead},
                             {"count", lag.count},
                             {"sampling", lag.sampling},
                             {"delay", lag.delay},
                             {"limits", lag.limits},
                             {"blind_s", straight[i].looks + straight[i].lead}});
    }
  }
  json["leader_up_to_turns_per_s"] = gearing.leader_top;
  json["keeps_up"] = keeps_up(report);
  if (report.wanted) {
    json["wanted"] = fraction_json(*report.wanted);
    json["trains"] = nlohmann::ordered_json::array();
    for (const ChangeGears& gears : report.trains)
      json["trains"].push_back(
          {{"teeth", gears.teeth}, {"ratio", fraction_json(gears.ratio)}, {"error", gears.error}});
  }
  return json.dump(2) + "\n";
}

}  // namespace cogstride
