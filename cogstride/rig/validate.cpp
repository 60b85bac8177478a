#include "cogstride/rig/validate.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cctype>
#include <cmath>

#include "cogstride/quantity/text.hpp"
#include "cogstride/rig/files/check_names.hpp"
#include "cogstride/rig/keys/hand_keys.hpp"
#include "cogstride/rig/keys/part_rules.hpp"

namespace cogstride {
namespace {

using Errors = std::vector<std::string>;

/// Breaches of a part's rules, all of whose keys count as written.
class ListedErrors final : public PartErrors {
 public:
  ListedErrors(std::string where, Errors& errors) : where_(std::move(where)), errors_(errors) {}
  void error(const char*, const std::string& message, const char*) override {
    errors_.push_back(where_ + ": " + message);
  }
  [[nodiscard]] bool has(const char*) const override { return true; }

 private:
  std::string where_;
  Errors& errors_;
};

/// Holds the declared keys of a part to what their declarations say.
class ValidKeys {
 public:
  ValidKeys(std::string where, Errors& errors, OutputKind kind = OutputKind::rotary)
      : where_(std::move(where)), errors_(errors), kind_(kind) {}

  template <class Field>
  void key(const char* name, const Field& field, const KeyText& text) {
    if constexpr (is_optional<Field>) {
      if (field) hold(name, *field, text);
    } else if (text.otherwise == nullptr || !is_left_out(field)) {
      hold(name, field, text);
    }
  }
  void line(const char* name, const DrivenLine& line, ActiveLevel, const char*) { number(name, line.number); }
  void line(const char* name, const std::optional<DrivenLine>& line, ActiveLevel, const char*) {
    if (line) number(name, line->number);
  }
  void needed_line(const char* name, const std::optional<DrivenLine>& line, ActiveLevel, const char*) {
    if (line) {
      number(name, line->number);
    } else {
      add(fmt::format("{} is missing; expected a line", name));
    }
  }
  void lines(const char* name, const std::vector<DrivenLine>& lines, const char*) {
    for (const DrivenLine& each : lines) number(name, each.number);
  }
  void sensed(const char* name, const std::optional<SensedLine>& line, const char*) {
    if (line) number(name, line->number);
  }
  void enable(const CommonWiring& common, const std::optional<DrivenLine>& line, ActiveLevel) {
    if (common.enable != EnableUse::driven) return;
    if (line) {
      number("enable", line->number);
    } else {
      add("enable is missing; expected a line, \"tied\" or \"open\"");
    }
  }
  void travel(const Limits& limits, bool needed) {
    if (limits.travel_from.has_value() != limits.travel_to.has_value() || (needed && !limits.travel_from)) {
      add("travel is missing; expected from and to");
    } else if (limits.travel_from) {
      span("travel", *limits.travel_from, *limits.travel_to);
    }
  }
  void hard_ends(const std::optional<HardEnds>& ends) {
    if (ends) span("hard_ends", ends->from, ends->to);
  }
  void place(const PlaceSwitch& place_switch) {
    if (place_switch.is_window) span("window", place_switch.window_from, place_switch.window_to);
  }

 private:
  void add(std::string message) { errors_.push_back(where_ + ": " + std::move(message)); }

  void number(const char* name, std::int64_t line) {
    if ((line < 0 || line > most_lines) && !pin_of(line))
      add(fmt::format("{}: line: found {}; expected a whole number from 0 to {}", name, line, most_lines));
  }
  void span(const char* name, const OutputPosition& from, const OutputPosition& to) {
    of_kind(name, from);
    of_kind(name, to);
    if (from.base >= to.base)
      add(fmt::format("{}: from {} to {}: the first must be the lower", name, to_text(from), to_text(to)));
  }
  template <int PerTime>
  void of_kind(const char* name, const OutputAmount<PerTime>& amount) {
    if (amount.kind != kind_)
      add(fmt::format("{}: found {}; expected one in {}", name, to_text(amount),
                      display_unit(kind_, PerTime)));
  }

