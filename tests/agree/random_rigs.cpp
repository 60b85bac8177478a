#include "agree/random_rigs.hpp"

#include <cmath>

#include "cogstride/plan/motor_estimates.hpp"
#include "cogstride/plan/stepper_torque.hpp"
#include "cogstride/rig/files/new_rig.hpp"
#include "cogstride/rig/files/read_rig.hpp"

namespace cogstride::agree {
namespace {

constexpr double two_pi = 2.0 * pi;

Ratio exactly(double value) {
  return {std::llround(value * 1e9), 1'000'000'000};
}

Rig new_rig(const char* motor, const char* board, std::vector<NewRigOrder::Part> sensors = {}) {
  NewRigOrder order;
  order.name = "Rig of chance";
  order.mechanisms.push_back({"reel", motor, board});
  order.sensors = std::move(sensors);
  return parse_rig(new_rig_text(order), "chance.rig.toml");
}

void feed(Rig& rig, double volts, double resistance) {
  for (Supply* supply : {&rig.supplies[0], &rig.mechanisms[0].supply}) {
    supply->voltage = Voltage(volts, units::V);
    supply->resistance = Resistance(resistance, units::ohm);
    supply->current = Current(100.0, units::A);
    supply->capacitance = Capacitance(2200.0, units::uF);
  }
}

void put_on_a_screw(Mechanism& mechanism, Dice& dice) {
  mechanism.train.stages = {Screw{ExactLength(Ratio(std::llround(dice.even(2.0, 16.0))), units::mm)}};
  mechanism.load.carried_mass = Mass(dice.by_ratio(0.1, 3.0), units::kg);
  if (dice.by_chance(0.5)) mechanism.load.rise = Angle(dice.even(-30.0, 90.0), units::deg);
}

/// Limits of the shaft, in rad/s and rad/s2, as those of the output.
void limit(Mechanism& mechanism, double speed, double acceleration) {
  const double per_radian = 1.0 / (two_pi * motor_turns_per_base(mechanism.train).to_double());
  const OutputKind kind = output_kind(mechanism.train);
  mechanism.limits.speed = {kind, exactly(speed * per_radian)};
  mechanism.limits.acceleration = {kind, exactly(acceleration * per_radian)};
  mechanism.limits.start_speed = {kind, Ratio(0)};
}

/// Rated figures of one size of motor, torque in proportion to it. @return N m it holds
double size_stepper(Stepper& motor, Dice& dice) {
  const double amperes = dice.by_ratio(0.3, 4.0);
  const double resistance = dice.even(1.8, 5.0) / amperes;
  const double torque = dice.by_ratio(0.05, 3.0);
  motor.rated_current = Current(amperes, units::A);
  motor.resistance = Resistance(resistance, units::ohm);
  motor.inductance = Inductance(resistance * dice.by_ratio(0.6e-3, 3e-3), units::H);
  motor.holding_torque = Torque(torque, units::Nm);
  motor.detent_torque = Torque(torque * dice.even(0.005, 0.06), units::Nm);
  motor.rotor_inertia = Inertia(torque * dice.by_ratio(1e-5, 6e-5), units::kg_m2);
  motor.rated_voltage.reset();
  motor.step_angle.reset();
  return torque;
}

void load_stepper(Mechanism& mechanism, double torque, Dice& dice) {
  Load& load = mechanism.load;
  load.inertia = mechanism.stepper().rotor_inertia * dice.by_ratio(1.3, 12.0);
  load.coulomb_friction = load.stiction = Torque(torque * dice.by_ratio(0.01, 0.25), units::Nm);
  load.viscous_friction = ViscousFriction(torque * dice.even(0.0, 1.2e-3), units::Nm_s_per_rad);
}

}  // namespace

double Dice::by_ratio(double least, double most) {
  return least * std::pow(most / least, even(0.0, 1.0));
}

Rig random_stepper(Dice& dice) {
  constexpr const char* kinds[][2] = {{"bipolar stepper", "STEP/DIR"},
                                      {"bipolar stepper", "two-pulse"},
                                      {"bipolar stepper", "dual H-bridge"},
                                      {"unipolar stepper", "four-input transistor array"}};
  for (;;) {
    const auto& kind = kinds[dice.one_of(4) == 3 ? 3 : dice.one_of(3)];
    Rig rig = new_rig(kind[0], kind[1]);
    rig.controller.top_step_rate = ExactFrequency(Ratio(1'000'000), units::Hz);
    Mechanism& mechanism = rig.mechanisms[0];
    Stepper& motor = mechanism.stepper();
    const double torque = size_stepper(motor, dice);
    const double amperes = motor.rated_current.base();
    double volts = dice.by_ratio(10.0, 48.0);
    const Stepping stepping = static_cast<Stepping>(dice.one_of(3));
    if (auto* const board = std::get_if<StepDirBoard>(&mechanism.board)) {
      board->microstep_settings = {1, 2, 4, 8, 16, 32};
      board->microsteps = std::int64_t(1) << dice.one_of(6);
      board->current = Current(amperes * dice.even(0.5, 1.0), units::A);
      board->chopper_off_time = Time(dice.even(4.0, 25.0), units::us);
      board->stage.drop = Voltage(dice.even(0.0, 1.0), units::V);
      board->stage.resistance = Resistance(dice.even(0.0, 0.5), units::ohm);
    } else if (auto* const bridges = std::get_if<DualHBridge>(&mechanism.board)) {
      bridges->stepping = stepping;
      bridges->current_limit = Current(amperes, units::A);
    } else {
      auto& array = std::get<TransistorArray>(mechanism.board);
      array.stepping = stepping;
      volts = amperes * motor.resistance.base() * dice.even(0.8, 1.0) + array.stage.drop.base();
    }
    feed(rig, volts, dice.even(0.0, 0.15));
    load_stepper(mechanism, torque, dice);
    if (dice.by_chance(0.3)) put_on_a_screw(mechanism, dice);
    double speed = dice.by_ratio(4.0, 200.0);
    const auto left = [&] { return available_torque(mechanism, speed) - friction_torque(mechanism, speed); };
    while (left() < 0.15 * torque && speed > 1.0) speed *= 0.85;
    if (left() < 0.15 * torque || moved_inertia(mechanism).base() > 40.0 * motor.rotor_inertia.base())
      continue;
    limit(mechanism, speed, 1.0);
    const double usable =
        usable_acceleration(mechanism, mechanism.limits.speed.base.to_double()) * shaft_speed(mechanism, 1.0);
    const double acceleration = usable * dice.by_ratio(0.06, 0.9);
    // So that a case is over within a second or so.
    if (usable <= 0.0 || speed / acceleration > 0.5) continue;
    limit(mechanism, speed, acceleration);
    if (dice.by_chance(0.5))
      mechanism.limits.jerk =
          OutputJerk{output_kind(mechanism.train),
                     exactly(mechanism.limits.acceleration.base.to_double() / dice.by_ratio(2e-3, 5e-2))};
    return rig;
  }
}

Rig random_follower(Dice& dice) {
  Rig rig = random_stepper(dice);
  Mechanism& mechanism = rig.mechanisms[0];
  Limits& limits = mechanism.limits;
  limits.travel_from.reset();
  limits.travel_to.reset();
  mechanism.hard_ends.reset();
  // Half of what it is told to bear, so that nothing but its gear is tried.
  limits.acceleration.base = limits.acceleration.base / Ratio(2);
  limits.jerk.reset();
  Shaft wheel;
  wheel.name = "wheel";
  wheel.speed = OutputSpeed{OutputKind::rotary, exactly(dice.by_ratio(0.3, 20.0))};
  constexpr std::int64_t discs[] = {12, 24, 100, 256, 500, 1000};
  wheel.encoder =
      Encoder{.name = "turns", .line_a = 900, .line_b = 901, .lines_per_turn = discs[dice.one_of(6)]};
  rig.controller.counters = QuadratureCounters{2, ExactFrequency(Ratio(1'000'000), units::Hz)};
  // Steps of the follower for a turn of the wheel, a fraction that nobody chose.
  const double steps = dice.even(0.2, 0.7) * (limits.speed.base * steps_per_base(mechanism)).to_double() /
                       wheel.speed.base.to_double();
  const auto denominator = static_cast<std::int64_t>(1 + dice.one_of(99));
  const auto numerator = std::max<std::int64_t>(1, std::llround(steps * static_cast<double>(denominator)));
  Following& follows = mechanism.follows.emplace();
  follows.first.leader = "wheel";
  follows.first.by =
      OutputPosition{output_kind(mechanism.train), Ratio(numerator, denominator) / steps_per_base(mechanism)};
  follows.may_fall_behind = OutputPosition{output_kind(mechanism.train), Ratio(1)};
  follows.compensated = dice.by_chance(0.5);
  rig.shafts = {wheel};
  return rig;
}

Rig random_brushed(Dice& dice) {
  constexpr const char* boards[] = {"two-input H-bridge", "sign-and-magnitude H-bridge",
                                    "four-channel motor board"};
  for (;;) {
    Rig rig = new_rig("brushed", boards[dice.one_of(3)]);
    Mechanism& mechanism = rig.mechanisms[0];
    auto& motor = std::get<BrushedMotor>(mechanism.motor);
    const double volts = dice.by_ratio(5.0, 36.0);
    feed(rig, volts, dice.even(0.0, 0.1));
    motor.resistance = Resistance(dice.by_ratio(0.4, 12.0), units::ohm);
    motor.inductance = Inductance(motor.resistance.base() * dice.by_ratio(0.1e-3, 1.2e-3), units::H);
    motor.torque_constant = TorqueConstant(dice.by_ratio(0.01, 0.12), units::Nm_per_A);
    motor.heat = {};
    auto& bridge = std::get<HBridge>(mechanism.board);
    bridge.stage.resistance = Resistance(dice.even(0.05, 0.4), units::ohm);
    bridge.stage.drop = Voltage(dice.by_chance(0.5) ? 0.0 : dice.even(0.1, 1.2), units::V);
    auto& wiring = std::get<BridgeWiring>(mechanism.wiring);
    wiring.decay = dice.by_chance(0.5) ? Decay::fast : Decay::slow;
    // Slower ones make a motor creep long before it turns: there is no sharp duty at which it starts.
    wiring.pwm_frequency = ExactFrequency(Ratio(std::llround(dice.by_ratio(8000.0, 30'000.0))), units::Hz);
    mechanism.common.timer.reset();
    const double stall = volts / motor.resistance.base() * motor.torque_constant.base();
    Load& load = mechanism.load;
    load.coulomb_friction = Torque(stall * dice.by_ratio(0.01, 0.2), units::Nm);
    load.stiction = load.coulomb_friction * dice.even(1.0, 1.5);
    load.viscous_friction = ViscousFriction(
        stall / (volts / motor.torque_constant.base()) * dice.even(0.0, 0.1), units::Nm_s_per_rad);
    // Some 50 ms from rest to its speed.
    const double constant = motor.torque_constant.base();
    load.inertia =
        Inertia(constant * constant / motor.resistance.base() * dice.by_ratio(0.03, 0.12), units::kg_m2);
    motor.rotor_inertia = load.inertia * 0.5;
    if (dice.by_chance(0.3)) {
      put_on_a_screw(mechanism, dice);
      if (moved_inertia(mechanism).base() > 2.0 * load.inertia.base()) continue;
    }
    limit(mechanism, 0.9 * volts / constant, 0.0);
    mechanism.limits.current.reset();
    mechanism.limits.lowest_duty.reset();
    if (steady_load(mechanism).base() + 0.5 * load.coulomb_friction.base() < 0.0)
      continue;  // it runs down by itself
    if (start_duty(model_of(mechanism)) > 0.85) continue;
    return rig;
  }
}

Rig random_brushless(Dice& dice) {
  for (;;) {
    Rig rig = new_rig("brushless", "", {{"reel", "halls", "Hall set"}});
    Mechanism& mechanism = rig.mechanisms[0];
    auto& motor = std::get<BrushlessMotor>(mechanism.motor);
    const double volts = dice.by_ratio(12.0, 48.0);
    feed(rig, volts, dice.even(0.0, 0.1));
    motor.pole_pairs = 1 + static_cast<std::int64_t>(dice.one_of(11));
    motor.back_emf = dice.by_chance(0.5) ? BrushlessMotor::BackEmf::sine : BrushlessMotor::BackEmf::trapezoid;
    motor.resistance = Resistance(dice.by_ratio(0.15, 3.0), units::ohm);
    motor.inductance = Inductance(motor.resistance.base() * dice.by_ratio(0.3e-3, 1.2e-3), units::H);
    const double constant = dice.by_ratio(0.02, 0.12);
    motor.back_emf_constant = BackEmfConstant(constant, units::V_s_per_rad);
    motor.heat = {};
    auto& board = std::get<SixGateInverter>(mechanism.board);
    board.current_limit = Current(40.0, units::A);
    board.stage.highest_current.reset();
    board.stage.drop = Voltage(dice.by_chance(0.5) ? 0.0 : dice.even(0.05, 0.4), units::V);
    auto& wiring = std::get<GateWiring>(mechanism.wiring);
    wiring.complementary = dice.by_chance(0.5);
    wiring.pwm_frequency = ExactFrequency(Ratio(std::llround(dice.by_ratio(10'000.0, 30'000.0))), units::Hz);
    const double stall = volts / motor.resistance.base() * constant;
    Load& load = mechanism.load;
    load.coulomb_friction = load.stiction = Torque(stall * dice.by_ratio(0.01, 0.08), units::Nm);
    load.viscous_friction =
        ViscousFriction(stall / (volts / constant) * dice.even(0.0, 0.05), units::Nm_s_per_rad);
    load.inertia =
        Inertia(constant * constant / motor.resistance.base() * dice.by_ratio(0.05, 0.15), units::kg_m2);
    motor.rotor_inertia = load.inertia * 0.5;
    // A sector of eight periods of its duty at the least.
    const double fastest = wiring.pwm_frequency.base().to_double() / 48.0;  // Hz of its field
    const double top =
        std::min(0.8 * volts / constant, two_pi * fastest / static_cast<double>(motor.pole_pairs));
    limit(mechanism, top, 0.0);
    mechanism.limits.current.reset();
    if (duty_for(model_of(mechanism), top) > 0.9) continue;
    return rig;
  }
}

}  // namespace cogstride::agree
