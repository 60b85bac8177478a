#include "cogstride/rig/files/new_rig.hpp"

#include <algorithm>
#include <cctype>
#include <cmath>
#include <set>
#include <sstream>

#include "cogstride/plan/stepper_torque.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/rig/files/typical.hpp"
#include "cogstride/rig/keys/key_writer.hpp"
#include "cogstride/rig/keys/kinds.hpp"

namespace cogstride {
namespace {

template <class Part>
const NamedKind<Part>& kind_called(const std::vector<NamedKind<Part>>& kinds, const std::string& word,
                                   const char* what) {
  std::vector<std::string> words;
  for (const NamedKind<Part>& kind : kinds) {
    if (word == kind.word) return kind;
    words.emplace_back(kind.word);
  }
  const std::string near = nearest_word(word, words);
  throw RangeError(fmt::format("'{}' is no kind of {}{}", word, what,
                               near.empty() ? fmt::format("; there are {}", fmt::join(words, ", "))
                                            : fmt::format("; did you mean {}?", near)));
}

void check_name(const std::string& name) {
  if (!is_plain_name(name))
    throw RangeError(fmt::format("'{}' is no name: {}", printable(name), plain_names));
}

class RigWriter {
 public:
  /// @param base  a rig that it is to be added to; null: a rig of its own
  explicit RigWriter(const NewRigOrder& order, const Rig* base = nullptr) : order_(order), base_(base) {
    if (base == nullptr) return;
    for (const RigLine& line : rig_lines(*base)) line_ = std::max(line_, line.number + 1);
    const auto take_channel = [&](std::int64_t channel) { channel_ = std::max(channel_, channel + 1); };
    for (const Mechanism& mechanism : base->mechanisms)
      for (const Sensor& sensor : mechanism.sensors) {
        if (const auto* const shunt = std::get_if<Shunt>(&sensor)) take_channel(shunt->channel);
        if (const auto* const probe = std::get_if<TemperatureProbe>(&sensor)) take_channel(probe->channel);
        if (const auto* const terminals = std::get_if<TerminalVoltages>(&sensor))
          for (const std::int64_t channel : terminals->channels) take_channel(channel);
      }
    for (const HandControl& hand : base->hands)
      if (hand.channel) take_channel(*hand.channel);
  }

  std::string take() {
    for (const NewRigOrder::Mechanism& each : order_.mechanisms) choose(each);
    for (const NewRigOrder::Part& each : order_.sensors) check_owner(each);
    if (base_ == nullptr) head();
    controller();
    supplies();
    for (const Mechanism& mechanism : mechanisms_) write(mechanism);
    std::set<std::string> hands;
    if (base_ != nullptr)
      for (const HandControl& hand : base_->hands) hands.insert(hand.name);
    for (const NewRigOrder::Part& each : order_.hands) {
      check_name(each.name);
      if (!hands.insert(each.name).second)
        throw RangeError(fmt::format("two hand controls are called {}", each.name));
      hand(each);
    }
    return std::move(file_);
  }

 private:
  KeyWriter keys() { return {file_, OutputKind::rotary}; }
  void table(const std::string& name) { file_ += fmt::format("\n[{}]\n", name); }

  template <class Part, class... More>
  void part(Part part, More&... more) {
    KeyWriter writer = keys();
    declare(writer, part, more...);
  }

  void choose(const NewRigOrder::Mechanism& wanted) {
    check_name(wanted.name);
    const auto same = [&](const Mechanism& m) { return m.name == wanted.name; };
    if (std::any_of(mechanisms_.begin(), mechanisms_.end(), same) ||
        (base_ != nullptr && std::any_of(base_->mechanisms.begin(), base_->mechanisms.end(), same)))
      throw RangeError(fmt::format("two mechanisms are called {}", wanted.name));
    const Motor& motor = kind_called(motor_kinds(), wanted.motor, "motor").part;
    const auto fitting = std::find_if(board_kinds().begin(), board_kinds().end(),
                                      [&](const NamedKind<Board>& kind) { return fits(motor, kind.part); });
    const Board& board =
        wanted.board.empty() ? fitting->part : kind_called(board_kinds(), wanted.board, "board").part;
    if (!fits(motor, board))
      throw RangeError(fmt::format("{}: a {} cannot drive a {} motor; a {} can", wanted.name, wanted.board,
                                   wanted.motor, fitting->word));
    Mechanism mechanism = typical_mechanism(motor, board, line_);
    mechanism.name = wanted.name;
    if (auto* const bridge = std::get_if<HBridge>(&mechanism.board); bridge != nullptr) {
      bridge->channel = 1 + quad_channels_ % 4;
      if (bridge->form == HBridge::Form::four_channel)
        bridge->board_name = fmt::format("quad{}", 1 + quad_channels_++ / 4);
    }
    if (mechanism.is_movable() && first_switch_of(wanted.name) != nullptr)
      travels_between_switches(mechanism);
    mechanisms_.push_back(std::move(mechanism));
  }

