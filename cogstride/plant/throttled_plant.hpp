// A speed controller with its motor on the simulated bench, as far as its maker's figures go.
//
// It obeys once it has had its arming stages one after the other, and no longer than it gets pulses. Below
// its start throttle nothing begins to turn. The speed follows the throttle with a time constant, as that of
// a motor between its back-EMF and its load does; what it draws against the load is an idle current and what
// a fan or a propeller takes, with the third power of the speed (the affinity laws), and what speeds it up
// comes on top, in proportion to how far the speed is behind the throttle:
//
//   i = i_idle + (i_full - i_idle) n^3 + (i_surge - i_idle) (throttle - n)      never below 0: it coasts down
#pragma once

#include "cogstride/plant/pulse_plant.hpp"

namespace cogstride {

class ThrottledPlant final : public PulsePlant {
 public:
  ThrottledPlant(const Mechanism& mechanism, const ShaftPlant::Setup& bench);

  [[nodiscard]] double position() const override { return state_.turned; }  ///< s at full speed, so far
  [[nodiscard]] double speed() const override { return state_.speed; }      ///< -1 to 1 of full speed
  /// Pulses that asked for throttle before it was armed: it did not obey.
  [[nodiscard]] std::int64_t too_soon() const { return state_.too_soon; }

 private:
  struct State {
    double throttle = 0.0;
    double speed = 0.0;
    double turned = 0.0;
    std::size_t stage = 0;  // of arming, that it waits for
    double stage_began = -1.0;
    std::int64_t too_soon = 0;
  };
  void take_pulse(double seconds) override;
  void signal_lost() override;
  void power_lost() override { signal_lost(); }
  Taken move_on(double seconds) override;
  [[nodiscard]] bool is_settled() const override;
  void keep_own() override { kept_ = state_; }
  void go_back_own() override { state_ = kept_; }

  std::vector<PulseWidthInput::ArmingStage> arming_;
  double tolerance_;  // s, of a pulse of a stage
  double start_;
  double lag_;
  double full_current_;
  double idle_current_;
  double surge_current_;  // A, over the idle one, from a standstill to full throttle; 0: not said
  double lost_;           // share of what it takes that warms it; 0: not said
  State state_{};
  State kept_{};
};

}  // namespace cogstride
