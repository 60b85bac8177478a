#include <fmt/format.h>

#include <limits>

#include <cmath>

#include "cogstride/bench/simulated/twins/twins.hpp"

namespace cogstride {

std::string turning_words(double speed, std::string_view unit) {
  return std::abs(speed) < 1e-3 ? "at rest" : fmt::format("turning at {:.4g} {}", speed, unit);
}

std::string supply_words(const Mechanism& mechanism, double seconds) {
  return fmt::format(
      "its supply {} was down for {:.2g} s while it was driven: its switch, its fuse, its leads",
      mechanism.supply.name, seconds);
}

std::optional<VerdictCause> low_supply(const Mechanism& mechanism, double lowest) {
  constexpr double much_less = 0.85;
  const double says = mechanism.supply.voltage.base();
  if (lowest >= much_less * says) return std::nullopt;
  return VerdictCause{"supply voltage",
                      fmt::format("its supply gave {:.3g} V, and the rig says {:.3g} V (supply.{}.voltage)",
                                  lowest, says, mechanism.supply.name)};
}

std::string ground_words(const Mechanism& mechanism) {
  return inputs_of(mechanism.board).isolated ? "the return of its isolated inputs"
                                             : "the ground between it and the controller, and whether the "
                                               "controller's high level is enough (board.input_threshold)";
}

void hold_against(MoverVerdict& verdict, std::string_view what, double value, std::optional<double> most,
                  const std::function<std::string(double)>& complaint) {
  if (!most) {
    verdict.not_looked_at.push_back(fmt::format("its {}: the rig does not say what may be", what));
    return;
  }
  verdict.looked_at.push_back(fmt::format("its {} against what the rig says", what));
  if (value > *most) verdict.complaints.push_back(complaint(*most));
}

bool is_known(const MotorHeat& heat) {
  return heat.thermal_resistance && heat.heat_capacity;
}
bool is_known(const BoardStage& stage) {
  return stage.thermal_resistance && stage.heat_capacity;
}

double shown_rise(const MotorHeat& heat, double rise) {
  return is_known(heat) ? rise : std::numeric_limits<double>::quiet_NaN();
}

std::string rise_words(std::string_view what, double highest, bool known) {
  if (!known) return fmt::format("{} not known", what);
  return fmt::format("{} up to {:.3g} K over the air", what, highest);
}

namespace {
void hold_rise_against(MoverVerdict& verdict, std::string_view whose, double rise, bool known,
                       std::string_view keys, std::optional<double> most, std::string_view most_key) {
  if (!known) {
    verdict.not_looked_at.push_back(
        fmt::format("its {}'s heat: the rig does not say how it warms ({})", whose, keys));
    return;
  }
  hold_against(verdict, fmt::format("{}'s heat", whose), rise, most, [&](double stands) {
    return fmt::format("its {} stood {:.3g} K over the air, and stands {:.3g} K ({})", whose, rise, stands,
                       most_key);
  });
}
}  // namespace

void hold_heat_against(MoverVerdict& verdict, const Mechanism& mechanism, const MotorHeat& heat,
                       double rise) {
  hold_rise_against(verdict, "motor", rise, is_known(heat),
                    "motor.thermal_resistance and motor.heat_capacity", highest_rise(mechanism, heat),
                    heat.highest_deg_c ? "motor.highest_deg_c, air_deg_c" : "motor.highest_rise");
}
void hold_heat_against(MoverVerdict& verdict, const Mechanism& mechanism, const BoardStage& stage,
                       double rise) {
  hold_rise_against(
      verdict, "board", rise, is_known(stage), "board.board_thermal_resistance and board.board_heat_capacity",
      highest_rise(mechanism, stage),
      stage.highest_deg_c ? "board.board_highest_deg_c, air_deg_c" : "board.board_highest_rise");
}

}  // namespace cogstride
