// A motor on scripted lines, with no more physics than one equation: it turns by what its lines are given,
// and says so by an encoder or by Hall sensors.
#pragma once

#include <cmath>
#include <functional>
#include <optional>

#include "cogstride/motion/participant.hpp"
#include "support/on_script.hpp"

namespace cogstride::testing_support {

class PlainMotor final : public Participant {
 public:
  struct Parts {
    double supply = 24.0;           // V
    double resistance = 2.85;       // ohm
    double constant = 0.0625;       // N m/A and V s/rad
    double inertia = 1.85e-4;       // kg m2
    double friction = 0.016;        // N m
    double counts_per_turn = 48.0;  // of the encoder
    SourceId count{};
    SourceId counted_at{};
  };
  /// @param duty  what its lines give it now, -1 to 1
  PlainMotor(OnScript& on, Parts parts, std::function<double()> duty)
      : on_(on), parts_(parts), duty_(std::move(duty)) {
    on.loop.add(*this);
  }

  bool blocked = false;  ///< it stands whatever it is given
  bool is_wired = true;  ///< its sensor is
  /// Told of each step of the shaft.
  std::function<void(double turns)> on_turn{};
  [[nodiscard]] double turns() const { return turns_; }
  [[nodiscard]] double rpm() const { return 60.0 * speed_ / (2.0 * pi); }

  [[nodiscard]] Tick next_act() const override { return next_; }
  void act(Lines& lines, std::span<const Reading>) override {
    if (lines.now() < next_) return;
    next_ = lines.now() + between;
    constexpr double dt = between / 48e6;
    // Implicitly in the back-EMF: stable whatever the time constant.
    const double stiffness = parts_.constant * parts_.constant / parts_.resistance;
    const double drive = parts_.constant * duty_() * parts_.supply / parts_.resistance;
    double speed = (speed_ + dt * drive / parts_.inertia) / (1.0 + dt * stiffness / parts_.inertia);
    const double lost = dt * parts_.friction / parts_.inertia;
    speed = std::abs(speed) <= lost ? 0.0 : speed - std::copysign(lost, speed);
    speed_ = blocked ? 0.0 : speed;
    turns_ += dt * speed_ / (2.0 * pi);
    if (!is_wired) return;
    const auto count = static_cast<std::int64_t>(std::floor(turns_ * parts_.counts_per_turn));
    if (count != count_) {
      count_ = count;
      on_.lines.player.says(parts_.count, count);
      on_.lines.player.says(parts_.counted_at, lines.now());
    }
    if (on_turn) on_turn(turns_);
  }

 private:
  static constexpr Tick between = 4'800;  // a tenth of a millisecond

  OnScript& on_;
  Parts parts_;
  std::function<double()> duty_;
  double speed_ = 0.0;  // rad/s
  double turns_ = 0.0;
  std::int64_t count_ = 0;
  Tick next_ = 0;
};

}  // namespace cogstride::testing_support
