#include "cogstride/export/write_tables.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <iterator>

#include "cogstride/chip/coils.hpp"
#include "cogstride/plan/excitation.hpp"
#include "cogstride/plan/narrow_plan.hpp"
#include "cogstride/quantity/error.hpp"

namespace cogstride {
namespace {

constexpr std::int64_t turn_of_timer = 65'536;

/// Of each step of a table, whether it goes backwards.
std::vector<bool> ways_of(const RunTable& table) {
  std::vector<bool> backwards;
  for (const chip::NarrowPulseRun& run : table.runs)
    if ((run.flags & chip::run_silent) == 0)
      backwards.insert(backwards.end(), run.steps, (run.flags & chip::run_backwards) != 0);
  return backwards;
}

class TableWriter {
 public:
  TableWriter(const MadeProgram& made, TableForm form)
      : made_(made), form_(form), clock_(made.rig->controller.timer_clock.base().to_double()) {
    if (form != TableForm::overflows) return;
    const std::optional<ExactTime>& grain = made.rig->controller.interval_resolution;
    if (!grain)
      throw RangeError(
          "overflows: the rig's controller says no interval_resolution, and steps come on any tick: "
          "--as intervals, or interval_resolution = \"1024 us\" (256 counts of 4 us)");
    grain_ = (grain->base() * made.rig->controller.timer_clock.base()).rounded();
  }

  std::string text() {
    add("// {}{}: made by `cogstride export --table` from {}.\n// Motions of its script, one array each: ",
        made_.rig->name, made_.script_file.empty() ? "" : ", " + made_.script_file, made_.rig_file);
    switch (form_) {
      case TableForm::intervals:
        add("ticks of {:.9g} MHz from its begin to the first step, and from each\n// step to the next.\n",
            1e-6 * clock_);
        break;
      case TableForm::compares:
        add("for each step the whole turns of a 16-bit counter at {:.9g} MHz\n// that pass first, and the "
            "value at "
            "which its compare matches; the counter stands at 0 at the begin.\n",
            1e-6 * clock_);
        break;
      case TableForm::overflows:
        add("overflows of a timer, {:.9g} us each, from its begin to the first\n// step, and from each step "
            "to the "
            "next.\n",
            1e6 * static_cast<double>(grain_) / clock_);
        break;
    }
    add("// A step backwards has 1 in its last place, one forwards 0.\n");
    for (std::size_t i = 0; i < made_.program.tables.size(); ++i) motion(i);
    if (first_.empty())
      throw RangeError("the script moves nothing that is known ahead: there is no table to write");
    for (const ChipAxis& axis : made_.parts.axes)
      if (axis.has_coils) ring(axis);
    std::string text = std::exchange(text_, {});
    const std::size_t head = text.find("\n\n");
    add("\n// How it is used, a motion of {}:\n//\n", made_.parts.axes[first_axis_].name);
    use();
    const std::string uses = std::exchange(text_, {});
    return text.substr(0, head + 1) + uses +
           "#pragma once\n\n#include <avr/io.h>\n#include <avr/pgmspace.h>\n#include <stdint.h>\n#include "
           "<util/delay.h>\n" +
           text.substr(head + 1);
  }

 private:
  template <class... Values>
  void add(fmt::format_string<Values...> form, Values&&... values) {
    fmt::format_to(std::back_inserter(text_), form, std::forward<Values>(values)...);
  }

