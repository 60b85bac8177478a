#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <iterator>
#include <map>

#include "cogstride/export/write_program.hpp"
#include "cogstride/link/link_map.hpp"

namespace cogstride {
namespace {

class LinkFirmwareWriter {
 public:
  LinkFirmwareWriter(const MadeProgram& made, const std::string& header)
      : made_(made), map_(link_map(*made.rig)), header_(header) {}

  std::string text() {
    add("// {}: plays what a computer plans, over its serial line (docs/link.md). Made by `cogstride export` "
        "from {}.\n#include \"{}\"\n\nnamespace {} {{\n\n",
        made_.rig->name, made_.rig_file, header_, made_.parts.name);
    for (const ChipAxis& axis : made_.parts.axes)
      add("namespace {} {{\nstatic chip::StepAxis<Channel, 32> steps;\n}}\n", axis.name);
    const double baud = static_cast<double>(made_.rig->controller.small_chip->serial_baud);
    const double clock = made_.rig->controller.timer_clock.base().to_double();
    const long per_bit = std::max(1L, std::lround(clock / 8.0 / baud));
    add("typedef chip::avr8::SerialRings<{}, 128, 64> Serial;  // {:.0f} baud\n\n", per_bit,
        clock / 8.0 / static_cast<double>(per_bit));
    for (std::size_t i = 0; i < map_.counters.size(); ++i)
      add("static chip::LinkCount count_{};  // {}\n", i, map_.counters[i].name);
    duties();
    machine();
    add("static chip::LinkNode<Machine> node;\n");
    interrupts();
    main_part();
    add("}}  // namespace {0}\n\nint main() {{\n  {0}::run();\n}}\n", made_.parts.name);
    return std::move(text_);
  }

 private:
  template <class... Values>
  void add(fmt::format_string<Values...> form, Values&&... values) {
    fmt::format_to(std::back_inserter(text_), form, std::forward<Values>(values)...);
  }
  template <class Form>
  void each_axis(Form form) {
    for (std::size_t i = 0; i < made_.parts.axes.size(); ++i) form(i, made_.parts.axes[i]);
  }

  /// With its place among those of the frame.
  template <class Form>
  void each_duty(Form form) {
    std::size_t in_frame = 0;
    for (const LinkDuty& duty : map_.duties) {
      form(duty, in_frame);
      if (duty.by == LinkDuty::By::frame) ++in_frame;
    }
  }
  static std::string duty_text(const LinkDuty& duty) {
    return fmt::format("chip::avr8::OutputDuty<{}, {}, {}>", duty.by == LinkDuty::By::first_output,
                       duty.rest_high, duty.period / duty.grain);
  }
  [[nodiscard]] const LinkDuty* of_timer() const {
    for (const LinkDuty& duty : map_.duties)
      if (duty.by != LinkDuty::By::frame) return &duty;
    return nullptr;
  }
  /// The compare that no axis takes.
  [[nodiscard]] bool frame_takes_first() const { return !made_.parts.axes.front().is_first; }

  /// Pulses one after another in a frame.
  void duties() {
    if (!map_.has_frame()) return;
    std::string writes;
    std::size_t count = 0;
    Tick period = 0;
    each_duty([&](const LinkDuty& duty, std::size_t in_frame) {
      if (duty.by != LinkDuty::By::frame) return;
      writes += fmt::format("    if (which == {}) chip::avr8::Pin<'{}', {}>::write({}high);  // {}\n",
                            in_frame, duty.pin.port, duty.pin.bit, duty.rest_high ? "!" : "", duty.owner);
      ++count;
      period = duty.period;
    });
    add("struct FramePins {{\n  static void write(uint8_t which, bool high) {{\n{}  }}\n}};\n"
        "typedef chip::avr8::Compare<{}> FrameTiming;\n"
        "static chip::ServoFrame<{}, FrameTiming, FramePins> frame({});\n",
        writes, frame_takes_first(), count, period);
  }

