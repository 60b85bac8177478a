#include "cogstride/plan/commutation.hpp"
#include "cogstride/mechanism/line_name.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace cogstride {
namespace {

constexpr std::array<const char*, 6> gate_uses = {"a_high", "a_low", "b_high", "b_low", "c_high", "c_low"};

PhaseState state_of(const std::array<bool, 6>& on, std::size_t leg) {
  if (on[2 * leg]) return PhaseState::high;
  return on[2 * leg + 1] ? PhaseState::low : PhaseState::off;
}

}  // namespace

chip::SixStepWiring six_step_wiring(const Mechanism& mechanism) {
  const auto* const inverter = std::get_if<SixGateInverter>(&mechanism.board);
  if (!std::holds_alternative<BrushlessMotor>(mechanism.motor) || inverter == nullptr)
    throw RangeError(
        fmt::format("{}: six steps are for a bare brushless motor on a six-gate inverter; its motor is "
                    "a \"{}\", its board a \"{}\"",
                    mechanism.name, kind_name(mechanism.motor), kind_name(mechanism.board)));
  chip::SixStepWiring wiring;
  const auto& gates = std::get<GateWiring>(mechanism.wiring);
  for (std::size_t i = 0; i < gates.gates.size(); ++i)
    if (gates.gates[i].active == ActiveLevel::low)
      wiring.gate_active_low = static_cast<std::uint8_t>(wiring.gate_active_low | (1U << i));
  wiring.switched = gates.switched == SwitchedSide::high  ? chip::SixStepSwitched::high_side
                    : gates.switched == SwitchedSide::low ? chip::SixStepSwitched::low_side
                                                          : chip::SixStepSwitched::both;
  if (const auto* const halls = sensor_of<HallSet>(mechanism)) wire_halls(wiring, *halls);
  return wiring;
}

void wire_halls(chip::SixStepWiring& wiring, const HallSet& halls) {
  wiring.hall_at_60_degrees = halls.spacing.base() == Ratio(1, 6);
  wiring.hall_inverted = halls.inverted ? 7 : 0;
  const Ratio sixths = halls.stands_at.base() * Ratio(6);
  wiring.hall_shift = static_cast<std::uint8_t>(((sixths.rounded() % 6) + 6) % 6);
}

Commutation commutation_of(const Mechanism& mechanism, bool backwards) {
  Commutation all;
  all.backwards = backwards;
  all.table = chip::make_six_step_table(six_step_wiring(mechanism));
  if (!all.table.is_sound)
    throw RangeError(
        fmt::format("{}: its table would turn both gates of a leg on, or two sectors have one Hall code",
                    mechanism.name));
  const auto& gates = std::get<GateWiring>(mechanism.wiring);
  for (std::size_t i = 0; i < 6; ++i) all.gates[i] = {gates.gates[i].number, gate_uses[i]};
  const auto* const halls = sensor_of<HallSet>(mechanism);
  if (halls != nullptr)
    for (std::size_t i = 0; i < 3; ++i)
      all.halls.push_back({halls->lines[i], fmt::format("{} {}", halls->name, i + 1)});
  for (int k = 0; k < 6; ++k) {
    const int sector = backwards ? 5 - k : k;
    const chip::SixStepRow& step = (backwards ? all.table.backwards : all.table.forwards)[sector];
    CommutationRow row;
    row.sector = sector;
    row.angle_from = 60.0 * sector;
    row.angle_to = 60.0 * (sector + 1);
    for (std::size_t i = 0; i < 6; ++i) {
      row.on[i] = (step.on >> i & 1U) != 0;
      row.switched[i] = (step.switched >> i & 1U) != 0;
      row.high[i] = (step.port >> i & 1U) != 0;
      if (row.high[i]) row.port |= port_bit(all.gates[i].number);
    }
    for (std::size_t leg = 0; leg < 3; ++leg) row.phases[leg] = state_of(row.on, leg);
    row.hall_code = all.table.hall_of_sector[sector];
    if (halls != nullptr)
      row.halls =
          std::array<bool, 3>{(row.hall_code & 1) != 0, (row.hall_code & 2) != 0, (row.hall_code & 4) != 0};
    all.rows.push_back(row);
  }
  if (halls != nullptr)
    for (std::uint8_t code = 0; code < 8; ++code)
      if (all.table.sector_of_hall[code] < 0) all.impossible.push_back(code);
  all.motor_sector = 60.0 / static_cast<double>(std::get<BrushlessMotor>(mechanism.motor).pole_pairs);
  return all;
}

}  // namespace cogstride
