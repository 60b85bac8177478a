// The twins of all kinds of movers.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "cogstride/bench/simulated/twin.hpp"
#include "cogstride/motion/mover.hpp"
#include "cogstride/rig/rig.hpp"

namespace cogstride {

/// Each of a mover of its own kind.
[[nodiscard]] std::unique_ptr<Twin> stepper_twin(Mover& mover, const TwinSetup& setup);
[[nodiscard]] std::unique_ptr<Twin> brushed_twin(Mover& mover, const TwinSetup& setup);
[[nodiscard]] std::unique_ptr<Twin> brushless_twin(Mover& mover, const TwinSetup& setup);
[[nodiscard]] std::unique_ptr<Twin> servo_twin(Mover& mover, const TwinSetup& setup);
[[nodiscard]] std::unique_ptr<Twin> throttle_twin(Mover& mover, const TwinSetup& setup);
[[nodiscard]] std::unique_ptr<Twin> bus_drive_twin(Mover& mover, const TwinSetup& setup);

struct TurnedAt;
/// @param turned  by the machine that turns it, in the order of time
[[nodiscard]] std::unique_ptr<Twin> shaft_twin(Mover& mover, const TwinSetup& setup,
                                               std::vector<TurnedAt> turned);

/// "at rest", or "turning at 300 rpm".
[[nodiscard]] std::string turning_words(double speed, std::string_view unit);

/// How long ago a twin looked before.
class LookClock {
 public:
  explicit LookClock(double ticks_per_second) : ticks_per_second_(ticks_per_second) {}
  /// s since the look before, or since tick 0; 0 for a second look at one instant
  double passed(Tick now) {
    const double passed = static_cast<double>(now - looked_at_) / ticks_per_second_;
    looked_at_ = now;
    return passed;
  }

 private:
  double ticks_per_second_;
  Tick looked_at_ = 0;
};

/// A current that is switched, as a trace shows it: its mean over the time since it was looked at before. The
/// value at an instant would be taken in step with the switching, and stand for something else.
class ShownCurrent {
 public:
  /// @param charge  A s that have flowed so far, with sign; @param current  A, where no time has passed
  double look(Tick at, double ticks_per_second, double charge, double current) {
    if (at > looked_at_) {
      shown_ = (charge - charge_) * ticks_per_second / static_cast<double>(at - looked_at_);
      looked_at_ = at;
      charge_ = charge;
    } else if (at == 0) {
      shown_ = current;
    }
    return shown_;
  }

 private:
  Tick looked_at_ = 0;
  double charge_ = 0.0;
  double shown_ = 0.0;
};

/// Whether something of it is wrong that has a cause.
[[nodiscard]] inline bool wants_causes(const MoverVerdict& verdict, bool is_faulted) {
  return is_faulted || !verdict.complaints.empty();
}
/// "its supply main was down for 0.3 s while it was driven", and where to look.
[[nodiscard]] std::string supply_words(const Mechanism& mechanism, double seconds);
/// A supply that gave much less than the rig says, as a cause; nothing where it did not.
/// @param lowest  V that it gave while it was up, at the least
[[nodiscard]] std::optional<VerdictCause> low_supply(const Mechanism& mechanism, double lowest);
/// What its board hears the controller by: the common ground, or the return of isolated inputs.
[[nodiscard]] std::string ground_words(const Mechanism& mechanism);

/// Complains when a value is over the most that the rig says; without one it says so.
/// @param complaint  of that most
void hold_against(MoverVerdict& verdict, std::string_view what, double value, std::optional<double> most,
                  const std::function<std::string(double)>& complaint);
/// Whether the rig says how it warms: without a heat capacity nobody knows how soon.
[[nodiscard]] bool is_known(const MotorHeat& heat);
[[nodiscard]] bool is_known(const BoardStage& stage);
/// K over the air as a trace shows it: NaN where it is not known.
[[nodiscard]] double shown_rise(const MotorHeat& heat, double rise);
/// "motor up to 12.3 K over the air", or that it is not known.
[[nodiscard]] std::string rise_words(std::string_view what, double highest, bool known);
/// As hold_against(): how warm it became, where it is known how it warms.
/// @param rise  K over the air, the highest
void hold_heat_against(MoverVerdict& verdict, const Mechanism& mechanism, const MotorHeat& heat, double rise);
void hold_heat_against(MoverVerdict& verdict, const Mechanism& mechanism, const BoardStage& stage,
                       double rise);
template <class Amount>
[[nodiscard]] std::optional<double> base_of(const std::optional<Amount>& amount) {
  return amount ? std::optional(amount->base()) : std::nullopt;
}

/// A cart that really rolls, on wheels that do not slip.
class CartTwin final : public Twin {
 public:
  CartTwin(Mover& cart, const WheeledPair& actual, ShaftPlant& left, ShaftPlant& right);
  [[nodiscard]] const CartPose& pose() const { return pose_; }

  [[nodiscard]] std::vector<TracedSignal> signals() const override;
  void sample(std::span<double> values) const override;
  [[nodiscard]] bool wants_looks() const override { return true; }
  void look() override;
  void judge(MoverVerdict& verdict, Tick now, double seconds) const override;

 private:
  Mover& cart_;
  WheeledPair pair_;
  ShaftPlant& left_;
  ShaftPlant& right_;
  double rolled_left_ = 0.0;  // m
  double rolled_right_ = 0.0;
  double rolled_ = 0.0;  // m, of its middle, either way
  static constexpr double allowed_share = 1e-3;
  CartPose pose_{};
};

}  // namespace cogstride
