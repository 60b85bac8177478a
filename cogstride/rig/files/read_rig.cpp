#include "cogstride/rig/files/read_rig.hpp"

#include <algorithm>
#include <map>

#include "cogstride/rig/files/check_names.hpp"
#include "cogstride/rig/files/parts_mark.hpp"
#include "cogstride/rig/files/read_hands.hpp"
#include "cogstride/rig/files/read_part.hpp"
#include "cogstride/rig/files/stray_character.hpp"

namespace cogstride {
namespace {

enum class TrainPart { belt, gear_pair, screw, toothed_drive };

TrainStage read_stage(TomlTable& stage, bool is_last) {
  const TrainPart part = stage.choice<TrainPart>("part", {{"belt", TrainPart::belt},
                                                          {"gear pair", TrainPart::gear_pair},
                                                          {"screw", TrainPart::screw},
                                                          {"toothed drive", TrainPart::toothed_drive}});
  const bool ends = part == TrainPart::screw || part == TrainPart::toothed_drive;
  if (ends && !is_last)
    stage.error(stage.place(), "a screw or a toothed drive ends the train: what comes after it cannot turn");
  if (part == TrainPart::screw) return Screw{stage.quantity<ExactLength>("lead")};
  if (part == TrainPart::toothed_drive)
    return ToothedDrive{stage.whole("teeth", 1, 100'000), stage.quantity<ExactLength>("pitch")};
  const std::int64_t driving = stage.whole("driving", 1, 100'000);
  const std::int64_t driven = stage.whole("driven", 1, 100'000);
  if (part == TrainPart::belt) return Belt{driving, driven};
  return GearPair{driving, driven};
}

Train read_train(TomlTable& mechanism) {
  Train train;
  std::vector<TomlTable> stages = mechanism.table_list("train");
  for (std::size_t i = 0; i < stages.size(); ++i) {
    train.stages.push_back(read_stage(stages[i], i + 1 == stages.size()));
    stages[i].finish();
  }
  return train;
}

/// "107.5:1": motor turns to one of the output.
Ratio read_sold_ratio(TomlTable& mechanism) {
  const std::string text = mechanism.text("train_sold_as", "a ratio such as \"107.5:1\"");
  const std::size_t colon = text.find(':');
  try {
    if (colon == std::string::npos) throw RangeError("no colon");
    const Ratio ratio = parse_ratio(text.substr(0, colon)) / parse_ratio(text.substr(colon + 1));
    if (ratio <= Ratio(0)) throw RangeError("not above 0");
    return ratio;
  } catch (const Error&) {
    mechanism.error(
        mechanism.place_of("train_sold_as"),
        fmt::format("train_sold_as: found \"{}\"; expected motor turns to output turns, such as \"107.5:1\"",
                    text));
    return 1;
  }
}

/// Of the train; where that is missing, of the unit that the top speed is written in.
OutputKind kind_of_output(const Train& train, TomlTable& mechanism) {
  if (mechanism.has("train")) return output_kind(train);
  auto limits = mechanism.optional_table("limits");
  const auto dimension = limits ? limits->dimension_of("speed") : std::nullopt;
  return dimension == powers_of<dimensions::Speed> ? OutputKind::linear : OutputKind::rotary;
}

void read_limits(TomlTable table, OutputKind kind, Mechanism& mechanism) {
  Limits& limits = mechanism.limits;
  limits.speed.kind = limits.acceleration.kind = limits.start_speed.kind = kind;
  read_keys(table, kind, limits, mechanism.hard_ends, std::as_const(mechanism.motor));
  TomlErrors errors(table);
  check_limits(errors, limits, mechanism.hard_ends);
  table.finish();
}

std::optional<Sensor> read_sensor(const std::string& name, TomlTable table, OutputKind kind) {
  std::optional<Sensor> sensor = kind_of(table, sensor_kinds());
  if (!sensor) return sensor;
  std::visit(
      [&](auto& part) {
        part.name = name;
        if constexpr (std::is_same_v<std::decay_t<decltype(part)>, PlaceSwitch>) {
          part.acts_at.kind = part.releases_at.kind = part.window_from.kind = part.window_to.kind = kind;
          part.noise.kind = part.hysteresis.kind = kind;
        }
        read_keys(table, kind, part);
        TomlErrors errors(table);
        check(errors, part);
      },
      *sensor);
  table.finish();
  return sensor;
}

Homing read_homing(TomlTable table, OutputKind kind, const Limits& limits,
                   const std::vector<Sensor>& sensors) {
  Homing homing;
  homing.position.kind = homing.index_at.kind = homing.speed.kind = homing.slow_speed.kind = kind;
  read_keys(table, kind, homing);
  TomlErrors errors(table);
  check_homing(errors, homing, kind, limits, sensors);
  table.finish();
  return homing;
}

void read_load(TomlTable table, Mechanism& mechanism) {
  read_keys(table, OutputKind::rotary, mechanism.load);
  const Inertia rotor = std::visit(
      [](const auto& motor) {
        if constexpr (requires { motor.rotor_inertia; }) {
          return motor.rotor_inertia;
        } else {
          return Inertia();
        }
      },
      mechanism.motor);
  const Load& load = mechanism.load;
  if (Mass() < load.carried_mass && output_kind(mechanism.train) == OutputKind::rotary) {
    table.error(table.place_of("carried_mass"),
                "carried_mass: is for outputs that travel; count it into the inertia of one that turns");
  }
  if (load.backlash && load.backlash->kind != output_kind(mechanism.train)) {
    table.error(table.place_of("backlash"),
                fmt::format("backlash: found {}; the output moves {}", to_text(*load.backlash),
                            output_kind(mechanism.train) == OutputKind::linear ? "along a line" : "round"));
  }
  if (Ratio(1) < load.screw_efficiency.base()) {
    table.error(table.place_of("screw_efficiency"), "screw_efficiency: is over 100 %");
  }
  if (Inertia() < mechanism.load.inertia && mechanism.load.inertia < rotor) {
    table.error(table.place_of("inertia"),
                fmt::format("inertia: found {}; it is all that turns, the rotor's own {} included",
                            to_text(mechanism.load.inertia, "kg m2"), to_text(rotor, "kg m2")));
  }
  table.finish();
}

void read_wiring(TomlTable table, Mechanism& mechanism) {
  mechanism.wiring = wiring_for(mechanism.board);
  CommonWiring& common = mechanism.common;
  KeyReader keys(table);
  if (const auto* const board = std::get_if<StepDirBoard>(&mechanism.board)) {
    auto& wiring = std::get<StepDirWiring>(mechanism.wiring);
    declare(keys, wiring, common, *board);
    if (!table.has("pulse_width")) wiring.pulse_width = std::max(board->shortest_high, board->shortest_low);
    if (!table.has("dir_steady_before")) wiring.dir_steady_before = board->dir_steady_before;
    if (!table.has("dir_steady_after")) wiring.dir_steady_after = board->dir_steady_after;
  } else if (const auto* const bridge = std::get_if<HBridge>(&mechanism.board)) {
    auto& wiring = std::get<BridgeWiring>(mechanism.wiring);
    declare(keys, wiring, common, *bridge);
  } else if (const auto* const inverter = std::get_if<SixGateInverter>(&mechanism.board)) {
    auto& wiring = std::get<GateWiring>(mechanism.wiring);
    declare(keys, wiring, common, *inverter);
    if (!table.has("dead_time")) wiring.dead_time = inverter->dead_time;
  } else if (auto* const pulse = std::get_if<PulseWidthWiring>(&mechanism.wiring)) {
    declare(keys, *pulse, common);
  } else if (auto* const bus = std::get_if<BusWiring>(&mechanism.wiring)) {
    declare(keys, *bus);
  } else {
    auto& wiring = std::get<CoilWiring>(mechanism.wiring);
    const auto* const dual = std::get_if<DualHBridge>(&mechanism.board);
    declare(keys, wiring, common, dual != nullptr, dual != nullptr ? dual->enable_active : ActiveLevel::high);
  }
  TomlErrors errors(table);
  check_wiring(errors, mechanism);
  table.finish();
}

void read_motor(TomlTable table, Mechanism& mechanism, bool& known) {
  const std::optional<Motor> kind = kind_of(table, motor_kinds());
  known = kind.has_value();
  if (!kind) return;
  mechanism.motor = *kind;
  std::visit(
      [&](auto& motor) {
        read_keys(table, OutputKind::rotary, motor);
        TomlErrors errors(table);
        check(errors, motor);
      },
      mechanism.motor);
  table.finish();
}

void read_board(TomlTable table, Mechanism& mechanism, bool motor_known, bool& known) {
  const std::optional<Board> kind = kind_of(table, board_kinds());
  known = kind.has_value();
  if (!kind) return;
  mechanism.board = *kind;
  std::visit(
      [&](auto& board) {
        read_keys(table, OutputKind::rotary, board);
        TomlErrors errors(table);
        check(errors, board);
      },
      mechanism.board);
  if (motor_known) {
    TomlErrors errors(table);
    check_board_fits(errors, mechanism);
  }
  const auto* const steps = std::get_if<StepDirBoard>(&mechanism.board);
  if (steps != nullptr && std::holds_alternative<Stepper>(mechanism.motor) && !table.has("current"))
    table.error(table.place(), "current is missing; expected a current such as 1.6 A");
  table.finish();
}

/// @param air  around it, where its table says nothing
Mechanism read_mechanism(const std::string& name, TomlTable table, const std::vector<Supply>& supplies,
                         const AirTemperature& air) {
  Mechanism mechanism;
  mechanism.air = air;
  mechanism.name = name;
  mechanism.wiring =
      PulseWidthWiring{{no_line, ActiveLevel::high, std::nullopt}};  // until its lines are read
  const std::string supply = table.text("supply", "the name of a supply");
  const auto found =
      std::find_if(supplies.begin(), supplies.end(), [&](const Supply& s) { return s.name == supply; });
  if (found != supplies.end()) mechanism.supply = *found;
  if (found == supplies.end() && !supply.empty()) {
    std::vector<std::string> names;
    for (const Supply& s : supplies) names.push_back(s.name);
    table.error(table.place_of("supply"),
                fmt::format("supply: found \"{}\"; the rig has {}", supply,
                            names.empty() ? "none" : fmt::format("{}", fmt::join(names, ", "))));
  }
  bool motor_known = false;
  bool board_known = false;
  if (auto motor = table.table("motor")) read_motor(*motor, mechanism, motor_known);
  if (auto board = table.table("board")) read_board(*board, mechanism, motor_known, board_known);
  if (auto lines = table.table("lines"); lines && board_known) read_wiring(*lines, mechanism);
  mechanism.train = read_train(table);
  const OutputKind kind = kind_of_output(mechanism.train, table);
  if (table.has("train_sold_as")) mechanism.train_sold_as = read_sold_ratio(table);
  if (table.has("steps_per_turn")) mechanism.steps_per_turn = table.whole("steps_per_turn", 1, 10'000'000);
  read_keys(table, kind, mechanism.air);
  if (table.has("reversed")) mechanism.reversed = table.truth("reversed");

  const bool has_load = !std::holds_alternative<ThrottledMotor>(mechanism.motor) &&
                        !std::holds_alternative<HobbyServo>(mechanism.motor);
  if (motor_known && has_load) {
    if (auto load = table.table("load")) read_load(*load, mechanism);
  }
  table.count_steps(motor_known && board_known ? steps_per_base(mechanism) : Ratio(0));
  if (auto limits = table.table("limits"); limits && motor_known) read_limits(*limits, kind, mechanism);
  std::int64_t turning_stages = static_cast<std::int64_t>(mechanism.train.stages.size());
  if (output_kind(mechanism.train) == OutputKind::linear) --turning_stages;
  bool sensors_known = true;
  if (auto sensors = table.optional_table("sensor")) {
    for (auto& [sensor_name, sensor_table] : sensors->named_tables()) {
      auto sensor = read_sensor(sensor_name, sensor_table, kind);
      sensors_known = sensors_known && sensor.has_value();
      if (auto* const encoder = sensor ? std::get_if<Encoder>(&*sensor) : nullptr;
          encoder != nullptr && encoder->after_stages > turning_stages) {
        sensor_table.error(sensor_table.place_of("after_stages"),
                           fmt::format("after_stages: found {}; the train has {} that turn",
                                       encoder->after_stages, turning_stages));
      }
      if (sensor) mechanism.sensors.push_back(std::move(*sensor));
    }
  }
  if (auto homing = table.optional_table("homing")) {
    if (sensors_known && motor_known)
      mechanism.homing = read_homing(*homing, kind, mechanism.limits, mechanism.sensors);
  }
  if (auto follows = table.optional_table("follows")) {
    Following following;
    following.first.by.kind = kind;
    read_keys(*follows, kind, following);
    if (auto also = follows->optional_table("also")) {
      Leading second;
      second.by.kind = kind;
      read_keys(*also, kind, second);
      also->finish();
      following.also = second;
    }
    follows->finish();
    mechanism.follows = following;
  }
  if (auto by_hand = table.optional_table("by_hand")) {
    read_keys(*by_hand, kind, mechanism.by_hand);
    TomlErrors errors(*by_hand);
    check_by_hand(errors, mechanism);
    by_hand->finish();
  }
  if (auto proven = table.optional_table("proven")) {
    Proven read;
    read_keys(*proven, kind, read);
    proven->finish();
    mechanism.proven = std::move(read);
  }
  if (!motor_known) table.ignore("load");
  mechanism.guesses = table.same_as_here("guesses");
  if (mechanism.reversed) reverse(mechanism);
  table.finish();
  return mechanism;
}

/// Each line has one channel, each channel one line. @param before  the chips that were read before it
template <class Chip>
void check_channels(TomlTable& table, Chip& chip, const std::vector<Chip>& before) {
  if (chip.channels.empty()) {
    for (std::size_t i = 0; i < chip.lines.size(); ++i) chip.channels.push_back(static_cast<std::int64_t>(i));
  } else if (chip.channels.size() != chip.lines.size()) {
    table.error(table.place_of("channels"),
                fmt::format("names {} channels for {} lines: each line has its channel, in the same order",
                            chip.channels.size(), chip.lines.size()));
  }
  const auto twice = [](std::vector<std::int64_t> numbers) -> std::optional<std::int64_t> {
    std::sort(numbers.begin(), numbers.end());
    const auto found = std::adjacent_find(numbers.begin(), numbers.end());
    return found == numbers.end() ? std::nullopt : std::optional(*found);
  };
  if (const auto line = twice(chip.lines))
    table.error(table.place_of("lines"), fmt::format("line {} is named twice", *line));
  if (const auto channel = twice(chip.channels))
    table.error(table.place_of("channels"), fmt::format("channel {} is named twice", *channel));
  for (const Chip& other : before) {
    for (const std::int64_t line : chip.lines)
      if (std::find(other.lines.begin(), other.lines.end(), line) != other.lines.end())
        table.error(table.place_of("lines"),
                    fmt::format("line {} is a channel of {} already", line, other.name));
  }
}

template <class Chip>
void read_channel_chips(TomlTable& controller, const std::string& key, std::vector<Chip>& chips) {
  auto tables = controller.optional_table(key);
  if (!tables) return;
  for (auto& [name, table] : tables->named_tables()) {
    Chip chip = read_part<Chip>(table);
    chip.name = name;
    check_channels(table, chip, chips);
    chips.push_back(std::move(chip));
  }
}

Controller read_controller(TomlTable table) {
  Controller controller;
  read_keys(table, OutputKind::rotary, controller);
  if (auto timers = table.optional_table("timer")) {
    for (auto& [name, timer_table] : timers->named_tables()) {
      TimerUnit timer = read_part<TimerUnit>(timer_table);
      timer.name = name;
      controller.timers.push_back(std::move(timer));
    }
  }
  if (auto chips = table.optional_table("gpio")) {
    for (auto& [name, chip_table] : chips->named_tables()) {
      GpioChip chip = read_part<GpioChip>(chip_table);
      chip.name = name;
      for (const GpioChip& other : controller.chips) {
        if (chip.first_line >= other.first_line + other.lines ||
            other.first_line >= chip.first_line + chip.lines)
          continue;
        chip_table.error(chip_table.place_of("lines"),
                         fmt::format("the chips {} and {} give the same lines: each line is on one chip",
                                     other.name, name));
      }
      controller.chips.push_back(std::move(chip));
    }
  }
  read_channel_chips(table, "pwm", controller.pwm_chips);
  read_channel_chips(table, "counter", controller.counter_chips);
  if (auto chip = table.optional_table("small_chip")) controller.small_chip = read_part<SmallChip>(*chip);
  if (auto link = table.optional_table("link")) {
    controller.link = read_part<ChipLink>(*link);
    if (!controller.small_chip)
      table.error(table.place_of("link"),
                  "controller.link: a link goes to a small chip: say which, in [controller.small_chip]");
  }
  if (auto bus = table.optional_table("bus")) controller.bus = read_part<FieldBus>(*bus);
  if (auto heartbeat = table.optional_table("heartbeat"))
    controller.heartbeat = read_part<Heartbeat>(*heartbeat);
  if (auto analogue = table.optional_table("analogue"))
    controller.analogue = read_part<AnalogueInputs>(*analogue);
  if (auto counters = table.optional_table("counters"))
    controller.counters = read_part<QuadratureCounters>(*counters);
  table.finish();
  return controller;
}

void read_between(const std::string& name, TomlTable table, Rig& rig) {
  const auto kind = kind_of(table, part_kinds());
  if (!kind) return;
  BetweenPart part;
  part.name = name;
  part.kind = *kind;
  read_keys(table, OutputKind::rotary, part);
  table.finish();
  rig.parts.push_back(std::move(part));
}

/// Of the limits' unit where it has no train.
Shaft read_shaft(const std::string& name, TomlTable table) {
  Shaft shaft;
  shaft.name = name;
  if (table.has("train")) shaft.train = read_train(table);
  const OutputKind kind = table.has("train") ? output_kind(shaft.train) : table.output_kind_of<1>("speed");
  shaft.speed.kind = kind;
  read_keys(table, kind, shaft);
  if (auto encoder = table.optional_table("encoder")) {
    Encoder counts;
    counts.name = "encoder";
    read_keys(*encoder, kind, counts);
    TomlErrors errors(*encoder);
    check(errors, counts);
    if (counts.after_stages > static_cast<std::int64_t>(shaft.train.stages.size()))
      encoder->error(encoder->place_of("after_stages"),
                     fmt::format("after_stages: found {}; the train has {}", counts.after_stages,
                                 shaft.train.stages.size()));
    encoder->finish();
    shaft.encoder = std::move(counts);
    if (shaft.acceleration)
      table.error(table.place_of("acceleration"),
                  "acceleration: is of a master speed; another machine turns what has an encoder");
  } else if (!shaft.train.stages.empty()) {
    table.error(table.place_of("train"), "train: leads from an encoder's shaft, and a master speed has none");
  }
  table.finish();
  return shaft;
}

Rig read_tables(TomlFile& file, TomlTable root) {
  Rig rig;
  rig.name = root.text("name", "a name for the rig");
  AirTemperature air;
  read_keys(root, OutputKind::rotary, air);
  if (auto controller = root.table("controller")) rig.controller = read_controller(*controller);
  if (auto supplies = root.table("supply")) {
    for (auto& [name, table] : supplies->named_tables()) {
      Supply supply = read_part<Supply>(table);
      supply.name = name;
      rig.supplies.push_back(std::move(supply));
    }
  }
  for_each_table(root, "part", [&](const auto& name, TomlTable& table) { read_between(name, table, rig); });
  if (auto mechanisms = root.table("mechanism")) {
    for (auto& [name, table] : mechanisms->named_tables())
      rig.mechanisms.push_back(read_mechanism(name, table, rig.supplies, air));
  }
  for_each_table(root, "pair", [&](const auto& name, TomlTable& table) {
    WheeledPair pair = read_part<WheeledPair>(table);
    pair.name = name;
    rig.pairs.push_back(std::move(pair));
  });
  for_each_table(root, "shaft",
                 [&](const auto& name, TomlTable& table) { rig.shafts.push_back(read_shaft(name, table)); });
  read_hands(root, rig);
  for_each_table(root, "output", [&](const auto& name, TomlTable& table) {
    PlainOutput output = read_part<PlainOutput>(table);
    output.name = name;
    rig.outputs.push_back(std::move(output));
  });
  if (auto stops = root.optional_table("stops")) rig.stops = read_part<Stops>(*stops);
  root.finish();
  // Where names themselves are wrong, what refers to them says nothing new.
  if (!file.any()) {
    for (Diagnostic& wrong : wrong_names(rig, file.name(), file.places())) file.add(std::move(wrong));
  }
  for (Diagnostic& wrong : lines_used_twice(rig, file.name(), file.places())) file.add(std::move(wrong));
  return rig;
}

}  // namespace

Rig parse_rig(std::string_view text, const std::string& name) {
  if (const std::optional<StrayCharacter> stray = find_stray_character(text)) {
    throw InputError({{{name, stray->line, stray->column},
                       fmt::format("not TOML: '{}' stands outside quotes; keys and numbers are plain letters "
                                   "and digits, and blanks "
                                   "plain blanks",
                                   stray->character),
                       {}}});
  }
  TomlFile file(name);
  try {
    const toml::table table = toml::parse(text);
    Rig rig = read_tables(file, TomlTable(file, table, ""));
    file.throw_if_any();
    for (Mechanism& mechanism : rig.mechanisms) {
      if (mechanism.proven)
        mechanism.proven->still_holds = mechanism.proven->parts == parts_mark(table, mechanism.name);
    }
    rig.places = file.take_places();
    return rig;
  } catch (const toml::parse_error& wrong) {
    file.add(wrong.source(), fmt::format("not TOML: {}", wrong.description()));
  }
  file.throw_if_any();
  return {};
}

Rig read_rig(const std::string& path) {
  return parse_rig(read_text_file(path), path);
}

}  // namespace cogstride
