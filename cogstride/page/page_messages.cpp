#include "cogstride/page/page_messages.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <nlohmann/json.hpp>
#include <vector>

#include "cogstride/script/script.hpp"

namespace cogstride {
namespace {

using Json = nlohmann::ordered_json;

constexpr std::size_t most_edges_shown = 2000;  // of a line

std::string text_of(const Json& json) {
  return json.dump(-1, ' ', false, Json::error_handler_t::replace);
}

Json script_json(const std::filesystem::path& file, const Rig& rig) {
  Json out{{"file", file.filename().string()}};
  try {
    const ScriptCheck check = check_motions(read_script(file.string(), rig), rig);
    out["lasts_s"] = check.length.seconds;
    if (!check.length.is_whole || !check.length.has_an_end) out["at_least"] = true;
  } catch (const InputError& error) {
    out["why"] = error.diagnostics().empty() ? error.what() : error.diagnostics().front().message;
  } catch (const Error& error) {
    out["why"] = error.what();
  }
  return out;
}

}  // namespace

std::string begin_message(const std::string& viewer, const RunWindow* window, const std::string& model) {
  Json signals = Json::array();
  if (window != nullptr)
    for (const TracedSignal& signal : window->layout().signals)
      signals.push_back({{"name", signal.name}, {"unit", signal.unit}});
  // The model is text already.
  return fmt::format("{{\"you\":{},\"signals\":{},\"page\":{}}}", text_of(viewer), text_of(signals), model);
}

std::string samples_message(const RunWindow& window, const RunWindow::Samples& samples) {
  const TraceLayout layout = window.layout();
  Json rows = Json::array();
  for (const RunWindow::Sample& sample : samples.samples) {
    Json row = Json::array({std::round(1e3 * layout.seconds(sample.at)) / 1e3});
    for (const double value : sample.values)
      row.push_back(std::isfinite(value) ? Json(static_cast<double>(static_cast<float>(value))) : Json());
    rows.push_back(std::move(row));
  }
  return text_of({{"samples", std::move(rows)}});
}

std::string lines_message(const RunWindow& window, double seconds, const std::string& of) {
  const TraceLayout layout = window.layout();
  const Tick span = std::llround(seconds * layout.ticks_per_second());
  const std::optional<Tick> last = window.last_edge(of);
  const Tick until = std::min(window.now(), last ? *last + span / 20 : never);
  Json lines = Json::array();
  for (const RunWindow::Line& line : window.lines(until - span, most_edges_shown)) {
    Json edges = Json::array();
    for (const Tick at : line.edges)
      if (at <= until) edges.push_back(std::round(1e9 * layout.seconds(at - until)) / 1e9);
    lines.push_back({{"name", line.name},
                     {"high", line.starts_high},
                     {"edges", std::move(edges)},
                     {"left_out", line.left_out}});
  }
  return text_of(
      {{"lines", {{"until_s", layout.seconds(until)}, {"seconds", seconds}, {"all", std::move(lines)}}}});
}

std::string scripts_message(const std::string& folder, const Rig& rig) {
  std::vector<std::filesystem::path> files;
  std::error_code none;
  for (const auto& entry : std::filesystem::directory_iterator(folder, none))
    if (entry.path().extension() == ".moves" && entry.is_regular_file(none)) files.push_back(entry.path());
  std::sort(files.begin(), files.end());
  Json all = Json::array();
  for (const std::filesystem::path& file : files) all.push_back(script_json(file, rig));
  return text_of({{"scripts", std::move(all)}});
}

}  // namespace cogstride
