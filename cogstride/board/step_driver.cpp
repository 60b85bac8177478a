#include "cogstride/board/step_driver.hpp"

namespace cogstride {
namespace {

std::variant<StepDirDriver, CoilDriver> driver_for(const Mechanism& mechanism, MechanismId id,
                                                   ExactFrequency clock, Tick rows_come_later) {
  require_movable(mechanism);
  if (std::holds_alternative<CoilWiring>(mechanism.wiring)) return CoilDriver(mechanism, id, rows_come_later);
  return StepDirDriver(mechanism, id, clock);
}

}  // namespace

StepDriver::StepDriver(const Mechanism& mechanism, MechanismId id, ExactFrequency clock, Tick rows_come_later)
    : kind_(driver_for(mechanism, id, clock, rows_come_later)) {}

std::vector<LineSetup> StepDriver::line_setups() const {
  return std::visit([](const auto& kind) { return kind.line_setups(); }, kind_);
}
MechanismId StepDriver::id() const {
  return std::visit([](const auto& kind) { return kind.id(); }, kind_);
}
std::vector<LineId> StepDriver::step_lines() const {
  const auto* const step_dir = std::get_if<StepDirDriver>(&kind_);
  if (step_dir == nullptr) return {std::get<CoilDriver>(kind_).step_line()};
  if (step_dir->is_two_pulse()) return {step_dir->step_line(), step_dir->dir_line()};
  return {step_dir->step_line()};
}

std::optional<GearSetup> StepDriver::gear_setup() const {
  GearSetup setup{id(), gear_source(id()), step_lines().front()};
  const auto* const step_dir = std::get_if<StepDirDriver>(&kind_);
  if (step_dir == nullptr) return setup;
  if (step_dir->is_two_pulse()) return std::nullopt;
  setup.direction = step_dir->dir_line();
  setup.high_backwards = !step_dir->is_high_forwards();
  return setup;
}

Tick StepDriver::wake() const {
  const auto* const step_dir = std::get_if<StepDirDriver>(&kind_);
  return step_dir == nullptr ? 0 : step_dir->wake();
}
Tick StepDriver::dir_steady_before() const {
  const auto* const step_dir = std::get_if<StepDirDriver>(&kind_);
  return step_dir == nullptr ? 0 : step_dir->dir_steady_before();
}
Tick StepDriver::dir_steady_after() const {
  const auto* const step_dir = std::get_if<StepDirDriver>(&kind_);
  return step_dir == nullptr ? 0 : step_dir->dir_steady_after();
}
Tick StepDriver::pulse_width() const {
  const auto* const step_dir = std::get_if<StepDirDriver>(&kind_);
  return step_dir == nullptr ? 1 : step_dir->pulse_width();
}

void StepDriver::put_enable(Lines& lines, Tick at, bool on) {
  std::visit([&](auto& kind) { kind.put_enable(lines, at, on); }, kind_);
}
void StepDriver::put_direction(Lines& lines, Tick at, bool forwards) {
  if (const auto* const step_dir = std::get_if<StepDirDriver>(&kind_))
    step_dir->put_direction(lines, at, forwards);
}
void StepDriver::put_run(Lines& lines, FineTick start, const chip::PulseRun& run,
                         std::optional<StopOn> stop) {
  if (const auto* const step_dir = std::get_if<StepDirDriver>(&kind_)) {
    step_dir->put_run(lines, start, run, stop);
  } else {
    std::get<CoilDriver>(kind_).put_run(lines, start, run, stop);
  }
}
Withdrawn StepDriver::withdraw(Lines& lines, Tick from) {
  if (auto* const coils = std::get_if<CoilDriver>(&kind_)) return coils->withdraw(lines, from);
  return lines.withdraw(id(), from);
}

}  // namespace cogstride