  /// What a file that leaves the key out gives.
  template <class Field>
  static bool is_left_out(const Field& field) {
    if constexpr (requires { field.base(); }) {
      return field == Field{};
    } else if constexpr (requires { field.base; }) {
      return field.base == Ratio(0);
    } else if constexpr (std::is_same_v<Field, std::int64_t>) {
      return field == 0;
    } else if constexpr (requires { field.empty(); }) {
      return field.empty();
    } else {
      return false;
    }
  }

  template <class D>
  void hold(const char* name, const Quantity<D>& field, const KeyText& text) {
    if (!std::isfinite(field.base())) {
      add(fmt::format("{}: found {}; expected a number", name, field.base()));
    } else {
      hold_sign<D>(name, field.base(), to_text(field, text.unit), text.sign);
    }
  }
  template <class D>
  void hold(const char* name, const ExactQuantity<D>& field, const KeyText& text) {
    hold_sign<D>(name, field.base().to_double(), to_text(field, text.unit), text.sign);
  }
  template <int PerTime>
  void hold(const char* name, const OutputAmount<PerTime>& field, const KeyText& text) {
    if (!text.of_another) of_kind(name, field);
    const double size = field.base.to_double();
    if (is_wrong(size, text.sign))
      add(fmt::format("{}: found {}; expected it {}", name, to_text(field), words(text.sign)));
  }
  void hold(const char* name, std::int64_t field, const KeyText& text) {
    if (text.is_line && pin_of(field)) return;
    if (field < text.least || field > text.most)
      add(fmt::format("{}: found {}; expected a whole number from {} to {}", name, field, text.least,
                      text.most));
  }
  void hold(const char* name, const std::vector<std::int64_t>& field, const KeyText& text) {
    for (const std::int64_t each : field) hold(name, each, text);
  }
  void hold(const char* name, const std::string& field, const KeyText& text) {
    if (field.empty()) add(fmt::format("{} is missing; expected {}", name, text.about));
  }
  template <class Field>
  void hold(const char*, const Field&, const KeyText&) {}

  template <class D>
  void hold_sign(const char* name, double base, const std::string& found, Sign sign) {
    if (is_wrong(base, sign))
      add(fmt::format("{}: found {}; expected {} {}", name, found, describe_dimension(powers_of<D>),
                      words(sign)));
  }
  static bool is_wrong(double base, Sign sign) {
    return (sign == Sign::positive && !(base > 0.0)) || (sign == Sign::not_negative && base < 0.0);
  }
  static const char* words(Sign sign) { return sign == Sign::positive ? "above 0" : "not below 0"; }

  std::string where_;
  Errors& errors_;
  OutputKind kind_;
};

/// Looks at a whole rig.
class RigCheck {
 public:
  explicit RigCheck(const Rig& rig) : rig_(rig) {}

