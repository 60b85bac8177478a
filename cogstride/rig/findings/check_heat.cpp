// What windings and output stages come to when they carry their current for ever.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/rig/figures/derive.hpp"
#include "cogstride/rig/findings/finding_sheet.hpp"

namespace cogstride {
namespace {

const MotorHeat* heat_of(const Motor& motor) {
  return std::visit(
      [](const auto& kind) -> const MotorHeat* {
        if constexpr (requires { kind.heat; }) return &kind.heat;
        return nullptr;
      },
      motor);
}

/// ", after 31.2 minutes": until a body that is warmed from cold has risen so far.
std::string minutes_until(double allowed, double rise, double thermal_resistance,
                          const std::optional<HeatCapacity>& capacity) {
  if (!capacity) return "";
  const double constant = thermal_resistance * capacity->base();
  return fmt::format(", after {:.3g} minutes", -constant * std::log(1.0 - allowed / rise) / 60.0);
}

void check_winding(MechanismSheet& sheet, const Losses& losses, const MotorHeat& heat) {
  const std::optional<double> stands = highest_rise(sheet.mechanism, heat);
  if (!heat.thermal_resistance || !stands) {
    sheet.cannot_check("winding-too-hot",
                       heat.thermal_resistance ? "motor.highest_rise" : "motor.thermal_resistance");
    return;
  }
  const double rise = losses.winding * heat.thermal_resistance->base();
  if (rise <= *stands) return;
  const bool stepper = std::holds_alternative<Stepper>(sheet.mechanism.motor);
  const bool step_dir = std::holds_alternative<StepDirBoard>(sheet.mechanism.board);
  sheet.add("winding-too-hot", stepper ? (step_dir ? "board.current" : "motor.rated_current") : "load",
            fmt::format("{:.3g} W in the windings warm them by {:.3g} K, over the {:.3g} K they stand{}",
                        losses.winding, rise, *stands,
                        minutes_until(*stands, rise, heat.thermal_resistance->base(), heat.heat_capacity)),
            fmt::format("{:.3g} A can be {} for ever", losses.current * std::sqrt(*stands / rise),
                        stepper ? "held" : "carried"));
}

void check_board(MechanismSheet& sheet, const Losses& losses) {
  const BoardStage& stage = stage_of(sheet.mechanism.board);
  const std::optional<double> stands = highest_rise(sheet.mechanism, stage);
  if (!stage.thermal_resistance || !stands) {
    sheet.cannot_check("board-too-hot", stage.thermal_resistance ? "board.board_highest_rise"
                                                                 : "board.board_thermal_resistance");
    return;
  }
  const double rise = losses.board * stage.thermal_resistance->base();
  if (rise <= *stands) return;
  sheet.add("board-too-hot", "board.board_highest_rise",
            fmt::format("{:.3g} W in its output stage warm it by {:.3g} K, over the {:.3g} K it stands{}",
                        losses.board, rise, *stands,
                        minutes_until(*stands, rise, stage.thermal_resistance->base(), stage.heat_capacity)),
            "less current, a heat sink, or a board with less drop");
}

}  // namespace

void check_heat(MechanismSheet& sheet) {
  const std::optional<Losses> losses = steady_losses(sheet.mechanism);
  const MotorHeat* const heat = heat_of(sheet.mechanism.motor);
  if (!losses || heat == nullptr) return;
  check_winding(sheet, *losses, *heat);
  check_board(sheet, *losses);
}

}  // namespace cogstride