  void machine() {
    add("/// What the link has to do with.\nstruct Machine {{\n"
        "  typedef chip::StepAxis<{}::Channel, 32>::Runs Runs;\n  typedef chip::avr8::Lock Lock;\n"
        "  static constexpr uint8_t axes = {};\n  static constexpr uint8_t counters = {};\n  static "
        "constexpr uint8_t loops = {};\n"
        "  static constexpr bool has_duties = {};\n  static constexpr uint8_t run_room = 31;\n"
        "  static constexpr uint32_t ticks_per_second = F_CPU;\n"
        "  static constexpr uint32_t mark = {:#010x};  // of the rig's lines and figures\n",
        made_.parts.axes.front().name, made_.parts.axes.size(), map_.counters.size(), map_.loops.size(),
        !map_.duties.empty(), map_.mark);
    add("  static Runs& runs(uint8_t which) {{\n    switch (which) {{\n");
    each_axis([&](std::size_t i, const ChipAxis& axis) {
      if (i > 0) add("      case {}:\n        return {}::steps;\n", i, axis.name);
    });
    add("      default:\n        return {}::steps;\n    }}\n  }}\n"
        "  static bool start_at(uint8_t which, uint16_t tick, uint16_t fraction) {{\n    switch (which) {{\n",
        made_.parts.axes.front().name);
    each_axis([&](std::size_t i, const ChipAxis& axis) {
      if (i > 0) add("      case {}:\n        return {}::steps.start_at(tick, fraction);\n", i, axis.name);
    });
    add("      default:\n        return {}::steps.start_at(tick, fraction);\n    }}\n  }}\n"
        "  static const chip::ChipLimits& limits(uint8_t which) {{\n    switch (which) {{\n",
        made_.parts.axes.front().name);
    each_axis([&](std::size_t i, const ChipAxis& axis) {
      if (i > 0) add("      case {}:\n        return {}::limits;\n", i, axis.name);
    });
    add("      default:\n        return {}::limits;\n    }}\n  }}\n", made_.parts.axes.front().name);
    add("  /// Rows begin with the first.\n  static void begin() {{\n");
    each_axis([&](std::size_t, const ChipAxis& axis) {
      if (axis.has_coils) add("    {}::Coils::cycle().begin(0);\n", axis.name);
    });
    for (std::size_t i = 0; i < map_.counters.size(); ++i)
      add("    {{\n      Lock lock;\n      count_{}.begin({});\n    }}\n", i,
          tracks_text(map_.counters[i], "PIN"));
    add("  }}\n  /// A line is its pin: 8 for each letter behind A, and its bit.\n"
        "  static void put(uint8_t line, bool high) {{\n    switch (line) {{\n");
    for (const LinkMap::Line& line : map_.lines)
      if (line.use == LinkMap::Use::output)
        add("      case {}:  // {}\n        chip::avr8::Pin<'{}', {}>::write(high);\n        break;\n",
            line.code, line.name, line.pin.port, line.pin.bit);
    add("      default:\n        break;\n    }}\n  }}\n  static void rest() {{\n");
    for (const LinkMap::Line& line : map_.lines)
      if (line.use == LinkMap::Use::output)
        add("    chip::avr8::Pin<'{}', {}>::write({});\n", line.pin.port, line.pin.bit, line.rest_high);
    each_axis([&](std::size_t, const ChipAxis& axis) {
      if (!axis.has_coils) add("    {}::Channel::direction(true);\n", axis.name);
    });
    each_duty([&](const LinkDuty& duty, std::size_t in_frame) {
      if (duty.by != LinkDuty::By::frame)
        add("    {}::write(0);\n", duty_text(duty));
      else
        add("    {{\n      Lock lock;\n      frame.set({}, 0);\n    }}\n", in_frame);
    });
    add("  }}\n  static bool read(uint8_t line) {{\n    switch (line) {{\n");
    for (const LinkMap::Line& line : map_.lines)
      if (line.use == LinkMap::Use::input)
        add("      case {}:\n        return chip::avr8::Pin<'{}', {}>::read();\n", line.code, line.pin.port,
            line.pin.bit);
    add("      default:\n        return false;\n    }}\n");
    add("  }}\n  template <class Out>\n  static void tell_inputs(Out& out) {{\n");
    for (const LinkMap::Line& line : map_.lines)
      if (line.use == LinkMap::Use::input)
        add("    out.byte(static_cast<uint8_t>({} | (chip::avr8::Pin<'{}', {}>::read() ? 0x80 : 0)));\n",
            line.code, line.pin.port, line.pin.bit);
    add("    (void)out;\n  }}\n"
        "  static uint32_t now() {{ return chip::avr8::LongTime::now(); }}\n"
        "  static uint16_t ms() {{ return chip::avr8::Clock::now(); }}\n"
        "  static bool has_byte() {{ return Serial::has_byte(); }}\n"
        "  static uint8_t byte() {{ return Serial::byte(); }}\n"
        "  static uint8_t send_room() {{ return Serial::send_room(); }}\n"
        "  static void send(uint8_t byte) {{ Serial::send(byte); }}\n"
        "  static void put_duty(uint8_t line, uint16_t on) {{\n    switch (line) {{\n");
    each_duty([&](const LinkDuty& duty, std::size_t in_frame) {
      add("      case {}:  // {}\n", *link_code(duty.line), duty.owner);
      if (duty.by != LinkDuty::By::frame) {
        add("        {}::write(on);\n        break;\n", duty_text(duty));
      } else {
        add("        {{\n          Lock lock;\n          frame.set({}, on);\n        }}\n        break;\n",
            in_frame);
      }
    });
    add("      default:\n        (void)on;\n        break;\n    }}\n  }}\n"
        "  static uint32_t told_count(uint8_t which, uint32_t now) {{\n    Lock lock;\n");
    for (std::size_t i = 0; i < map_.counters.size(); ++i)
      add("    if (which == {0}) return count_{0}.told(now);\n", i);
    add("    (void)which;\n    (void)now;\n    return 0;\n  }}\n"
        "  static void convert(uint8_t channel) {{ chip::avr8::Analogue::ask(channel); }}\n"
        "  static bool has_code() {{ return chip::avr8::Analogue::is_ready(); }}\n"
        "  static uint16_t code() {{ return chip::avr8::Analogue::code(); }}\n}};\n");
  }

