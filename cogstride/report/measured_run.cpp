#include "cogstride/report/measured_run.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "cogstride/quantity/csv_cells.hpp"
#include "cogstride/quantity/text.hpp"

namespace cogstride {
namespace {

/// A unit as a column's name has it, as people write it: "mm_per_s2" is mm/s2.
std::string plain_unit(std::string unit) {
  if (unit == "percent") return "%";
  if (const std::size_t per = unit.find("_per_"); per != std::string::npos) unit.replace(per, 5, "/");
  return unit;
}

/// What a value in a unit is to be multiplied by for another one of its dimension; nothing when it has
/// another.
std::optional<double> factor_between(const std::string& from, const std::string& to) {
  if (from == to) return 1.0;
  if (to == "K" && from == "degC") return 1.0;
  try {
    const ParsedQuantity one = parse_any_quantity("1 " + from);
    const ParsedQuantity other = parse_any_quantity("1 " + to);
    return one.powers == other.powers ? std::optional(one.base / other.base) : std::nullopt;
  } catch (const Error&) {
    return std::nullopt;
  }
}

class SignalTable {
 public:
  SignalTable(const std::string& path, const std::string& shown, const TraceLayout& layout)
      : path_(path), shown_(shown), layout_(layout) {}

  struct Column {
    std::size_t place = 0;
    double factor = 1.0;
    bool is_time = false;
    bool is_temperature = false;
    bool is_left = false;  ///< nothing that is rehearsed
  };

  void read(std::string_view text, std::vector<MeasuredSignal>& signals, std::vector<std::size_t>& places) {
    for_each_csv_line(text, [&](std::string_view line, std::size_t number) {
      line_ = number;
      if (columns_.empty()) {
        header(line);
        is_hopeless_ = !wrong_.empty();
      } else if (!is_hopeless_) {
        row(line);
      }
    });
    if (columns_.empty()) add(1, "the file has no header: its first line names the columns");
    if (wrong_.empty() && rows_ == 0) add(1, "the file has no row below its header");
    if (!wrong_.empty()) throw InputError(std::move(wrong_));
    for (std::size_t i = 0; i < columns_.size(); ++i) {
      if (columns_[i].is_time || columns_[i].is_left || points_[i].empty()) continue;
      const TracedSignal& signal = layout_.signals[columns_[i].place];
      MeasuredSignal measured;
      measured.name = signal.name;
      measured.unit = signal.unit;
      measured.points = std::move(points_[i]);
      signals.push_back(std::move(measured));
      places.push_back(columns_[i].place);
    }
  }

 private:
  void add(std::size_t column, std::string message) {
    constexpr std::size_t most_errors = 20;
    if (wrong_.size() < most_errors)
      wrong_.push_back({{path_, line_ == 0 ? 1 : line_, column}, std::move(message), {}});
  }

  void header(std::string_view line) {
    bool has_time = false;
    for (const CsvCell& cell : csv_cells(line)) {
      columns_.push_back(column_of(cell));
      has_time = has_time || columns_.back().is_time;
    }
    points_.resize(columns_.size());
    if (!has_time && wrong_.empty())
      add(1, "no column says when: name one time_s; it counts from the beginning of the script");
  }

