#include "outputs.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>
#include <set>
#include <tuple>

#include "cogstride/files/output_file.hpp"
#include "cogstride/quantity/text.hpp"
#include "report_file.hpp"

using namespace cogstride;

namespace {
/// What is written through and not into: /dev/stdout, a pipe.
bool is_device(const std::string& name) {
  std::error_code none;
  const auto type = std::filesystem::status(name, none).type();
  return type == std::filesystem::file_type::character || type == std::filesystem::file_type::fifo;
}
}  // namespace

double seconds_of(const char* option, const std::string& written) {
  if (written.empty()) return 0.0;
  try {
    const auto time = parse_quantity<ExactTime>(written);
    if (!(ExactTime() < time)) throw RangeError(fmt::format("'{}': a time above 0", written));
    return time.base().to_double();
  } catch (const Error& error) {
    throw Error(fmt::format("{}: {}", option, error.what()));
  }
}

void check_output_names(const OutputOptions& options, const std::vector<std::string>& read) {
  std::set<std::string> names;
  for (const std::string* name : {&options.plot, &options.waves, &options.csv, &options.report}) {
    if (name->empty()) continue;
    if (!names.insert(*name).second)
      throw Error(fmt::format("{}: two outputs cannot go into one file", *name));
    if (std::filesystem::is_directory(*name))
      throw Error(fmt::format("{}: is a folder; name a file in it", *name));
    for (const std::string& input : read)
      if (is_one_file(*name, input))
        throw Error(fmt::format(
            "{}: this command reads it ({}) and does not write onto it; name another file", *name, input));
    if (!options.overwrite && std::filesystem::exists(*name)) {
      throw Error(
          fmt::format("{}: is there already and is left as it is; say --overwrite to replace it", *name));
    }
  }
  for (const auto& [option, name, ending] :
       {std::tuple{"--waves", &options.waves, ".vcd"}, std::tuple{"--csv", &options.csv, ".csv"},
        std::tuple{"--report", &options.report, ".html"}})
    if (!name->empty() && std::filesystem::path(*name).extension() != ending && !is_device(*name))
      throw Error(fmt::format("{} {}: its name ends in {}", option, *name, ending));
  if (!options.csv_each.empty() && options.csv.empty()) throw Error("--csv-each goes with --csv");
  (void)seconds_of("--csv-each", options.csv_each);
  if (!options.plot.empty() && !is_figure_name(options.plot)) {
    throw Error(fmt::format("--plot {}: a figure's name ends in .png or .svg", options.plot));
  }
}

Outputs::Outputs(const OutputOptions& options, const std::vector<std::string>& read, const Mechanism& shown)
    : plot_(options.plot), reports_(!options.report.empty()) {
  check_output_names(options, read);
  const auto existing = options.overwrite ? OutputFile::Existing::replaced : OutputFile::Existing::refused;
  if (!options.plot.empty() || reports_) {
    // A drive on a bus has no line of its own.
    const std::vector<BoardLine> lines = board_lines(shown.wiring);
    thinned_.emplace(shown.name + ".speed",
                     lines.empty() ? LineId{} : static_cast<LineId>(lines.front().line.number));
    fork_.add(*thinned_);
  }
  if (!options.waves.empty()) {
    waves_ = std::make_unique<VcdWriter>(options.waves, existing);
    fork_.add(*waves_);
  }
  if (!options.csv.empty()) {
    csv_ = std::make_unique<CsvWriter>(options.csv, existing, seconds_of("--csv-each", options.csv_each));
    fork_.add(*csv_);
  }
}

void Outputs::draw(const FigureContent& content) {
  if (!plot_.empty()) write_figure(plot_, *thinned_, content);
  if (reports_)
    figures_.push_back(drawn(content.title, [&](const std::string& path) {
      write_figure(path, *thinned_, content);
      return true;
    }));
}

void Outputs::draw_signals(const std::vector<std::string>& movers, const std::string& title) {
  for (const std::string& mover : movers) figures_.push_back(drawn_signals(mover, *thinned_, mover, title));
}

void Outputs::draw(const Rig& rig, const RunFigure& what) {
  if (!plot_.empty()) write_run_figure(plot_, *thinned_, rig, what);
  if (!reports_) return;
  const auto add = [&](const std::string& heading, const RunFigure& figure) {
    figures_.push_back(drawn(heading, [&](const std::string& path) {
      write_run_figure(path, *thinned_, rig, figure);
      return true;
    }));
  };
  add("The run", what);
  if (what.moved.size() < 2 || !what.measured.empty()) return;
  for (const std::size_t one : what.moved) {
    RunFigure alone = what;
    alone.moved = {one};
    alone.pair.reset();
    alone.shown = one;
    add(rig.mechanisms[one].name + " alone", alone);
  }
}
