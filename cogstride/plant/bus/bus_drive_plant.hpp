// A drive on a bus with its motor on the simulated bench: the loops of the drive (DriveLoops), a motor whose
// current they set at once (its own loop is much quicker than a step), a supply that sags and is pumped up,
// and warmth of motor and drive as one body each.
//
//   T = k i,   u = R i + k w,   I_supply = u i / U
//
// The motor is seen as one of direct current with the back-EMF constant of its label, line to line.
#pragma once

#include "cogstride/plan/drive_figures.hpp"
#include "cogstride/plant/bus/drive_node.hpp"
#include "cogstride/plant/shaft_plant.hpp"
#include "cogstride/plant/supply_rail.hpp"

namespace cogstride {

class BusDrivePlant final : public ShaftPlant, public BusNode {
 public:
  BusDrivePlant(const Mechanism& mechanism, const Setup& setup);

  // On its bus.
  using ShaftPlant::hear;
  void hear(Tick at, const Frame& frame) override;
  [[nodiscard]] Tick next() const override { return node_.next(); }
  [[nodiscard]] std::uint32_t next_id() const override { return node_.next_id(); }
  Frame say(Tick now) override;
  /// Looks at its watches and at what its loops have come to; each millisecond.
  void pass();

  // What a trace may look at.
  [[nodiscard]] const DriveNode& node() const { return node_; }
  [[nodiscard]] double current() const { return state_.loops.current(); }  ///< A, of the motor
  [[nodiscard]] double from_supply() const { return state_.loops.from_supply(); }
  [[nodiscard]] double supply_voltage() const { return state_.supply; }
  [[nodiscard]] double motor_rise() const { return state_.motor_rise; }
  [[nodiscard]] double board_rise() const { return state_.board_rise; }
  [[nodiscard]] double highest_current() const { return state_.highest; }
  [[nodiscard]] double highest_supply_current() const { return state_.highest_from_supply; }
  [[nodiscard]] double highest_supply() const { return state_.highest_supply; }
  [[nodiscard]] double lowest_supply() const { return state_.lowest_supply; }
  [[nodiscard]] double highest_motor_rise() const { return state_.highest_motor_rise; }
  [[nodiscard]] double highest_board_rise() const { return state_.highest_board_rise; }
  [[nodiscard]] double wanted() const { return state_.loops.wanted(); }  ///< counts, as it counts
  /// m or turns of its output since its drive was fed, from where its places count.
  [[nodiscard]] double way() const { return (shaft_.angle - state_.counts_from) * base_per_angle_; }
  [[nodiscard]] double lag() const { return state_.loops.lag(); }  ///< counts
  [[nodiscard]] double highest_lag() const { return state_.highest_lag; }

  static constexpr double longest_step = 2.5e-4;  // s

 private:
  struct State {
    DriveLoops loops{};
    double supply = 0.0;
    double motor_rise = 0.0;
    double board_rise = 0.0;
    double highest = 0.0;
    double highest_from_supply = 0.0;
    double highest_supply = 0.0;
    double lowest_supply = 1e9;
    double highest_motor_rise = 0.0;
    double highest_board_rise = 0.0;
    double highest_lag = 0.0;
    bool is_wired = true;      // its motor
    double counts_from = 0.0;  // rad, where its encoder counts from
  };
  void hear_board(std::size_t, bool) override {}
  void integrate(double seconds) override;
  void step_is_over() override {}
  [[nodiscard]] bool motor_has_settled() const override { return false; }
  void motor_powered(bool powered) override;
  void motor_wired(bool whole) override { state_.is_wired = whole; }
  void signal_wired(bool whole) override { node_.wire(whole); }
  void keep_own() override { kept_ = state_; }
  void go_back_own() override { state_ = kept_; }
  void keep_motor() override { before_step_ = state_; }
  void go_back_motor() override { state_ = before_step_; }
  [[nodiscard]] DriveSense sense() const;
  void warm(double seconds);

  DriveMotor motor_{};
  double resistance_25_;     // ohm, of the motor
  double stage_resistance_;  // ohm
  SupplyRail rail_;
  State state_{};
  State kept_{};
  State before_step_{};
  DriveNode node_;
};

}  // namespace cogstride
