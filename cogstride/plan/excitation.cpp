#include "cogstride/plan/excitation.hpp"
#include "cogstride/mechanism/line_name.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
namespace cogstride {
namespace {

double wrapped(double degrees) {
  const double rest = std::fmod(degrees, 360.0);
  return rest < 0.0 ? rest + 360.0 : rest;
}

/// The difference of two angles, -180 to 180.
double off_by(double angle, double ideal) {
  return wrapped(angle - ideal + 180.0) - 180.0;
}

chip::Stepping chip_stepping(Stepping stepping) {
  if (stepping == Stepping::wave) return chip::Stepping::wave;
  return stepping == Stepping::full ? chip::Stepping::full : chip::Stepping::half;
}

/// Places of the four coil ends in the order of their lines' numbers.
std::array<std::size_t, 4> by_number(const CoilWiring& wiring) {
  std::array<std::size_t, 4> order{0, 1, 2, 3};
  std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
    return wiring.coils[a].number < wiring.coils[b].number;
  });
  return order;
}

/// Where the currents of a row point.
void finish(Excitation& excitation, ExcitationRow row) {
  row.field = std::hypot(row.current_a, row.current_b);
  row.angle = wrapped(std::atan2(row.current_b, row.current_a) * 180.0 / pi);
  excitation.worst_error = std::max(excitation.worst_error, std::abs(off_by(row.angle, row.ideal_angle)));
  if (!excitation.rows.empty() && std::abs(off_by(row.angle, excitation.rows.back().angle)) < 1e-9)
    ++excitation.still;
  excitation.rows.push_back(std::move(row));
}

Excitation of_coils(const Mechanism& mechanism, const CoilWiring& wiring, chip::Stepping stepping) {
  static constexpr std::array<const char*, 4> names = {"a_plus", "a_minus", "b_plus", "b_minus"};
  Excitation excitation;
  const std::array<std::size_t, 4> order = by_number(wiring);
  for (const std::size_t end : order) excitation.lines.push_back({wiring.coils[end].number, names[end]});
  excitation.how = stepping == chip::Stepping::wave   ? "wave drive, one phase on"
                   : stepping == chip::Stepping::full ? "full steps, two phases on"
                                                      : "half steps, one and two phases on in turns";
  const std::int64_t rows = stepping == chip::Stepping::half ? 8 : 4;
  for (std::int64_t step = 0; step < rows; ++step) {
    const std::uint8_t on = chip::coil_row(stepping, static_cast<std::int32_t>(step));
    ExcitationRow row;
    row.step = step;
    row.ideal_angle = 45.0 * chip::field_eighth(stepping, static_cast<std::int32_t>(step));
    row.current_a =
        ((on & chip::coil_a_plus) != 0 ? 1.0 : 0.0) - ((on & chip::coil_a_minus) != 0 ? 1.0 : 0.0);
    row.current_b =
        ((on & chip::coil_b_plus) != 0 ? 1.0 : 0.0) - ((on & chip::coil_b_minus) != 0 ? 1.0 : 0.0);
    row.high = coil_levels(wiring, on);
    for (std::size_t i = 0; i < excitation.lines.size(); ++i)
      if (row.high[i]) row.port |= port_bit(excitation.lines[i].number);
    finish(excitation, std::move(row));
  }
  excitation.motor_step = 360.0 / (static_cast<double>(mechanism.stepper().full_steps * rows) / 4.0);
  return excitation;
}

Excitation of_microsteps(const Mechanism& mechanism, const StepDirBoard& board) {
  Excitation excitation;
  const auto microsteps = static_cast<double>(board.microsteps);
  excitation.how =
      fmt::format("{} microstep{}{}", board.microsteps, board.microsteps == 1 ? "" : "s",
                  board.current_levels ? fmt::format(" of {} levels of current", *board.current_levels) : "");
  for (std::int64_t step = 0; step < 4 * board.microsteps; ++step) {
    ExcitationRow row;
    row.step = step;
    row.ideal_angle = wrapped(45.0 + 90.0 * static_cast<double>(step) / microsteps);
    const double angle = row.ideal_angle * pi / 180.0;
    row.current_a = board.share_of_peak(std::cos(angle));
    row.current_b = board.share_of_peak(std::sin(angle));
    finish(excitation, std::move(row));
  }
  excitation.motor_step = 360.0 / (static_cast<double>(mechanism.stepper().full_steps) * microsteps);
  return excitation;
}

}  // namespace

std::vector<bool> coil_levels(const CoilWiring& wiring, std::uint8_t ends_on) {
  std::vector<bool> high;
  for (const std::size_t end : by_number(wiring)) {
    const bool on = (ends_on >> end & 1U) != 0;
    high.push_back(on == (wiring.coils[end].active == ActiveLevel::high));
  }
  return high;
}

chip::Stepping coil_stepping(const Mechanism& mechanism) {
  if (const auto* const array = std::get_if<TransistorArray>(&mechanism.board))
    return chip_stepping(array->stepping);
  if (const auto* const dual = std::get_if<DualHBridge>(&mechanism.board))
    return chip_stepping(dual->stepping);
  throw RangeError(fmt::format("{}: its board switches the coils itself", mechanism.name));
}

Excitation excitation_of(const Mechanism& mechanism) {
  (void)mechanism.stepper();
  if (const auto* const board = std::get_if<StepDirBoard>(&mechanism.board))
    return of_microsteps(mechanism, *board);
  return of_coils(mechanism, std::get<CoilWiring>(mechanism.wiring), coil_stepping(mechanism));
}

}  // namespace cogstride
