#include "cogstride/plan/open_loop_start.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/quantity/text.hpp"

namespace cogstride {
namespace {
constexpr double reserve = 0.25;  // of the torque left, that accelerates: twice the inertia still follows
constexpr double weakest_share = 0.5;  // of a row's torque, where the next one takes over
constexpr double oscillations_to_rest = 12.0;
constexpr double speed_reserve = 0.9;      // of full duty
constexpr double of_the_limit = 0.5;       // of the current limit, that it is started with
constexpr double emf_share = 0.8;          // of the back-EMF, that the duty makes up for
constexpr double current_bandwidth = 0.3;  // rad a period of the duty
constexpr double peak_share = 1.25;        // of the current limit, where the rotor stands across its field
}  // namespace

OpenLoopStart open_loop_start(const Mechanism& mechanism, const RotaryMotorModel& model) {
  const double pole_pairs = static_cast<double>(std::get<BrushlessMotor>(mechanism.motor).pole_pairs);
  const double rows_per_rad = 6.0 * pole_pairs / (2.0 * pi);
  OpenLoopStart start;
  start.current = std::min(model.current_limit, model.supply / model.resistance) * of_the_limit;
  const double pull = model.torque_per_ampere * start.current;
  const auto& motor = std::get<BrushlessMotor>(mechanism.motor);
  const double friction =
      std::max(model.coulomb, model.stiction) + std::abs(model.steady) + motor.cogging_torque.base();
  const double left = weakest_share * pull - friction;
  if (left <= 0.0)
    throw RangeError(
        fmt::format("{}: cannot be started without sensors: friction and load take {:.3g} N m, and {:.3g} A "
                    "leave {:.3g} N m where one row hands over to the next",
                    mechanism.name, friction, start.current, weakest_share * pull));
  start.align_duty = start.current * model.resistance / model.supply;
  // Within a period the current rises for its duty and falls for the rest: no more than that share of V / R.
  const double period = 1.0 / std::get<GateWiring>(mechanism.wiring).pwm_frequency.base().to_double();
  const double constant = motor.inductance.base() / model.resistance;
  const double most = model.supply / model.resistance *
                      (1.0 - std::exp(-start.align_duty * period / constant)) /
                      (1.0 - std::exp(-period / constant));
  if (most > peak_share * model.current_limit)
    throw RangeError(fmt::format(
        "{}: at {} its current would swing up to {:.3g} A within each period, and its limit is {:.3g} A: a "
        "higher lines.pwm_frequency keeps it even",
        mechanism.name, to_text(std::get<GateWiring>(mechanism.wiring).pwm_frequency, "Hz"), most,
        model.current_limit));
  const double oscillation = std::sqrt(pole_pairs * pull / model.inertia);  // rad/s
  start.align_seconds = oscillations_to_rest * 2.0 * pi / oscillation;
  start.acceleration = reserve * left / model.inertia * rows_per_rad;
  start.emf_per_rate = emf_share * model.emf / (rows_per_rad * model.supply);
  // Across its field a rotor has no back-EMF between the two phases: all that makes up for it drives current.
  const double spare =
      (peak_share * std::min(model.current_limit, model.supply / model.resistance) - start.current) *
      model.resistance / model.supply;
  const bool is_regulated = sensor_of<Shunt>(mechanism) != nullptr;
  const double room = speed_reserve - start.align_duty;
  start.top_rate = std::max(0.0, (is_regulated ? room : std::min(room, spare)) / start.emf_per_rate);
  const double bandwidth = current_bandwidth / period;  // rad/s
  start.per_ampere = bandwidth * motor.inductance.base() / model.supply;
  start.per_ampere_second = bandwidth * model.resistance / model.supply;
  return start;
}

}  // namespace cogstride