  /// Its two tracks. @param port  "PIN": as they are now, or where they have been read already
  static std::string tracks_text(const LinkMap::Counter& counter, const std::string& port) {
    const std::string from = port == "PIN" ? port + counter.a.port : port;
    return fmt::format(
        "static_cast<uint8_t>((({0} & {1:#04x}) != 0 ? 1 : 0) | (({0} & {2:#04x}) != 0 ? 2 : 0))", from,
        1 << counter.a.bit, 1 << counter.b.bit);
  }

  void interrupts() {
    each_axis([&](std::size_t, const ChipAxis& axis) {
      add("\nCOGSTRIDE_STEP_INTERRUPT(TIMER1_COMP{}_vect, {}::steps)", axis.is_first ? 'A' : 'B', axis.name);
    });
    if (map_.has_frame())
      add("\nISR(TIMER1_COMP{}_vect) {{\n  frame.on_compare();\n}}\n", frame_takes_first() ? 'A' : 'B');
    add("\nISR(TIMER1_OVF_vect) {{\n  chip::avr8::LongTime::turned();\n}}\n"
        "ISR(TIMER2_COMPA_vect) {{\n  chip::avr8::Clock::tick();\n}}\n"
        "ISR(USART_RX_vect) {{\n  Serial::came();\n}}\nISR(USART_UDRE_vect) {{\n  Serial::goes();\n}}\n");
    std::map<char, std::string> by_port;
    for (std::size_t i = 0; i < map_.counters.size(); ++i) {
      const LinkMap::Counter& counter = map_.counters[i];
      by_port[counter.a.port] +=
          fmt::format("  if ((changed & {:#04x}) != 0) count_{}.edge({}, at);  // {}\n",
                      1 << counter.a.bit | 1 << counter.b.bit, i, tracks_text(counter, "now"), counter.name);
    }
    for (const LinkMap::Line& line : map_.lines) {
      if (line.use != LinkMap::Use::input) continue;
      by_port[line.pin.port] +=
          fmt::format("  if ((changed & {0:#04x}) != 0) node.edge({1}, (now & {0:#04x}) != 0, at);  // {2}\n",
                      1 << line.pin.bit, line.code, line.name);
    }
    for (const auto& [port, does] : by_port)
      add("static uint8_t was_{0} = 0;\nISR(PCINT{1}_vect) {{\n  const uint32_t at = Machine::now();\n"
          "  const uint8_t now = PIN{2};\n  const uint8_t changed = static_cast<uint8_t>(now ^ was_{0});\n"
          "  was_{0} = now;\n{3}{4}}}\n",
          static_cast<char>(port + 32),
          port == 'B'   ? 0
          : port == 'C' ? 1
                        : 2,
          port, does, catch_up_text(made_.parts));
  }

  void main_part() {
    add("\nstatic void run() {{\n  // Off comes first.\n");
    for (const LinkMap::Line& line : map_.lines)
      if (line.use == LinkMap::Use::output || line.use == LinkMap::Use::duty)
        add("  chip::avr8::Pin<'{0}', {1}>::write({2});\n  chip::avr8::Pin<'{0}', {1}>::output();\n",
            line.pin.port, line.pin.bit, line.rest_high);
    each_axis([&](std::size_t, const ChipAxis& axis) {
      if (!axis.has_coils) add("  {}::Channel::begin();\n", axis.name);
    });
    std::map<char, int> watched;
    for (const LinkMap::Line& line : map_.lines) {
      if (line.use != LinkMap::Use::input && line.use != LinkMap::Use::counted) continue;
      if (line.pull_up)
        add("  chip::avr8::Pin<'{}', {}>::write(true);  // its pull-up\n", line.pin.port, line.pin.bit);
      watched[line.pin.port] |= 1 << line.pin.bit;
    }
    add("  chip::avr8::Timer::begin();\n  chip::avr8::LongTime::begin();\n  chip::avr8::Clock::begin();\n"
        "  chip::avr8::Analogue::begin();\n  Serial::begin();\n");
    if (const LinkDuty* const duty = of_timer())
      add("  chip::avr8::Periods<{}, {}>::begin();\n", duty->grain, duty->period / duty->grain);
    if (map_.has_frame()) add("  frame.begin(1000);\n  FrameTiming::on();\n");
    for (const auto& [port, bits] : watched)
      add("  was_{} = PIN{};\n  chip::avr8::Changes<'{}', {:#04x}>::begin();\n", static_cast<char>(port + 32),
          port, port, bits);
    add("  sei();\n  for (;;) node.serve();\n}}\n");
  }

  const MadeProgram& made_;
  LinkMap map_;
  std::string header_;
  std::string text_{};
};

}  // namespace

std::string link_firmware_text(const MadeProgram& made, const std::string& header) {
  return LinkFirmwareWriter(made, header).text();
}

}  // namespace cogstride
