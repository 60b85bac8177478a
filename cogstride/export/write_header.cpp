#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <initializer_list>
#include <iterator>
#include <utility>

#include "cogstride/chip/coils.hpp"
#include "cogstride/export/chip_memory.hpp"
#include "cogstride/export/write_program.hpp"
#include "cogstride/link/link_map.hpp"
#include "cogstride/plan/excitation.hpp"
#include "cogstride/plan/move.hpp"
#include "cogstride/plan/small_chip.hpp"
#include "cogstride/quantity/text.hpp"

namespace cogstride {
namespace {

const char* const does_names[] = {"end",      "home",   "hold",         "play",     "pause",     "wait_on",
                                  "wait_off", "put_on", "put_off",      "later_on", "later_off", "repeat",
                                  "go_back",  "go_to",  "look",         "if_on",    "if_off",    "if_after",
                                  "follow",   "let_go", "wait_followed"};

std::string pin_text(const PartLine& line) {
  return fmt::format("chip::avr8::Pin<'{}', {}>", line.pin.port, line.pin.bit);
}
/// One that is on where `write(true)` says so.
std::string on_text(const PartLine& line) {
  return line.active_high ? pin_text(line) : fmt::format("chip::avr8::Not<{}>", pin_text(line));
}

class HeaderWriter {
 public:
  explicit HeaderWriter(const MadeProgram& made) : made_(made) {}

  std::string text() {
    head();
    for (const ChipAxis& axis : made_.parts.axes) axis_part(axis);
    if (made_.is_linked) {
      add("\n}}  // namespace {}\n", made_.parts.name);
      return std::move(text_);
    }
    for (const ChipInput& input : made_.parts.inputs) input_part(input);
    for (const ChipInput& stop : made_.parts.stops) input_part(stop);
    for (std::size_t i = 0; i < made_.parts.hands.keys.size(); ++i)
      input_part({made_.parts.hands.keys[i].name, made_.parts.key_lines[i]});
    for (const ChipInput& output : made_.parts.outputs) output_part(output);
    for (const ChipParts::Leader& leader : made_.parts.leaders)
      add("\n// The tracks of its encoder.\nstruct {} {{\n  static uint8_t tracks() {{\n"
          "    return static_cast<uint8_t>(({}::read() ? 1 : 0) | ({}::read() ? 2 : 0));\n  }}\n}};\n",
          leader.name, pin_text(leader.a), pin_text(leader.b));
    tables();
    script();
    add("\n}}  // namespace {}\n", made_.parts.name);
    return std::move(text_);
  }

 private:
  template <class... Values>
  void add(fmt::format_string<Values...> form, Values&&... values) {
    fmt::format_to(std::back_inserter(text_), form, std::forward<Values>(values)...);
  }

  void head() {
    add("// {}{}: made by `cogstride export` from {}. Made anew when that changes.\n//\n", made_.rig->name,
        made_.script_file.empty() ? "" : ", " + made_.script_file, made_.rig_file);
    std::vector<RigLine> lines = rig_lines(*made_.rig);
    std::sort(lines.begin(), lines.end(),
              [](const RigLine& a, const RigLine& b) { return a.number < b.number; });
    for (const RigLine& line : lines)
      add("//   {:<4}{:<28}{}\n", line_name(line.number), line.owner + " " + line.use,
          !line.is_output                          ? "input"
          : line.driven.active == ActiveLevel::low ? "output, low: on; rests high"
                                                   : "output, high: on; rests low");
    const ChipMemory memory = chip_memory(made_);
    add("//\n// Foretold: {} bytes of flash, {} of them what is played, of {}; {} bytes of RAM, and the "
        "stack, of {}.\n",
        memory.flash, memory.tables, made_.rig->controller.small_chip->flash_bytes, memory.ram,
        made_.rig->controller.small_chip->ram_bytes);
    // Nothing but what it needs.
    const auto has_coils = [](const ChipAxis& axis) { return axis.has_coils; };
    const bool any_coils = std::any_of(made_.parts.axes.begin(), made_.parts.axes.end(), has_coils);
    add("#pragma once\n\n");
    for (const auto& [header, is_needed] : std::initializer_list<std::pair<const char*, bool>>{
             {"driven_axis", !made_.is_linked},
             {"follower", !made_.parts.leaders.empty()},
             {"link_count", made_.is_linked && !link_map(*made_.rig).counters.empty()},
             {"link_node", made_.is_linked},
             {"servo_frame", made_.is_linked && link_map(*made_.rig).has_frame()},
             {"ports/avr8", true},
             {"row_channel", any_coils},
             {"script_play", !made_.is_linked},
             {"step_axis", true}})
      if (is_needed) add("#include \"cogstride/chip/{}.hpp\"\n", header);
    add("\nnamespace {} {{\n\nnamespace chip = cogstride::chip;\n", made_.parts.name);
  }

