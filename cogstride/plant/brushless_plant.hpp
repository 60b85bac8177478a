// A bare brushless motor behind six gates on the simulated bench: three phases in a star, each terminal
// joined to the supply or to ground by a transistor, by a diode, or by nothing.
//
//   L di_k/dt = v_k - e_k - R i_k - v_n,   sum i_k = 0,   T w = sum e_k i_k      (R. Krishnan, "Permanent
//   Magnet
//                                                       Synchronous and Brushless DC Motor Drives", 2010, ch.
//                                                       9)
//
// R and L of a phase, v_n of the star point: the mean of v_k - e_k of the phases that carry current. As long
// as nothing is switched this is solved exactly over each step, the back-EMF held meanwhile; a diode that
// runs dry ends a part of a step where a logarithm says, and one that a floating terminal pushes open begins
// one. Both gates of a leg on short the supply through its two transistors, and they are no more.
#pragma once

#include <array>
#include <cstdint>
#include <optional>

#include "cogstride/plant/shaft_plant.hpp"

namespace cogstride {

class BrushlessPlant final : public ShaftPlant {
 public:
  BrushlessPlant(const Mechanism& mechanism, const Setup& setup);

  [[nodiscard]] std::span<const SourceId> measures() const override { return sources_; }
  [[nodiscard]] double measure(SourceId source) const override;

  // What a trace may look at.
  /// A, into phase A, B or C of the motor.
  [[nodiscard]] double current(std::size_t phase) const { return state_.current[phase]; }
  [[nodiscard]] double highest_current() const { return state_.highest; }
  /// A, the highest mean over some 10 ms of what the phase that carries most carries.
  [[nodiscard]] double sustained_current() const { return state_.highest_mean; }
  [[nodiscard]] double highest_speed() const { return state_.highest_speed / angle_per_base_; }  ///< by size
  [[nodiscard]] double supply_voltage() const { return state_.supply; }
  [[nodiscard]] double highest_supply() const { return state_.highest_supply; }
  [[nodiscard]] double torque() const { return state_.torque; }  ///< N m, of the last step
  [[nodiscard]] double motor_rise() const { return state_.rise; }
  [[nodiscard]] double highest_motor_rise() const { return state_.highest_rise; }
  [[nodiscard]] double charge() const { return state_.charge; }  ///< A s out of the supply, so far
  /// Electrical angle of the rotor, rad: 0 where the back-EMF from A to B rises through nothing.
  [[nodiscard]] double electrical_angle() const { return pole_pairs_ * shaft_.angle; }
  /// When both gates of a leg were on; nothing: never. And of which leg (0 to 2).
  [[nodiscard]] std::optional<Tick> destroyed_at() const { return state_.destroyed_at; }
  [[nodiscard]] std::size_t destroyed_leg() const { return state_.destroyed_leg; }

  /// V s/rad by shaft speed of a phase, at an electrical angle.
  [[nodiscard]] double emf_constant(std::size_t phase, double electrical) const;

  static constexpr double longest_step = 2e-5;  // s

 private:
  using Three = std::array<double, 3>;
  /// What a terminal is joined to.
  enum class Joined : std::uint8_t { nothing, ground, supply };
  struct State {
    std::array<bool, 6> gates{};
    bool enabled = true;
    Three current{};
    double supply = 0.0;
    double torque = 0.0;
    double rise = 0.0;
    double highest_rise = 0.0;
    double highest = 0.0;
    double mean = 0.0;
    double highest_mean = 0.0;
    double highest_supply = 0.0;
    double highest_speed = 0.0;  // rad/s
    double charge = 0.0;
    std::optional<Tick> destroyed_at{};
    std::size_t destroyed_leg = 0;
  };
  void hear_board(std::size_t input, bool high) override;
  void integrate(double seconds) override;
  void step_is_over() override {}
  [[nodiscard]] bool motor_has_settled() const override;
  void motor_powered(bool powered) override;
  void keep_own() override { kept_ = state_; }
  void go_back_own() override { state_ = kept_; }
  void keep_motor() override { before_step_ = state_; }
  void go_back_motor() override { state_ = before_step_; }

  struct Leg {
    Joined joined = Joined::nothing;
    double volts = 0.0;
    bool by_diode = false;
  };
  [[nodiscard]] std::array<Leg, 3> legs(const Three& emf) const;
  [[nodiscard]] static double star(const std::array<Leg, 3>& legs, const Three& emf);
  double flow(const std::array<Leg, 3>& legs, const Three& emf, double seconds, Three& charges);
  void feed_supply(double drawn, double seconds);

  double pole_pairs_;
  bool is_sine_;
  double constant_;  // V s/rad, peak of a phase
  double resistance_cold_;
  double inductance_;
  double stage_resistance_;
  double drop_;
  double supply_volts_;
  double supply_resistance_;
  double capacitance_;
  double clamp_volts_;
  double clamp_resistance_;
  double to_air_ = 0.0;
  double heat_time_constant_ = 0.0;
  std::array<bool, 6> active_high_{};
  bool locks_legs_;
  bool enable_active_high_ = true;
  bool is_powered_ = true;
  std::size_t enable_input_ = 6;
  std::vector<SourceId> sources_{};
  State state_{};
  State kept_{};
  State before_step_{};
};

}  // namespace cogstride