  void motion(std::size_t place) {
    const RunTable& table = made_.program.tables[place];
    const std::vector<chip::Tick> ticks = played_ticks(table.runs);
    const std::vector<bool> backwards = ways_of(table);
    if (ticks.empty()) return;
    const std::string name = fmt::format("{}_{}", made_.parts.axes[table.axis].name, place + 1);
    if (first_.empty()) {
      first_ = name;
      first_axis_ = table.axis;
    }
    add("\n// {}: {} steps in {:.4f} s, up to {:.0f} steps/s\n", table.what, table.steps, table.seconds,
        table.top_rate);
    add("struct {}_step {{ ", name);
    switch (form_) {
      case TableForm::intervals:
        add("uint32_t ticks; ");
        break;
      case TableForm::compares:
        add("uint16_t turns, compare; ");
        break;
      case TableForm::overflows:
        add("uint16_t overflows; ");
        break;
    }
    add("uint8_t backwards; }};\n#define {0}_steps {1}u\nstatic const struct {0}_step {0}[{0}_steps] PROGMEM "
        "= {{",
        name, ticks.size());
    std::int64_t last = 0;
    for (std::size_t k = 0; k < ticks.size(); ++k) {
      const std::int64_t at = ticks[k];
      add("{}{{", k % 8 == 0 ? "\n    " : " ");
      switch (form_) {
        case TableForm::intervals:
          add("{}", at - last);
          break;
        case TableForm::compares:
          add("{}, {}", (at - last - 1) / turn_of_timer, at % turn_of_timer);
          break;
        case TableForm::overflows:
          add("{}", overflows(at - last, table));
          break;
      }
      add(", {}}},", backwards[k] ? 1 : 0);
      last = at;
    }
    add("\n}};\n");
  }