  static bool is_place_switch(const NewRigOrder::Part& part) {
    return std::holds_alternative<PlaceSwitch>(kind_called(sensor_kinds(), part.kind, "sensor").part);
  }
  /// What a mechanism homes to; null without one.
  [[nodiscard]] const NewRigOrder::Part* first_switch_of(const std::string& owner) const {
    for (const NewRigOrder::Part& each : order_.sensors)
      if (each.owner == owner && is_place_switch(each)) return &each;
    return nullptr;
  }

  // Degrees of the output, between the two ends that switches stand at: each acts 5 beyond the travel, and 15
  // before the hard end.
  static constexpr std::int64_t travel = 330;
  static constexpr std::int64_t switch_beyond = 5;
  static constexpr std::int64_t stop_beyond = 20;
  static OutputPosition degrees(std::int64_t count) { return {OutputKind::rotary, Ratio(count, 360)}; }

  static void travels_between_switches(Mechanism& mechanism) {
    mechanism.limits.travel_from = degrees(0);
    mechanism.limits.travel_to = degrees(travel);
    mechanism.hard_ends = HardEnds{degrees(-stop_beyond), degrees(travel + stop_beyond)};
    // Half the speed from which it stops in what lies behind a switch, in whole degrees a second.
    const double room = static_cast<double>(stop_beyond - switch_beyond);
    const double acceleration = 360.0 * mechanism.limits.acceleration.base.to_double();
    const double most =
        std::min(0.5 * std::sqrt(2.0 * acceleration * room), 90.0 * mechanism.limits.speed.base.to_double());
    auto speed = std::max<std::int64_t>(10, 10 * static_cast<std::int64_t>(0.1 * most));
    // Not at the rate at which its rotor oscillates.
    const double steps =
        mechanism.is_movable_stepper() ? static_cast<double>(mechanism.stepper().full_steps) / 360.0 : 0.0;
    if (steps > 0.0 &&
        std::abs(static_cast<double>(speed) * steps / natural_frequency(mechanism) - 1.0) < 0.4)
      speed /= 2;
    mechanism.homing.emplace();
    mechanism.homing->speed = {OutputKind::rotary, Ratio(speed, 360)};
    mechanism.homing->slow_speed = {OutputKind::rotary, Ratio(speed, 3600)};
    mechanism.homing->position = degrees(0);
    mechanism.homing->index_at = degrees(0);
  }
  /// The first switch of a mechanism at its low end, the second at its high end, any other on the way.
  static void put_at(PlaceSwitch& place_switch, std::int64_t number) {
    if (number == 0) {
      place_switch.acts_at = degrees(-switch_beyond);
      place_switch.releases_at = degrees(-switch_beyond + 1);
    } else if (number == 1) {
      place_switch.acts_at = degrees(travel + switch_beyond);
      place_switch.releases_at = degrees(travel + switch_beyond - 1);
    } else {
      place_switch.is_window = true;
      place_switch.window_from = degrees(60 * (number - 1));
      place_switch.window_to = degrees(60 * (number - 1) + 5);
      place_switch.hysteresis = degrees(1);
    }
  }
  void check_owner(const NewRigOrder::Part& sensor) const {
    check_name(sensor.name);
    const auto owner = std::find_if(mechanisms_.begin(), mechanisms_.end(),
                                    [&](const Mechanism& m) { return m.name == sensor.owner; });
    if (owner == mechanisms_.end())
      throw RangeError(fmt::format("'{}' is none of the mechanisms of this rig", sensor.owner));
    for (const NewRigOrder::Part& other : order_.sensors)
      if (&other != &sensor && other.owner == sensor.owner && other.name == sensor.name)
        throw RangeError(fmt::format("{} has two sensors called {}", sensor.owner, sensor.name));
  }