  Errors take() {
    controller();
    for (Supply& supply : rig_.supplies) keys("supply." + supply.name, supply);
    for (BetweenPart& part : rig_.parts) keys("part." + part.name, part);
    for (Mechanism& each : rig_.mechanisms) mechanism("mechanism." + each.name, each);
    for (WheeledPair& pair : rig_.pairs) keys("pair." + pair.name, pair);
    for (Shaft& shaft : rig_.shafts) {
      ValidKeys visitor("shaft." + shaft.name, errors_, output_kind(shaft.train));
      declare(visitor, shaft);
      if (shaft.encoder) keys("shaft." + shaft.name + ".encoder", *shaft.encoder);
    }
    for (HandControl& hand : rig_.hands) keys("hand." + hand.name, hand);
    for (Device& device : rig_.devices) {
      keys("device." + device.name, device);
      for (DeviceMessage& message : device.messages)
        keys("device." + device.name + ".message." + message.name, message);
      for (DeviceReply& reply : device.replies) keys("device." + device.name + ".reply." + reply.name, reply);
    }
    for (InputDevice& device : rig_.input_devices) {
      const std::string path = "input_device." + device.name;
      keys(path, device);
      for (InputKey& key : device.keys) keys(path + ".key." + key.name, key);
      for (InputAxis& axis : device.axes) keys(path + ".axis." + axis.name, axis);
      for (InputWheel& wheel : device.wheels) keys(path + ".wheel." + wheel.name, wheel);
    }
    for (Remote& remote : rig_.remotes) {
      keys("remote." + remote.name, remote);
      for (RemoteKey& key : remote.keys) keys("remote." + remote.name + ".key." + key.name, key);
    }
    for (BusSensor& sensor : rig_.bus_sensors) {
      const std::string path = "bus_sensor." + sensor.name;
      keys(path, sensor);
      for (SensorSetting& setting : sensor.settings) keys(path + ".setting." + setting.name, setting);
      for (SensorEvent& event : sensor.events) keys(path + ".event." + event.name, event);
    }
    for (PlainOutput& output : rig_.outputs) keys("output." + output.name, output);
    for (Binding& binding : rig_.bindings) keys("binding." + binding.name, binding);
    for (PageControl& control : rig_.page) keys("page." + control.name, control);
    keys("operate", rig_.operating);
    keys("stops", rig_.stops);
    names("supply", rig_.supplies);
    names("part", rig_.parts);
    names("mechanism", rig_.mechanisms);
    names("pair", rig_.pairs);
    names("shaft", rig_.shafts);
    names("hand", rig_.hands);
    names("device", rig_.devices);
    names("input_device", rig_.input_devices);
    names("remote", rig_.remotes);
    names("bus_sensor", rig_.bus_sensors);
    names("binding", rig_.bindings);
    names("page", rig_.page);
    names("output", rig_.outputs);
    if (errors_.empty()) {
      for (const Diagnostic& wrong : wrong_names(rig_, "", {})) errors_.push_back(wrong.message);
      for (const Diagnostic& wrong : lines_used_twice(rig_, "", {})) errors_.push_back(wrong.message);
    }
    return std::move(errors_);
  }

 private:
  template <class... Parts>
  void keys(const std::string& where, Parts&... parts) {
    ValidKeys visitor(where, errors_);
    declare(visitor, parts...);
  }
  template <class Part>
  void rules(const std::string& where, Part& part) {
    ListedErrors listed(where, errors_);
    check(listed, part);
  }
  template <class Part>
  void names(const char* what, const std::vector<Part>& parts) {
    std::vector<std::string> known;
    for (const Part& part : parts) {
      const bool is_plain =
          !part.name.empty() && std::all_of(part.name.begin(), part.name.end(), [](unsigned char c) {
            return std::isalnum(c) != 0 || c == '_' || c == '-';
          });
      if (!is_plain)
        errors_.push_back(fmt::format(
            "{}: the name '{}' cannot be had: letters, digits, '_' and '-' are plain", what, part.name));
      if (std::find(known.begin(), known.end(), part.name) != known.end())
        errors_.push_back(fmt::format("{}: two are called {}", what, part.name));
      known.push_back(part.name);
    }
  }

  void controller() {
    Controller& controller = rig_.controller;
    keys("controller", controller);
    for (TimerUnit& timer : controller.timers) keys("controller.timer." + timer.name, timer);
    for (GpioChip& chip : controller.chips) keys("controller.gpio." + chip.name, chip);
    for (PwmChip& chip : controller.pwm_chips) keys("controller.pwm." + chip.name, chip);
    for (CounterChip& chip : controller.counter_chips) keys("controller.counter." + chip.name, chip);
    if (controller.small_chip) keys("controller.small_chip", *controller.small_chip);
    if (controller.link) keys("controller.link", *controller.link);
    if (controller.bus) keys("controller.bus", *controller.bus);
    if (controller.heartbeat) keys("controller.heartbeat", *controller.heartbeat);
    if (controller.analogue) keys("controller.analogue", *controller.analogue);
    if (controller.counters) keys("controller.counters", *controller.counters);
    names("controller.timer", controller.timers);
  }

