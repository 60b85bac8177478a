#include "cogstride/report/sequence_report.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <iterator>
#include <nlohmann/json.hpp>

#include "cogstride/report/gnuplot.hpp"
#include "cogstride/report/line_json.hpp"

namespace cogstride {
namespace {

/// Rows in the order of motion: backwards from row 0 down.
std::vector<ExcitationRow> in_order(const Excitation& excitation, bool backwards) {
  std::vector<ExcitationRow> rows = excitation.rows;
  if (backwards) std::reverse(rows.begin() + 1, rows.end());
  return rows;
}

std::string headline(const Mechanism& mechanism, const Excitation& excitation) {
  const OutputKind kind = output_kind(mechanism.train);
  const double output = display_units_per_base(kind) / std::abs(steps_per_base(mechanism).to_double());
  return fmt::format(
      "{}: {}; {} rows make an electrical turn, each turns the motor by {:.6g} deg and the output by "
      "{:.4g} {}",
      mechanism.name, excitation.how, excitation.rows.size(), excitation.motor_step, output,
      display_unit(kind, 0));
}

/// Amperes of the peak current, for a board that sets it; nothing for one that only switches.
std::optional<double> peak_current(const Mechanism& mechanism) {
  const auto* const board = std::get_if<StepDirBoard>(&mechanism.board);
  return board == nullptr ? std::nullopt : std::optional(board->current.base());
}

class SequenceFigure : private GnuplotScript {
 public:
  SequenceFigure(const Mechanism& mechanism, const Excitation& excitation, bool backwards)
      : mechanism_(mechanism),
        excitation_(excitation),
        rows_(in_order(excitation, backwards)),
        backwards_(backwards) {}

  std::string commands(const std::string& terminal, const std::string& output) {
    add("set terminal {}\nset output {}\nset encoding utf8\nunset key\n", terminal, gnuplot_text(output));
    add("set grid lc rgb '#e4e4e4' lt 1\nset border 3 lc rgb '#555555'\nset tics nomirror\n");
    add("set multiplot title {} font ',15' noenhanced\n",
        gnuplot_text(
            fmt::format("{}: {}{}", mechanism_.name, excitation_.how, backwards_ ? ", backwards" : "")));
    if (excitation_.lines.empty()) {
      currents();
    } else {
      levels();
    }
    vectors();
    add("unset multiplot\nunset output\n");
    return take();
  }

 private:
  static constexpr const char* colours[] = {"#bd5b0b", "#68458f", "#2a5c9a", "#1f7a5c"};

  void left_panel(const char* label) {
    add("set lmargin at screen 0.08\nset rmargin at screen 0.53\nset tmargin at screen 0.90\nset bmargin at "
        "screen "
        "0.11\n");
    add("set xrange [0:{}]\nset xlabel 'steps {}'\nset ylabel '{}'\n", 2 * rows_.size(),
        backwards_ ? "backwards" : "forwards", label);
  }

  /// A row of levels for each line, over two electrical turns.
  void levels() {
    const auto count = static_cast<int>(excitation_.lines.size());
    for (int line = 0; line < count; ++line) {
      add("$line{} << EOD\n", line);
      const double base = count - 1 - line;
      const auto place = static_cast<std::size_t>(line);
      for (std::size_t at = 0; at < 2 * rows_.size(); ++at) {
        const double y = base + (rows_[at % rows_.size()].high[place] ? 0.65 : 0.0);
        add("{} {}\n{} {}\n", at, y, at + 1, y);
      }
      add("EOD\n");
      add("set label {} {} at graph -0.012, first {} right tc rgb '{}' noenhanced\n", line + 1,
          gnuplot_text(fmt::format("{} ({})", excitation_.lines[place].use,
                                   line_name(excitation_.lines[place].number))),
          base + 0.32, colours[line % 4]);
    }
    left_panel("");
    add("set lmargin at screen 0.105\nset yrange [-0.2:{}]\nunset ytics\nset xtics 1\nplot ", count - 0.1);
    for (int line = 0; line < count; ++line)
      add("{}$line{} with filledcurves y1={} fs solid 0.15 noborder lc rgb '{}', $line{} with lines lw 2.5 "
          "lc rgb '{}'",
          line == 0 ? "" : ", ", line, count - 1 - line, colours[line % 4], line, colours[line % 4]);
    add("\n");
    for (int line = 0; line < count; ++line) add("unset label {}\n", line + 1);
    add("set ytics\n");
  }

