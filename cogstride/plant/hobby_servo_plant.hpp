// A hobby servo on the simulated bench: a direct current motor with gears, a potentiometer and a loop.
//
// Its loop gives a duty in proportion to what the angle is off, all of it from speed x lag on; within the
// dead band it gives none. The motor comes to its speed with a quarter of that lag (which damps the loop just
// so), and draws  I_stall |duty - speed / top speed|,  all of it in its winding, beside its idle current (the
// straight torque-speed line of a direct current motor: Fitzgerald, Kingsley, Umans, "Electric Machinery",
// ch. 7). Pulses beyond its end points press it against its own stops.
#pragma once

#include "cogstride/plant/pulse_plant.hpp"

namespace cogstride {

class HobbyServoPlant final : public PulsePlant {
 public:
  /// @param start_share  of its swing, where it stands at power-up
  HobbyServoPlant(const Mechanism& mechanism, const ShaftPlant::Setup& bench, double start_share);

  [[nodiscard]] double position() const override { return state_.place; }
  [[nodiscard]] double speed() const override { return state_.speed; }

 private:
  struct State {
    double place = 0.0;  // share of the swing
    double speed = 0.0;  // shares a second
    double target = 0.0;
    double duty = 0.0;
    bool drives = false;
    bool is_limp = true;  // no pulses: nothing is driven
  };
  void take_pulse(double seconds) override;
  void signal_lost() override { state_.is_limp = true; }
  void power_lost() override { state_.is_limp = true; }
  Taken move_on(double seconds) override;
  [[nodiscard]] bool is_settled() const override;
  void keep_own() override { kept_ = state_; }
  void go_back_own() override { state_ = kept_; }

  double top_speed_;      // shares a second, at the supply that it has
  double lag_;            // s
  double dead_band_;      // s of pulse
  double stall_current_;  // at the supply that it has
  double idle_current_;
  double resistance_;
  State state_{};
  State kept_{};
};

}  // namespace cogstride
