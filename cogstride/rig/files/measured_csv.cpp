#include "cogstride/rig/files/measured_csv.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "cogstride/quantity/csv_cells.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/rig/diagnostic.hpp"

namespace cogstride {
namespace {

enum class Use { time, duty, voltage, speed, motor_speed, current, temperature, motor_rise, nothing };

struct Known {
  const char* name;
  Use use;
  const char* example;
};
constexpr std::array<Known, 8> known_columns{{{"time", Use::time, "time_s"},
                                              {"duty", Use::duty, "duty_percent"},
                                              {"voltage", Use::voltage, "voltage_V"},
                                              {"motor_speed", Use::motor_speed, "motor_speed_rpm"},
                                              {"speed", Use::speed, "speed_rpm"},
                                              {"current", Use::current, "current_A"},
                                              {"temperature", Use::temperature, "temperature_degC"},
                                              {"motor_rise", Use::motor_rise, "motor_rise_K"}}};

struct Column {
  Use use = Use::nothing;
  double factor = 1.0;  // to the table's unit
};

class TableReader {
 public:
  TableReader(const std::string& name, const Mechanism& mechanism) : name_(name), mechanism_(mechanism) {}

  MeasuredCsv read(std::string_view text) {
    for_each_csv_line(text, [&](std::string_view line, std::size_t number) {
      line_ = number;
      if (columns_.empty()) {
        read_header(line);
      } else if (!is_hopeless_) {
        read_row(line);
      }
    });
    if (columns_.empty()) add(1, "the file has no header: its first line names the columns");
    if (!wrong_.empty()) throw InputError(std::move(wrong_));
    return std::move(result_);
  }

 private:
  void add(std::size_t column, std::string message) {
    if (wrong_.size() < most_errors)
      wrong_.push_back({{name_, line_ == 0 ? 1 : line_, column}, std::move(message), {}});
  }

  void read_header(std::string_view line) {
    for (const CsvCell& cell : csv_cells(line)) columns_.push_back(column_of(cell));
    const auto has = [&](Use use) {
      return std::any_of(columns_.begin(), columns_.end(), [&](const Column& c) { return c.use == use; });
    };
    MeasuredTable& table = result_.table;
    table.has_time = has(Use::time);
    table.is_voltage = has(Use::voltage);
    const auto refuse = [&](const std::string& message) {
      add(1, message);
      is_hopeless_ = true;
    };
    if (has(Use::duty) == has(Use::voltage))
      refuse(has(Use::duty)
                 ? "the columns have both a duty and a voltage: leave one of them out"
                 : fmt::format("the columns say nothing of what the motor was given: name one {} or {}",
                               "duty_percent", "voltage_V"));
    if (has(Use::speed) && has(Use::motor_speed)) refuse("the columns have both a speed and a motor_speed");
    if (has(Use::temperature) && has(Use::motor_rise))
      refuse("the columns have both a temperature and a motor_rise");
    is_hopeless_ = is_hopeless_ || !wrong_.empty();
  }

  /// Its use by its name, and its factor by the unit at the end of it.
  Column column_of(const CsvCell& cell) {
    std::string_view text = cell.text;
    const std::size_t dot = text.find('.');
    if (dot != std::string_view::npos) {
      if (text.substr(0, dot) != mechanism_.name) return {};
      text.remove_prefix(dot + 1);
    }
    for (const Known& known : known_columns) {
      const std::string_view name = known.name;
      if (text == name) {
        add(cell.column, fmt::format("column '{}' has no unit; write it as {}", cell.text, known.example));
        return {};
      }
      if (!text.starts_with(name) || text[name.size()] != '_') continue;
      const auto factor = factor_of(known.use, std::string(text.substr(name.size() + 1)));
      if (!factor) {
        add(cell.column, fmt::format("column '{}': '{}' is no unit for it; write it as {}", cell.text,
                                     text.substr(name.size() + 1), known.example));
        return {};
      }
      return {known.use, *factor};
    }
    if (text == "tick") return {};
    // What a rehearsal's own table holds besides is named by its mechanism, and may stay.
    const std::size_t one = text.find('_');
    const std::size_t other = one == std::string_view::npos ? one : text.find('_', one + 1);
    std::vector<std::string> names;
    for (const Known& known : known_columns) names.emplace_back(known.name);
    std::string near = nearest_word(text.substr(0, one), names);
    if (near.empty()) near = nearest_word(text.substr(0, other), names);
    if (dot != std::string_view::npos && near.empty()) {
      result_.unused.emplace_back(cell.text);
      return {};
    }
    std::string examples;
    std::string example;
    for (const Known& known : known_columns) {
      examples += fmt::format("{}{}", examples.empty() ? "" : ", ", known.example);
      if (near == known.name) example = known.example;
    }
    add(cell.column,
        near.empty() ? fmt::format("column '{}' is not known here; there are {}. Leave it out, or begin its "
                                   "name with the mechanism's: {}.{}",
                                   cell.text, examples, mechanism_.name, cell.text)
                     : fmt::format("column '{}' is not known here; did you mean {}?", cell.text, example));
    return {};
  }