  Column column_of(const CsvCell& cell) {
    std::string name(cell.text);
    const auto is_line = [&](const TracedLine& line) { return line.name == name; };
    if (name == "tick" || std::any_of(layout_.lines.begin(), layout_.lines.end(), is_line))
      return {.is_left = true};
    const std::size_t dot = name.find('.');
    const std::string owner = dot == std::string::npos ? shown_ : name.substr(0, dot);
    std::string rest = dot == std::string::npos ? name : name.substr(dot + 1);
    if (dot == std::string::npos && rest.starts_with("time")) return time_column(cell, rest);
    // As people call them who have no rehearsal before them.
    constexpr std::pair<std::string_view, std::string_view> also_called[] = {
        {"temperature", "motor_rise"}, {"throttle", "asked"}, {"position", "made"}, {"angle", "made"}};
    const bool is_temperature = rest.starts_with("temperature");
    for (const auto& [word, own] : also_called)
      if (rest.starts_with(word)) rest.replace(0, word.size(), own);
    std::size_t longest = 0;
    Column column;
    column.is_temperature = is_temperature;
    for (std::size_t i = 0; i < layout_.signals.size(); ++i) {
      const std::string& signal = layout_.signals[i].name;
      if (!signal.starts_with(owner + ".")) continue;
      const std::string own = signal.substr(owner.size() + 1);
      if (!rest.starts_with(own) || own.size() <= longest) continue;
      if (rest.size() > own.size() && rest[own.size()] != '_') continue;
      longest = own.size();
      column.place = i;
    }
    if (longest == 0) return unknown(cell, owner, rest);
    const TracedSignal& signal = layout_.signals[column.place];
    const std::string unit = rest.size() > longest ? plain_unit(rest.substr(longest + 1)) : std::string();
    const std::optional<double> factor = factor_between(unit, signal.unit);
    if (!factor)
      add(cell.column, fmt::format("column '{}': {}; it is rehearsed in {}", cell.text,
                                   unit.empty() ? std::string("has no unit at its end")
                                                : fmt::format("'{}' is no unit for it", unit),
                                   signal.unit));
    column.factor = factor.value_or(1.0);
    return column;
  }

  Column time_column(const CsvCell& cell, const std::string& name) {
    const std::optional<double> factor =
        name.size() > 5 && name[4] == '_' ? factor_between(name.substr(5), "s") : std::nullopt;
    if (!factor) add(cell.column, fmt::format("column '{}': write it as time_s, or time_ms", cell.text));
    return {.factor = factor.value_or(1.0), .is_time = true};
  }

  Column unknown(const CsvCell& cell, const std::string& owner, const std::string& rest) {
    std::vector<std::string> names;
    for (const TracedSignal& signal : layout_.signals)
      if (signal.name.starts_with(owner + ".")) names.push_back(signal.name.substr(owner.size() + 1));
    const std::string near = nearest_word(rest.substr(0, rest.find_last_of('_')), names);
    add(cell.column,
        names.empty()
            ? fmt::format("column '{}': nothing of '{}' is rehearsed", cell.text, owner)
            : fmt::format("column '{}': {} has no such signal{}; it has {}. Leave the column out", cell.text,
                          owner, near.empty() ? "" : fmt::format(", did you mean {}?", near),
                          fmt::join(names, ", ")));
    return {.is_left = true};
  }

  void row(std::string_view line) {
    const std::vector<CsvCell> cells = csv_cells(line);
    if (cells.size() != columns_.size())
      return add(
          1, fmt::format("this row has {} cells, and the header {} columns", cells.size(), columns_.size()));
    ++rows_;
    std::vector<std::optional<double>> values(cells.size());
    std::optional<double> time;
    std::size_t time_at = 1;
    for (std::size_t i = 0; i < cells.size(); ++i) {
      if (columns_[i].is_left || cells[i].text.empty()) continue;
      values[i] = csv_number(cells[i].text);
      if (!values[i])
        add(cells[i].column,
            fmt::format("found '{}'; expected a number, or nothing where it was not measured",
                        cells[i].text));
      if (!columns_[i].is_time) continue;
      if (values[i]) time = *values[i] * columns_[i].factor;
      time_at = cells[i].column;
    }
    if (!time) return add(1, "this row has no time");
    if (rows_ > 1 && *time <= last_time_)
      add(time_at,
          fmt::format("the time of this row, {:.6g} s, is not after that of the row before, {:.6g} s", *time,
                      last_time_));
    last_time_ = *time;
    for (std::size_t i = 0; i < cells.size(); ++i) {
      if (columns_[i].is_time || columns_[i].is_left || !values[i]) continue;
      double value = *values[i] * columns_[i].factor;
      if (columns_[i].is_temperature) {
        if (points_[i].empty()) cold_ = value;
        value -= cold_;
      }
      points_[i].emplace_back(*time, value);
    }
  }

