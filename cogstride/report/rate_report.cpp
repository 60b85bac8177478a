#include "cogstride/report/rate_report.hpp"

#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>

namespace cogstride {
namespace {

/// Three of them in an order.
constexpr double bytes_of_a_run = (3.0 * 12.0 + 17.0) / 3.0;

}  // namespace

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

std::string link_text(const LinkResult& result) {
  if (result.answers == 0) return fmt::format("{}: no question was answered\n", result.on);
  std::string text = fmt::format("the line {}: nothing moves by it\n\n", result.on);
  const auto row = [&](const char* what, const std::string& words) {
    text += fmt::format("  {:<15} {}\n", what, words);
  };
  const auto in_ms = [](double seconds) { return fmt::format("{:.1f} ms", 1e3 * seconds); };
  row("there and back",
      fmt::format("{} at the least, {} for half of them, {} at worst; {} of that by their bytes",
                  in_ms(result.least_trip), in_ms(result.median_trip), in_ms(result.worst_trip),
                  in_ms(result.bytes_take)));
  row("questions", fmt::format("{}, {} of them answered", result.questions, result.answers));
  row("carries",
      fmt::format("{:.1f} kB/s of the {:.1f} kB/s that it is given at most: {:.0f} runs of steps a second",
                  1e-3 * result.carried_bytes_per_second, 1e-3 * result.nominal_bytes_per_second,
                  result.carried_bytes_per_second / bytes_of_a_run));
  row("spoiled",
      fmt::format("{} of what came back; {} orders had to be said again", result.spoiled, result.sent_again));
  text += fmt::format("\nit adds {} each way at worst; the rig says up to {} (controller.link.delay)\n",
                      in_ms(result.added), in_ms(result.may_add));
  if (!result.holds())
    text +=
        result.spoiled > 0
            ? "bytes are spoiled on the way: look after the cable and its ground, or take a lower baud rate\n"
            : fmt::format(
                  "that is too little: write {:.0f} ms (--keep does), or find what keeps the line busy\n",
                  1e3 * result.proposed);
  return text;
}

std::string link_json(const LinkResult& result) {
  nlohmann::ordered_json json;
  json["on"] = result.on;
  json["holds"] = result.holds();
  json["questions"] = result.questions;
  json["answers"] = result.answers;
  json["least_trip_s"] = result.least_trip;
  json["median_trip_s"] = result.median_trip;
  json["worst_trip_s"] = result.worst_trip;
  json["bytes_take_s"] = result.bytes_take;
  json["carried_bytes_per_s"] = result.carried_bytes_per_second;
  json["nominal_bytes_per_s"] = result.nominal_bytes_per_second;
  json["spoiled"] = result.spoiled;
  json["sent_again"] = result.sent_again;
  json["added_s"] = result.added;
  json["rig_s"] = result.may_add;
  json["proposed_s"] = result.proposed;
  return json.dump(2) + "\n";
}

}  // namespace cogstride
