// A brushed motor behind an H-bridge on the simulated bench.
//
//   L di/dt = v - R i - k w,   T = k i          (Fitzgerald, Kingsley, Umans, "Electric Machinery", ch. 7)
//
// Between two changes of the bridge this is solved exactly over each step, the speed held meanwhile: a
// current that falls to nothing through the diodes is located, and so is one that reaches the board's own
// limit. What the bridge draws comes out of a supply with resistance, capacitor and clamp (the mechanism
// alone on it), which is pumped up when the motor brakes into it. Copper gains 0.39 % of resistance a kelvin;
// motor and board warm up as one body each.
#pragma once

#include "cogstride/board/h_bridge.hpp"
#include "cogstride/plant/shaft_plant.hpp"

namespace cogstride {

class BrushedPlant final : public ShaftPlant {
 public:
  BrushedPlant(const Mechanism& mechanism, const Setup& setup);

  [[nodiscard]] std::span<const SourceId> measures() const override { return sources_; }
  [[nodiscard]] double measure(SourceId source) const override;

  // What a trace may look at.
  [[nodiscard]] double current() const { return state_.current; }  ///< A, above 0 forwards
  [[nodiscard]] double sustained_current() const {
    return state_.highest_mean;
  }                                                                        ///< A, highest mean over 10 ms
  [[nodiscard]] double supply_voltage() const { return state_.supply; }    ///< V, at the board
  [[nodiscard]] double motor_rise() const { return state_.motor_rise; }    ///< K over the air
  [[nodiscard]] double board_rise() const { return state_.board_rise; }    ///< K
  [[nodiscard]] double highest_current() const { return state_.highest; }  ///< A, so far
  [[nodiscard]] double highest_supply() const { return state_.highest_supply; }
  [[nodiscard]] double highest_motor_rise() const { return state_.highest_motor_rise; }
  [[nodiscard]] double highest_board_rise() const { return state_.highest_board_rise; }
  [[nodiscard]] double charge() const { return state_.charge; }  ///< A s of |current|, so far: for its mean
  [[nodiscard]] double heat() const { return state_.heat; }      ///< J lost in winding and bridge
  [[nodiscard]] double drawn() const { return state_.drawn; }    ///< J out of the supply, less what came back
  /// s that it was driven for and stood, and the highest mean current that it stood with.
  [[nodiscard]] double driven_still() const { return state_.driven_still; }
  [[nodiscard]] double still_current() const { return state_.still_current; }
  [[nodiscard]] std::int64_t times_limited() const { return state_.times_limited; }

  /// Where nothing is switched for long, its steps are as long as this, s.
  static constexpr double longest_step = 5e-5;
  static constexpr double longest_averaged_step = 2e-4;

 private:
  struct State {
    BridgeState bridge{};
    bool limited = false;      ///< the board's own limit has opened the bridge for the rest of a period
    double limited_for = 0.0;  ///< s
    double current = 0.0;
    double supply = 0.0;
    double motor_rise = 0.0;
    double board_rise = 0.0;
    Tick warmed_at = 0;
    double highest = 0.0;
    double mean = 0.0;  ///< of the amount, over some 10 ms
    double highest_mean = 0.0;
    double highest_supply = 0.0;
    double highest_motor_rise = 0.0;
    double highest_board_rise = 0.0;
    double charge = 0.0;
    double heat = 0.0;
    double heat_to_come = 0.0;  ///< J lost and not yet warming
    double drawn = 0.0;
    double driven_still = 0.0;
    double still_current = 0.0;
    std::int64_t times_limited = 0;
  };
  /// What the bridge joins the motor to.
  struct Circuit {
    double volts = 0.0;   ///< at the motor's terminals
    double drawn = 0.0;   ///< share of the current that comes out of the supply: 1, 0 or -1
    bool diodes = false;  ///< it flows through them, and stops at nothing
  };

  void hear_board(std::size_t input, bool high) override;
  void hear_board_share(std::size_t input, double share) override;
  void integrate(double seconds) override;
  void step_is_over() override;
  [[nodiscard]] bool motor_has_settled() const override;
  void motor_powered(bool powered) override;
  void keep_own() override { kept_ = state_; }
  void go_back_own() override { state_ = kept_; }
  void keep_motor() override { before_step_ = state_; }
  void go_back_motor() override { state_ = before_step_; }

  [[nodiscard]] Circuit circuit() const;
  void flow(double seconds, double& charge);
  void feed_supply(double drawn, double seconds);
  void warm();

  double resistance_cold_;
  double bridge_resistance_;
  double drop_;
  double inductance_;
  double constant_;
  double limit_;  // A; infinite where the board has none
  double supply_volts_;
  double supply_resistance_;
  double capacitance_;
  double clamp_volts_;
  double clamp_resistance_;
  double motor_resistance_to_air_;  // K/W; 0: it is not said
  double motor_capacity_;
  double board_resistance_to_air_;
  double board_capacity_;
  BridgeReceiver receiver_;
  std::vector<SourceId> sources_{};
  State state_{};
  State kept_{};
  State before_step_{};
};

}  // namespace cogstride
