#include "cogstride/plan/open_loop_start.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace cogstride {
namespace {
constexpr double reserve = 0.25;  // of the torque left, that accelerates: twice the inertia still follows
constexpr double weakest_share = 0.5;  // of a row's torque, where the next one takes over
constexpr double swings_to_rest = 12.0;
constexpr double speed_reserve = 0.9;  // of full duty
constexpr double of_the_limit = 0.5;   // of the current limit, that it is started with
constexpr double emf_share = 0.8;      // of the back-EMF, that the duty makes up for
constexpr double peak_share = 1.25;    // of the current limit, where the rotor stands across its field
}  // namespace

RotaryMotorModel six_step_model(const Mechanism& mechanism) {
  const auto* const motor = std::get_if<BrushlessMotor>(&mechanism.motor);
  if (motor == nullptr) throw RangeError(fmt::format("{}: is no bare brushless motor", mechanism.name));
  RotaryMotorModel model = model_of(mechanism);
  const double peak = motor->back_emf_constant.in(units::V_s_per_rad);
  model.emf = model.torque_per_ampere =
      motor->back_emf == BrushlessMotor::BackEmf::sine ? 3.0 / pi * peak : peak;
  model.resistance = motor->resistance.base() + model.board_resistance;
  model.reactance_per_rad = 0.0;
  model.winding_loss = motor->resistance.base();
  return model;
}

double OpenLoopStart::begins(std::int64_t n, double rate) const {
  const double on_ramp = 0.5 * rate * rate / acceleration;  // rows
  const auto rows = static_cast<double>(n);
  return rows <= on_ramp ? std::sqrt(2.0 * rows / acceleration)
                         : rate / acceleration + (rows - on_ramp) / rate;
}

OpenLoopStart open_loop_start(const Mechanism& mechanism, const RotaryMotorModel& model) {
  const double pole_pairs = static_cast<double>(std::get<BrushlessMotor>(mechanism.motor).pole_pairs);
  const double rows_a_rad = 6.0 * pole_pairs / (2.0 * pi);
  OpenLoopStart start;
  start.current = std::min(model.current_limit, model.supply / model.resistance) * of_the_limit;
  const double pull = model.torque_per_ampere * start.current;
  const double friction = std::max(model.coulomb, model.stiction) + std::abs(model.steady);
  const double left = weakest_share * pull - friction;
  if (left <= 0.0)
    throw RangeError(
        fmt::format("{}: cannot be started without sensors: friction and load take {:.3g} N m, and {:.3g} A "
                    "leave {:.3g} N m where one row hands over to the next",
                    mechanism.name, friction, start.current, weakest_share * pull));
  // In the rest of a period a diode stands against the current.
  const double volts = model.supply + diode_drop;
  start.align_duty = (start.current * model.resistance + diode_drop) / volts;
  const double swing = std::sqrt(pole_pairs * pull / model.inertia);  // rad/s
  start.align_seconds = swings_to_rest * 2.0 * pi / swing;
  start.acceleration = reserve * left / model.inertia * rows_a_rad;
  start.emf_per_rate = emf_share * model.emf / (rows_a_rad * volts);
  // Across its field a rotor has no back-EMF between the two phases: all that makes up for it drives current.
  const double spare =
      (peak_share * std::min(model.current_limit, model.supply / model.resistance) - start.current) *
      model.resistance / volts;
  start.top_rate = std::max(0.0, std::min(speed_reserve - start.align_duty, spare) / start.emf_per_rate);
  return start;
}

}  // namespace cogstride
