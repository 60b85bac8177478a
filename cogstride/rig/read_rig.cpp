#include "cogstride/rig/read_rig.hpp"

#include <algorithm>
#include <map>

#include "cogstride/rig/stray_character.hpp"
#include "cogstride/rig/toml_table.hpp"

namespace cogstride {
namespace {

constexpr std::int64_t most_lines = 1023;
constexpr std::int64_t no_line = -1;  // stands in for one that is missing or wrong

const std::vector<std::pair<std::string, ActiveLevel>> levels = {{"low", ActiveLevel::low},
                                                                 {"high", ActiveLevel::high}};
const std::vector<std::pair<std::string, StepEdge>> edges = {{"rising", StepEdge::rising},
                                                             {"falling", StepEdge::falling}};

Controller read_controller(TomlTable table) {
  Controller controller;
  controller.timer_clock = table.quantity<ExactFrequency>("timer_clock");
  controller.top_step_rate = table.quantity<ExactFrequency>("top_step_rate");
  controller.logic_level = table.quantity<Voltage>("logic_level");
  controller.line_current = table.quantity<Current>("line_current");
  table.finish();
  return controller;
}

Supply read_supply(const std::string& name, TomlTable table) {
  Supply supply;
  supply.name = name;
  supply.voltage = table.quantity<Voltage>("voltage");
  supply.current = table.quantity<Current>("current");
  supply.resistance =
      table.optional_quantity<Resistance>("resistance", Sign::not_negative).value_or(Resistance());
  table.finish();
  return supply;
}

BipolarStepper read_motor(TomlTable table) {
  BipolarStepper motor;
  (void)table.choice<int>("kind", {{"bipolar stepper", 0}});
  motor.full_steps = table.whole("full_steps", 4, 100'000);
  if (motor.full_steps % 4 != 0) {
    table.error(
        table.place_of("full_steps"),
        fmt::format("full_steps: found {}; a two-phase stepper has a multiple of 4", motor.full_steps));
  }
  motor.rated_current = table.quantity<Current>("rated_current");
  motor.resistance = table.quantity<Resistance>("resistance");
  motor.inductance = table.quantity<Inductance>("inductance");
  motor.holding_torque = table.quantity<Torque>("holding_torque");
  motor.detent_torque =
      table.optional_quantity<Torque>("detent_torque", Sign::not_negative).value_or(Torque());
  motor.rotor_inertia = table.quantity<Inertia>("rotor_inertia");
  motor.rated_voltage = table.optional_quantity<Voltage>("rated_voltage");
  motor.step_angle = table.optional_quantity<ExactAngle>("step_angle");
  motor.thermal_resistance = table.optional_quantity<ThermalResistance>("thermal_resistance");
  motor.heat_capacity = table.optional_quantity<HeatCapacity>("heat_capacity");
  motor.highest_rise = table.optional_quantity<Temperature>("highest_rise");
  table.finish();
  return motor;
}

StepDirBoard read_board(TomlTable table) {
  StepDirBoard board;
  (void)table.choice<int>("kind", {{"STEP/DIR", 0}});
  board.microstep_settings = table.whole_list("microstep_settings", 1, 256);
  board.microsteps = table.whole("microsteps", 1, 256);
  const auto& settings = board.microstep_settings;
  if (board.microsteps != 0 && !settings.empty() &&
      std::find(settings.begin(), settings.end(), board.microsteps) == settings.end()) {
    table.error(table.place_of("microsteps"), fmt::format("microsteps {} is not a setting of this board ({})",
                                                          board.microsteps, fmt::join(settings, ", ")));
  }
  board.current = table.quantity<Current>("current");
  board.step_edge = table.choice_or("step_edge", edges, StepEdge::rising);
  board.shortest_high = table.quantity<Time>("shortest_high");
  board.shortest_low = table.quantity<Time>("shortest_low");
  board.dir_steady_before = table.quantity<Time>("dir_steady_before", Sign::not_negative);
  board.dir_steady_after = table.quantity<Time>("dir_steady_after", Sign::not_negative);
  board.enable_active = table.choice_or("enable_active", levels, ActiveLevel::low);
  board.wake = table.optional_quantity<Time>("wake", Sign::not_negative).value_or(Time());
  board.drop = table.optional_quantity<Voltage>("drop", Sign::not_negative).value_or(Voltage());
  board.input_resistance = table.optional_quantity<Resistance>("input_resistance");
  board.input_drop = table.optional_quantity<Voltage>("input_drop", Sign::not_negative).value_or(Voltage());
  board.input_threshold = table.optional_quantity<Voltage>("input_threshold");
  board.lowest_supply = table.optional_quantity<Voltage>("lowest_supply");
  board.highest_supply = table.optional_quantity<Voltage>("highest_supply");
  board.chopper_off_time =
      table.optional_quantity<Time>("chopper_off_time", Sign::not_negative).value_or(Time());
  table.finish();
  return board;
}

DrivenLine read_line(std::optional<TomlTable> table, ActiveLevel usual) {
  DrivenLine line;
  line.number = no_line;
  if (!table) return line;
  line.number = table->whole("line", 0, most_lines, no_line);
  line.active = table->choice_or("active", levels, usual);
  table->finish();
  return line;
}

StepDirWiring read_wiring(TomlTable table, const StepDirBoard& board) {
  StepDirWiring wiring;
  wiring.step = read_line(table.table("step"),
                          board.step_edge == StepEdge::rising ? ActiveLevel::high : ActiveLevel::low);
  wiring.dir = read_line(table.table("dir"), ActiveLevel::high);
  if (table.has("enable")) wiring.enable = read_line(table.table("enable"), board.enable_active);
  wiring.pulse_width = table.optional_quantity<Time>("pulse_width")
                           .value_or(std::max(board.shortest_high, board.shortest_low));
  wiring.dir_steady_before = table.optional_quantity<Time>("dir_steady_before", Sign::not_negative)
                                 .value_or(board.dir_steady_before);
  wiring.dir_steady_after =
      table.optional_quantity<Time>("dir_steady_after", Sign::not_negative).value_or(board.dir_steady_after);
  table.finish();
  return wiring;
}

enum class Part { belt, gear_pair, screw };

Train read_train(TomlTable& mechanism) {
  Train train;
  std::vector<TomlTable> stages = mechanism.table_list("train");
  for (std::size_t i = 0; i < stages.size(); ++i) {
    TomlTable& stage = stages[i];
    const Part part = stage.choice<Part>(
        "part", {{"belt", Part::belt}, {"gear pair", Part::gear_pair}, {"screw", Part::screw}});
    if (part == Part::screw) {
      if (i + 1 != stages.size())
        stage.error(stage.place(), "a screw ends the train: what comes after it cannot turn");
      train.stages.push_back(Screw{stage.quantity<ExactLength>("lead")});
    } else {
      const std::int64_t driving = stage.whole("driving", 1, 100'000);
      const std::int64_t driven = stage.whole("driven", 1, 100'000);
      if (part == Part::belt) train.stages.push_back(Belt{driving, driven});
      if (part == Part::gear_pair) train.stages.push_back(GearPair{driving, driven});
    }
    stage.finish();
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

Load read_load(TomlTable table, const BipolarStepper& motor) {
  Load load;
  load.inertia = table.quantity<Inertia>("inertia");
  if (Inertia() < load.inertia && load.inertia < motor.rotor_inertia) {
    table.error(table.place_of("inertia"),
                fmt::format("inertia: found {}; it is all that turns, the rotor's own {} included",
                            to_text(load.inertia, "kg m2"), to_text(motor.rotor_inertia, "kg m2")));
  }
  load.coulomb_friction =
      table.optional_quantity<Torque>("coulomb_friction", Sign::not_negative).value_or(Torque());
  load.viscous_friction = table.optional_quantity<ViscousFriction>("viscous_friction", Sign::not_negative)
                              .value_or(ViscousFriction());
  table.finish();
  return load;
}

struct Span {
  OutputPosition from;
  OutputPosition to;
};

std::optional<Span> read_span(TomlTable& parent, const std::string& key, OutputKind kind) {
  std::optional<TomlTable> table = parent.optional_table(key);
  if (!table) return std::nullopt;
  const Span span{table->output<0>("from", kind), table->output<0>("to", kind)};
  if (span.from.base >= span.to.base) {
    table->error(table->place(), fmt::format("from {} to {}: the first must be the lower", to_text(span.from),
                                             to_text(span.to)));
  }
  table->finish();
  return span;
}

OutputSpeed read_speed(TomlTable& table, const std::string& key, OutputKind kind,
                       const std::optional<OutputSpeed>& limit) {
  const OutputSpeed speed = table.output<1>(key, kind, Sign::positive);
  if (limit && limit->base > Ratio(0) && speed.base > limit->base) {
    table.error(table.place_of(key),
                fmt::format("{} {} is over the top speed of {}", key, to_text(speed), to_text(*limit)));
  }
  return speed;
}

Limits read_limits(TomlTable table, OutputKind kind, std::optional<HardEnds>& hard_ends) {
  Limits limits;
  limits.speed = read_speed(table, "speed", kind, std::nullopt);
  limits.acceleration = table.output<2>("acceleration", kind, Sign::positive);
  limits.start_speed = {kind, 0};
  if (table.has("start_speed")) limits.start_speed = read_speed(table, "start_speed", kind, limits.speed);
  if (const auto travel = read_span(table, "travel", kind)) {
    limits.travel_from = travel->from;
    limits.travel_to = travel->to;
  }
  if (const auto ends = read_span(table, "hard_ends", kind)) {
    hard_ends = HardEnds{ends->from, ends->to};
    const bool inside = (!limits.travel_from || ends->from.base <= limits.travel_from->base) &&
                        (!limits.travel_to || limits.travel_to->base <= ends->to.base);
    if (!inside) table.error(table.place_of("hard_ends"), "the hard ends lie inside the travel");
  }
  table.finish();
  return limits;
}

OpticalGate read_gate(TomlTable table, OutputKind kind) {
  OpticalGate gate;
  (void)table.choice<int>("kind", {{"optical gate", 0}});
  gate.line = table.whole("line", 0, most_lines, no_line);
  gate.blocked = table.choice_or("blocked", levels, ActiveLevel::high);
  gate.blocks_at = table.output<0>("blocks_at", kind);
  gate.clears_at = table.output<0>("clears_at", kind);
  gate.noise = {kind, 0};
  if (table.has("noise")) gate.noise = table.output<0>("noise", kind, Sign::not_negative);
  if (gate.blocks_at == gate.clears_at) {
    table.error(table.place_of("clears_at"), "clears_at is the same as blocks_at: which side is blocked?");
  }
  table.finish();
  return gate;
}

Homing read_homing(TomlTable table, OutputKind kind, const Limits& limits,
                   const std::vector<std::string>& sensors) {
  Homing homing;
  const std::string sensor = table.text("sensor", "the name of a sensor of this mechanism");
  if (!sensor.empty() && std::find(sensors.begin(), sensors.end(), sensor) == sensors.end()) {
    table.error(table.place_of("sensor"),
                fmt::format("sensor: found \"{}\"; this mechanism has {}", sensor,
                            sensors.empty() ? "no sensor" : fmt::format("{}", fmt::join(sensors, ", "))));
  }
  homing.speed = read_speed(table, "speed", kind, limits.speed);
  homing.slow_speed = read_speed(table, "slow_speed", kind, homing.speed);
  homing.position = table.output<0>("position", kind);
  const bool has_travel = limits.travel_from && limits.travel_from->base < limits.travel_to->base;
  if (has_travel &&
      (homing.position.base < limits.travel_from->base || homing.position.base > limits.travel_to->base)) {
    table.error(table.place_of("position"),
                fmt::format("position {} is outside the travel", to_text(homing.position)));
  }
  if (!limits.travel_from && kind == OutputKind::linear) {
    table.error(table.place(), "homing along a line needs limits.travel, to know when to give up");
  }
  table.finish();
  return homing;
}

/// Each line has one use. Collects them as the mechanisms are read.
class LineUses {
 public:
  void claim(const TomlTable& mechanism, std::int64_t line, const std::string& use) {
    if (line == no_line) return;
    const auto [found, is_new] = uses_.emplace(line, mechanism.path() + " " + use);
    if (!is_new) {
      mechanism.error(mechanism.place(), fmt::format("line {} is used twice: for {} and for {}", line,
                                                     found->second, mechanism.path() + " " + use));
    }
  }

 private:
  std::map<std::int64_t, std::string> uses_;
};

Mechanism read_mechanism(const std::string& name, TomlTable table, const std::vector<Supply>& supplies,
                         LineUses& uses) {
  Mechanism mechanism;
  mechanism.name = name;
  const std::string supply = table.text("supply", "the name of a supply");
  const auto found =
      std::find_if(supplies.begin(), supplies.end(), [&](const Supply& s) { return s.name == supply; });
  if (found != supplies.end()) {
    mechanism.supply = *found;
  } else if (!supply.empty()) {
    std::vector<std::string> names;
    for (const Supply& s : supplies) names.push_back(s.name);
    table.error(table.place_of("supply"),
                fmt::format("supply: found \"{}\"; the rig has {}", supply,
                            names.empty() ? "none" : fmt::format("{}", fmt::join(names, ", "))));
  }
  if (auto motor = table.table("motor")) mechanism.motor = read_motor(*motor);
  if (auto board = table.table("board")) mechanism.board = read_board(*board);
  if (auto lines = table.table("lines")) {
    mechanism.wiring = read_wiring(*lines, mechanism.board);
    uses.claim(table, mechanism.wiring.step.number, "step");
    uses.claim(table, mechanism.wiring.dir.number, "dir");
    if (mechanism.wiring.enable) uses.claim(table, mechanism.wiring.enable->number, "enable");
  }
  mechanism.train = read_train(table);
  if (table.has("train_sold_as")) mechanism.train_sold_as = read_sold_ratio(table);
  const OutputKind kind = output_kind(mechanism.train);
  if (auto load = table.table("load")) mechanism.load = read_load(*load, mechanism.motor);
  if (auto limits = table.table("limits")) mechanism.limits = read_limits(*limits, kind, mechanism.hard_ends);
  std::vector<std::string> sensors;
  if (auto sensor_tables = table.optional_table("sensor")) {
    for (auto& [sensor, sensor_table] : sensor_tables->named_tables()) {
      if (!sensors.empty()) {
        sensor_table.error(sensor_table.place(),
                           "a mechanism takes one sensor so far: the gate it homes with");
        continue;
      }
      sensors.push_back(sensor);
      mechanism.gate = read_gate(sensor_table, kind);
      uses.claim(table, mechanism.gate->line, sensor);
    }
  }
  if (auto homing = table.optional_table("homing")) {
    mechanism.homing = read_homing(*homing, kind, mechanism.limits, sensors);
  }
  table.finish();
  return mechanism;
}

Rig read_tables(TomlTable root) {
  Rig rig;
  rig.name = root.text("name", "a name for the rig");
  if (auto controller = root.table("controller")) rig.controller = read_controller(*controller);
  if (auto supplies = root.table("supply")) {
    for (auto& [name, table] : supplies->named_tables()) rig.supplies.push_back(read_supply(name, table));
  }
  LineUses uses;
  if (auto mechanisms = root.table("mechanism")) {
    for (auto& [name, table] : mechanisms->named_tables()) {
      rig.mechanisms.push_back(read_mechanism(name, table, rig.supplies, uses));
    }
  }
  root.finish();
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
    Rig rig = read_tables(TomlTable(file, table, ""));
    file.throw_if_any();
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
