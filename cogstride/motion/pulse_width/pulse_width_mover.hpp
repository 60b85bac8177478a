// What movers of a hobby servo and of a speed controller share: a pulse a frame, whose width is said anew for
// each frame while it changes, and then goes on by itself.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <string>

#include "cogstride/board/pulse_width.hpp"
#include "cogstride/motion/mover.hpp"
#include "cogstride/plan/pulse_scale.hpp"

namespace cogstride {

class PulseWidthMover : public Mover {
 public:
  /// No pulse from the next frame on: a servo goes limp, a speed controller stops and must be armed again.
  void release(Lines& lines) override;
  void lines_were_cut(Lines& lines, const Why& why) override;
  [[nodiscard]] const Mechanism* parts() const override { return &mechanism_; }
  [[nodiscard]] std::vector<LineSetup> line_setups() const override { return {driver_.line_setup()}; }
  [[nodiscard]] std::vector<PwmSetup> pwm_setups() const override { return {driver_.pwm_setup()}; }
  [[nodiscard]] bool has_ended() const override { return !log().is_on(); }

  [[nodiscard]] const Mechanism& mechanism() const { return mechanism_; }
  [[nodiscard]] const PulseDriver& driver() const { return driver_; }
  /// Whether it is given pulses.
  [[nodiscard]] bool has_pulses() const { return has_pulses_; }
  /// What the pulses ask for: a share of the swing, or a throttle of -1 to 1; nothing without pulses.
  [[nodiscard]] std::optional<double> pulse_share(Tick now) const;

  /// What its pulses asked for when the lines were cut last, and when that was; share 0: they were not.
  struct WentOff {
    double share = 0.0;
    Tick at = 0;
  };
  [[nodiscard]] const WentOff& went_off() const { return went_off_; }

  [[nodiscard]] Tick next_act() const override { return next_act_; }
  void act(Lines& lines, std::span<const Reading> readings) override;

 protected:
  PulseWidthMover(const Mechanism& mechanism, MechanismId id, const Controller& controller);

  /// The share that is wanted of the frame that begins at `at`.
  [[nodiscard]] virtual double share_at(Tick at) const = 0;
  /// A frame has been put. @return whether later ones may differ
  virtual bool frame_is_put(Tick now, Tick begins) = 0;
  /// No pulses go out any more.
  virtual void has_lost_pulses() = 0;

  /// Something has changed: the next frame is put at once.
  void put_from(Tick now) {
    has_pulses_ = true;
    next_act_ = now;
  }
  /// It takes the place of what is on.
  std::shared_ptr<MotionRecord> begin_record(Tick now, std::string what);
  [[nodiscard]] double seconds(Tick ticks) const { return static_cast<double>(ticks) / ticks_per_second_; }
  [[nodiscard]] Tick ticks(double seconds) const;
  [[nodiscard]] const PulseScale& scale() const { return scale_; }

 private:
  Mechanism mechanism_;
  PulseDriver driver_;
  PulseScale scale_;
  double ticks_per_second_;
  bool has_pulses_ = false;
  WentOff went_off_{};
  Tick next_act_ = never;
};

}  // namespace cogstride
