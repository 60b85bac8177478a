// A plain output, a lamp or a valve: switched on and off, or faded where a timer makes its duty.
//
// A fade is a row of duties, one every few milliseconds, from the share it has to the one that is wanted; the
// eye sees no steps at 200 a second.
#pragma once

#include <memory>
#include <optional>

#include "cogstride/mechanism/sensors.hpp"
#include "cogstride/motion/participant.hpp"

namespace cogstride {

class OutputSwitch final : public Participant {
 public:
  OutputSwitch(const PlainOutput& output, ExactFrequency clock);

  [[nodiscard]] const PlainOutput& output() const { return output_; }
  [[nodiscard]] LineSetup line_setup() const;
  /// Of its duty; nothing when it is only switched.
  [[nodiscard]] std::optional<PwmSetup> pwm_setup() const;
  [[nodiscard]] bool can_fade() const { return period_ > 0; }

  /// On or off, from now on. A fade that is on ends.
  void set(Lines& lines, bool on);
  /// To a share of full duty, 0 to 1, evenly in so many ticks. @throws RangeError when it is only switched,
  /// or the share is none
  void fade(Lines& lines, double share, Tick lasts);
  [[nodiscard]] bool is_fading() const { return next_ != never; }
  /// The share of full duty it is given now.
  [[nodiscard]] double share() const { return share_; }
  void lines_were_cut() {
    share_ = 0.0;
    next_ = never;
  }

  [[nodiscard]] Tick next_act() const override { return next_; }
  void act(Lines& lines, std::span<const Reading> readings) override;

 private:
  void put(Lines& lines, double share);

  PlainOutput output_;
  Tick period_ = 0;  // 0: no duty
  Tick stride_ = 0;  // from one duty of a fade to the next
  double share_ = 0.0;
  double from_ = 0.0;
  double to_ = 0.0;
  Tick began_ = 0;
  Tick ends_ = 0;
  Tick next_ = never;
};

}  // namespace cogstride
