#include "cogstride/plan/rotor_lag.hpp"
#include "cogstride/plan/drive_figures.hpp"

#include <algorithm>
#include <cmath>

#include "cogstride/plan/excitation.hpp"
#include "cogstride/plan/stepper_torque.hpp"

namespace cogstride {
namespace {

constexpr double lost_beyond = 1.2 * pi;        // a rotor that far behind is drawn to the next place of rest
constexpr double oscillations_followed = 25.0;  // natural periods of a cruise, and of standing at the end
constexpr std::size_t smooth_from_rows = 16;  // an electrical turn; a coarser field moves in jumps that count

class Follower {
 public:
  Follower(const Mechanism& mechanism, const Ramp& ramp, double torque_share)
      : ramp_(ramp),
        excitation_(excitation_of(mechanism)),
        drive_(stepper_drive(mechanism)),
        constant_(mechanism.stepper().winding().torque_constant.base()),
        inductance_(mechanism.stepper().winding().inductance.base()),
        share_(torque_share),
        teeth_(rotor_teeth(mechanism)),
        inertia_(moved_inertia(mechanism).base()),
        coulomb_(mechanism.load.coulomb_friction.base()),
        viscous_(mechanism.load.viscous_friction.in(units::Nm_s_per_rad)),
        steady_(steady_load(mechanism).base()),
        detent_(mechanism.stepper().detent_torque.base()) {
    const std::size_t rows = excitation_.rows.size();
    is_smooth_ = rows >= smooth_from_rows;
    radians_per_step_ = 2.0 * pi / static_cast<double>(rows);
    period_ = 1.0 / natural_frequency(mechanism);
    const double electrical_period = static_cast<double>(rows) / std::max(ramp.peak_speed(), 1e-9);
    step_ = std::min(period_ / 200.0, electrical_period / 60.0);
    const double top_speed = radians_per_step_ / teeth_ * ramp.peak_speed();
    if (const auto* const board = std::get_if<StepDirBoard>(&mechanism.board)) {
      // While it waits after reaching its current, the winding is shorted, and a back-EMF near the supply
      // moves that current much: then the waiting counts.
      if (constant_ * top_speed > 0.5 * drive_.volts) off_time_ = board->chopper_off_time.base();
      if (off_time_ > 0.0) step_ = std::min(step_, off_time_ / 3.0);
    }
    offset_ = excitation_.rows.front().angle * pi / 180.0;
    set_field(0.0);
    a_.current = target_a_;
    b_.current = target_b_;
    rotor_ = offset_;
  }

  RotorLag run() {
    if (!ramp_.phases().empty()) origin_ = ramp_.phases().front().from;
    for (const RampPhase& phase : ramp_.phases()) {
      // Slow ones over two electrical turns at each end, so that a rotor that stays behind is noticed.
      const double turns =
          4.0 * static_cast<double>(excitation_.rows.size()) / std::max(phase.from_speed, 1e-300);
      const double followed = std::max(oscillations_followed * period_, turns);
      if (!phase.is_cruise() || phase.duration <= followed) {
        go(phase.start, phase.end());
        continue;
      }
      // Followed until what the ramp began has died away or come to stay. The rest, but for its last
      // oscillations, is left out: a whole number of steps, over which rotor and field stay as they are.
      const double half = 0.5 * followed;
      go(phase.start, phase.start + half);
      if (ramp_.is_endless()) break;
      const double left_out = std::floor((phase.duration - 2.0 * half) * phase.from_speed);
      rotor_ += phase.direction * left_out * radians_per_step_;
      go(phase.start + half + left_out / phase.from_speed, phase.end());
    }
    if (!ramp_.is_endless()) go(ramp_.duration(), ramp_.duration() + oscillations_followed * period_);
    return result_;
  }

 private:
  void go(double from, double to) {
    for (double t = from; t < to && result_.holds; t += step_) {
      const double span = std::min(step_, to - t);
      const MotionState state = ramp_.state_at(t + span);
      double steps = way_between(origin_, state.position);
      // A step is made on reaching it: forwards the whole one below, backwards the one above.
      if (!is_smooth_) steps = state.speed < 0.0 ? std::ceil(steps) : std::floor(steps);
      set_field(steps);
      advance(span);
      look(steps * radians_per_step_ + offset_, t + span);
    }
  }

  /// Currents that the board asks for where the field has gone `steps`.
  void set_field(double steps) {
    if (is_smooth_) {
      const double angle = offset_ + steps * radians_per_step_;
      target_a_ = drive_.current * std::cos(angle);
      target_b_ = drive_.current * std::sin(angle);
      return;
    }
    const auto rows = static_cast<std::int64_t>(excitation_.rows.size());
    const std::int64_t row = ((std::llround(steps) % rows) + rows) % rows;
    target_a_ = drive_.current * excitation_.rows[static_cast<std::size_t>(row)].current_a;
    target_b_ = drive_.current * excitation_.rows[static_cast<std::size_t>(row)].current_b;
  }

  struct Winding {
    double current = 0.0;   // A
    double off_left = 0.0;  // s that it is still shorted for
  };