  std::optional<double> factor_of(Use use, std::string unit) const {
    if (unit == "percent") unit = "%";
    if (const std::size_t per = unit.find("_per_"); per != std::string::npos) unit.replace(per, 5, "/");
    if (use == Use::temperature) return unit == "degC" || unit == "K" ? std::optional(1.0) : std::nullopt;
    try {
      const ParsedQuantity one = parse_any_quantity("1 " + unit);
      const auto is = [&](const DimensionPowers& powers) { return one.powers == powers; };
      const OutputKind kind = output_kind(mechanism_.train);
      const double turns = motor_turns_per_base(mechanism_.train).to_double();
      switch (use) {
        case Use::time:
          if (is(powers_of<dimensions::Time>)) return one.base;
          break;
        case Use::duty:
          if (is(DimensionPowers{})) return one.base;
          break;
        case Use::voltage:
          if (is(powers_of<dimensions::Voltage>)) return one.base;
          break;
        case Use::current:
          if (is(powers_of<dimensions::Current>)) return one.base;
          break;
        case Use::motor_rise:
          if (is(powers_of<dimensions::Temperature>)) return one.base;
          break;
        case Use::speed:
          if (is(kind == OutputKind::linear ? powers_of<OutputSpeed::LinearDimension>
                                            : powers_of<OutputSpeed::RotaryDimension>))
            return one.base * turns * 2.0 * pi;
          break;
        case Use::motor_speed:
          if (is(powers_of<OutputSpeed::RotaryDimension>)) return one.base * 2.0 * pi;
          break;
        default:
          break;
      }
    } catch (const Error&) {
      return std::nullopt;
    }
    return std::nullopt;
  }

  std::optional<double> number_in(const CsvCell& cell) {
    if (cell.text.empty()) return std::nullopt;
    const std::optional<double> value = csv_number(cell.text);
    if (!value)
      add(cell.column,
          fmt::format("found '{}'; expected a number, or nothing where it was not measured", cell.text));
    return value;
  }

  void read_row(std::string_view line) {
    const std::vector<CsvCell> cells = csv_cells(line);
    if (cells.size() != columns_.size()) {
      add(1, fmt::format("this row has {} cells, and the header {} columns", cells.size(), columns_.size()));
      return;
    }
    MeasuredTable& table = result_.table;
    MeasuredTable::Row row;
    bool has_drive = false;
    bool has_time = false;
    std::size_t time_column = 1;
    for (std::size_t i = 0; i < cells.size(); ++i) {
      if (columns_[i].use == Use::nothing) continue;
      const std::optional<double> number = number_in(cells[i]);
      if (!number) continue;
      const double value = *number * columns_[i].factor;
      switch (columns_[i].use) {
        case Use::time:
          row.time = value;
          has_time = true;
          time_column = cells[i].column;
          break;
        case Use::duty:
          if (std::abs(value) > 1.0)
            add(cells[i].column, fmt::format("{} is more than full duty", cells[i].text));
          [[fallthrough]];
        case Use::voltage:
          row.drive = value;
          has_drive = true;
          break;
        case Use::current:
          row.current = value;
          break;
        case Use::temperature:
          if (!cold_) cold_ = value;
          row.rise = value - *cold_;
          break;
        case Use::motor_rise:
          row.rise = value;
          break;
        default:
          row.speed = value;
      }
    }
    if (!has_drive) add(1, "this row does not say what the motor was given");
    if (table.has_time && !has_time) add(1, "this row has no time");
    if (table.has_time && has_time && !table.rows.empty() && row.time <= table.rows.back().time)
      add(time_column,
          fmt::format("the time of this row, {:.6g} s, is not after that of the row before, {:.6g} s",
                      row.time, table.rows.back().time));
    table.has_speed = table.has_speed || row.speed;
    table.has_current = table.has_current || row.current;
    table.has_rise = table.has_rise || row.rise;
    table.rows.push_back(row);
  }

  static constexpr std::size_t most_errors = 20;
  const std::string& name_;
  const Mechanism& mechanism_;
  std::size_t line_ = 0;
  std::vector<Column> columns_;
  bool is_hopeless_ = false;
  std::optional<double> cold_{};
  MeasuredCsv result_{};
  std::vector<Diagnostic> wrong_;
};

}  // namespace

MeasuredCsv parse_measured(std::string_view text, const std::string& name, const Mechanism& mechanism) {
  return TableReader(name, mechanism).read(text);
}

MeasuredCsv read_measured(const std::string& path, const Mechanism& mechanism) {
  return parse_measured(read_text_file(path), path, mechanism);
}

}  // namespace cogstride