  /// Currents of both coils, over two electrical turns.
  void currents() {
    const double peak = *peak_current(mechanism_);
    add("$currents << EOD\n");
    for (std::size_t at = 0; at < 2 * rows_.size(); ++at) {
      const ExcitationRow& row = rows_[at % rows_.size()];
      add("{} {:.6g} {:.6g}\n{} {:.6g} {:.6g}\n", at, row.current_a * peak, row.current_b * peak, at + 1,
          row.current_a * peak, row.current_b * peak);
    }
    add("EOD\n");
    left_panel("current [A]");
    add("set yrange [{:.4g}:{:.4g}]\n", -1.15 * peak, 1.15 * peak);
    const ExcitationRow& last = rows_.back();
    add("set label 1 'coil A' at graph 1.01, first {:.4g} tc rgb '{}'\n", last.current_a * peak, colours[0]);
    add("set label 2 'coil B' at graph 1.01, first {:.4g} tc rgb '{}'\n", last.current_b * peak, colours[2]);
    add("plot $currents using 1:2 with lines lw 2.5 lc rgb '{}', $currents using 1:3 with lines lw 2.5 lc "
        "rgb '{}'\n",
        colours[0], colours[2]);
    add("unset label 1\nunset label 2\n");
  }

  /// The field as a vector: where each row points, and how strongly.
  void vectors() {
    const double reach =
        1.25 * std::max_element(rows_.begin(), rows_.end(), [](const auto& a, const auto& b) {
                 return a.field < b.field;
               })->field;
    // More than some thirty arrows cannot be told apart.
    const std::size_t arrows = std::max<std::size_t>(1, rows_.size() / 32);
    add("$field << EOD\n");
    for (std::size_t i = 0; i < rows_.size(); i += arrows)
      add("0 0 {:.6g} {:.6g}\n", rows_[i].current_a, rows_[i].current_b);
    add("EOD\n$ends << EOD\n");
    for (const ExcitationRow& row : rows_) add("{:.6g} {:.6g}\n", row.current_a, row.current_b);
    add("EOD\n$tips << EOD\n");
    // Too many numbers cannot be read: of microsteps, those of whole steps.
    const std::size_t each = std::max<std::size_t>(1, rows_.size() / 8);
    for (std::size_t i = 0; i < rows_.size(); i += each)
      add("{:.6g} {:.6g} {}\n", 1.13 * rows_[i].current_a, 1.13 * rows_[i].current_b, rows_[i].step);
    add("EOD\n$ring << EOD\n");
    for (int degrees = 0; degrees <= 360; degrees += 3) {
      const double angle = degrees * 3.14159265358979323846 / 180.0;
      add("{:.5g} {:.5g}\n", std::cos(angle), std::sin(angle));
    }
    add("EOD\n");
    add("set lmargin at screen 0.60\nset rmargin at screen 0.985\nset tmargin at screen 0.86\nset bmargin at "
        "screen "
        "0.16\n");
    add("set xrange [{0:.4g}:{1:.4g}]\nset yrange [{0:.4g}:{1:.4g}]\nset size ratio -1\nset xtics 0.5\nset "
        "ytics 0.5\n",
        -reach, reach);
    add("set xlabel 'coil A [share of its peak]'\nset ylabel 'coil B [share of its peak]'\n");
    add("plot $ring with lines lw 1 dt 2 lc rgb '#9a9a9a', $field using 1:2:3:4 with vectors head filled "
        "size "
        "{1:.4g},18 lw 1.6 lc rgb '{0}', $ends with points pt 7 ps 0.4 lc rgb '{0}', $tips using 1:2:3 with "
        "labels "
        "font ',11' tc rgb '#333333'\n",
        colours[2], 0.05 * reach);
  }