  /// Towards its target as fast as the voltage lets it, against the back-EMF.
  void drive(Winding& winding, double target, double back_emf, double seconds) const {
    const double resistive = drive_.resistance * winding.current;
    double volts = 0.0;
    if (winding.off_left > 0.0) {
      winding.off_left -= seconds;
    } else {
      const double wanted = (target - winding.current) * inductance_ / seconds + resistive + back_emf;
      volts = std::clamp(wanted, -drive_.volts, drive_.volts);
      if (volts == wanted) winding.off_left = off_time_;
    }
    winding.current += (volts - resistive - back_emf) * seconds / inductance_;
  }

  void advance(double seconds) {
    const double sine = std::sin(rotor_);
    const double cosine = std::cos(rotor_);
    const double emf = constant_ * speed_;
    drive(a_, target_a_, -emf * sine, seconds);
    drive(b_, target_b_, emf * cosine, seconds);
    const double sine_2 = 2.0 * sine * cosine;
    const double pull = share_ * constant_ * (b_.current * cosine - a_.current * sine) -
                        detent_ * 2.0 * sine_2 * (1.0 - 2.0 * sine * sine) - steady_;
    if (speed_ == 0.0) {
      const double excess = std::abs(pull) - coulomb_;
      if (excess > 0.0) speed_ = std::copysign(excess, pull) * seconds / inertia_;
    } else {
      const double before = speed_;
      speed_ += (pull - viscous_ * speed_ - std::copysign(coulomb_, speed_)) * seconds / inertia_;
      if (speed_ * before < 0.0) speed_ = 0.0;  // friction stops, it does not turn back
    }
    rotor_ += teeth_ * speed_ * seconds;
  }

  void look(double field, double at) {
    const double lag = std::abs(field - rotor_);
    result_.holds = lag < lost_beyond;
    if (lag <= result_.worst * pi / 180.0) return;
    result_.worst = lag * 180.0 / pi;
    const double behind = std::atan2(b_.current, a_.current) - rotor_;
    result_.behind_field = std::abs(std::remainder(behind, 2.0 * pi)) * 180.0 / pi;
    result_.worst_at = at;
  }

  const Ramp& ramp_;
  Excitation excitation_;
  StepperDrive drive_;
  double constant_;    // N m/A
  double inductance_;  // H
  double share_;
  double teeth_;
  double inertia_;
  double coulomb_;
  double viscous_;
  double steady_;
  double detent_;
  bool is_smooth_ = true;
  double radians_per_step_ = 0.0;  // electrical
  double period_ = 0.0;            // s, natural
  double step_ = 0.0;              // s, of integration
  StepPosition origin_{};
  double target_a_ = 0.0;  // A
  double target_b_ = 0.0;
  Winding a_;
  Winding b_;
  double off_time_ = 0.0;  // s of the chopper, where it counts
  double offset_ = 0.0;    // of the field at the start, electrical radians
  double rotor_ = 0.0;     // electrical radians
  double speed_ = 0.0;     // rad/s of the shaft
  RotorLag result_;
};

}  // namespace

RotorLag follow(const Mechanism& mechanism, const Ramp& ramp, double torque_share) {
  return Follower(mechanism, ramp, torque_share).run();
}

double torque_margin(const Mechanism& mechanism, const Ramp& ramp) {
  constexpr double fine = 0.005;
  double lacking = 0.0;
  double enough = 1.0;
  while (!follow(mechanism, ramp, enough).holds) {
    lacking = enough;
    if (enough >= 5.0) return -4.0 - margin_for_what_differs;
    enough = std::min(5.0, 1.5 * enough);
  }
  while (enough - lacking > fine) {
    const double middle = 0.5 * (enough + lacking);
    (follow(mechanism, ramp, middle).holds ? enough : lacking) = middle;
  }
  return 1.0 - enough - margin_for_what_differs;
}

ServoMargin servo_margin(const Mechanism& mechanism, const Ramp& ramp) {
  const double peak = mechanism.has_bus_drive() ? drive_most_torque(mechanism)
                                                : std::get<StepServo>(mechanism.motor).peak_torque.base();
  const double radians_per_step = 2.0 * pi / static_cast<double>(steps_per_motor_turn(mechanism));
  double most = 0.0;
  ServoMargin margin;
  const auto look = [&](double at, double speed, double acceleration) {
    const double shaft = radians_per_step * speed;
    const double way = shaft < 0.0 || (shaft == 0.0 && acceleration < 0.0) ? -1.0 : 1.0;
    const double torque = moved_inertia(mechanism).base() * radians_per_step * acceleration +
                          way * mechanism.load.coulomb_friction.base() +
                          mechanism.load.viscous_friction.in(units::Nm_s_per_rad)*shaft +
                          steady_load(mechanism).base();
    if (std::abs(torque) <= most) return;
    most = std::abs(torque);
    margin.worst_at = at;
  };
  // Torque is greatest at an end of a phase: between them speed and acceleration only grow or only fall.
  for (const RampPhase& phase : ramp.phases()) {
    for (const double at : {phase.start, phase.start + phase.duration * (1.0 - 1e-9)}) {
      const MotionState state = ramp.state_at(at);
      look(at, state.speed, state.acceleration);
    }
  }
  margin.share = 1.0 - most / peak;
  return margin;
}

}  // namespace cogstride
