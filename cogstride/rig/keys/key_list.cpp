#include "cogstride/rig/keys/key_list.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <set>

#include "cogstride/quantity/text.hpp"
#include "cogstride/rig/keys/hand_keys.hpp"
#include "cogstride/rig/keys/kinds.hpp"

namespace cogstride {
namespace {

constexpr const char* required = "required";

/// Lists keys instead of reading them.
class KeyLister {
 public:
  std::vector<KeyInfo> keys{};

  template <class Field>
  void key(const char* name, const Field&, const KeyText& text) {
    const bool optional = is_optional<Field>;
    add(name, value_of(static_cast<const Field*>(nullptr), text), text.about,
        text.otherwise != nullptr ? text.otherwise : (optional ? "not said" : required));
  }
  void line(const char* name, const DrivenLine&, ActiveLevel usual, const char* about) {
    add(name, line_value(usual), about, required);
  }
  void line(const char* name, const std::optional<DrivenLine>&, ActiveLevel usual, const char* about) {
    add(name, line_value(usual), about, "not wired");
  }
  void needed_line(const char* name, const std::optional<DrivenLine>&, ActiveLevel usual, const char* about) {
    add(name, line_value(usual), about, required);
  }
  void lines(const char* name, const std::vector<DrivenLine>&, const char* about) {
    add(name, "a list of lines", about, "not wired");
  }
  void sensed(const char* name, const std::optional<SensedLine>&, const char* about) {
    add(name, line_value(ActiveLevel::low), about, "not wired");
  }
  void enable(const CommonWiring&, const std::optional<DrivenLine>&, ActiveLevel usual) {
    add("enable", line_value(usual) + ", or \"tied\", or \"open\"",
        "driven by a line, tied to its active level, or left open", "tied");
  }
  void travel(const Limits&, bool needed) {
    add("travel", "{ from = position, to = position }", "where the output may be: the soft limits",
        needed ? required : "endless");
  }
  void hard_ends(const std::optional<HardEnds>&) {
    add("hard_ends", "{ from = position, to = position }", "mechanical stops; not inside the travel", "none");
  }
  void place(const PlaceSwitch&) {
    add("acts_at", "position", "at an end: the output moving into it", "required without window");
    add("releases_at", "position", "at an end: the output moving out of it", "required without window");
    add("window", "{ from = position, to = position }",
        "instead of the two: acts between, wherever it comes from", "at an end");
    add("hysteresis", "position", "of a window: releases so much farther out", "0");
  }

 private:
  void add(std::string name, std::string value, std::string about, std::string otherwise) {
    keys.push_back({std::move(name), std::move(value), std::move(about), std::move(otherwise)});
  }
  static std::string line_value(ActiveLevel usual) {
    return fmt::format("{{ line = 0, active = \"{}\", external_pull = \"...\" }}",
                       usual == ActiveLevel::low ? "low" : "high");
  }

  static std::string dimension(const DimensionPowers& powers, const KeyText& text) {
    std::string phrase = describe_dimension(powers);
    if (text.sign == Sign::positive) phrase += ", above 0";
    if (text.sign == Sign::not_negative) phrase += ", not below 0";
    return phrase;
  }
  template <class D>
  static std::string value_of(const Quantity<D>*, const KeyText& text) {
    return dimension(powers_of<D>, text);
  }
  template <class D>
  static std::string value_of(const ExactQuantity<D>*, const KeyText& text) {
    return dimension(powers_of<D>, text);
  }
  template <int PerTime>
  static std::string value_of(const OutputAmount<PerTime>*, const KeyText& text) {
    static constexpr const char* names[] = {"a position or way", "a speed", "an acceleration", "a jerk"};
    return fmt::format("{} of the output, in mm or degrees{}", names[PerTime],
                       text.sign == Sign::positive ? ", above 0" : "");
  }
  static std::string value_of(const std::int64_t*, const KeyText& text) {
    if (text.is_line) return fmt::format("{} to {}, or a pin: \"B1\"", text.least, text.most);
    return fmt::format("{} to {}", text.least, text.most);
  }
  static std::string value_of(const std::string*, const KeyText&) { return "a text"; }
  static std::string value_of(const bool*, const KeyText&) { return "true or false"; }
  template <class Value>
  requires std::is_enum_v<Value>
  static std::string value_of(const Value*, const KeyText&) {
    std::vector<std::string> words;
    for (const auto& [word, value] : Words<Value>::list) words.push_back(fmt::format("\"{}\"", word));
    return fmt::format("{}", fmt::join(words, " or "));
  }
  static std::string value_of(const std::vector<std::int64_t>*, const KeyText& text) {
    if (text.is_line) return "a list of lines";
    return fmt::format("a list of {} to {}", text.least, text.most);
  }
  static std::string value_of(const std::vector<std::string>*, const KeyText&) { return "a list of texts"; }
  static std::string value_of(const std::vector<CoilEnd>*, const KeyText&) {
    return "a list of \"a_plus\", \"a_minus\", \"b_plus\", \"b_minus\"";
  }
  static std::string value_of(const SwitchMicrosteps*, const KeyText& text) {
    return fmt::format("a table of {} to {} by positions", text.least, text.most);
  }
  static std::string value_of(const SwitchCurrents*, const KeyText&) {
    return "a table of currents by positions";
  }
  static std::string value_of(const std::vector<PulseWidthInput::ArmingStage>*, const KeyText&) {
    return "a list of tables";
  }
  template <class Amount>
  static std::string value_of(const DriveAmount<Amount>*, const KeyText& text) {
    return fmt::format("an object and what one of it is worth: \"2010:01 u16, 1 {}\"", text.unit);
  }
  static std::string value_of(const std::vector<DriveSetting>*, const KeyText&) {
    return "a list of objects and their values: \"2020:00 u8 = 1\"";
  }
  template <class Value>
  static std::string value_of(const std::optional<Value>*, const KeyText& text) {
    return value_of(static_cast<const Value*>(nullptr), text);
  }
};

class SectionList {
 public:
  std::vector<KeySection> sections{};