  static std::string limits_text(const RampLimits& limits) {
    const chip::ChipLimits own = chip_limits(limits);
    return fmt::format("{{{}, {}, {}}}", own.speed, own.start_speed, own.acceleration);
  }

  void axis_part(const ChipAxis& axis) {
    const Mechanism& mechanism = *axis.mechanism;
    const OutputKind kind = output_kind(mechanism.train);
    const double per_unit = steps_per_base(mechanism).to_double() / display_units_per_base(kind);
    add("\n// {}: {:.8g} steps a {}, up to {} = {:.0f} steps/s.\nnamespace {} {{\n", mechanism.name,
        std::abs(per_unit), display_unit(kind, 0), to_text(mechanism.limits.speed), axis.limits.speed,
        axis.name);
    if (axis.has_coils)
      coils_part(axis);
    else
      add("typedef chip::avr8::Step{}<{}> Channel;  // DIR {} is {}\n", axis.is_first ? 'A' : 'B',
          // It is written whether it goes backwards.
          axis.dir.active_high ? fmt::format("chip::avr8::Not<{}>", pin_text(axis.dir)) : pin_text(axis.dir),
          axis.dir.active_high ? "high" : "low", "forwards");
    if (!axis.has_coils) {
      add("struct Enable {{\n");
      if (axis.enable)
        add("  typedef {} Wire;\n  static void begin() {{\n    write(false);\n    Wire::output();\n  }}\n"
            "  static void write(bool on) {{ Wire::write(on); }}\n",
            on_text(*axis.enable));
      else
        add("  static void begin() {{}}\n  static void write(bool) {{}}  // its board is always on\n");
      add("}};\n");
    }
    if (made_.is_linked) {
      add("static const chip::ChipLimits limits = {};  // steps/s, at once, steps/s2\n}}  // namespace {}\n",
          limits_text(axis.limits), axis.name);
      return;
    }
    for (std::size_t i = 0; i < axis.ends.size(); ++i)
      sensor_part(fmt::format("end_{}_acts", i + 1).c_str(), axis.ends[i].line, axis.ends[i].name);
    sensor_part("sensor_acts", axis.sensor, axis.goal ? axis.goal->sensor.name : "");
    sensor_part("other_end_acts", axis.other, axis.goal && axis.goal->other ? axis.goal->other->name : "");
    figures_part(axis);
    add("}}  // namespace {}\n", axis.name);
  }

  void sensor_part(const char* name, const std::optional<PartLine>& line, const std::string& what) {
    if (!line)
      add("static bool {}() {{ return false; }}\n", name);
    else
      add("static bool {}() {{  // {}\n  return {}::read();\n}}\n", name, what, on_text(*line));
  }