  void lines(const std::string& where, Mechanism& each) {
    CommonWiring& common = each.common;
    const std::size_t before = errors_.size();
    if (auto* const steps = std::get_if<StepDirWiring>(&each.wiring)) {
      if (const auto* const board = std::get_if<StepDirBoard>(&each.board)) {
        keys(where, *steps, common, *board);
      } else {
        mismatch(where, each);
      }
    } else if (auto* const bridge = std::get_if<BridgeWiring>(&each.wiring)) {
      if (const auto* const board = std::get_if<HBridge>(&each.board)) {
        keys(where, *bridge, common, *board);
      } else {
        mismatch(where, each);
      }
    } else if (auto* const gates = std::get_if<GateWiring>(&each.wiring)) {
      if (const auto* const board = std::get_if<SixGateInverter>(&each.board)) {
        keys(where, *gates, common, *board);
      } else {
        mismatch(where, each);
      }
    } else if (each.has_bus_drive() != std::holds_alternative<BusWiring>(each.wiring)) {
      mismatch(where, each);
    } else if (auto* const bus = std::get_if<BusWiring>(&each.wiring)) {
      keys(where, *bus);
    } else if (auto* const pulse = std::get_if<PulseWidthWiring>(&each.wiring)) {
      keys(where, *pulse, common);
    } else if (auto* const coils = std::get_if<CoilWiring>(&each.wiring)) {
      ValidKeys visitor(where, errors_);
      declare(visitor, *coils, common, false, ActiveLevel::high);
    }
    if (errors_.size() != before) return;
    ListedErrors listed(where, errors_);
    check_wiring(listed, each);
  }
  void mismatch(const std::string& where, const Mechanism& each) {
    errors_.push_back(fmt::format("{}: are those of another board than a {}", where, kind_name(each.board)));
  }

  void mechanism(const std::string& where, Mechanism& each) {
    const OutputKind kind = output_kind(each.train);
    if (!each.supply.name.empty()) keys(where + ".supply", each.supply);
    keys(where, each.air);
    std::visit(
        [&](auto& motor) {
          keys(where + ".motor", motor);
          rules(where + ".motor", motor);
        },
        each.motor);
    std::visit(
        [&](auto& board) {
          keys(where + ".board", board);
          rules(where + ".board", board);
        },
        each.board);
    ListedErrors board(where + ".board", errors_);
    check_board_fits(board, each);
    lines(where + ".lines", each);
    const bool has_load = !std::holds_alternative<ThrottledMotor>(each.motor) &&
                          !std::holds_alternative<HobbyServo>(each.motor);
    if (has_load) keys(where + ".load", each.load);
    ValidKeys limits(where + ".limits", errors_, kind);
    declare(limits, each.limits, each.hard_ends, std::as_const(each.motor));
    ListedErrors limit_errors(where + ".limits", errors_);
    check_limits(limit_errors, each.limits, each.hard_ends);
    for (Sensor& sensor : each.sensors) {
      std::visit(
          [&](auto& part) {
            const std::string place = where + ".sensor." + part.name;
            ValidKeys visitor(place, errors_, kind);
            declare(visitor, part);
            rules(place, part);
          },
          sensor);
    }
    ValidKeys by_hand(where + ".by_hand", errors_, kind);
    declare(by_hand, each.by_hand);
    ListedErrors by_hand_errors(where + ".by_hand", errors_);
    check_by_hand(by_hand_errors, each);
    if (each.homing) {
      ValidKeys homing(where + ".homing", errors_, kind);
      declare(homing, *each.homing);
      ListedErrors listed(where + ".homing", errors_);
      check_homing(listed, *each.homing, kind, each.limits, each.sensors);
    }
    if (each.follows) {
      ValidKeys follows(where + ".follows", errors_, kind);
      declare(follows, *each.follows);
      if (each.follows->also) {
        ValidKeys also(where + ".follows.also", errors_, kind);
        declare(also, *each.follows->also);
      }
    }
  }

  Rig rig_;  // a copy: declarations are written for one who fills in
  Errors errors_{};
};

}  // namespace

void validate(const Rig& rig) {
  const Errors errors = RigCheck(rig).take();
  if (!errors.empty()) throw RangeError(fmt::format("{}", fmt::join(errors, "\n")));
}

}  // namespace cogstride
