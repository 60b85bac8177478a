#include "cogstride/mechanism/mechanism.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace cogstride {
namespace {

template <class Kind, class Variant>
auto& required(Variant& part, const std::string& name, const char* what) {
  auto* const found = std::get_if<Kind>(&part);
  if (found != nullptr) return *found;
  throw RangeError(fmt::format("{}: is not {}", name, what));
}

constexpr const char* a_stepper = "a stepper";
constexpr const char* on_step_dir = "driven by a STEP/DIR board";

}  // namespace

const Stepper& Mechanism::stepper() const {
  return required<Stepper>(motor, name, a_stepper);
}
Stepper& Mechanism::stepper() {
  return required<Stepper>(motor, name, a_stepper);
}
const StepDirBoard& Mechanism::step_dir() const {
  return required<StepDirBoard>(board, name, on_step_dir);
}
StepDirBoard& Mechanism::step_dir() {
  return required<StepDirBoard>(board, name, on_step_dir);
}
const StepDirWiring& Mechanism::step_dir_lines() const {
  return required<StepDirWiring>(wiring, name, on_step_dir);
}
StepDirWiring& Mechanism::step_dir_lines() {
  return required<StepDirWiring>(wiring, name, on_step_dir);
}

const PlaceSwitch* Mechanism::home_switch() const {
  if (!homing) return nullptr;
  for (const Sensor& sensor : sensors) {
    if (name_of(sensor) == homing->sensor) return std::get_if<PlaceSwitch>(&sensor);
  }
  throw RangeError(fmt::format("{}: has no switch '{}' to home with", name, homing->sensor));
}
PlaceSwitch* Mechanism::home_switch() {
  return const_cast<PlaceSwitch*>(static_cast<const Mechanism*>(this)->home_switch());
}

bool Mechanism::is_movable_stepper() const {
  return std::holds_alternative<Stepper>(motor);
}

bool Mechanism::is_movable() const {
  return is_movable_stepper() || std::holds_alternative<StepServo>(motor);
}

bool Mechanism::is_driven_by_duty() const {
  return std::holds_alternative<BrushedMotor>(motor) && std::holds_alternative<HBridge>(board);
}

namespace {
/// Metres of the output for a radian of the shaft; 0 for one that turns.
double way_per_radian(const Mechanism& mechanism) {
  if (output_kind(mechanism.train) != OutputKind::linear) return 0.0;
  return 1.0 / (2.0 * pi * motor_turns_per_base(mechanism.train).to_double());
}
}  // namespace

Inertia moved_inertia(const Mechanism& mechanism) {
  const double way = way_per_radian(mechanism);
  return Inertia::from_base(mechanism.load.inertia.base() + mechanism.load.carried_mass.base() * way * way);
}

Inertia most_moved_inertia(const Mechanism& mechanism) {
  const Load& load = mechanism.load;
  const Inertia grown = load.most_inertia.value_or(load.inertia) - load.inertia;
  return moved_inertia(mechanism) + std::max(Inertia(), grown);
}

namespace {
template <class Body>
std::optional<double> lesser_rise(const AirTemperature& air, const Body& body) {
  std::optional<double> rise;
  if (body.highest_rise) rise = body.highest_rise->base();
  if (body.highest_deg_c) {
    const double left = std::max(0.0, static_cast<double>(*body.highest_deg_c - air.deg_c));
    rise = std::min(rise.value_or(left), left);
  }
  return rise;
}
}  // namespace

std::optional<double> highest_rise(const Mechanism& mechanism, const MotorHeat& heat) {
  return lesser_rise(mechanism.air, heat);
}
std::optional<double> highest_rise(const Mechanism& mechanism, const BoardStage& stage) {
  return lesser_rise(mechanism.air, stage);
}

std::string guesses_words(const std::vector<std::string>& guesses) {
  constexpr std::size_t named = 3;
  if (guesses.empty()) return "";
  const bool one = guesses.size() == 1;
  std::string words;
  for (std::size_t i = 0; i < std::min(named, guesses.size()); ++i) {
    const bool last = i + 1 == guesses.size();
    words += fmt::format("{}{}", i == 0 ? "" : last ? " and " : ", ", guesses[i]);
  }
  if (guesses.size() > named) words += fmt::format(" and {} more", guesses.size() - named);
  return words + (one ? " is a guess, as the new rig had it" : " are guesses, as the new rig had them");
}

