#include "cogstride/rig/files/typical.hpp"

#include "cogstride/quantity/literals.hpp"
#include "cogstride/rig/keys/kinds.hpp"

namespace cogstride {
namespace {

using namespace literals;

constexpr OutputKind rotary = OutputKind::rotary;

Temperature kelvin(double rise) {
  return Temperature(rise, units::K);
}
ThermalResistance kelvin_per_watt(double resistance) {
  return ThermalResistance::from_base(resistance);
}
MotorHeat warm(double resistance, double joules_per_kelvin, double rise) {
  MotorHeat heat;
  heat.heat_capacity = HeatCapacity::from_base(joules_per_kelvin);
  heat.thermal_resistance = kelvin_per_watt(resistance);
  heat.highest_rise = kelvin(rise);
  return heat;
}

void fill(Stepper& motor) {
  if (motor.phases == Stepper::Phases::bipolar) {
    motor.full_steps = 200;
    motor.rated_current = 1.6_A;
    motor.resistance = 1.9_ohm;
    motor.inductance = 3.4_mH;
    motor.holding_torque = 0.45_Nm;
    motor.rotor_inertia = Inertia(6.2e-6, units::kg_m2);
    motor.rated_voltage = Voltage(3.04, units::V);
    motor.step_angle = ExactAngle(Ratio(9, 5), units::deg);
    motor.heat = warm(9, 180, 80);
  } else {
    motor.full_steps = 24;
    motor.rated_current = 0.12_A;
    motor.resistance = 34_ohm;
    motor.inductance = 12_mH;
    motor.holding_torque = Torque(5.2e-3, units::Nm);
    motor.rotor_inertia = Inertia(1.8e-6, units::kg_m2);
    motor.rated_voltage = Voltage(4.1, units::V);
    motor.step_angle = 15_deg;
    motor.heat = warm(25, 30, 60);
  }
}
void fill(BrushedMotor& motor) {
  motor.rated_voltage = 24_V;
  motor.resistance = 2.6_ohm;
  motor.inductance = 1.9_mH;
  motor.torque_constant = 0.0625_Nm_per_A;
  motor.rotor_inertia = Inertia(6e-5, units::kg_m2);
  motor.heat = warm(5, 120, 95);
}
void fill(BrushlessMotor& motor) {
  motor.pole_pairs = 7;
  motor.back_emf_constant = BackEmfConstant(0.06, units::V_s_per_rad);
  motor.resistance = 0.42_ohm;
  motor.inductance = 0.31_mH;
  motor.rotor_inertia = Inertia(6e-5, units::kg_m2);
  motor.heat = warm(4, 150, 80);
}
void fill(ThrottledMotor& motor) {
  motor.rated_voltage = 24_V;
  motor.current = 0.4_A;
  motor.idle_current = 0.03_A;
  motor.surge_current = 1.2_A;
  motor.start_throttle = ExactFraction(6, units::percent);
}
void fill(HobbyServo& motor) {
  motor.range = 168_deg;
  motor.speed = 500_deg_per_s;
  motor.dead_band = 4_us;
  motor.rated_voltage = 5_V;
  motor.stall_current = 1_A;
}
void fill(StepServo& motor) {
  motor.steps_per_turn = 4000;
  motor.rated_torque = 0.6_Nm;
  motor.peak_torque = 1.8_Nm;
  motor.rotor_inertia = Inertia(3e-5, units::kg_m2);
  motor.top_speed = 3000_rpm;
  motor.current = 2.5_A;
}

void fill_common(BoardInputs& inputs, BoardStage& stage) {
  inputs.threshold = 2.4_V;
  inputs.resistance = 10000_ohm;
  inputs.external_pull = ActiveLevel::low;
  stage.highest_supply = 40_V;
  stage.highest_current = 4_A;
  stage.thermal_resistance = kelvin_per_watt(8);
  stage.heat_capacity = HeatCapacity::from_base(6.0);
  stage.highest_rise = kelvin(60);
}
void fill(StepDirBoard& board) {
  board.microstep_settings = {1, 2, 4, 8, 16};
  board.microsteps = 8;
  board.shortest_high = 2.2_us;
  board.shortest_low = 2.2_us;
  board.dir_steady_before = 5_us;
  board.dir_steady_after = 5_us;
  board.inputs.resistance = 270_ohm;
  board.inputs.drop = 1.2_V;
  board.inputs.external_pull.reset();
  board.inputs.isolated = true;
  board.current = 1.6_A;
}
void fill(TransistorArray& board) {
  board.stage.drop = 0.8_V;
  board.stage.thermal_resistance = kelvin_per_watt(80);
  board.stage.heat_capacity = HeatCapacity::from_base(1.0);
}
void fill(DualHBridge& board) {
  board.current_limit = 1.5_A;
  board.stage.resistance = 0.3_ohm;
}
void fill(HBridge& board) {
  board.stage.highest_current = 6_A;
  board.highest_pwm = 30_kHz;
  board.stage.resistance = 0.25_ohm;
  board.board_name = "quad";
}
void fill(SixGateInverter& board) {
  board.dead_time = 800_ns;
  board.current_limit = 4_A;
  board.highest_pwm = 50_kHz;
  board.stage.resistance = Resistance(0.03, units::ohm);
}
void fill(PulseWidthInput& board) {
  board.shortest_pulse = 1_ms;
  board.longest_pulse = 2_ms;
  board.frame_rate = 50_Hz;
  board.stage.highest_current.reset();
  board.stage.thermal_resistance.reset();
  board.stage.heat_capacity.reset();
  board.stage.highest_rise.reset();
}

void fill(BusDrive& board) {
  board.encoder_lines = 1024;
  board.supply_current = 5_A;
}

class LineNumbers {
 public:
  explicit LineNumbers(std::int64_t& next) : next_(next) {}
  DrivenLine line(ActiveLevel active = ActiveLevel::high) { return {next_++, active, std::nullopt}; }