  void coils_part(const ChipAxis& axis) {
    const char port = axis.coils.front().pin.port;
    int mask = 0;
    int off = 0;
    for (const PartLine& coil : axis.coils) {
      mask |= 1 << coil.pin.bit;
      if (!coil.active_high) off |= 1 << coil.pin.bit;
    }
    std::string values;
    for (int row = 0; row < 16; ++row) {
      int value = off;
      for (std::size_t i = 0; i < 4; ++i)
        if ((row >> i & 1) != 0) value ^= 1 << axis.coils[i].pin.bit;
      values += fmt::format("{}{:#04x}", row == 0 ? "" : ", ", value);
    }
    const chip::Stepping stepping = coil_stepping(*axis.mechanism);
    std::string rows;
    for (std::int32_t step = 0; step < 8; ++step)
      rows += fmt::format("{}{}", step == 0 ? "" : ", ", chip::coil_row(stepping, step));
    add("// Rows: a plus, a minus, b plus, b minus are bits 0 to 3. Each is one write of port {}.\n"
        "static const uint8_t rows[8] = {{{}}};\nstatic const uint8_t port_values[16] = {{{}}};\n"
        "struct Coils {{\n"
        "  COGSTRIDE_IN_INTERRUPT static chip::RowCycle& cycle() {{\n    static chip::RowCycle all(rows, "
        "8);\n    return all;\n  "
        "}}\n"
        "  COGSTRIDE_IN_INTERRUPT static void write(uint8_t row) {{\n"
        "    PORT{} = static_cast<uint8_t>((PORT{} & {:#04x}) | port_values[row]);\n  }}\n"
        "  static void wait_dead_time() {{}}\n}};\n"
        "typedef chip::RowChannel<chip::avr8::Compare<{}>, Coils> Channel;\n"
        "struct Enable {{  // the coils of the row that it stands on, or none\n",
        port, rows, values, port, port, 0xff & ~mask, axis.is_first ? "true" : "false");
    add("  static void begin() {{\n    Coils::write(0);\n    DDR{} |= {:#04x};\n{}  }}\n", port, mask,
        axis.enable ? "    Wire::write(false);\n    Wire::output();\n" : "");
    if (axis.enable) add("  typedef {} Wire;\n", on_text(*axis.enable));
    add("  static void write(bool on) {{\n    Coils::write(on ? Coils::cycle().row() : 0);\n{}  }}\n}};\n",
        axis.enable ? "    Wire::write(on);\n" : "");
  }

  void figures_part(const ChipAxis& axis) {
    chip::HomingGoal<std::int64_t> goal;
    RampLimits fast = axis.limits;
    RampLimits slow = axis.limits;
    RampLimits creep = axis.limits;
    if (axis.goal) {
      goal = decided_by(*axis.goal);
      const Ratio per_base = steps_per_base(*axis.mechanism);
      goal.return_way = axis.stands_at - (axis.goal->edge_at.base * per_base).rounded();
      fast = axis.goal->fast;
      slow = axis.goal->slow;
      creep = axis.goal->creep;
      add("// Homing: {} steps to get in line, {} at the most to the {}, {} back, {} slowly to its edge, {} "
          "to where it "
          "stands.\n",
          goal.alignment_way, goal.approach_range, axis.goal->sensor.name, goal.back_off_range,
          goal.clear_range, goal.return_way);
    }
    add("static const chip::AxisFigures figures = {{\n"
        "    {{chip::HomingKind::{}, {}, {}, {}, false, {}, {}, {}, {}, 0, {}, 0, 1}},\n"
        "    {{{}, {}, {}}},  // fast, slow, creep: steps/s, at once, steps/s2\n"
        "    {},           // stands at, after homing\n    {}, {},  // travel\n    {},\n    {},  // steps/s "
        "by "
        "hand\n}};\n",
        goal.kind == chip::HomingKind::window ? "window" : "end_switch", goal.towards,
        goal.turns_round ? "true" : "false", goal.is_brief ? "true" : "false", goal.alignment_way,
        goal.approach_range, goal.back_off_range, goal.clear_range, goal.return_way, limits_text(fast),
        limits_text(slow), limits_text(creep), axis.stands_at, step_text(axis.least), step_text(axis.most),
        limits_text(axis.limits), axis.usual_speed);
  }
  static std::string step_text(std::int64_t step) {
    return step == INT32_MIN ? "INT32_MIN" : step == INT32_MAX ? "INT32_MAX" : fmt::format("{}", step);
  }

  void input_part(const ChipInput& input) {
    add("\nstruct {} {{\n  typedef {} Wire;\n  static bool acts() {{ return Wire::read(); }}\n}};\n",
        input.name, on_text(input.line));
  }
  void output_part(const ChipInput& output) {
    add("\nstruct {} {{\n  typedef {} Wire;\n  static void begin() {{\n    Wire::write(false);\n    "
        "Wire::output();\n  "
        "}}\n  static void write(bool on) {{ Wire::write(on); }}\n}};\n",
        output.name, on_text(output.line));
  }