double step_servo_pushed_off(const Mechanism& mechanism) {
  const auto* const servo = std::get_if<StepServo>(&mechanism.motor);
  if (servo == nullptr) return 0.0;
  constexpr double highest = 2.0 / 7.38905609893065;  // of t^2 e^(-t) / 2, at t = 2
  const double loop = 2.0 * pi * servo->bandwidth.in(units::Hz);
  return highest * 2.0 * mechanism.load.coulomb_friction.base() /
         (moved_inertia(mechanism).base() * loop * loop);
}

Torque steady_load(const Mechanism& mechanism) {
  const Load& load = mechanism.load;
  constexpr double gravity = 9.80665;  // m/s2, standard
  const double weight = load.carried_mass.base() * gravity * std::sin(2.0 * pi * load.rise.base());
  return Torque::from_base(load.steady_torque.base() +
                           weight * way_per_radian(mechanism) / load.screw_efficiency.base().to_double());
}

void require_movable(const Mechanism& mechanism) {
  if (mechanism.is_movable()) return;
  throw RangeError(fmt::format(
      "{}: moved so far are only steppers on STEP/DIR and two-pulse boards, transistor arrays and dual "
      "H-bridges, and servos that take steps; its motor is a \"{}\", its board a \"{}\"",
      mechanism.name, kind_name(mechanism.motor), kind_name(mechanism.board)));
}

std::int64_t steps_lost_at_once(const Mechanism& mechanism) {
  if (const auto* const servo = std::get_if<StepServo>(&mechanism.motor))
    return 4 * std::max<std::int64_t>(1, servo->steps_per_turn / 200);
  return 4 * steps_per_motor_turn(mechanism) / mechanism.stepper().full_steps;
}

void require_movable_stepper(const Mechanism& mechanism) {
  if (mechanism.is_movable_stepper()) return;
  throw RangeError(fmt::format("{}: this is about steppers; its motor is a \"{}\", its board a \"{}\"",
                               mechanism.name, kind_name(mechanism.motor), kind_name(mechanism.board)));
}

void reverse(Mechanism& mechanism) {
  const auto flip = [](DrivenLine& line) {
    line.active = line.active == ActiveLevel::high ? ActiveLevel::low : ActiveLevel::high;
  };
  if (auto* const steps = std::get_if<StepDirWiring>(&mechanism.wiring)) {
    const bool two_pulse = std::get<StepDirBoard>(mechanism.board).form == StepDirBoard::Form::two_pulse;
    if (two_pulse) {
      std::swap(steps->step, steps->dir);
    } else {
      flip(steps->dir);
    }
  } else if (auto* const coils = std::get_if<CoilWiring>(&mechanism.wiring)) {
    std::swap(coils->coils[2], coils->coils[3]);
  } else if (auto* const bridge = std::get_if<BridgeWiring>(&mechanism.wiring)) {
    if (bridge->sign) flip(*bridge->sign);
    std::swap(bridge->input_a, bridge->input_b);
  } else if (auto* const gates = std::get_if<GateWiring>(&mechanism.wiring)) {
    std::swap(gates->gates[2], gates->gates[4]);
    std::swap(gates->gates[3], gates->gates[5]);
    auto& active = std::get<SixGateInverter>(mechanism.board).gate_active;
    std::swap(active[2], active[4]);
    std::swap(active[3], active[5]);
  }
  for (Sensor& sensor : mechanism.sensors)
    if (auto* const encoder = std::get_if<Encoder>(&sensor))
      encoder->counts_backwards = !encoder->counts_backwards;
}