 private:
  std::int64_t& next_;
};

void fill(StepDirWiring& wiring, const StepDirBoard& board, LineNumbers numbers) {
  wiring.step = numbers.line();
  wiring.dir = numbers.line();
  wiring.enable = numbers.line(board.enable_active);
  wiring.pulse_width = std::max(board.shortest_high, board.shortest_low);
  wiring.dir_steady_before = board.dir_steady_before;
  wiring.dir_steady_after = board.dir_steady_after;
}
void fill(CoilWiring& wiring, const Board& board, LineNumbers numbers) {
  for (DrivenLine& coil : wiring.coils) coil = numbers.line();
  if (std::holds_alternative<DualHBridge>(board)) wiring.enable = numbers.line();
}
void fill(BridgeWiring& wiring, const HBridge& board, LineNumbers numbers) {
  const bool sign = board.form == HBridge::Form::sign_magnitude;
  if (sign) wiring.sign = numbers.line();
  if (!sign) wiring.input_a = numbers.line();
  if (!sign) wiring.input_b = numbers.line();
  if (board.form != HBridge::Form::two_input) wiring.duty = numbers.line();
  wiring.enable = numbers.line();
  wiring.pwm_frequency = 20_kHz;
}
void fill(GateWiring& wiring, const SixGateInverter& board, LineNumbers numbers) {
  for (DrivenLine& gate : wiring.gates) gate = numbers.line();
  wiring.pwm_frequency = 20_kHz;
  wiring.dead_time = board.dead_time;
}

void fill_wiring(Mechanism& mechanism, std::int64_t& next) {
  const LineNumbers numbers(next);
  mechanism.wiring = wiring_for(mechanism.board);
  if (const auto* const steps = std::get_if<StepDirBoard>(&mechanism.board)) {
    fill(std::get<StepDirWiring>(mechanism.wiring), *steps, numbers);
    mechanism.common.timer = "steps";
  } else if (const auto* const bridge = std::get_if<HBridge>(&mechanism.board)) {
    fill(std::get<BridgeWiring>(mechanism.wiring), *bridge, numbers);
    mechanism.common.timer = "duty";
  } else if (const auto* const inverter = std::get_if<SixGateInverter>(&mechanism.board)) {
    fill(std::get<GateWiring>(mechanism.wiring), *inverter, numbers);
    mechanism.common.timer = "gates";
  } else if (auto* const coils = std::get_if<CoilWiring>(&mechanism.wiring)) {
    fill(*coils, mechanism.board, numbers);
  } else if (auto* const bus = std::get_if<BusWiring>(&mechanism.wiring)) {
    bus->id = next++ % 126 + 1;
  } else {
    std::get<PulseWidthWiring>(mechanism.wiring).pulse = LineNumbers(next).line();
    mechanism.common.timer = "pulses";
  }
}

OutputSpeed turning(ExactAngularSpeed speed) {
  return {speed};
}

void fill_limits(Mechanism& mechanism) {
  Limits& limits = mechanism.limits;
  Load& load = mechanism.load;
  limits.acceleration.kind = limits.start_speed.kind = rotary;
  if (const auto* const stepper = std::get_if<Stepper>(&mechanism.motor)) {
    const bool bipolar = stepper->phases == Stepper::Phases::bipolar;
    load.inertia = Inertia(bipolar ? 4e-5 : 2.4e-6, units::kg_m2);
    load.coulomb_friction = Torque(bipolar ? 0.02 : 0.4e-3, units::Nm);
    limits.speed = turning(bipolar ? 180_rpm : 120_rpm);
    limits.acceleration =
        OutputAcceleration(ExactAngularAcceleration(bipolar ? 5000 : 1000, units::deg_per_s2));
  } else if (std::holds_alternative<StepServo>(mechanism.motor)) {
    load.inertia = Inertia(1e-4, units::kg_m2);
    limits.speed = turning(600_rpm);
    limits.acceleration = OutputAcceleration(ExactAngularAcceleration(20'000, units::deg_per_s2));
  } else if (std::holds_alternative<HobbyServo>(mechanism.motor)) {
    limits.travel_from = OutputPosition(0_deg);
    limits.travel_to = OutputPosition(90_deg);
    limits.speed = turning(400_deg_per_s);
  } else if (std::holds_alternative<ThrottledMotor>(mechanism.motor)) {
    limits.lowest_duty = ExactFraction(10, units::percent);
    limits.highest_duty = ExactFraction(80, units::percent);
  } else {
    const bool brushed = std::holds_alternative<BrushedMotor>(mechanism.motor);
    load.inertia = Inertia(1.2e-4, units::kg_m2);
    load.coulomb_friction = 0.016_Nm;
    limits.speed = turning(brushed ? 2400_rpm : 1800_rpm);
    limits.current = brushed ? 2.5_A : 4_A;
    if (mechanism.has_bus_drive())
      limits.acceleration = OutputAcceleration(ExactAngularAcceleration(20'000, units::deg_per_s2));
    if (!brushed || mechanism.has_bus_drive()) return;
    const bool lets_go = std::get<BridgeWiring>(mechanism.wiring).decay == Decay::fast;
    limits.lowest_duty = ExactFraction(lets_go ? 55 : 10, units::percent);
    limits.reversal_pause = 3_s;
  }
}

}  // namespace

Controller typical_controller() {
  Controller controller;
  controller.timer_clock = 48_MHz;
  controller.top_step_rate = 60_kHz;
  controller.logic_level = 3.3_V;
  controller.line_current = 12_mA;
  controller.all_lines_current = Current(0.2, units::A);
  controller.highest_input = Voltage(3.6, units::V);
  controller.at_boot = BootLevel::floating;
  controller.timers = {
      {"steps", 32, 1, 4, 0}, {"duty", 16, 1, 8, 0}, {"gates", 16, 1, 0, 3}, {"pulses", 16, 16, 4, 0}};
  controller.counters = QuadratureCounters{2, 1_MHz};
  controller.analogue = AnalogueInputs{8, 12, 3.3_V, 1_us, {}};
  controller.bus.emplace();
  return controller;
}

Supply typical_supply() {
  Supply supply;
  supply.name = "main";
  supply.voltage = 24_V;
  supply.current = 10_A;
  supply.ground_joined = true;
  supply.clamp_voltage = 30_V;
  supply.clamp_resistance = 5_ohm;
  return supply;
}

Mechanism typical_mechanism(const Motor& motor, const Board& board, std::int64_t& first_line) {
  Mechanism mechanism;
  mechanism.motor = motor;
  mechanism.board = board;
  mechanism.supply = typical_supply();
  std::visit([](auto& part) { fill(part); }, mechanism.motor);
  std::visit(
      [](auto& part) {
        fill_common(part.inputs, part.stage);
        fill(part);
      },
      mechanism.board);
  // What takes its volts as they are is fed with fewer.
  const bool small = std::holds_alternative<TransistorArray>(mechanism.board) ||
                     std::holds_alternative<HobbyServo>(mechanism.motor);
  if (small) {
    mechanism.supply.name = "small";
    mechanism.supply.voltage = 5_V;
    mechanism.supply.clamp_voltage.reset();
    mechanism.supply.clamp_resistance.reset();
    mechanism.supply.capacitance = Capacitance(470, units::uF);
  }
  if (auto* const steps = std::get_if<StepDirBoard>(&mechanism.board);
      steps != nullptr && std::holds_alternative<StepServo>(motor))
    steps->current = Current();
  if (std::holds_alternative<StepServo>(motor)) {
    auto& steps = std::get<StepDirBoard>(mechanism.board);
    steps.microstep_settings = {1};
    steps.microsteps = 1;
  }
  fill_wiring(mechanism, first_line);
  fill_limits(mechanism);
  return mechanism;
}

Sensor typical_sensor(const Sensor& sensor, std::int64_t& first_line, std::int64_t& channel) {
  Sensor typical = sensor;
  if (auto* const place_switch = std::get_if<PlaceSwitch>(&typical)) {
    place_switch->line = first_line++;
    place_switch->acts_at.kind = place_switch->releases_at.kind = rotary;
    place_switch->noise.kind = place_switch->hysteresis.kind = rotary;
    place_switch->acts_at = OutputPosition(-5_deg);
    place_switch->releases_at = OutputPosition(-4_deg);
    const bool contact =
        place_switch->kind == PlaceSwitch::Kind::lever || place_switch->kind == PlaceSwitch::Kind::reed;
    if (contact) {
      place_switch->contact = Contact::normally_closed;
      place_switch->bounce = 2_ms;
      place_switch->debounce = 5_ms;
    }
  } else if (auto* const encoder = std::get_if<Encoder>(&typical)) {
    encoder->line_a = first_line++;
    encoder->line_b = first_line++;
    encoder->lines_per_turn = 500;
  } else if (auto* const halls = std::get_if<HallSet>(&typical)) {
    for (std::int64_t& line : halls->lines) line = first_line++;
    halls->spacing = 120_deg;
  } else if (auto* const shunt = std::get_if<Shunt>(&typical)) {
    shunt->channel = channel++;
    shunt->resistance = Resistance(0.01, units::ohm);
    shunt->gain = 20;
  } else if (auto* const terminals = std::get_if<TerminalVoltages>(&typical)) {
    for (std::int64_t& each : terminals->channels) each = channel++;
    terminals->upper = Resistance(10'000.0, units::ohm);
    terminals->lower = Resistance(1'000.0, units::ohm);
  } else {
    auto& probe = std::get<TemperatureProbe>(typical);
    probe.channel = channel++;
    probe.at_0_deg_c = Voltage(0.5, units::V);
    probe.per_kelvin = Voltage(0.01, units::V);
  }
  return typical;
}

HandControl typical_hand(HandControl::Kind kind, std::int64_t& first_line, std::int64_t& channel) {
  HandControl hand;
  hand.kind = kind;
  if (kind == HandControl::Kind::knob) {
    hand.channel = channel++;
    return hand;
  }
  hand.line = first_line++;
  if (kind == HandControl::Kind::wheel) {
    hand.line_b = first_line++;
    hand.internal_pull = Pull::up;
    hand.bounce = 2_ms;
    return hand;
  }
  hand.contact = kind == HandControl::Kind::stop ? Contact::normally_closed : Contact::normally_open;
  hand.active = kind == HandControl::Kind::stop ? ActiveLevel::high : ActiveLevel::low;
  hand.bounce = 5_ms;
  hand.debounce = 10_ms;
  return hand;
}

}  // namespace cogstride
