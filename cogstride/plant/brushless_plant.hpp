// A bare brushless motor behind six gates on the simulated bench: each terminal joined to the supply or to
// ground by a transistor, by a diode, or by nothing. The currents are the business of plant/star_winding.hpp;
// a diode that runs dry ends a part of a step, one that a floating terminal pushes open begins one.
//
//   T = sum e_k i_k / w + 3/2 p (L_d - L_q) i_d i_q - C sin(n a)      (R. Krishnan, "Permanent Magnet
//                                       Synchronous and Brushless DC Motor Drives", 2010, ch. 3 and 9)
//
// with C and n of its cogging. Both gates of a leg on short the supply through its two transistors, and they
// are no more. A high side that is fed by a bootstrap capacitor goes off when that is empty, until its leg
// has stood at ground long enough.
#pragma once

#include <array>
#include <cstdint>
#include <optional>

#include "cogstride/plant/shaft_plant.hpp"
#include "cogstride/plant/star_winding.hpp"
#include "cogstride/plant/supply_rail.hpp"

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
  [[nodiscard]] double heat() const { return state_.heat; }      ///< J lost in its windings, so far
  /// A s through a phase, signed, so far.
  [[nodiscard]] double phase_charge(std::size_t phase) const { return state_.phase_charges[phase]; }
  /// Electrical angle of the rotor, rad: 0 where the back-EMF from A to B rises through nothing.
  [[nodiscard]] double electrical_angle() const { return pole_pairs_ * shaft_.angle; }
  /// V of the three terminals, against ground. Where nothing joins them dividers to ground do, weakly: they
  /// stand around it, and none further below it than its diode lets it.
  [[nodiscard]] StarWinding::Three terminal_volts() const;
  /// When both gates of a leg were on; nothing: never. And of which leg (0 to 2).
  [[nodiscard]] std::optional<Tick> destroyed_at() const { return state_.destroyed_at; }
  [[nodiscard]] std::size_t destroyed_leg() const { return state_.destroyed_leg; }
  /// How often a high side went off because its bootstrap capacitor was empty.
  [[nodiscard]] std::int64_t times_empty() const { return state_.times_empty; }

  /// V s/rad by shaft speed of a phase, at an electrical angle.
  [[nodiscard]] double emf_constant(std::size_t phase, double electrical) const;

  static constexpr double longest_step = 2e-5;  // s

 private:
  using Three = StarWinding::Three;
  using Terminals = StarWinding::Terminals;
  /// Of a high side: when its leg had last stood at ground for long enough, and for how long it does now.
  struct Bootstrap {
    Tick full_at = -never / 2;
    double at_ground = 0.0;   // s
    bool was_missed = false;  // it was wanted while empty
  };
  struct State {
    std::array<bool, 6> gates{};
    std::array<Tick, 6> off_since{-never / 2, -never / 2, -never / 2, -never / 2, -never / 2, -never / 2};
    bool enabled = true;
    Three current{};
    std::array<Bootstrap, 3> bootstraps{};
    double supply = 0.0;
    double torque = 0.0;
    double rise = 0.0;
    double highest_rise = 0.0;
    double loss = 0.0;      // J since it was warmed last
    double unwarmed = 0.0;  // s
    double highest = 0.0;
    double mean = 0.0;
    double highest_mean = 0.0;
    double highest_supply = 0.0;
    double highest_speed = 0.0;  // rad/s
    double charge = 0.0;
    double heat = 0.0;
    Three phase_charges{};
    std::int64_t times_empty = 0;
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

  [[nodiscard]] StarWinding::Rotor rotor_at(double angle, Three* constants) const;
  [[nodiscard]] Terminals terminals(const StarWinding::Rotor& rotor) const;
  [[nodiscard]] bool is_empty(std::size_t leg) const;
  [[nodiscard]] Terminal joined_by(std::size_t leg) const;
  void push_open(Terminals& found, const StarWinding::Rotor& rotor) const;
  void pass(const StarWinding::Passed& passed, const Terminals& joined);
  void age_bootstraps(const Terminals& joined, double seconds);
  void warm();

  double pole_pairs_;
  bool is_sine_;
  double constant_;  // V s/rad, peak of a phase
  double resistance_25_;
  Tick needs_dead_;  // of a leg's gates, from one off to the other on
  double stage_resistance_;
  double drop_;
  StarWinding winding_;
  SupplyRail rail_;
  double cogging_;  // N m, peak
  double cogging_per_turn_;
  double to_air_ = 0.0;
  double heat_time_constant_ = 0.0;
  double bootstrap_holds_;  // ticks
  double bootstrap_refresh_;
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