std::int64_t steps_per_motor_turn(const Mechanism& mechanism) {
  if (const auto* const servo = std::get_if<StepServo>(&mechanism.motor)) return servo->steps_per_turn;
  if (const auto* const drive = std::get_if<BusDrive>(&mechanism.board)) return 4 * drive->encoder_lines;
  const auto* const stepper = std::get_if<Stepper>(&mechanism.motor);
  if (stepper == nullptr) return 0;
  if (const auto* const board = std::get_if<StepDirBoard>(&mechanism.board))
    return stepper->full_steps * board->microsteps;
  Stepping stepping = Stepping::full;
  if (const auto* const array = std::get_if<TransistorArray>(&mechanism.board)) stepping = array->stepping;
  if (const auto* const bridge = std::get_if<DualHBridge>(&mechanism.board)) stepping = bridge->stepping;
  return stepper->full_steps * (stepping == Stepping::half ? 2 : 1);
}

void require_kind(const Mechanism& mechanism, OutputKind kind) {
  if (output_kind(mechanism.train) == kind) return;
  throw RangeError(
      kind == OutputKind::linear
          ? fmt::format("{}: the output turns, so it wants degrees or turns, not mm", mechanism.name)
          : fmt::format("{}: the output moves along a line, so it wants mm, not degrees", mechanism.name));
}

std::int64_t step_at(const Mechanism& mechanism, OutputPosition position) {
  require_kind(mechanism, position.kind);
  return (position.base * steps_per_base(mechanism)).rounded();
}

OutputPosition station_at(const Mechanism& mechanism, std::int64_t station) {
  const Limits& limits = mechanism.limits;
  const std::int64_t stations = limits.stations.value_or(0);
  if (station < 0 || station >= stations) {
    throw RangeError(stations == 0 ? fmt::format("{}: has no stations", mechanism.name)
                                   : fmt::format("{}: has no station {}; they are 0 to {}", mechanism.name,
                                                 station, stations - 1));
  }
  const OutputKind kind = output_kind(mechanism.train);
  const bool along_travel = limits.travel_from && limits.travel_to;
  const Ratio from = along_travel ? limits.travel_from->base : Ratio(0);
  // On a travel the last station is its end; on a ring it is one short of the first.
  const Ratio way = along_travel ? limits.travel_to->base - from : Ratio(1);
  const std::int64_t parts = along_travel ? std::max<std::int64_t>(1, stations - 1) : stations;
  return {kind, from + way * Ratio(station, parts)};
}

Ratio counts_per_base(const Mechanism& mechanism, const Encoder& encoder) {
  const Ratio counts = Ratio(4) * Ratio(encoder.lines_per_turn) * Ratio(encoder.counts_backwards ? -1 : 1);
  const auto first = mechanism.train.stages.begin();
  const Train before{{first, first + encoder.after_stages}};
  return counts * motor_turns_per_base(mechanism.train) / motor_turns_per_base(before);
}

std::string kind_name(const Motor& motor) {
  struct Names {
    const char* operator()(const Stepper& stepper) const {
      return stepper.phases == Stepper::Phases::bipolar ? "bipolar stepper" : "unipolar stepper";
    }
    const char* operator()(const BrushedMotor&) const { return "brushed"; }
    const char* operator()(const BrushlessMotor&) const { return "brushless"; }
    const char* operator()(const ThrottledMotor&) const { return "brushless with speed controller"; }
    const char* operator()(const HobbyServo&) const { return "hobby servo"; }
    const char* operator()(const StepServo&) const { return "closed-loop servo"; }
  };
  return std::visit(Names{}, motor);
}

std::string kind_name(const Board& board) {
  struct Names {
    const char* operator()(const StepDirBoard& steps) const {
      return steps.form == StepDirBoard::Form::step_dir ? "STEP/DIR" : "two-pulse";
    }
    const char* operator()(const TransistorArray&) const { return "four-input transistor array"; }
    const char* operator()(const DualHBridge&) const { return "dual H-bridge"; }
    const char* operator()(const HBridge& bridge) const {
      if (bridge.form == HBridge::Form::two_input) return "two-input H-bridge";
      return bridge.form == HBridge::Form::sign_magnitude ? "sign-and-magnitude H-bridge"
                                                          : "four-channel motor board";
    }
    const char* operator()(const SixGateInverter&) const { return "six-gate inverter"; }
    const char* operator()(const PulseWidthInput&) const { return "pulse-width input"; }
    const char* operator()(const BusDrive&) const { return "drive on a bus"; }
  };
  return std::visit(Names{}, board);
}

}  // namespace cogstride