  const std::string& path_;
  const std::string& shown_;
  const TraceLayout& layout_;
  std::size_t line_ = 0;
  std::size_t rows_ = 0;
  bool is_hopeless_ = false;  // no row can be read by a header that is wrong
  double last_time_ = 0.0;
  double cold_ = 0.0;
  std::vector<Column> columns_{};
  std::vector<std::vector<std::pair<double, double>>> points_{};
  std::vector<Diagnostic> wrong_{};
};

}  // namespace

MeasuredOver::MeasuredOver(std::string path, std::string shown)
    : path_(std::move(path)), shown_(std::move(shown)), text_(read_text_file(path_)) {}

void MeasuredOver::begin(const TraceLayout& layout) {
  layout_ = layout;
  std::vector<std::size_t> places;
  SignalTable(path_, shown_, layout_).read(text_, signals_, places);
  for (const std::size_t place : places) columns_.push_back({place, 0, 0.0});
  for (MeasuredSignal& signal : signals_) {
    signal.least_measured = signal.most_measured = signal.points.front().second;
    for (const auto& [at, value] : signal.points) {
      signal.least_measured = std::min(signal.least_measured, value);
      signal.most_measured = std::max(signal.most_measured, value);
    }
  }
}

/// Between two samples the run is taken as straight.
void MeasuredOver::sample(Tick at, std::span<const double> values) {
  const double now = layout_.seconds(at);
  const bool is_first = before_.empty();
  for (std::size_t i = 0; i < signals_.size(); ++i) {
    MeasuredSignal& signal = signals_[i];
    Column& column = columns_[i];
    for (; column.next < signal.points.size() && signal.points[column.next].first <= now; ++column.next) {
      const auto& [time, measured] = signal.points[column.next];
      if (is_first ? time < now : time < before_at_) continue;
      const double share = is_first || now <= before_at_ ? 1.0 : (time - before_at_) / (now - before_at_);
      const double from = is_first ? values[column.place] : before_[column.place];
      const double rehearsed = share >= 1.0   ? values[column.place]
                               : share <= 0.0 ? from
                                              : from + share * (values[column.place] - from);
      if (std::isnan(rehearsed)) continue;
      const double off = measured - rehearsed;
      ++signal.compared;
      signal.mean_off += off;
      column.squares += off * off;
      if (std::abs(off) <= std::abs(signal.most)) continue;
      signal.most = off;
      signal.most_at = time;
    }
  }
  before_.assign(values.begin(), values.end());
  before_at_ = now;
}

void MeasuredOver::end(Tick) {
  for (std::size_t i = 0; i < signals_.size(); ++i) {
    MeasuredSignal& signal = signals_[i];
    if (signal.compared == 0) continue;
    const auto count = static_cast<double>(signal.compared);
    signal.mean_off /= count;
    signal.rms = std::sqrt(columns_[i].squares / count);
  }
}

std::string agreement_words(const MeasuredSignal& signal) {
  const std::size_t outside = signal.points.size() - signal.compared;
  if (signal.compared == 0)
    return fmt::format(
        "none of {} readings has one to be held against: the run is over, or it is not known there",
        signal.points.size());
  const double range = signal.most_measured - signal.least_measured;
  const auto off = [&](double by) {
    return fmt::format("{:.3g} {} {}", std::abs(by), signal.unit, by < 0.0 ? "less" : "more");
  };
  return fmt::format(
      "{} readings{}, {:.3g} {} rms apart{}; on average {} rehearsed, at the most {} at {:.3g} s",
      signal.compared, outside == 0 ? "" : fmt::format(" ({} more cannot be held against it)", outside),
      signal.rms, signal.unit,
      range > 0.0 ? fmt::format(" ({:.2g} % of what it goes through)", 100.0 * signal.rms / range) : "",
      std::abs(signal.mean_off) < 1e-3 * signal.rms ? "as" : off(signal.mean_off) + " than", off(signal.most),
      signal.most_at);
}

}  // namespace cogstride
