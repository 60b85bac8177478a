#include "cogstride/report/csv_writer.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <iterator>

namespace cogstride {
namespace {

/// "mm/s2" as part of a column's name.
std::string unit_word(std::string unit) {
  const std::size_t slash = unit.find('/');
  if (slash != std::string::npos) unit.replace(slash, 1, "_per_");
  return unit;
}

}  // namespace

void CsvWriter::begin(const TraceLayout& layout) {
  layout_ = layout;
  row_ = "tick,time_s";
  for (const TracedSignal& signal : layout.signals)
    row_ += fmt::format(",{}_{}", signal.name, unit_word(signal.unit));
  for (const TracedLine& line : layout.lines) {
    row_ += "," + line.name;
    levels_.push_back(line.starts_high);
  }
  row_ += "\n";
  file_.write(row_);
}

void CsvWriter::edge(Tick, LineId line, bool high) {
  for (std::size_t i = 0; i < layout_.lines.size(); ++i) {
    if (layout_.lines[i].id == line) levels_[i] = high;
  }
}

void CsvWriter::sample(Tick at, std::span<const double> values) {
  // On its grid to a thousandth of it, whatever the tick is.
  if (each_ > 0.0 && layout_.seconds(at) < next_ - 1e-3 * each_) return;
  if (each_ > 0.0) next_ = each_ * (std::floor(layout_.seconds(at) / each_ + 1e-3) + 1.0);
  row_.clear();
  fmt::format_to(std::back_inserter(row_), "{},{:.6f}", at, layout_.seconds(at));
  for (const double value : values) {
    if (std::isnan(value)) {
      row_ += ',';  // not known: left empty
    } else {
      fmt::format_to(std::back_inserter(row_), ",{:.7g}", value);
    }
  }
  for (const bool high : levels_) row_ += high ? ",1" : ",0";
  row_ += '\n';
  file_.write(row_);
}

void CsvWriter::end(Tick) {
  file_.commit();
}

}  // namespace cogstride