  void tables() {
    for (std::size_t i = 0; i < made_.program.tables.size(); ++i) {
      const RunTable& table = made_.program.tables[i];
      if (table.steps != 0)
        add("\n// {}: {} steps in {:.4f} s, up to {:.0f} steps/s; {} runs of {{gap, change, bend, steps, "
            "flags}}\n",
            table.what, table.steps, table.seconds, table.top_rate, table.runs.size());
      else
        add("\n// {}\n",
            table.what.empty() ? fmt::format("{:.4f} s without a step", table.seconds) : table.what);
      add("namespace {} {{\nstatic const chip::NarrowPulseRun run_{}[] COGSTRIDE_IN_FLASH = {{",
          axis_name(table.axis), i + 1);
      for (std::size_t k = 0; k < table.runs.size(); ++k) {
        const chip::NarrowPulseRun& run = table.runs[k];
        add("{}{{{}u, {}, {}, {}, {}}},", k % 4 == 0 ? "\n    " : " ", run.gap, run.change, run.bend,
            run.steps, run.flags);
      }
      add("\n}};\n}}\n");
    }
  }
  [[nodiscard]] const std::string& axis_name(std::size_t axis) const { return made_.parts.axes[axis].name; }

  void script() {
    const std::size_t axes = made_.parts.axes.size();
    if (axes > 0 && !made_.program.stretches.empty()) {
      for (std::size_t i = 0; i < made_.program.stretches.size(); ++i)
        for (std::size_t axis = 0; axis < axes; ++axis) {
          const std::vector<std::size_t>& tables = made_.program.stretches[i].tables[axis];
          if (tables.empty()) continue;
          add("\nnamespace {} {{\nstatic const chip::RunPiece in_{}[] COGSTRIDE_IN_FLASH = {{",
              axis_name(axis), i);
          for (std::size_t k = 0; k < tables.size(); ++k)
            add("{}{{run_{}, {}}},", k % 4 == 0 ? "\n    " : " ", tables[k] + 1,
                made_.program.tables[tables[k]].runs.size());
          add("\n}};\n}}\n");
        }
      add("\n// What moves at once: pieces of each axis, and how many.\nstruct Stretch {{\n"
          "  const chip::RunPiece* pieces[{}];\n  uint8_t counts[{}];\n}};\n"
          "static const Stretch stretches[] COGSTRIDE_IN_FLASH = {{\n",
          axes, axes);
      for (std::size_t i = 0; i < made_.program.stretches.size(); ++i) {
        const ChipStretch& stretch = made_.program.stretches[i];
        std::string pieces;
        std::string counts;
        for (std::size_t axis = 0; axis < axes; ++axis) {
          const char* const comma = axis == 0 ? "" : ", ";
          const bool is_none = stretch.tables[axis].empty();
          pieces += comma + (is_none ? std::string("nullptr") : fmt::format("{}::in_{}", axis_name(axis), i));
          counts += comma + std::to_string(stretch.tables[axis].size());
        }
        add("    {{{{{}}}, {{{}}}}},  // {:.4f} s\n", pieces, counts, stretch.seconds);
      }
      add("}};\n");
    }
    add("\n// Step by step: what it does, which, how much (cogstride/chip/script_play.hpp).\n"
        "static const chip::ScriptStep script[] COGSTRIDE_IN_FLASH = {{\n");
    std::size_t number = 0;
    for (const ChipStep& step : made_.program.steps)
      add("    {{chip::ScriptDoes::{}, {}, {}}},  // {}{}{}\n",
          does_names[static_cast<std::size_t>(step.step.does)], step.step.which, step.step.much, number++,
          step.what.empty() ? "" : ": ", step.what);
    add("}};\n");
  }

  const MadeProgram& made_;
  std::string text_{};
};

}  // namespace

std::string header_text(const MadeProgram& made) {
  return HeaderWriter(made).text();
}

}  // namespace cogstride
