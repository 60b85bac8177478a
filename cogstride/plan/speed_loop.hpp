// Holding a speed, or following a place, by the counts of an encoder: how a motor answers to its duty, gains
// that follow from it, and one step of the loop.
//
//   T dn/dt = K d - n            n counts/s, d duty;  K = V / k,  T = J R / k^2  (first order, friction
//   apart)
//
// The loop is PI on speed with feed-forward; its integral part is the place itself, so that a held speed is
// exact in the long run and what is integrated can be read off the encoder:
//
//   d = n_w / K + T a_w / K + friction + load + P (n_w - n) + I (place_w - place)
//
// Closed, s^2 + (1 + K P)/T s + K I/T = (s + w)^2  gives  P = (2 w T - 1)/K,  I = w^2 T/K
// (pole placement: Astrom, Hagglund, "Advanced PID Control", 2006, ch. 6).
#pragma once

#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/plan/motor_estimates.hpp"

namespace cogstride {

/// How a motor answers to its duty, seen by an encoder.
struct DutyAnswer {
  double full_speed = 0.0;     ///< counts/s at full duty, were there no load: K
  double time_constant = 0.0;  ///< s: T
  double friction = 0.0;       ///< duty that Coulomb friction takes
  double stiction = 0.0;       ///< duty that it takes to break loose
  double load = 0.0;           ///< duty that a steady load takes, forwards
  double load_else = 0.0;      ///< the same at rest and backwards: 0 where it slackens
  double emf = 0.0;            ///< duty a count/s that the back-EMF takes: 1 / K
  double per_ampere = 0.0;     ///< duty an ampere that the resistances take
};

/// Of a motor and its load. @param slackens  its steady load never turns it back
[[nodiscard]] DutyAnswer duty_answer(const RotaryMotorModel& model, bool slackens, double counts_per_rad);
/// Of a brushed motor. @param counts_per_rad  of its shaft, above 0. @throws RangeError for another kind
[[nodiscard]] DutyAnswer duty_answer(const Mechanism& mechanism, double counts_per_rad);

/// Where the shaft is and how fast between two edges of its encoder, by what the motor was given: a model
/// that each edge puts right. What the model does not know (load, friction) is an acceleration of its own.
///
/// An edge says a place exactly, and when. With t since the last one, and c = exp(-b t), the place is put
/// right by 1 - c^3 of what it was off, the speed by 3/2 (1 - c^2)(1 - c) / t of it, the acceleration by (1 -
/// c)^3 / t^2 (a critically damped filter of third order: Brookner, "Tracking and Kalman Filtering Made
/// Easy", 1998, ch. 1).
class SpeedObserver {
 public:
  /// @param bandwidth  b, rad/s
  SpeedObserver(const DutyAnswer& answer, double bandwidth) : answer_(answer), bandwidth_(bandwidth) {}

  void begin(double place, double speed) {
    place_ = place;
    speed_ = speed;
    unknown_ = 0.0;
  }
  /// Time goes on with a duty. @param seconds  short beside the time constant
  void predict(double seconds, double duty);
  /// An edge was at `place`, `age` seconds ago and `apart` seconds after the one before.
  void correct(double place, double age, double apart);
  /// No edge has come for `quiet` seconds, so it lies between these places and is no faster than that.
  void confine(double lower, double upper, double quiet);

  [[nodiscard]] double place() const { return place_; }  ///< counts
  [[nodiscard]] double speed() const { return speed_; }  ///< counts/s

 private:
  DutyAnswer answer_;
  double bandwidth_;
  double place_ = 0.0;
  double speed_ = 0.0;
  double unknown_ = 0.0;  // counts/s2
};

struct SpeedGains {
  double per_speed = 0.0;      ///< duty a count/s: P
  double per_place = 0.0;      ///< duty a count: I
  double for_speed = 0.0;      ///< duty a count/s, fed forward
  double for_change = 0.0;     ///< duty a count/s2, fed forward
  double for_friction = 0.0;   ///< duty, in the sense of the wanted speed
  double for_load = 0.0;       ///< duty, forwards
  double for_load_else = 0.0;  ///< duty, at rest and backwards
};

/// @param bandwidth  rad/s, where both poles are put: above 1 / (2 T)
[[nodiscard]] SpeedGains speed_gains(const DutyAnswer& answer, double bandwidth);

/// The bandwidth that leaves 56 degrees of phase where so much time passes between what is and what is done
/// about it. With both poles at -w the open loop is near (2 w s + w^2) / s^2: it crosses over at 2.06 w with
/// 76 degrees to spare, of which a delay takes 2.06 w t.
/// @param delay  s, above 0
[[nodiscard]] double bandwidth_for(double delay);

/// What is wanted at an instant.
struct SpeedWanted {
  double place = 0.0;   ///< counts
  double speed = 0.0;   ///< counts/s
  double change = 0.0;  ///< counts/s2
};

/// What may be given: within full duty, and within what a current limit leaves at a speed.
struct DutyRange {
  double least = -1.0;
  double most = 1.0;
};

/// @param amperes  either way; @param speed  counts/s
[[nodiscard]] DutyRange duty_range(const DutyAnswer& answer, double amperes, double speed, double highest);

struct LoopStep {
  double duty = 0.0;
  /// Counts that the place wanted is ahead of (below 0: behind) what the range allows: taken back where a
  /// speed is held, so that nothing winds up.
  double beyond = 0.0;
};

[[nodiscard]] LoopStep loop_step(const SpeedGains& gains, const SpeedWanted& wanted, double place,
                                 double speed, const DutyRange& range);

}  // namespace cogstride