  const Mechanism& mechanism_;
  const Excitation& excitation_;
  std::vector<ExcitationRow> rows_;
  bool backwards_;
};

}  // namespace

namespace {
/// What the lines of switched coils are with no coil on; nothing for a board that makes its own currents.
std::optional<ExcitationRow> all_off(const Mechanism& mechanism) {
  const auto* const wiring = std::get_if<CoilWiring>(&mechanism.wiring);
  if (wiring == nullptr) return std::nullopt;
  ExcitationRow row;
  row.high = coil_levels(*wiring, 0);
  std::vector<std::int64_t> numbers;
  for (const DrivenLine& coil : wiring->coils) numbers.push_back(coil.number);
  std::sort(numbers.begin(), numbers.end());
  for (std::size_t i = 0; i < row.high.size(); ++i)
    if (row.high[i]) row.port |= port_bit(numbers[i]);
  return row;
}
}  // namespace

std::string sequence_text(const Mechanism& mechanism, const Excitation& excitation, bool backwards) {
  std::string text = headline(mechanism, excitation) + "\n\n";
  const auto out = std::back_inserter(text);
  const std::optional<double> peak = peak_current(mechanism);
  std::string head = fmt::format("  {:>4}  {:>9}", "step", "field");
  for (const Excitation::Line& line : excitation.lines)
    head += fmt::format("  {:>12}", fmt::format("{} {}", line.use, line_name(line.number)));
  if (!excitation.lines.empty()) head += fmt::format("  {:>6}", "port");
  if (peak) head += fmt::format("  {:>9}  {:>9}  {:>8}", "coil A", "coil B", "off by");
  text += head + "\n";
  for (const ExcitationRow& row : in_order(excitation, backwards)) {
    fmt::format_to(out, "  {:>4}  {:>9}", row.step, fmt::format("{:.4g} deg", row.ideal_angle));
    for (const bool high : row.high) fmt::format_to(out, "  {:>12}", high ? 1 : 0);
    if (!row.high.empty()) fmt::format_to(out, "  {:>6}", fmt::format("{:#x}", row.port));
    if (peak) {
      double off = row.angle - row.ideal_angle;
      if (off > 180.0) off -= 360.0;
      if (off < -180.0) off += 360.0;
      fmt::format_to(out, "  {:>9}  {:>9}  {:>8}", fmt::format("{:+.3f} A", row.current_a * *peak),
                     fmt::format("{:+.3f} A", row.current_b * *peak),
                     std::abs(off) < 1e-9 ? "0 deg" : fmt::format("{:+.2g} deg", off));
    }
    text += "\n";
  }
  if (const std::optional<ExcitationRow> off = all_off(mechanism)) {
    fmt::format_to(out, "  {:>4}  {:>9}", "off", "none");
    for (const bool high : off->high) fmt::format_to(out, "  {:>12}", high ? 1 : 0);
    fmt::format_to(out, "  {:>6}  no coil has current: write it before anything else, and last\n",
                   fmt::format("{:#x}", off->port));
  }
  const double mechanical =
      excitation.worst_error / 360.0 * 4.0 / static_cast<double>(mechanism.stepper().full_steps) * 360.0;
  text += "\n";
  if (excitation.worst_error < 1e-9) {
    text += "  the field turns by equal angles\n";
  } else {
    fmt::format_to(
        out,
        "  the field stands up to {:.3g} deg of an electrical turn off equal angles, {:.2g} deg of the "
        "motor\n",
        excitation.worst_error, mechanical);
  }
  if (excitation.still > 0)
    fmt::format_to(out, "  {} of {} steps do not move the field: the board has too few levels of current\n",
                   excitation.still, excitation.rows.size());
  return text;
}

std::string sequence_json(const Mechanism& mechanism, const Excitation& excitation, bool backwards) {
  nlohmann::ordered_json json;
  json["mechanism"] = mechanism.name;
  json["how"] = excitation.how;
  json["motor_step_deg"] = excitation.motor_step;
  json["worst_error_deg"] = excitation.worst_error;
  json["steps_that_stand_still"] = excitation.still;
  json["lines"] = nlohmann::ordered_json::array();
  for (const Excitation::Line& line : excitation.lines)
    json["lines"].push_back({{"line", line_json(line.number)}, {"use", line.use}});
  json["rows"] = nlohmann::ordered_json::array();
  for (const ExcitationRow& row : in_order(excitation, backwards)) {
    nlohmann::ordered_json each{
        {"step", row.step},         {"ideal_angle_deg", row.ideal_angle}, {"angle_deg", row.angle},
        {"field_share", row.field}, {"current_a_share", row.current_a},   {"current_b_share", row.current_b}};
    if (!row.high.empty()) {
      each["levels"] = row.high;
      each["port"] = row.port;
    }
    json["rows"].push_back(std::move(each));
  }
  if (const std::optional<ExcitationRow> off = all_off(mechanism))
    json["all_off"] = {{"levels", off->high}, {"port", off->port}};
  return json.dump(2) + "\n";
}

void draw_sequence(const std::string& path, const Mechanism& mechanism, const Excitation& excitation,
                   bool backwards) {
  draw_figure(path, [&](const std::string& terminal, const std::string& output) {
    return SequenceFigure(mechanism, excitation, backwards).commands(terminal, output);
  });
}

}  // namespace cogstride
