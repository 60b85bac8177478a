// The current of a brushless motor by the shunts below the low sides of its inverter: while a row is on, all
// of it flows to ground through one of them, if that leg has one.
#pragma once

#include <cmath>
#include <optional>
#include <span>
#include <vector>

#include "cogstride/chip/six_step.hpp"
#include "cogstride/lines/lines.hpp"
#include "cogstride/mechanism/mechanism.hpp"

namespace cogstride {

class LegCurrents {
 public:
  /// Its shunts stand below legs A, B and C in their order.
  LegCurrents(const Mechanism& mechanism, const Controller& controller) {
    for (const Sensor& sensor : mechanism.sensors)
      if (const auto* const shunt = std::get_if<Shunt>(&sensor)) shunts_.push_back(*shunt);
    if (controller.analogue) volts_per_code_ = controller.analogue->volts_per_code();
    limit_ = std::get<SixGateInverter>(mechanism.board).current_limit.base();
  }
  [[nodiscard]] bool has_any() const { return !shunts_.empty(); }

  /// At `first`, in the middle of what is on, and then each `period` ticks; 0: once; `never`: no more.
  void ask(Lines& lines, Tick first, Tick period) const {
    for (const Shunt& shunt : shunts_)
      lines.sample(analogue_source(shunt.channel), first, first == never ? 0 : period);
  }

  /// A, that flows while gates are on, as read now; nothing when the leg at ground has no shunt.
  [[nodiscard]] std::optional<double> take(std::span<const Reading> readings, std::uint8_t gates_on) const {
    for (std::size_t leg = 0; leg < shunts_.size() && leg < 3; ++leg) {
      if ((gates_on >> (2 * leg + 1) & 1U) == 0) continue;
      for (const Reading& reading : readings)
        if (reading.source == analogue_source(shunts_[leg].channel))
          return (static_cast<double>(reading.raw) * volts_per_code_ - shunts_[leg].at_no_current.base()) /
                 (shunts_[leg].resistance.base() * static_cast<double>(shunts_[leg].gain));
    }
    return std::nullopt;
  }
  /// Whether several readings, one after the other, were far over the limit.
  [[nodiscard]] bool is_far_over(double amperes) {
    over_ = std::abs(amperes) > over_share * limit_ ? over_ + 1 : 0;
    return limit_ > 0.0 && over_ >= over_for;
  }
  [[nodiscard]] double limit() const { return limit_; }
  /// Nothing is driven any more.
  void forget() { over_ = 0; }

 private:
  static constexpr double over_share = 1.5;
  static constexpr int over_for = 3;

  std::vector<Shunt> shunts_{};
  double limit_ = 0.0;  // A; 0: the rig says none
  int over_ = 0;        // readings one after the other
  double volts_per_code_ = 0.0;
};

}  // namespace cogstride
