#include "cogstride/report/vcd_writer.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>

namespace cogstride {
namespace {

constexpr std::size_t flush_size = 1 << 16;

/// Identifier codes of printable characters: !, ", ... then two of them.
std::string wire_code(std::size_t index) {
  constexpr std::size_t letters = 94;
  std::string code;
  do {
    code += static_cast<char>('!' + index % letters);
    index /= letters;
  } while (index > 0);
  return code;
}

/// "traverse.step" lies in the scope "traverse" under the name "step".
std::pair<std::string, std::string> scope_and_name(const std::string& name) {
  const std::size_t dot = name.find('.');
  if (dot == std::string::npos) return {"rig", name};
  return {name.substr(0, dot), name.substr(dot + 1)};
}

}  // namespace

void VcdWriter::begin(const TraceLayout& layout) {
  half_units_per_tick_ = Ratio(2'000'000'000) / Ratio(unit_ns_) *
                         Ratio(layout.ticks_per_second_denominator, layout.ticks_per_second_numerator);
  last_quick_ = INT64_MAX / half_units_per_tick_.numerator() - half_units_per_tick_.denominator();
  buffer_ = fmt::format("$version Cog Stride $end\n$timescale {} ns $end\n", unit_ns_);
  std::string scope;
  std::string values;
  for (std::size_t i = 0; i < layout.lines.size(); ++i) {
    const TracedLine& line = layout.lines[i];
    const auto number = static_cast<std::size_t>(line.id);
    if (wire_of_line_.size() <= number) wire_of_line_.resize(number + 1, -1);
    wire_of_line_[number] = static_cast<std::int32_t>(i);
    wires_.push_back({wire_code(i)});
    const auto [in_scope, name] = scope_and_name(line.name);
    if (in_scope != scope) {
      if (!scope.empty()) buffer_ += "$upscope $end\n";
      buffer_ += fmt::format("$scope module {} $end\n", in_scope);
      scope = in_scope;
    }
    buffer_ += fmt::format("$var wire 1 {} {} $end\n", wires_[i].code, name);
    values += fmt::format("{}{}\n", line.starts_high ? 1 : 0, wires_[i].code);
  }
  if (!scope.empty()) buffer_ += "$upscope $end\n";
  buffer_ += "$enddefinitions $end\n#0\n$dumpvars\n" + values + "$end\n";
  stamped_ = 0;
}

/// The nearest time unit, half up: half units, plus one, halved.
std::int64_t VcdWriter::units(Tick at) const {
  const std::int64_t numerator = half_units_per_tick_.numerator();
  const std::int64_t denominator = half_units_per_tick_.denominator();
  if (at < last_quick_) return (at * numerator + denominator) / (2 * denominator);
  return static_cast<std::int64_t>((Ratio::Wide(at) * numerator + denominator) /
                                   (2 * Ratio::Wide(denominator)));
}

void VcdWriter::stamp(std::int64_t unit) {
  if (unit == stamped_) return;
  stamped_ = unit;
  char text[24];
  text[0] = '#';
  char* const end = std::to_chars(text + 1, text + sizeof text - 1, unit).ptr;
  *end = '\n';
  buffer_.append(text, static_cast<std::size_t>(end + 1 - text));
}

void VcdWriter::edge(Tick at, LineId line, bool high) {
  const auto number = static_cast<std::size_t>(line);
  if (number >= wire_of_line_.size() || wire_of_line_[number] < 0) return;
  Wire& wire = wires_[static_cast<std::size_t>(wire_of_line_[number])];
  std::int64_t unit = std::max(units(at), stamped_);
  if (unit <= wire.last) unit = wire.last + 1;
  stamp(unit);
  wire.last = unit;
  buffer_ += high ? '1' : '0';
  buffer_ += wire.code;
  buffer_ += '\n';
  if (buffer_.size() > flush_size) flush();
}

void VcdWriter::flush() {
  file_.write(buffer_);
  buffer_.clear();
}

void VcdWriter::end(Tick at) {
  stamp(std::max(units(at), stamped_ + 1));
  flush();
  file_.commit();
}

}  // namespace cogstride
