// A closed-loop servo behind STEP and DIR on the simulated bench: motor, encoder and position loop in one
// case.
//
// It counts steps and turns its shaft to where they say, as hard as its peak torque and its top speed let it:
//
//   torque = J (3 w^2 e + 3 w de/dt + w^3 integral of e)    e = r - theta, within the peak
//
// with the reference r following the steps within a few milliseconds: three poles at w, the bandwidth of its
// position loop. Friction that turns round, or a load that comes, pushes it off by up to 0.27 T / (J w^2),
// and the integral takes that up; within half a step it leaves off, so that friction makes no cycle of it.
// More than a quarter of a turn behind, it gives up: its fault output acts and its motor has no current until
// ENABLE is switched off and on again. When it is switched on it holds where it stands.
#pragma once

#include "cogstride/plant/stepped_plant.hpp"

namespace cogstride {

class StepServoPlant final : public SteppedPlant {
 public:
  StepServoPlant(const Mechanism& mechanism, const Setup& setup);

  [[nodiscard]] std::vector<Level> drives() const override;

  /// From its supply, by its torque; it has one current only.
  [[nodiscard]] double current_a() const override { return state_.torque / torque_per_ampere_; }
  [[nodiscard]] double current_b() const override { return 0.0; }
  [[nodiscard]] std::int64_t lost_microsteps() const override;
  [[nodiscard]] std::span<const Slip> slips() const override {
    return {&state_.slip, state_.slipped ? 1u : 0u};
  }
  [[nodiscard]] std::int64_t microsteps_per_period() const override { return period_; }
  [[nodiscard]] StepDirReceiver::Counts counts() const override { return state_.board.counts(); }
  void count_losses_from_here() override;

 private:
  struct State {
    explicit State(StepDirReceiver receiver) : board(std::move(receiver)) {}
    StepDirReceiver board;
    bool was_on = false;
    bool tripped = false;
    bool failing = false;     // by something in it that does not go away
    bool fault_told = false;  // on its line
    bool in_position = true;
    double zero = 0.0;       ///< rad at microstep 0
    double reference = 0.0;  ///< rad
    double torque = 0.0;     ///< N m
    double held = 0.0;       ///< N m, of its integral
    std::int64_t lost = 0;   ///< in earlier trips
    bool slipped = false;
    Slip slip{};
  };

  void integrate(double seconds) override;
  void step_is_over() override;
  [[nodiscard]] bool motor_has_settled() const override;
  void hear_board(std::size_t input, bool high) override;
  void motor_powered(bool powered) override;
  void drive_fails(bool fails) override;
  void keep_own() override { kept_ = state_; }
  void go_back_own() override { state_ = kept_; }
  void keep_motor() override { before_step_ = state_; }
  void go_back_motor() override { state_ = before_step_; }

  [[nodiscard]] bool is_on() const { return shaft_.powered && state_.board.is_on(); }
  [[nodiscard]] double wanted() const;
  void switched();
  void trip();

  double angle_per_step_;
  double peak_torque_;
  double top_speed_;
  double loop_;  // rad/s
  double torque_per_ampere_;
  std::int64_t period_;
  State state_;
  State kept_;
  State before_step_;
};

}  // namespace cogstride
