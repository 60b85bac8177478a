#include "cogstride/rig/keys/kinds.hpp"

namespace cogstride {
namespace {

Stepper stepper_of(Stepper::Phases phases, std::int64_t leads) {
  Stepper motor;
  motor.phases = phases;
  motor.leads = leads;
  return motor;
}

StepDirBoard pulses_of(StepDirBoard::Form form) {
  StepDirBoard board;
  board.form = form;
  return board;
}

HBridge bridge_of(HBridge::Form form) {
  HBridge bridge;
  bridge.form = form;
  return bridge;
}

PlaceSwitch switch_of(PlaceSwitch::Kind kind) {
  PlaceSwitch place_switch;
  place_switch.kind = kind;
  return place_switch;
}

}  // namespace

const std::vector<NamedKind<Motor>>& motor_kinds() {
  static const std::vector<NamedKind<Motor>> kinds = {
      {"bipolar stepper", "two coils, the current goes through them both ways",
       stepper_of(Stepper::Phases::bipolar, 4)},
      {"unipolar stepper", "two coils with taps, the current goes through one half at a time",
       stepper_of(Stepper::Phases::unipolar, 5)},
      {"brushed", "two leads, turns on direct current", BrushedMotor{}},
      {"brushless", "three leads, bare", BrushlessMotor{}},
      {"brushless with speed controller", "takes a throttle as a pulse width", ThrottledMotor{}},
      {"hobby servo", "takes an angle as a pulse width", HobbyServo{}},
      {"closed-loop servo", "takes steps, with an encoder and a loop of its own", StepServo{}},
  };
  return kinds;
}

const std::vector<NamedKind<Board>>& board_kinds() {
  static const std::vector<NamedKind<Board>> kinds = {
      {"STEP/DIR", "a pulse a step, a line for the direction", pulses_of(StepDirBoard::Form::step_dir)},
      {"two-pulse", "a pulse line for each direction", pulses_of(StepDirBoard::Form::two_pulse)},
      {"four-input transistor array", "switches four half coils to ground", TransistorArray{}},
      {"dual H-bridge", "switches two coils both ways", DualHBridge{}},
      {"two-input H-bridge", "a line for each direction, and ENABLE", bridge_of(HBridge::Form::two_input)},
      {"sign-and-magnitude H-bridge", "a line for the direction, one for the duty",
       bridge_of(HBridge::Form::sign_magnitude)},
      {"four-channel motor board", "four bridges on one board, three lines each",
       bridge_of(HBridge::Form::four_channel)},
      {"six-gate inverter", "three legs of two transistors, a line each", SixGateInverter{}},
      {"pulse-width input", "of a hobby servo or a speed controller", PulseWidthInput{}},
      {"drive on a bus", "closes its loops by itself, and is told by its id what to do", BusDrive{}},
  };
  return kinds;
}

const std::vector<NamedKind<Sensor>>& sensor_kinds() {
  static const std::vector<NamedKind<Sensor>> kinds = {
      {"optical gate", "a flag blocks its light", switch_of(PlaceSwitch::Kind::gate)},
      {"lever switch", "a contact that is pushed", switch_of(PlaceSwitch::Kind::lever)},
      {"reed", "a contact that a magnet moves", switch_of(PlaceSwitch::Kind::reed)},
      {"Hall switch", "switches by a magnet, without a contact", switch_of(PlaceSwitch::Kind::hall)},
      {"encoder", "two tracks, counts the way", Encoder{}},
      {"Hall set", "three sensors that tell a brushless motor's electrical angle", HallSet{}},
      {"shunt", "a resistor that tells a current", Shunt{}},
      {"terminal voltages", "dividers that tell a brushless motor's back-EMF", TerminalVoltages{}},
      {"temperature probe", "a voltage that tells a temperature", TemperatureProbe{}},
  };
  return kinds;
}

const std::vector<NamedKind<HandControl::Kind>>& hand_kinds() {
  using K = HandControl::Kind;
  static const std::vector<NamedKind<K>> kinds = {{"key", "acts while it is pressed", K::key},
                                                  {"pedal", "the same, for a foot", K::pedal},
                                                  {"knob", "a voltage by its angle", K::knob},
                                                  {"encoder wheel", "counted by its clicks", K::wheel},
                                                  {"emergency stop", "stops everything", K::stop}};
  return kinds;
}

const std::vector<NamedKind<BetweenPart::Kind>>& part_kinds() {
  using K = BetweenPart::Kind;
  static const std::vector<NamedKind<K>> kinds = {
      {"level shifter", "gives boards another high level than the controller's", K::level_shifter},
      {"isolator", "the same, and no common ground is needed", K::isolator}};
  return kinds;
}

bool fits(const Motor& motor, const Board& board) {
  if (const auto* const stepper = std::get_if<Stepper>(&motor)) {
    if (std::holds_alternative<TransistorArray>(board)) return stepper->phases == Stepper::Phases::unipolar;
    return stepper->phases == Stepper::Phases::bipolar &&
           (std::holds_alternative<StepDirBoard>(board) || std::holds_alternative<DualHBridge>(board));
  }
  if (std::holds_alternative<StepServo>(motor)) return std::holds_alternative<StepDirBoard>(board);
  const bool on_a_bus = std::holds_alternative<BusDrive>(board);
  if (std::holds_alternative<BrushedMotor>(motor)) return on_a_bus || std::holds_alternative<HBridge>(board);
  if (std::holds_alternative<BrushlessMotor>(motor))
    return on_a_bus || std::holds_alternative<SixGateInverter>(board);
  return std::holds_alternative<PulseWidthInput>(board);
}

BoardWiring wiring_for(const Board& board) {
  struct Wirings {
    BoardWiring operator()(const StepDirBoard&) const { return StepDirWiring{}; }
    BoardWiring operator()(const TransistorArray&) const { return CoilWiring{}; }
    BoardWiring operator()(const DualHBridge&) const { return CoilWiring{}; }
    BoardWiring operator()(const HBridge& board) const {
      BridgeWiring wiring;  // the duty input of four channels lets go of the motor
      if (board.form == HBridge::Form::four_channel) wiring.decay = Decay::fast;
      return wiring;
    }
    BoardWiring operator()(const SixGateInverter&) const { return GateWiring{}; }
    BoardWiring operator()(const PulseWidthInput&) const { return PulseWidthWiring{}; }
    BoardWiring operator()(const BusDrive&) const { return BusWiring{}; }
  };
  return std::visit(Wirings{}, board);
}

}  // namespace cogstride
