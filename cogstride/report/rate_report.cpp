#include "cogstride/report/rate_report.hpp"

#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>

namespace cogstride {

std::string rate_words(double rate) {
  if (rate <= 0.0) return "0 Hz";
  const double digit = std::pow(10.0, std::floor(std::log10(rate)) - 1.0);
  const double rounded = std::floor(rate / digit + 1e-9) * digit;
  return rounded >= 1000.0 ? fmt::format("{:g} kHz", rounded / 1000.0) : fmt::format("{:g} Hz", rounded);
}

std::string rate_text(const RateResult& result, double rig_rate) {
  std::string text =
      fmt::format("pulses on {}: no edge may be later than {:.0f} us\n\n  {:>10}  {:>9}  {:>9}  {}\n",
                  result.on, 1e6 * result.bound, "rate", "99 %", "worst", "edges");
  for (const RateTrial& trial : result.trials) {
    text +=
        fmt::format("  {:>10}  {:>6.1f} us  {:>6.0f} us  {}{}\n",
                    fmt::format("{:.4g} kHz", 1e-3 * trial.rate), 1e6 * trial.late_99, 1e6 * trial.late_worst,
                    trial.edges, trial.holds() ? "" : fmt::format(", {} too late", trial.edges_too_late));
  }
  text += fmt::format("\nplayer: {}\n", result.conditions);
  if (result.highest <= 0.0) {
    text +=
        "no rate holds: this computer is too busy, or the bound (controller.edge_lateness) too narrow for "
        "it\n";
  } else {
    text += fmt::format("it holds {}; the rig says {} (controller.top_step_rate)\n",
                        rate_words(result.highest), rate_words(rig_rate));
  }
  return text;
}

std::string rate_json(const RateResult& result, double rig_rate) {
  nlohmann::ordered_json json;
  json["on"] = result.on;
  json["bound_s"] = result.bound;
  json["highest_Hz"] = result.highest;
  json["rig_Hz"] = rig_rate;
  json["player"] = result.conditions;
  json["trials"] = nlohmann::ordered_json::array();
  for (const RateTrial& trial : result.trials) {
    json["trials"].push_back({{"rate_Hz", trial.rate},
                              {"edges", trial.edges},
                              {"too_late", trial.edges_too_late},
                              {"late_99_s", trial.late_99},
                              {"late_worst_s", trial.late_worst},
                              {"holds", trial.holds()}});
  }
  return json.dump(2) + "\n";
}

}  // namespace cogstride