  void head() {
    file_ +=
        "# Put in your own figures: those here are typical ones. Lines that begin with # may stay out; each "
        "says\n"
        "# what it would be for. `cogstride keys` explains every key, `cogstride inspect` what follows and "
        "what is "
        "wrong.\n\n";
    KeyWriter writer = keys();
    writer.put("name", fmt::format("\"{}\"", order_.name), "");
  }

  void controller() {
    const Controller controller = typical_controller();
    if (base_ == nullptr) {
      table("controller");
      part(controller);
    }
    for (const TimerUnit& timer : controller.timers) {
      if (!is_used(timer.name) || (base_ != nullptr && find_timer(*base_, timer.name) != nullptr)) continue;
      table("controller.timer." + timer.name);
      part(timer);
    }
    if (has_sensor("encoder") && (base_ == nullptr || !base_->controller.counters)) {
      table("controller.counters");
      part(*controller.counters);
    }
    const auto on_bus = [](const Mechanism& m) { return m.has_bus_drive(); };
    if (std::any_of(mechanisms_.begin(), mechanisms_.end(), on_bus) &&
        (base_ == nullptr || !base_->controller.bus)) {
      table("controller.bus");
      part(*controller.bus);
    }
    const auto knob = [](const NewRigOrder::Part& p) { return p.kind == "knob"; };
    const bool wants_analogue = has_sensor("shunt") || has_sensor("temperature probe") ||
                                std::any_of(order_.hands.begin(), order_.hands.end(), knob);
    if (wants_analogue && (base_ == nullptr || !base_->controller.analogue)) {
      table("controller.analogue");
      part(*controller.analogue);
    }
  }
  [[nodiscard]] bool is_used(const std::string& timer) const {
    return std::any_of(mechanisms_.begin(), mechanisms_.end(),
                       [&](const Mechanism& m) { return m.common.timer == timer; });
  }
  [[nodiscard]] bool has_sensor(const char* kind) const {
    return std::any_of(order_.sensors.begin(), order_.sensors.end(),
                       [&](const NewRigOrder::Part& p) { return p.kind == kind; });
  }

  void supplies() {
    std::set<std::string> written;
    for (const Mechanism& mechanism : mechanisms_) {
      if (base_ != nullptr && find_supply(*base_, mechanism.supply.name) != nullptr) continue;
      if (!written.insert(mechanism.supply.name).second) continue;
      table("supply." + mechanism.supply.name);
      part(mechanism.supply);
    }
    if (!written.empty() || base_ != nullptr) return;
    table("supply.main");
    part(typical_supply());
  }

  void write(const Mechanism& mechanism) {
    const std::string path = "mechanism." + mechanism.name;
    table(path);
    KeyWriter writer = keys();
    writer.put("supply", fmt::format("\"{}\"", mechanism.supply.name), "that feeds its board");
    writer.put("train", "[]", "none: the motor shaft is the output; or stages such as");
    file_ +=
        "# train = [{ part = \"gear pair\", driving = 12, driven = 36 }, { part = \"screw\", lead = \"8 mm\" "
        "}]\n";
    writer.put_comment("train_sold_as", "\"107.5:1\"", "the ratio on its label; the teeth are counted");
    writer.put_comment("reversed", "true", "the one place to turn it round");
    std::string guesses;
    const auto guessed = [&](const char* of, const auto& write_part) {
      table(fmt::format("{}.{}", path, of));
      const std::size_t from = file_.size();
      write_part();
      add_guesses(guesses, of, file_.substr(from));
    };
    guessed("motor", [&] {
      writer.put("kind", fmt::format("\"{}\"", kind_name(mechanism.motor)), "");
      std::visit([&](const auto& motor) { part(motor); }, mechanism.motor);
    });
    guessed("board", [&] {
      writer.put("kind", fmt::format("\"{}\"", kind_name(mechanism.board)), "");
      std::visit([&](const auto& board) { part(board); }, mechanism.board);
    });
    table(path + ".lines");
    lines(mechanism);
    if (Inertia() < mechanism.load.inertia) {
      guessed("load", [&] { part(mechanism.load); });
    }
    table(path + ".limits");
    Limits limits = mechanism.limits;
    std::optional<HardEnds> ends = mechanism.hard_ends;
    declare(writer, limits, ends, mechanism.motor);
    std::int64_t switches = 0;
    for (const NewRigOrder::Part& each : order_.sensors)
      if (each.owner == mechanism.name) sensor(path, each, is_place_switch(each) ? switches++ : 0);
    if (mechanism.homing) {
      table(path + ".homing");
      Homing homing = *mechanism.homing;
      homing.sensor = first_switch_of(mechanism.name)->name;
      part(homing);
    }
    file_ += fmt::format(
        "\n[{}.guesses]  # as they are above: as long as one is the same there, results say that they rest "
        "on a "
        "guess\n",
        path);
    file_ += guesses;
  }

