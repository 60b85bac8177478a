// A two-phase stepper behind a STEP/DIR board, or behind one that only switches its coils, with what it
// moves, its switches and encoders.
//
// Torque on the rotor at electrical angle e = p theta + pi/4 (p = full steps / 4 rotor teeth), currents i_a,
// i_b:
//
//   T = k (i_b cos e - i_a sin e) - T_d sin 4e - friction - hard ends,     k = holding torque / (sqrt 2
//   rated) back-EMF:  -k omega sin e  and  k omega cos e  volts
//
// Theta is 0 at output position 0: the motor is taken to be coupled so that it rests there at power-up.
// (Kuo, "Step Motors and Control Systems", 1979, ch. 4, with sine torque curves.) Currents of microstep n are
// i_a = I cos f, i_b = I sin f with f = pi/4 + n pi / (2 microsteps): the rotor rests at e = f, and may rest
// a whole electrical period (four full steps) away: that is how steps are lost.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <variant>
#include <vector>

#include "cogstride/board/step_dir.hpp"
#include "cogstride/plant/chopped_winding.hpp"
#include "cogstride/plant/coil_stage.hpp"
#include "cogstride/plant/stepped_plant.hpp"

namespace cogstride {

class StepperPlant final : public SteppedPlant {
 public:
  StepperPlant(const Mechanism& mechanism, const Setup& setup);

  [[nodiscard]] double current_a() const override;
  [[nodiscard]] double current_b() const override;
  [[nodiscard]] std::int64_t lost_microsteps() const override { return state_.lost; }
  [[nodiscard]] std::span<const Slip> slips() const override { return {slips_.data(), state_.slip_count}; }
  [[nodiscard]] std::int64_t microsteps_per_period() const override { return microsteps_per_period_; }
  [[nodiscard]] StepDirReceiver::Counts counts() const override;
  void count_losses_from_here() override;

 private:
  static constexpr std::size_t most_slips = 16;

  using Stage = std::variant<StepDirReceiver, CoilStage>;

  struct State {
    explicit State(Stage of_board) : stage(std::move(of_board)) {}
    ChoppedWinding winding_a{};  ///< STEP/DIR board
    ChoppedWinding winding_b{};
    double target_a = 0.0;
    double target_b = 0.0;
    Stage stage;
    bool aligned = false;     ///< the outputs have been on: periods are counted
    std::int64_t period = 0;  ///< electrical periods between field and rotor
    std::int64_t lost = 0;
    std::size_t slip_count = 0;
  };

  void integrate(double seconds) override;
  void step_is_over() override;
  [[nodiscard]] bool motor_has_settled() const override;
  void hear_board(std::size_t input, bool high) override;
  void motor_powered(bool powered) override;
  void keep_own() override { kept_ = state_; }
  void go_back_own() override { state_ = kept_; }
  void keep_motor() override {
    kept_a_ = state_.winding_a;
    kept_b_ = state_.winding_b;
  }
  void go_back_motor() override {
    state_.winding_a = kept_a_;
    state_.winding_b = kept_b_;
  }

  static Stage stage_of_board(const Mechanism& mechanism, ExactFrequency clock);
  void run_currents(double seconds, double emf_a, double emf_b);
  [[nodiscard]] bool is_on() const;
  void retarget();
  void count_slips();
  [[nodiscard]] double coil_step_rate() const;  // steps/s, by its last two patterns
  [[nodiscard]] double field_angle() const;
  [[nodiscard]] double electrical_angle() const { return teeth_ * shaft_.angle + coupling_angle_; }

  double angle_per_microstep_ = 0.0;
  double teeth_;
  double torque_constant_;
  double detent_;
  double peak_current_;
  double coupling_angle_;  // of the rotor at output position 0, and of the field at step 0
  std::int64_t microsteps_per_period_;
  WindingParts parts_;
  ChoppedWinding kept_a_{};
  ChoppedWinding kept_b_{};
  std::array<Slip, most_slips> slips_{};  // as many as the state says; those beyond come again
  State state_;
  State kept_;
};

}  // namespace cogstride