  template <class Part, class... More>
  void part(const char* table, const std::string& kind, const char* about, Part part, More... more) {
    KeyLister lister;
    if (!kind.empty()) lister.keys.push_back({"kind", fmt::format("\"{}\"", kind), "", required});
    declare(lister, part, more...);
    sections.push_back({table, kind, about, std::move(lister.keys)});
  }
  void plain(const char* table, const char* about, std::vector<KeyInfo> keys) {
    sections.push_back({table, "", about, std::move(keys)});
  }
};

void mechanism_sections(SectionList& list) {
  list.plain(
      "[mechanism.NAME]", "one motor with its board, train, lines, load, limits and sensors",
      {{"supply", "a text", "name of the supply that feeds its board", required},
       {"train", "a list of stages", "from the motor shaft on; empty: the shaft is the output", required},
       {"train_sold_as", "\"107.5:1\"",
        "ratio on the label, motor turns to one of the output; the teeth are counted", "not said"},
       {"steps_per_turn", "1 to 10000000",
        "of the motor shaft, as your own notes count: said twice, to be checked", "not said"},
       {"reversed", "true or false",
        "the one place to turn a mechanism round: motor and encoders follow, positions stay", "false"}});
  list.plain(
      "train = [{ part = ... }]", "stages of a train; without the last two the output turns",
      {{"part", "\"belt\" or \"gear pair\"", "toothed", required},
       {"driving", "1 to 100000", "teeth on the motor's side", required},
       {"driven", "1 to 100000", "teeth on the other", required},
       {"part", "\"screw\"", "last; its nut moves along a line", required},
       {"lead", "a length such as 8 mm, above 0", "way of the nut a turn", required},
       {"part", "\"toothed drive\"", "last; a toothed wheel drives a belt or a rack along a line", required},
       {"teeth", "1 to 100000", "of the wheel", required},
       {"pitch", "a length such as 2 mm, above 0", "from tooth to tooth", required}});
  for (const NamedKind<Motor>& kind : motor_kinds())
    std::visit([&](const auto& motor) { list.part("[mechanism.NAME.motor]", kind.word, kind.about, motor); },
               kind.part);
  for (const NamedKind<Board>& kind : board_kinds())
    std::visit([&](const auto& board) { list.part("[mechanism.NAME.board]", kind.word, kind.about, board); },
               kind.part);
}

void line_sections(SectionList& list) {
  constexpr const char* table = "[mechanism.NAME.lines]";
  const auto section = [&](const char* kind, const char* about, const auto& declare_into) {
    KeyLister lister;
    declare_into(lister);
    list.sections.push_back({table, kind, about, std::move(lister.keys)});
  };
  CommonWiring common;
  for (const auto form : {StepDirBoard::Form::step_dir, StepDirBoard::Form::two_pulse}) {
    StepDirBoard board;
    board.form = form;
    section(form == StepDirBoard::Form::step_dir ? "STEP/DIR" : "two-pulse", "of this kind of board",
            [&](KeyLister& lister) {
              StepDirWiring wiring;
              declare(lister, wiring, common, board);
            });
  }
  section("four-input transistor array", "of this kind of board", [&](KeyLister& lister) {
    CoilWiring wiring;
    declare(lister, wiring, common, false, ActiveLevel::high);
  });
  section("dual H-bridge", "of this kind of board", [&](KeyLister& lister) {
    CoilWiring wiring;
    declare(lister, wiring, common, true, ActiveLevel::high);
  });
  for (const NamedKind<Board>& kind : board_kinds()) {
    const auto* const bridge = std::get_if<HBridge>(&kind.part);
    if (bridge == nullptr) continue;
    section(kind.word, "of this kind of board", [&](KeyLister& lister) {
      BridgeWiring wiring;
      declare(lister, wiring, common, *bridge);
    });
  }
  section("six-gate inverter", "of this kind of board", [&](KeyLister& lister) {
    GateWiring wiring;
    declare(lister, wiring, common, SixGateInverter{});
  });
  section("pulse-width input", "of this kind of board", [&](KeyLister& lister) {
    PulseWidthWiring wiring;
    declare(lister, wiring, common);
  });
  section("drive on a bus", "of this kind of board", [&](KeyLister& lister) {
    BusWiring wiring;
    declare(lister, wiring);
  });
}

void other_sections(SectionList& list) {
  list.part("[mechanism.NAME.load]", "", "seen from the motor shaft; not for servos and speed controllers",
            Load{});
  const auto limits = [&](const char* kinds, const Motor& motor) {
    KeyLister lister;
    Limits some;
    std::optional<HardEnds> ends;
    declare(lister, some, ends, motor);
    list.sections.push_back(
        {"[mechanism.NAME.limits]", kinds, "of motors of these kinds", std::move(lister.keys)});
  };
  limits("steppers, closed-loop servo", Stepper{});
  limits("brushed, brushless", BrushedMotor{});
  limits("hobby servo", HobbyServo{});
  limits("brushless with speed controller", ThrottledMotor{});
  for (const NamedKind<Sensor>& kind : sensor_kinds())
    std::visit(
        [&](const auto& sensor) { list.part("[mechanism.NAME.sensor.NAME]", kind.word, kind.about, sensor); },
        kind.part);
  list.part("[mechanism.NAME.homing]", "", "left out, it stands at 0 when it is switched on", Homing{});
  list.part("[mechanism.NAME.by_hand]", "", "what orders by hand mean that do not say it", ByHand{});
  list.part("[mechanism.NAME.follows]", "", "follows another mechanism by an exact ratio", Following{});
  list.part("[mechanism.NAME.follows.also]", "", "a second leader: what both ask for is added up", Leading{});
  list.plain("[mechanism.NAME.guesses]", "figures as `cogstride new` wrote them",
             {{"motor, board, load", "a table of their keys",
               "as long as one has the same value there, results say that they rest on a guess", "none"}});
  list.part("[mechanism.NAME.proven]", "", "what `cogstride prove` has kept; nothing to write by hand",
            Proven{});
  list.part("[shaft.NAME]", "", "a shaft that nothing of ours drives, for others to follow", Shaft{});
  list.plain("[shaft.NAME]", "what tells where it is",
             {{"train", "a list of stages, as of a mechanism", "from the encoder's shaft to what is followed",
               "none: direct"},
              {"encoder", "a table: the keys of a mechanism's encoder",
               "counts it; left out, it is a master speed that a script gives", "none"}});
  list.part("[pair.NAME]", "", "two driven wheels on one axis: a cart", WheeledPair{});
  for (const NamedKind<HandControl::Kind>& kind : hand_kinds()) {
    HandControl hand;
    hand.kind = kind.part;
    list.part("[hand.NAME]", kind.word, kind.about, hand);
  }
  list.part("[device.NAME]", "", "something with texts of its own on a serial port: a display, another board",
            Device{});
  list.part("[device.NAME.message.NAME]", "", "a text that it says: a control, NAME.NAME, for bindings",
            DeviceMessage{});
  list.part("[device.NAME.reply.NAME]", "", "what it is told while the rig is operated, in its own form",
            DeviceReply{});
  list.part("[input_device.NAME]", "", "an input device of the operating system: a pad, a pedal, a receiver",
            InputDevice{});
  list.part("[input_device.NAME.key.NAME]", "", "a key of it: a control, NAME.NAME", InputKey{});
  list.part("[input_device.NAME.axis.NAME]", "", "an axis of it", InputAxis{});
  list.part("[input_device.NAME.wheel.NAME]", "", "a wheel of it: its clicks are a number", InputWheel{});
  list.part("[remote.NAME]", "", "a remote for a hand, heard by an infrared receiver at a line", Remote{});
  list.part("[remote.NAME.key.NAME]", "", "a key of it: a control, NAME.NAME", RemoteKey{});
  list.part("[bus_sensor.NAME]", "", "a sensor on a two-wire bus that tells of events by an interrupt line",
            BusSensor{});
  list.part("[bus_sensor.NAME.setting.NAME]", "", "a register that is written at the start", SensorSetting{});
  list.part("[bus_sensor.NAME.event.NAME]", "", "an event that it tells of: a control, NAME.NAME",
            SensorEvent{});
  list.part("[output.NAME]", "", "something that is only switched or faded: a lamp", PlainOutput{});
  list.part("[binding.NAME]", "", "what a hand, or a key of the terminal, does while one operates the rig",
            Binding{});
  list.part(
      "[page.NAME]", "",
      "what the page of `cogstride operate --page` shows, in this order; without any, all that there is",
      PageControl{});
  list.part("[operate]", "", "how `cogstride operate` behaves", Operating{});
  list.part("[stops]", "", "how everything stops", Stops{});
}

std::vector<KeySection> listed() {
  SectionList list;
  list.plain("the file itself", "",
             {{"name", "a text", "of the rig", required},
              {"air_deg_c", "-40 to 85", "temperature of the air around everything", "25"}});
  list.part("[controller]", "", "what plays the lines", Controller{});
  list.part("[controller.timer.NAME]", "", "a counter with compare outputs", TimerUnit{});
  list.part("[controller.counters]", "", "decoders that count the edges of encoders", QuadratureCounters{});
  list.part("[controller.analogue]", "", "analogue inputs", AnalogueInputs{});
  list.part("[controller.gpio.NAME]", "", "a GPIO chip of the operating system: for live lines", GpioChip{});
  list.part("[controller.pwm.NAME]", "", "a PWM chip of the operating system: makes duties on live lines",
            PwmChip{});
  list.part("[controller.counter.NAME]", "",
            "a counter chip of the operating system: counts encoders on live lines", CounterChip{});
  list.part("[controller.small_chip]", "",
            "a chip that plays the lines by itself, with a program made from the rig: its lines are pins",
            SmallChip{});
  list.part("[controller.link]", "", "the line to a small chip that plays what this computer plans",
            ChipLink{});
  list.part("[controller.bus]", "", "a CAN bus on which drives listen", FieldBus{});
  list.part("[controller.heartbeat]", "", "a line that goes up and down as long as everything runs",
            Heartbeat{});
  list.part("[supply.NAME]", "", "what feeds motors, boards and sensors", Supply{});
  for (const NamedKind<BetweenPart::Kind>& kind : part_kinds()) {
    BetweenPart part;
    part.kind = kind.part;
    list.part("[part.NAME]", kind.word, kind.about, part);
  }
  mechanism_sections(list);
  line_sections(list);
  other_sections(list);
  return std::move(list.sections);
}

}  // namespace

const std::vector<KeySection>& key_sections() {
  static const std::vector<KeySection> sections = listed();
  return sections;
}

std::vector<KeySection> key_sections_about(const std::string& word) {
  std::vector<KeySection> some;
  std::vector<std::string> words;
  for (const KeySection& section : key_sections()) {
    const std::string name = section.table.substr(section.table.rfind('.') + 1);
    const bool about =
        section.table.find(word) != std::string::npos || section.kind.find(word) != std::string::npos;
    if (about) some.push_back(section);
    if (!section.kind.empty()) words.push_back(section.kind);
  }
  for (const char* table :
       {"controller", "timer",   "supply",  "part",    "mechanism",    "motor",   "board",
        "lines",      "load",    "limits",  "sensor",  "homing",       "follows", "proven",
        "pair",       "shaft",   "hand",    "device",  "input_device", "remote",  "bus_sensor",
        "output",     "binding", "operate", "by_hand", "stops"})
    words.emplace_back(table);
  if (!some.empty()) return some;
  // No table: a word of a key, or of what is said of it.
  for (KeySection section : key_sections()) {
    std::erase_if(section.keys, [&](const KeyInfo& key) {
      return key.name.find(word) == std::string::npos && key.about.find(word) == std::string::npos &&
             key.value.find(word) == std::string::npos;
    });
    if (!section.keys.empty()) some.push_back(std::move(section));
  }
  if (!some.empty()) return some;
  const std::string near = nearest_word(word, words);
  throw RangeError(fmt::format("'{}' is no table or kind of a rig file, and no key says it{}", word,
                               near.empty() ? fmt::format("; there are {}", fmt::join(words, ", "))
                                            : fmt::format("; did you mean {}?", near)));
}

}  // namespace cogstride