  /// The figures of a part that was just written: `key = value` of each line that is one.
  static void add_guesses(std::string& guesses, const char* of, const std::string& written) {
    std::istringstream lines(written);
    for (std::string line; std::getline(lines, line);) {
      const std::size_t equals = line.find(" = ");
      if (equals == std::string::npos || line.front() == '#') continue;
      const std::string value = line.substr(equals + 3, line.find("  #", equals) - equals - 3);
      const bool is_figure =
          std::isdigit(static_cast<unsigned char>(value.find('"') == 0 ? value[1] : value[0])) != 0;
      if (is_figure)
        guesses += fmt::format("{}.{} = {}\n", of, line.substr(0, equals),
                               value.substr(0, value.find_last_not_of(' ') + 1));
    }
  }

  void lines(const Mechanism& mechanism) {
    CommonWiring common = mechanism.common;
    const Board& board = mechanism.board;
    BoardWiring wiring = mechanism.wiring;
    KeyWriter writer = keys();
    if (const auto* const steps = std::get_if<StepDirBoard>(&board)) {
      declare(writer, std::get<StepDirWiring>(wiring), common, *steps);
    } else if (const auto* const bridge = std::get_if<HBridge>(&board)) {
      declare(writer, std::get<BridgeWiring>(wiring), common, *bridge);
    } else if (const auto* const inverter = std::get_if<SixGateInverter>(&board)) {
      declare(writer, std::get<GateWiring>(wiring), common, *inverter);
    } else if (auto* const coils = std::get_if<CoilWiring>(&wiring)) {
      declare(writer, *coils, common, std::holds_alternative<DualHBridge>(board), ActiveLevel::high);
    } else if (auto* const bus = std::get_if<BusWiring>(&wiring)) {
      declare(writer, *bus);
    } else {
      declare(writer, std::get<PulseWidthWiring>(wiring), common);
    }
  }

  /// @param number  of a switch among those of its mechanism
  void sensor(const std::string& path, const NewRigOrder::Part& wanted, std::int64_t number) {
    Sensor typical = typical_sensor(kind_called(sensor_kinds(), wanted.kind, "sensor").part, line_, channel_);
    if (auto* const place_switch = std::get_if<PlaceSwitch>(&typical)) put_at(*place_switch, number);
    table(path + ".sensor." + wanted.name);
    keys().put("kind", fmt::format("\"{}\"", wanted.kind), "");
    std::visit([&](const auto& each) { part(each); }, typical);
  }
  void hand(const NewRigOrder::Part& wanted) {
    const HandControl typical =
        typical_hand(kind_called(hand_kinds(), wanted.kind, "hand control").part, line_, channel_);
    table("hand." + wanted.name);
    keys().put("kind", fmt::format("\"{}\"", wanted.kind), "");
    part(typical);
  }

  const NewRigOrder& order_;
  const Rig* base_;
  std::vector<Mechanism> mechanisms_{};
  std::int64_t line_ = 0;
  std::int64_t channel_ = 0;
  std::int64_t quad_channels_ = 0;
  std::string file_{};
};

}  // namespace

std::string new_rig_text(const NewRigOrder& order) {
  return RigWriter(order).take();
}

std::string added_rig_text(const std::string& text, const std::string& name, const NewRigOrder& order) {
  const Rig base = parse_rig(text, name);
  std::string whole = text;
  if (!whole.empty() && whole.back() != '\n') whole += '\n';
  whole += RigWriter(order, &base).take();
  (void)parse_rig(whole, name);
  return whole;
}

}  // namespace cogstride
