#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <iterator>
#include <map>
#include <set>

#include "cogstride/export/write_program.hpp"
#include "cogstride/plan/move.hpp"

namespace cogstride {
namespace {

class FirmwareWriter {
 public:
  FirmwareWriter(const MadeProgram& made, const std::string& header) : made_(made), header_(header) {}

  std::string text() {
    const auto& axes = made_.parts.axes;
    add("// {}: homes, plays its script, and says where it stands. Made by `cogstride export` from {}{}.\n",
        made_.rig->name, made_.rig_file, made_.script_file.empty() ? "" : " and " + made_.script_file);
    add("#include \"{}\"\n\n{}#include \"cogstride/chip/says.hpp\"\n\nnamespace {} {{\n\n", header_,
        has_hands() ? "#include \"cogstride/chip/hands.hpp\"\n" : "", made_.parts.name);
    for (const ChipAxis& axis : axes) {
      add("namespace {} {{\nstatic chip::StepAxis<Channel> steps;\n"
          "static chip::DrivenAxis<chip::StepAxis<Channel>::Runs, chip::avr8::ReadFlash> axis(steps, F_CPU, "
          "figures, "
          "{{Enable::write, sensor_acts, other_end_acts}});\n",
          axis.name);
      for (std::size_t i = 0; i < axis.ends.size(); ++i)
        add("static bool met_end_{} = false;  // {}\n", i + 1, axis.ends[i].name);
      if (follows(axis)) follower(axis);
      add("}}  // namespace {}\n", axis.name);
    }
    add("static volatile bool is_stopped = false;  // until a reset\n");
    if (has_hands()) add("static bool is_resting = false;  // until it is cleared\n");
    machine();
    hands();
    says();
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

  [[nodiscard]] bool follows(const ChipAxis& axis) const {
    const auto is_its = [&](const ChipLeading& each) { return &made_.parts.axes[each.axis] == &axis; };
    return std::any_of(made_.program.leadings.begin(), made_.program.leadings.end(), is_its);
  }
  [[nodiscard]] bool is_led(const ChipAxis& axis, const ChipParts::Leader& leader) const {
    const auto is_its = [&](const ChipLeading& each) {
      return &made_.parts.axes[each.axis] == &axis && each.shaft == leader.shaft;
    };
    return std::any_of(made_.program.leadings.begin(), made_.program.leadings.end(), is_its);
  }

  /// STEP by port writes, in the interrupt of a leader's tracks.
  void follower(const ChipAxis& axis) {
    const auto& board = std::get<StepDirBoard>(axis.mechanism->board);
    const double clock = made_.rig->controller.timer_clock.base().to_double();
    const auto cycles = [&](const Time& time) {
      return std::max(1L, std::lround(std::ceil(time.base() * clock)));
    };
    add("struct FollowChannel {{\n  static void step(bool high) {{ chip::avr8::Pin<'{}', {}>::write(high); "
        "}}\n"
        "  static void direction(bool backwards) {{ Channel::direction(backwards); }}\n"
        "  static void wait_direction() {{ __builtin_avr_delay_cycles({}); }}\n"
        "  static void wait_pulse() {{ __builtin_avr_delay_cycles({}); }}\n}};\n"
        "static chip::FollowTravel<FollowChannel> follower;\nstatic uint8_t leader = 0;  // by which it is "
        "led\n",
        axis.step.pin.port, axis.step.pin.bit, cycles(board.dir_steady_before), cycles(board.shortest_high));
    add("static void end_following() {{\n  if (!axis.is_lent()) return;\n"
        "  chip::avr8::Lock lock;\n  follower.end();\n  axis.take_back(follower.position(), "
        "!follower.is_held_up());\n"
        "}}\n"
        "static int32_t place() {{\n  if (!follower.is_on()) return axis.position();\n"
        "  chip::avr8::Lock lock;\n  return follower.position();\n}}\n");
  }

  void machine_follows() {
    const auto& program = made_.program;
    if (program.leadings.empty()) return;
    add("  static constexpr bool may_follow = true;\n");
    add("  static void follow(uint8_t, uint16_t which) {{\n    switch (which) {{\n");
    for (std::size_t i = 0; i < program.leadings.size(); ++i) {
      const ChipLeading& leading = program.leadings[i];
      const std::string& axis = made_.parts.axes[leading.axis].name;
      const auto leader =
          std::find_if(made_.parts.leaders.begin(), made_.parts.leaders.end(),
                       [&](const ChipParts::Leader& each) { return each.shaft == leading.shaft; });
      add("      case {0}: {{\n        {1}::end_following();\n        if (!{1}::axis.lend()) break;\n"
          "        {1}::follower.set_ratio({2}L, {3}L);\n        {1}::leader = {4};\n        "
          "chip::avr8::Lock lock;\n"
          "        {1}::Channel::off();\n"
          "        {1}::follower.begin({5}::tracks(), {1}::axis.position(), {1}::figures.least, "
          "{1}::figures.most);\n"
          "        break;\n      }}\n",
          i, axis, leading.steps, leading.counts, leader - made_.parts.leaders.begin(), leader->name);
    }
    add("      default:\n        break;\n    }}\n  }}\n  static void let_go(uint8_t which) {{\n");
    for (std::size_t i = 0; i < made_.parts.axes.size(); ++i)
      if (follows(made_.parts.axes[i]))
        add("    if (which == {}) {}::end_following();\n", i, made_.parts.axes[i].name);
    add("  }}\n  static bool has_followed(uint8_t axis, uint16_t which) {{\n    int32_t counted = 0;\n    "
        "{{\n"
        "      chip::avr8::Lock lock;\n");
    for (std::size_t i = 0; i < made_.parts.axes.size(); ++i)
      if (follows(made_.parts.axes[i]))
        add("      if (axis == {}) counted = {}::follower.counted();\n", i, made_.parts.axes[i].name);
    add("    }}\n    if (counted < 0) counted = -counted;\n    switch (which) {{\n");
    for (std::size_t i = 0; i < program.followed.size(); ++i)
      add("      case {}:\n        return counted >= {}L;\n", i, program.followed[i]);
    add("      default:\n        return true;\n    }}\n  }}\n");
  }

  /// One expression of each axis, put together.
  std::string of_each(const std::string& form, const char* between) const {
    std::string all;
    for (const ChipAxis& axis : made_.parts.axes)
      all += (all.empty() ? "" : between) + fmt::format(fmt::runtime(form), axis.name);
    return all;
  }

  void machine() {
    const auto& axes = made_.parts.axes;
    const bool plays = !made_.program.stretches.empty() && !axes.empty();
    add("\n/// What the script has to do with.\nstruct Machine{} {{\n"
        "  static chip::ScriptStep step(uint16_t at) {{ return chip::avr8::from_flash(script[at]); }}\n",
        made_.program.leadings.empty() ? " : chip::FollowsNothing" : "");
    add("  static void hold(uint8_t axes) {{\n");
    if (axes.empty()) add("    (void)axes;\n");
    for (std::size_t i = 0; i < axes.size(); ++i) {
      add("    if ((axes & {}) != 0) {}::axis.hold(true);\n", 1 << i, axes[i].name);
    }
    add("  }}\n  static void home(uint8_t axes, uint16_t now) {{\n");
    if (axes.empty()) add("    (void)axes;\n    (void)now;\n");
    for (std::size_t i = 0; i < axes.size(); ++i)
      add("    if ((axes & {}) != 0) {}::axis.home(now);\n", 1 << i, axes[i].name);
    add("    homed = axes;\n  }}\n  static bool is_homing(uint16_t) {{ return {}; }}\n",
        axes.empty() ? "false" : of_each("{}::axis.is_homing()", " || "));
    add("  static bool has_homed() {{ return {}; }}\n", axes.empty() ? std::string("true") : homed_text());
    add("  static void play(uint16_t which) {{\n");
    if (plays) {
      add("    const Stretch now = chip::avr8::from_flash(stretches[which]);\n");
      for (std::size_t i = 0; i < axes.size(); ++i)
        add("    if (now.counts[{0}] != 0) {1}::axis.load(now.pieces[{0}], now.counts[{0}]);\n", i,
            axes[i].name);
      add("    chip::avr8::Lock lock;\n    const uint16_t tick = static_cast<uint16_t>(TCNT1 + 4000);\n");
      for (std::size_t i = 0; i < axes.size(); ++i)
        add("    if (now.counts[{}] != 0) {}::steps.start_at(tick);\n", i, axes[i].name);
    } else {
      add("    (void)which;\n");
    }
    add("  }}\n  static bool is_playing() {{ return {}; }}\n",
        axes.empty() ? "false" : of_each("{}::axis.is_playing()", " || "));
    std::string ended = of_each("{}::axis.has_been_ended()", " || ");
    for (const ChipAxis& axis : axes)
      if (follows(axis)) ended += fmt::format(" || {}::follower.is_held_up()", axis.name);
    add("  static bool has_been_ended() {{ return {}; }}\n", axes.empty() ? "false" : ended);
    machine_follows();
    add("  static bool acts(uint8_t input) {{\n");
    if (made_.parts.inputs.empty()) add("    (void)input;\n");
    for (std::size_t i = 0; i < made_.parts.inputs.size(); ++i)
      add("    if (input == {}) return {}::acts();\n", i, made_.parts.inputs[i].name);
    add("    return false;\n  }}\n  static void put(uint8_t output, bool on) {{\n");
    if (made_.parts.outputs.empty()) add("    (void)output;\n    (void)on;\n");
    for (std::size_t i = 0; i < made_.parts.outputs.size(); ++i)
      add("    if (output == {}) {}::write(on);\n", i, made_.parts.outputs[i].name);
    add("  }}\n  static uint8_t homed;\n}};\nuint8_t Machine::homed = 0;\nstatic chip::ScriptPlay<Machine> "
        "play_script;\n");
  }
  std::string homed_text() const {
    std::string all;
    for (std::size_t i = 0; i < made_.parts.axes.size(); ++i)
      all += fmt::format("{}((homed & {}) == 0 || {}::axis.knows_zero())", i == 0 ? "" : " && ", 1 << i,
                         made_.parts.axes[i].name);
    return all;
  }

  [[nodiscard]] bool has_hands() const {
    return !made_.parts.hands.keys.empty() || !made_.parts.hands.knobs.empty();
  }
  [[nodiscard]] std::set<std::size_t> moved_by_hand() const {
    std::set<std::size_t> axes;
    for (const ChipKnob& knob : made_.parts.hands.knobs) axes.insert(knob.axis);
    for (const ChipKey& key : made_.parts.hands.keys)
      for (const std::optional<ChipAct>& act : {key.on, key.off})
        if (act && !comes_first(*act) && act->does != ChipAct::Does::put) axes.insert(act->axis);
    return axes;
  }
  [[nodiscard]] static bool comes_first(const ChipAct& act) {
    return act.does == ChipAct::Does::rest_all || act.does == ChipAct::Does::clear;
  }
  [[nodiscard]] std::string does(const ChipAct& act, std::size_t who) const {
    using Does = ChipAct::Does;
    const std::string axis = made_.parts.axes.empty() ? "" : made_.parts.axes[act.axis].name + "::axis";
    const std::string speed = act.speed == 0 ? axis + ".usual()" : fmt::format("{}", act.speed);
    switch (act.does) {
      case Does::hold:
      case Does::spin:
        return fmt::format("{}.hold_on({}, {}, {});", axis, who, act.steps, speed);
      case Does::nudge:
        return fmt::format("{}.nudge({});", axis, act.steps);
      case Does::go_to:
        return fmt::format("{}.go_to({}, {});", axis, act.steps, speed);
      case Does::home:
        return fmt::format("if (!{0}.is_walking()) {0}.home(now);", axis);
      case Does::rest:
        return fmt::format("{}.rest();", axis);
      case Does::put:
        return fmt::format("{}::write({});", made_.parts.outputs[act.output].name, act.on);
      case Does::clear:
        return "is_resting = false;";
      case Does::rest_all:
        break;
    }
    std::string all = "chip::avr8::Lock lock; is_resting = true; play_script.stop(); ";
    for (const ChipAxis& each : made_.parts.axes)
      if (follows(each)) all += fmt::format("{}::end_following(); ", each.name);
    return all + of_each("{}::axis.rest_soon();", " ");
  }
  /// A statement of its own, where nothing forbids it.
  [[nodiscard]] std::string when_free(const ChipAct& act, std::size_t who) const {
    const std::string statement = does(act, who);
    return (comes_first(act) ? "{ " + statement + " }" : "if (is_free) " + statement) + "  // " + act.text;
  }

  void hands() {
    if (!has_hands()) return;
    const ChipHands& hands = made_.parts.hands;
    add("\n/// What the rig's keys and knobs do, once the script is over.\nstruct Hands {{\n"
        "  void look(uint16_t now) {{\n"
        "    const bool is_free = !play_script.is_on() && !is_resting;\n    (void)is_free;\n");
    for (std::size_t i = 0; i < hands.keys.size(); ++i) key(hands.keys[i], i);
    if (!hands.knobs.empty()) add("    if (chip::avr8::Analogue::is_ready()) look_at_knobs(is_free);\n");
    add("  }}\n\n");
    if (!hands.knobs.empty()) knobs();
    if (!hands.keys.empty()) {
      add("  chip::SteadyKey keys[{}] = {{", hands.keys.size());
      for (std::size_t i = 0; i < hands.keys.size(); ++i) {
        const double lasts = hands.keys[i].hand->debounce ? 1e3 * hands.keys[i].hand->debounce->base() : 10.0;
        add("{}chip::SteadyKey({})", i == 0 ? "" : ", ", std::clamp(std::lround(lasts), 1L, 255L));
      }
      add("}};  // ms\n");
      if (std::any_of(hands.keys.begin(), hands.keys.end(), [](const ChipKey& each) { return each.latched; }))
        add("  bool is_latched[{}] = {{}};\n", hands.keys.size());
    }
    add("}};\nstatic Hands hands;\n");
  }

  void key(const ChipKey& key, std::size_t i) {
    // A hold ends with the press.
    std::string off;
    if (key.off)
      off = when_free(*key.off, i + 1);
    else if (key.on && key.on->does == ChipAct::Does::hold)
      off = fmt::format("{}::axis.let_go({});", made_.parts.axes[key.on->axis].name, i + 1);
    const std::string on = key.on ? when_free(*key.on, i + 1) : std::string();
    add("    switch (keys[{}].look({}::acts(), now)) {{\n", i, key.name);
    if (key.latched) {
      add("      case 1:\n        is_latched[{0}] = !is_latched[{0}];\n        if (is_latched[{0}]) {{\n", i);
      if (!on.empty()) add("          {}\n", on);
      add("        }} else {{\n");
      if (!off.empty()) add("          {}\n", off);
      add("        }}\n        break;\n");
    } else {
      if (!on.empty()) add("      case 1:\n        {}\n        break;\n", on);
      if (!off.empty()) add("      case -1:\n        {}\n        break;\n", off);
    }
    add("      default:\n        break;\n    }}\n");
  }

  void knobs() {
    const std::vector<ChipKnob>& knobs = made_.parts.hands.knobs;
    add("  /// A code of each in turn, four times.\n  void look_at_knobs(bool is_free) {{\n"
        "    if (has_asked) sum = static_cast<uint16_t>(sum + chip::avr8::Analogue::code());\n"
        "    if (has_asked && ++codes == 4) {{\n      take(is_free);\n      codes = 0;\n      sum = 0;\n"
        "      knob = static_cast<uint8_t>(knob + 1 == {0} ? 0 : knob + 1);\n    }}\n    has_asked = true;\n"
        "    static const uint8_t channels[{0}] = {{",
        knobs.size());
    for (std::size_t i = 0; i < knobs.size(); ++i) add("{}{}", i == 0 ? "" : ", ", *knobs[i].hand->channel);
    add("}};\n    chip::avr8::Analogue::ask(channels[knob]);\n  }}\n  void take(bool is_free) {{\n"
        "    (void)is_free;\n    switch (knob) {{\n");
    for (std::size_t i = 0; i < knobs.size(); ++i) {
      const ChipKnob& knob = knobs[i];
      const std::string axis = made_.parts.axes[knob.axis].name + "::axis";
      add("      case {0}: {{  // {1}: {2}\n        const uint16_t much = scales[{0}].look({3});\n", i,
          knob.hand->name, knob.text,
          knob.hand->reversed ? fmt::format("static_cast<uint16_t>({} - sum)", 4 * 1023) : "sum");
      if (knob.does == ChipKnob::Does::usual_speed) {
        add("        {}.set_usual(much == 0 ? {} : much);\n", axis, knob.from);
      } else {
        // It has to have stood at nothing.
        add("        if (much == 0 || !is_free) is_known[{0}] = much == 0;\n        if (!is_known[{0}] || "
            "!is_free || much == "
            "was[{0}]) break;\n        was[{0}] = much;\n",
            i);
        if (knob.does == ChipKnob::Does::spin)
          add("        if (much == 0)\n          {0}.let_go({1});\n        else\n          {0}.hold_on({1}, "
              "{2}, "
              "much);\n",
              axis, 100 + i, knob.to < 0 ? -1 : 1);
        else
          add("        {}.go_to({}{} {} static_cast<int32_t>(much), {}.usual());\n", axis, knob.from, "L",
              knob.to < knob.from ? "-" : "+", axis);
      }
      add("        break;\n      }}\n");
    }
    add("      default:\n        break;\n    }}\n  }}\n\n  chip::KnobSpeed scales[{}] = {{", knobs.size());
    for (std::size_t i = 0; i < knobs.size(); ++i) {
      const ChipKnob& knob = knobs[i];
      const bool is_place = knob.does == ChipKnob::Does::place;
      add("{}\n      chip::KnobSpeed({}, {}, {}, {}, {})", i == 0 ? "" : ",", knob.low, knob.high, knob.still,
          is_place ? 0 : std::abs(knob.from), is_place ? std::abs(knob.to - knob.from) : std::abs(knob.to));
    }
    add("}};\n  uint16_t was[{0}] = {{}};\n  bool is_known[{0}] = {{}};\n  uint16_t sum = 0;\n  uint8_t "
        "codes = "
        "0;\n  uint8_t knob = 0;\n  bool has_asked = false;\n",
        knobs.size());
  }

  void says() {
    const double baud = static_cast<double>(made_.rig->controller.small_chip->serial_baud);
    const double clock = made_.rig->controller.timer_clock.base().to_double();
    add("\ntypedef chip::avr8::Serial<{}> Serial;  // {:.0f} baud\nstatic chip::Says<Serial, 128> says;\n",
        std::max(1L, std::lround(clock / 8.0 / baud)),
        clock / 8.0 / static_cast<double>(std::max(1L, std::lround(clock / 8.0 / baud))));
    for (const ChipAxis& axis : made_.parts.axes) {
      // Hundredths of a unit for a step, 2^-24.
      const OutputKind kind = output_kind(axis.mechanism->train);
      const double each = 100.0 * display_units_per_base(kind) / steps_per_base(*axis.mechanism).to_double();
      add("namespace {0} {{\nstatic int32_t hundredths() {{  // {1}\n"
          "  return static_cast<int32_t>((static_cast<int64_t>({3}) * {2}L + 0x800000L) >> "
          "24);\n}}\n}}\n",
          axis.name, display_unit(kind, 0), std::llround(each * 16777216.0),
          follows(axis) ? "place()" : "axis.position()");
    }
    add("\n/// \"7 carriage 80.00 mm ring 120.00 deg\": the step of the script, and where everything "
        "stands. An axis at a time: what homes is not to wait for it.\n"
        "static uint8_t saying = UINT8_MAX;  // which is next\n"
        "static void say_on() {{\n  switch (saying++) {{\n");
    for (std::size_t i = 0; i < made_.parts.axes.size(); ++i) {
      const ChipAxis& axis = made_.parts.axes[i];
      add("    case {}:\n      says.text(\" {} \");\n      if ({}::axis.knows_zero())\n"
          "        says.fixed({}::hundredths(), 2).text(\" {}\");\n      else\n        says.text(\"?\");\n"
          "      break;\n",
          i, axis.mechanism->name, axis.name, axis.name, display_unit(output_kind(axis.mechanism->train), 0));
    }
    add("    default:\n      says.text(\"\\r\\n\");\n      saying = UINT8_MAX;\n  }}\n}}\n"
        "static void say_where(const char* what, uint16_t now) {{\n  "
        "says.text(what).whole(play_script.at());\n"
        "  saying = 0;\n"
        "  if (!Machine::is_homing(now)) return;\n  says.text(\" homing\");\n  saying = {};\n}}\n",
        made_.parts.axes.size());
  }

  /// An emergency stop of all.
  [[nodiscard]] std::string cuts() const {
    std::string all = of_each("    {}::axis.cut();\n", "");
    for (const ChipAxis& axis : made_.parts.axes)
      if (follows(axis)) all += fmt::format("    {}::follower.hold_up();\n", axis.name);
    return all;
  }

  void interrupts() {
    for (const ChipAxis& axis : made_.parts.axes)
      add("\nCOGSTRIDE_STEP_INTERRUPT(TIMER1_COMP{}_vect, {}::steps)", axis.is_first ? 'A' : 'B', axis.name);
    add("\nISR(TIMER2_COMPA_vect) {{\n  chip::avr8::Clock::tick();\n}}\n");
    std::map<char, std::string> by_port;
    for (const ChipAxis& axis : made_.parts.axes)
      if (axis.sensor)
        by_port[axis.sensor->pin.port] += fmt::format("  {0}::axis.edge({0}::sensor_acts());\n", axis.name);
    for (const ChipAxis& axis : made_.parts.axes)
      for (std::size_t i = 0; i < axis.ends.size(); ++i)
        by_port[axis.ends[i].line.pin.port] += fmt::format(
            "  if ({0}::end_{1}_acts() != {0}::met_end_{1}) {{\n"
            "    {0}::met_end_{1} = !{0}::met_end_{1};\n"
            "    if ({0}::met_end_{1}) {0}::axis.met_end();\n  }}\n",
            axis.name, i + 1);
    for (const ChipParts::Leader& leader : made_.parts.leaders)
      for (const ChipAxis& axis : made_.parts.axes)
        if (is_led(axis, leader))
          by_port[leader.a.pin.port] =
              fmt::format("  if ({0}::leader == {1}) {0}::follower.edge({2}::tracks());\n", axis.name,
                          &leader - made_.parts.leaders.data(), leader.name) +
              by_port[leader.a.pin.port];
    for (const ChipInput& stop : made_.parts.stops)
      by_port[stop.line.pin.port] +=
          fmt::format("  if ({}::acts()) {{\n{}    is_stopped = true;\n  }}\n", stop.name, cuts());
    for (const auto& [port, does] : by_port)
      add("ISR(PCINT{}_vect) {{\n{}{}}}\n",
          port == 'B'   ? 0
          : port == 'C' ? 1
                        : 2,
          does, catch_up_text(made_.parts));
  }

  void main_part() {
    add("\nstatic void run() {{\n  // Off comes first.\n");
    for (const ChipAxis& axis : made_.parts.axes) {
      add("  {}::Enable::begin();\n", axis.name);
      if (!axis.has_coils) add("  {}::Channel::begin();\n", axis.name);
    }
    for (const ChipInput& output : made_.parts.outputs) add("  {}::begin();\n", output.name);
    std::map<char, int> watched;
    const auto input = [&](const PartLine& line, bool is_watched) {
      if (line.pull_up)
        add("  chip::avr8::Pin<'{}', {}>::write(true);  // its pull-up\n", line.pin.port, line.pin.bit);
      if (is_watched) watched[line.pin.port] |= 1 << line.pin.bit;
    };
    for (const ChipAxis& axis : made_.parts.axes) {
      if (axis.sensor) input(*axis.sensor, true);
      if (axis.other) input(*axis.other, false);
      for (const ChipInput& end : axis.ends) input(end.line, true);
    }
    for (const PartLine& key : made_.parts.key_lines) input(key, false);
    for (const ChipParts::Leader& leader : made_.parts.leaders) {
      watched[leader.a.pin.port] |= 1 << leader.a.pin.bit;
      watched[leader.b.pin.port] |= 1 << leader.b.pin.bit;
    }
    for (const ChipInput& each : made_.parts.inputs) input(each.line, false);
    for (const ChipInput& each : made_.parts.stops) input(each.line, true);
    add("  chip::avr8::Timer::begin();\n");
    add("  chip::avr8::Clock::begin();\n  Serial::begin();\n");
    for (const auto& [port, bits] : watched)
      add("  chip::avr8::Changes<'{}', {:#04x}>::begin();\n", port, bits);
    if (!made_.parts.hands.knobs.empty()) add("  chip::avr8::Analogue::begin();\n");
    for (const ChipAxis& axis : made_.parts.axes) {
      for (std::size_t i = 0; i < axis.ends.size(); ++i)
        add("  {0}::met_end_{1} = {0}::end_{1}_acts();\n", axis.name, i + 1);
      if (!axis.goal) add("  {}::axis.stands_at_zero();\n", axis.name);
    }
    add("  sei();\n");
    std::string pressed;
    for (const ChipInput& stop : made_.parts.stops)
      pressed += (pressed.empty() ? "" : " || ") + stop.name + "::acts()";
    if (!pressed.empty())
      add("  if ({}) {{\n    chip::avr8::Lock lock;\n{}    is_stopped = true;\n  }}\n", pressed, cuts());
    add("  uint16_t now = chip::avr8::Clock::now();\n  uint16_t said_at = now;\n  play_script.begin(now);\n  "
        "if (is_stopped) play_script.stop();\n"
        "  uint16_t said_of = UINT16_MAX;\n  bool has_ended = false;\n  for (;;) {{\n    now = "
        "chip::avr8::Clock::now();\n");
    for (const ChipAxis& axis : made_.parts.axes) add("    {}::axis.serve(now);\n", axis.name);
    add("    if (is_stopped) {{\n      // Only a reset begins again: nobody knows where anything stands.\n   "
        "   play_script.stop();\n    }} else {{\n"
        "      play_script.serve(now);\n{}    }}\n",
        has_hands() ? "      hands.look(now);\n" : "");
    for (const ChipAxis& axis : made_.parts.axes)
      if (follows(axis)) add("    if (!play_script.is_on()) {}::end_following();\n", axis.name);
    // By hand an axis begins at once: its board is to be awake by then.
    std::string ends;
    for (const std::size_t axis : moved_by_hand())
      ends += fmt::format("      if (play_script.fault() == chip::ScriptFault::none) {}::axis.hold(true);\n",
                          made_.parts.axes[axis].name);
    add("    if (saying != UINT8_MAX) {{\n      say_on();\n    }} else if (says.free() < 80) {{\n"
        "      // It has more to say than its line takes.\n"
        "    }} else if (said_of != play_script.at() && play_script.is_on()) {{\n"
        "      said_of = play_script.at();\n      said_at = now;\n      say_where(\"\", now);\n"
        "    }} else if (!play_script.is_on() && !has_ended) {{\n      has_ended = true;\n{}"
        "      say_where(is_stopped{} ? \"stopped at \" : play_script.fault() != chip::ScriptFault::none ? "
        "\"failed at \" : \"ended at \", now);\n"
        "    }} else if (static_cast<uint16_t>(now - said_at) >= 1000 && !Machine::is_homing(now)) {{\n"
        "      said_at = now;\n      say_where(\"\", now);\n    }}\n"
        "    says.serve();\n  }}\n}}\n",
        ends, has_hands() ? " || is_resting" : "");
  }

  const MadeProgram& made_;
  std::string header_;
  std::string text_{};
};

}  // namespace

std::string catch_up_text(const ChipParts& parts) {
  std::string text;
  for (const ChipAxis& axis : parts.axes)
    text += fmt::format("  COGSTRIDE_CATCH_UP(TIMER1_COMP{}_vect, {})\n", axis.is_first ? 'A' : 'B',
                        axis.is_first);
  return text;
}

std::string firmware_text(const MadeProgram& made, const std::string& header) {
  return FirmwareWriter(made, header).text();
}

}  // namespace cogstride