  [[nodiscard]] std::int64_t overflows(std::int64_t ticks, const RunTable& table) const {
    const std::int64_t count = (ticks + grain_ / 2) / grain_;
    if (count < 1 || count > 65'535 || std::abs(count * grain_ - ticks) > 1)
      throw RangeError(
          fmt::format("{}: {:.6g} us from a step to the next, which is no whole number of overflows",
                      table.what, 1e6 * static_cast<double>(ticks) / clock_));
    return count;
  }

  /// The bytes of its port, row by row.
  void ring(const ChipAxis& axis) {
    const chip::Stepping stepping = coil_stepping(*axis.mechanism);
    add("\n// {}: the bits of port {} for each of its eight rows; a step forwards is the next one.\n"
        "static const uint8_t {}_rows[8] = {{",
        axis.mechanism->name, axis.coils.front().pin.port, axis.name);
    for (std::int32_t step = 0; step < 8; ++step) {
      const std::uint8_t row = chip::coil_row(stepping, step);
      int value = 0;
      for (std::size_t i = 0; i < 4; ++i)
        if (((row >> i & 1) != 0) == axis.coils[i].active_high) value |= 1 << axis.coils[i].pin.bit;
      add("{}{:#04x}", step == 0 ? "" : ", ", value);
    }
    add("}};\n#define {}_mask {:#04x}\n", axis.name, mask_of(axis));
  }
  [[nodiscard]] static int mask_of(const ChipAxis& axis) {
    int mask = 0;
    for (const PartLine& coil : axis.coils) mask |= 1 << coil.pin.bit;
    return mask;
  }

  /// Ten lines that make the first motion.
  void use() {
    const ChipAxis& axis = made_.parts.axes[first_axis_];
    std::string step;
    std::string begin;
    if (axis.has_coils) {
      const char port = axis.coils.front().pin.port;
      begin = fmt::format("DDR{} |= {}_mask", port, axis.name);
      step = fmt::format(
          "row += pgm_read_byte(&{0}[i].backwards) ? 7 : 1; PORT{1} = (PORT{1} & ~{2}_mask) | {2}_rows[row & "
          "7]",
          first_, port, axis.name);
    } else {
      const bool backwards_high = !axis.dir.active_high;
      begin = fmt::format("DDR{} |= 1 << {}; DDR{} |= 1 << {}", axis.step.pin.port, axis.step.pin.bit,
                          axis.dir.pin.port, axis.dir.pin.bit);
      step = fmt::format("PORT{0} |= 1 << {1}; _delay_us({2}); PORT{0} &= ~(1 << {1})", axis.step.pin.port,
                         axis.step.pin.bit,
                         1 + std::lround(std::ceil(
                                 1e6 * std::get<StepDirBoard>(axis.mechanism->board).shortest_high.base())));
      turn_ =
          fmt::format("if ({}pgm_read_byte(&{}[i].backwards)) PORT{} |= 1 << {}; else PORT{} &= ~(1 << {})",
                      backwards_high ? "" : "!", first_, axis.dir.pin.port, axis.dir.pin.bit,
                      axis.dir.pin.port, axis.dir.pin.bit);
      if (axis.enable)
        begin += fmt::format("; DDR{0} |= 1 << {1}; PORT{0} {2}= {3}(1 << {1})", axis.enable->pin.port,
                             axis.enable->pin.bit, axis.enable->active_high ? '|' : '&',
                             axis.enable->active_high ? "" : "~");
    }
    const bool has_row = axis.has_coils;
    add("//   int main(void) {{ uint16_t i;{} uint32_t left;\n//     {}; TCCR1A = 0; ",
        has_row ? " uint8_t row = 0;" : "", begin);
    switch (form_) {
      case TableForm::intervals:
        add("TCCR1B = 1 << CS10; TCNT1 = 0; OCR1A = 0;\n//     for (i = 0; i < {0}_steps; ++i) {{\n{1}"
            "//       for (left = pgm_read_dword(&{0}[i].ticks); left; left -= left > 60000 ? 30000 : left) "
            "{{\n"
            "//         OCR1A += left > 60000 ? 30000 : left; TIFR1 = 1 << OCF1A; while (!(TIFR1 & 1 << "
            "OCF1A));\n"
            "//       }}\n",
            first_, turn_line());
        break;
      case TableForm::compares:
        add("TCNT1 = 0; TCCR1B = 1 << CS10;\n//     for (i = 0; i < {0}_steps; ++i) {{\n{1}"
            "//       OCR1A = pgm_read_word(&{0}[i].compare); TIFR1 = 1 << OCF1A;\n"
            "//       for (left = pgm_read_word(&{0}[i].turns) + 1; left; --left) {{ while (!(TIFR1 & 1 << "
            "OCF1A)); "
            "TIFR1 = 1 << OCF1A; }}\n",
            first_, turn_line());
        break;
      case TableForm::overflows: {
        const std::int64_t prescaler = grain_ / 256;
        add("TCNT0 = 0; TCCR0B = {2}; TIFR0 = 1 << TOV0;  // {3} cycles a count\n"
            "//     for (i = 0; i < {0}_steps; ++i) {{\n{1}"
            "//       for (left = pgm_read_word(&{0}[i].overflows); left; --left) {{ while (!(TIFR0 & 1 << "
            "TOV0)); "
            "TIFR0 = 1 << TOV0; }}\n",
            first_, turn_line(), clock_select(prescaler), prescaler);
        break;
      }
    }
    add("//       {};\n//     }}\n//   }}\n", step);
  }
  [[nodiscard]] std::string turn_line() const { return turn_.empty() ? "" : "//       " + turn_ + ";\n"; }
  static const char* clock_select(std::int64_t prescaler) {
    switch (prescaler) {
      case 1:
        return "1 << CS00";
      case 8:
        return "1 << CS01";
      case 64:
        return "1 << CS01 | 1 << CS00";
      case 256:
        return "1 << CS02";
      case 1024:
        return "1 << CS02 | 1 << CS00";
      default:
        throw RangeError(
            "overflows: interval_resolution is no 256 counts of an 8-bit timer that counts each 1st, 8th, "
            "64th, "
            "256th or 1024th tick");
    }
  }

  const MadeProgram& made_;
  TableForm form_;
  double clock_;
  std::int64_t grain_ = 1;
  std::string first_{};
  std::size_t first_axis_ = 0;
  std::string turn_{};
  std::string text_{};
};

}  // namespace

std::string table_text(const MadeProgram& made, TableForm form) {
  return TableWriter(made, form).text();
}

}  // namespace cogstride
