#include "cogstride/motion/speed/hold_watch.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace cogstride {
namespace {
constexpr double counts_lately = 0.05;  // s
}

HoldWatch::HoldWatch(const Mechanism& mechanism, const CountSource& source, const HeldRange& range,
                     const DutyAnswer& answer, double ticks_per_second)
    : name_(mechanism.name),
      source_(source.name),
      source_kind_(source.kind),
      or_its_supply_(mechanism.supply.power_good_line || mechanism.supply.name.empty()
                         ? ""
                         : fmt::format(", or its supply {} is gone: no line says whether it is up",
                                       mechanism.supply.name)),
      noticed_after_(source.noticed_after),
      range_(range),
      answer_(answer),
      ticks_per_second_(ticks_per_second) {}

void HoldWatch::begin(chip::Tick now) {
  quiet_since_ = now;
  wrong_since_ = short_since_ = no_current_since_ = -1;
}

bool HoldWatch::lasts(chip::Tick& since, bool is_so, chip::Tick now, double longest) const {
  if (!is_so) {
    since = -1;
  } else if (since < 0) {
    since = now;
  }
  return is_so && seconds(now - since) > longest;
}

bool HoldWatch::surely_turns(double duty) const {
  return std::abs(duty) > 1.2 * (answer_.stiction + (duty > 0.0 ? answer_.load : 0.0));
}

double HoldWatch::first_counts_within(double duty) const {
  const double driving = std::abs(duty) - answer_.friction - (duty > 0.0 ? answer_.load : 0.0);
  if (driving <= 0.0) return 0.0;
  const double counts_per_second = answer_.full_speed * driving;
  return 2.0 * std::sqrt(answer_.time_constant / counts_per_second) + 2.0 / counts_per_second;
}

std::string HoldWatch::fault_of_quiet(double duty, double quiet, std::optional<double> amperes) const {
  if (!surely_turns(duty) || quiet <= noticed_after_) return {};
  std::string cause = fmt::format("its shaft is stuck, or a wire of its motor or of its {} is broken{}",
                                  source_kind_, or_its_supply_);
  if (amperes)
    cause = std::abs(*amperes) > 0.8 * std::abs(duty) / answer_.per_ampere
                ? "its current is that of a shaft that is stuck"
                : fmt::format(
                      "its current is not that of a shaft that is stuck: a wire of its {} or of its motor "
                      "is broken{}",
                      source_kind_, or_its_supply_);
  return fmt::format("{}: {} has not counted for {:.2g} s at {:.3g} % duty: {}", name_, source_,
                     noticed_after_, 100.0 * std::abs(duty), cause);
}

std::string HoldWatch::fault_of_current(chip::Tick now, const CountedShaft& shaft, const Sight& sight) {
  const double current = (sight.duty - answer_.emf * shaft.speed()) / answer_.per_ampere;
  const bool counts = shaft.has_turned() && seconds(now - shaft.counted_at()) < counts_lately;
  const bool no_current = sight.amperes && counts && std::abs(current) > 0.2 * range_.current_limit() &&
                          std::abs(*sight.amperes) < 0.1 * std::abs(current);
  if (!lasts(no_current_since_, no_current, now, 0.5 * noticed_after_)) return {};
  return fmt::format("{}: no current flows at {:.3g} % duty: a wire of its motor is broken{}", name_,
                     100.0 * std::abs(sight.duty), or_its_supply_);
}

/// It is driven one way and runs away the other.
std::string HoldWatch::fault_of_way(chip::Tick now, double speed, const Sight& sight) {
  const bool is_wrong = speed * sight.duty < 0.0 && sight.want.speed * sight.duty > 0.0;
  if (wrong_since_ < 0) wrong_speed_ = std::abs(speed);
  if (!lasts(wrong_since_, is_wrong, now, 0.3 * noticed_after_)) return {};
  wrong_since_ = -1;
  if (std::abs(speed) <= 0.9 * wrong_speed_) return {};
  return fmt::format(
      "{}: {} counts {} while it is driven {}: its lines are swapped, or the motor's wires "
      "(counts_backwards, reversed)",
      name_, source_, speed > 0.0 ? "forwards" : "backwards", sight.duty > 0.0 ? "forwards" : "backwards");
}

/// As long as it becomes faster, it may yet come to its speed.
std::string HoldWatch::fault_of_speed(chip::Tick now, double speed, const Sight& sight) {
  const double expected = std::abs(sight.want.speed);
  const bool is_short = sight.is_held_back && std::abs(speed) < far_below * expected;
  if (short_since_ < 0) short_speed_ = std::abs(speed);
  if (!lasts(short_since_, is_short, now, short_of_it)) return {};
  short_since_ = -1;
  if (std::abs(speed) > short_speed_ + 0.5 * (1.0 - far_below) * expected) return {};
  const double per_base = range_.counts_per_base();
  return fmt::format(
      "{}: has {} of {}, with {:.3g} % duty and its current limit of {:.3g} A used up: its load is "
      "heavier than the rig says, or a wire of its motor is broken{}",
      name_, speed_text(range_.kind(), speed / per_base),
      speed_text(range_.kind(), sight.want.speed / per_base), 100.0 * std::abs(sight.duty),
      range_.current_limit(), or_its_supply_);
}

std::string HoldWatch::look(chip::Tick now, const CountedShaft& shaft, const Sight& sight) {
  if (std::string why = fault_of_current(now, shaft, sight); !why.empty()) return why;
  const bool wants_motion = std::abs(sight.want.speed) > 0.5 * range_.lowest() || std::abs(sight.lag) > 2.0;
  if (!surely_turns(sight.duty) || !wants_motion) quiet_since_ = now;
  const double quiet = seconds(now - std::max(quiet_since_, shaft.counted_at()));
  if (std::string why = fault_of_quiet(sight.duty, quiet, sight.amperes); !why.empty()) return why;
  if (std::string why = fault_of_way(now, shaft.speed(), sight); !why.empty()) return why;
  return fault_of_speed(now, shaft.speed(), sight);
}

}  // namespace cogstride
