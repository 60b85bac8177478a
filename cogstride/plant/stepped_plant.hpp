// A shaft that a board turns by steps: what a trace may ask of it besides where it stands.
#pragma once

#include <span>

#include "cogstride/board/step_dir.hpp"
#include "cogstride/plant/shaft_plant.hpp"

namespace cogstride {

class SteppedPlant : public ShaftPlant {
 public:
  /// Steps that the shaft fell behind or got ahead at once.
  struct Slip {
    Tick at = 0;
    double step_rate = 0.0;       ///< steps/s that the board was stepping at
    std::int64_t microsteps = 0;  ///< lost (positive) or gained on the way it was going
  };

  /// Of the shaft, in (micro)steps from output position 0: what was really made.
  [[nodiscard]] double rotor_microsteps() const {
    return shaft_.angle / (2.0 * pi) * static_cast<double>(steps_per_motor_turn(mechanism_));
  }
  [[nodiscard]] virtual double current_a() const = 0;  ///< A
  [[nodiscard]] virtual double current_b() const = 0;
  /// Microsteps by which the shaft stands short of (positive) or beyond its steps, from its angle, since the
  /// outputs were first switched on or count_losses_from_here().
  [[nodiscard]] virtual std::int64_t lost_microsteps() const = 0;
  /// The first slips; all of them are in lost_microsteps().
  [[nodiscard]] virtual std::span<const Slip> slips() const = 0;
  /// That are lost at once: an electrical period of a stepper.
  [[nodiscard]] virtual std::int64_t microsteps_per_period() const = 0;
  /// What the board made of its lines; of coils that are only switched, the changes of their pattern.
  [[nodiscard]] virtual StepDirReceiver::Counts counts() const = 0;
  /// Forgets what was lost: while a position is not known yet, nothing can be lost.
  virtual void count_losses_from_here() = 0;

 protected:
  using ShaftPlant::ShaftPlant;
};

}  // namespace cogstride
