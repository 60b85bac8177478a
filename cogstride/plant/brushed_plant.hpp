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

#include <array>
#include <bit>
#include <cmath>
#include <cstdint>

#include "cogstride/board/h_bridge.hpp"
#include "cogstride/plant/shaft_plant.hpp"
#include "cogstride/plant/supply_rail.hpp"

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
  }                                                                      ///< A, highest mean over 10 ms
  [[nodiscard]] double supply_voltage() const { return state_.supply; }  ///< V, at the board
  [[nodiscard]] double motor_rise() const {
    return state_.motor_rise * cooled(motor_resistance_to_air_ * motor_capacity_);
  }  ///< K over the air
  [[nodiscard]] double board_rise() const {
    return state_.board_rise * cooled(board_resistance_to_air_ * board_capacity_);
  }                                                                        ///< K
  [[nodiscard]] double highest_current() const { return state_.highest; }  ///< A, so far
  [[nodiscard]] double highest_supply() const { return state_.highest_supply; }
  [[nodiscard]] double highest_motor_rise() const { return state_.highest_motor_rise; }
  [[nodiscard]] double highest_board_rise() const { return state_.highest_board_rise; }
  [[nodiscard]] double charge() const { return state_.charge; }  ///< A s of |current|, so far: for its mean
  [[nodiscard]] double net_charge() const { return state_.net_charge; }  ///< A s, signed, so far
  /// J lost in winding and bridge.
  [[nodiscard]] double heat() const { return state_.heat + state_.heat_to_come + state_.board_heat_to_come; }
  [[nodiscard]] double drawn() const { return state_.drawn; }  ///< J out of the supply, less what came back
  /// s that it was driven for and stood, and the highest mean current that it stood with.
  [[nodiscard]] double driven_still() const { return state_.driven_still; }
  [[nodiscard]] double still_current() const { return state_.still_current; }
  [[nodiscard]] std::int64_t times_limited() const { return state_.times_limited; }

  /// Where nothing is switched for long, its steps are as long as this, s.
  static constexpr double longest_step = 5e-5;
  static constexpr double longest_averaged_step = 2e-4;

 private:
  /// What the bridge joins the motor to.
  struct Circuit {
    double side = 0.0;    ///< share of the supply's voltage at the motor, and of the current that it gives
    double drop = 0.0;    ///< V, against its current
    bool diodes = false;  ///< a half is off: the current flows on through its diodes, and stops at nothing
  };
  struct State {
    BridgeState bridge{};
    Circuit circuit{};             ///< that the bridge makes, where both halves are on
    bool is_open = false;          ///< a half of it is off
    std::array<double, 2> dead{};  ///< s for which each half is still off, between its two transistors
    bool limited = false;          ///< the board's own limit has opened the bridge for the rest of a period
    double limited_for = 0.0;      ///< s
    bool is_wired = true;          ///< no wire of the motor is broken
    double current = 0.0;
    double supply = 0.0;
    double motor_rise = 0.0;
    double resistance = 0.0;      ///< of winding and bridge, as warm as they are
    double per_resistance = 0.0;  ///< 1/ohm
    double time_constant = 0.0;   ///< s, of the current
    double board_rise = 0.0;
    Tick warmed_at = 0;
    double highest = 0.0;
    double mean = 0.0;  ///< of the amount, over some 10 ms
    double highest_mean = 0.0;
    double highest_supply = 0.0;
    double highest_motor_rise = 0.0;
    double highest_board_rise = 0.0;
    double charge = 0.0;
    double net_charge = 0.0;
    double unturned = 0.0;     ///< A s with sign, that the shaft has not been turned by yet
    double window_peak = 0.0;  ///< A, the greatest by size while the shaft was not turned
    double heat = 0.0;
    double heat_to_come = 0.0;        ///< J lost in resistance since it warmed last; not in `heat` yet
    double board_heat_to_come = 0.0;  ///< the same by what its transistors and diodes drop
    double drawn = 0.0;
    double driven_still = 0.0;
    double still_current = 0.0;
    std::int64_t times_limited = 0;
  };
  /// A time for which current flows, and what follows from it alone. The last few are remembered, since a
  /// steady duty asks for the same again and again.
  struct Span {
    double seconds = -1.0;
    double time_constant = 0.0;  ///< of the current, as warm as the winding was
    double per_second = 0.0;     ///< 1 / seconds
    double current_left = 0.0;   ///< shares of a difference that are left after it
    double supply_left = 0.0;
  };
  void hear_board(std::size_t input, bool high) override;
  void hear_board_share(std::size_t input, double share) override;
  void integrate(double seconds) override;
  void flows(double seconds) override;
  void turn_after_flow(double seconds) override;
  void step_is_over() override;
  [[nodiscard]] bool motor_has_settled() const override;
  void motor_powered(bool powered) override;
  void motor_wired(bool whole) override;
  void keep_own() override { kept_ = state_; }
  void go_back_own() override { state_ = kept_; }
  void keep_motor() override { before_step_ = state_; }
  void go_back_motor() override { state_ = before_step_; }

  void take_circuit();
  [[nodiscard]] bool is_off(std::size_t half) const;
  [[nodiscard]] Circuit open_circuit() const;
  void pass_dead_time(double seconds);
  /// A current over a time, A and s.
  struct Flow {
    double before = 0.0;
    double after = 0.0;
    double final_current = 0.0;  ///< that it would come to
    double lasts = 0.0;
    double per_second = 0.0;  ///< 1 / lasts
    double left = 0.0;        ///< share of the way to the final current that is left at the end
  };
  void end_early(Flow& flow, double reached) const;
  [[nodiscard]] double squares_of(const Flow& flow) const;
  double flow(double seconds);
  const Span& span_of(double seconds) {
    const auto differ = [](double a, double b) {
      return std::bit_cast<std::uint64_t>(a) ^ std::bit_cast<std::uint64_t>(b);
    };
    for (const Span& span : spans_)
      if ((differ(span.seconds, seconds) | differ(span.time_constant, state_.time_constant)) == 0)
        return span;
    return new_span(seconds);
  }
  const Span& new_span(double seconds);
  void feed_supply(double drawn, double seconds, double left);
  void warm();
  /// What is left of a rise since it was looked at last, where it stands without current meanwhile.
  [[nodiscard]] double cooled(double time_constant) const {
    if (!shaft_.settled || time_constant <= 0.0) return 1.0;
    return std::exp(-static_cast<double>(shaft_.now - state_.warmed_at) * seconds_per_tick_ / time_constant);
  }
  void take_resistance();

  double resistance_25_;
  double bridge_resistance_;
  double drop_;
  double dead_time_;
  double inductance_;
  double constant_;
  double limit_;  // A; infinite where the board has none
  SupplyRail rail_;
  double motor_resistance_to_air_;  // K/W; 0: it is not said
  double motor_capacity_;
  double board_resistance_to_air_;
  double board_capacity_;
  BridgeReceiver receiver_;
  std::vector<SourceId> sources_{};
  std::array<Span, 4> spans_{};
  std::size_t oldest_span_ = 0;
  State state_{};
  State kept_{};
  State before_step_{};
};

}  // namespace cogstride
