// The controller's side of whatever makes a stepper step: a STEP/DIR board, or coils that it switches itself.
#pragma once

#include <optional>
#include <variant>

#include "cogstride/board/coil_driver.hpp"
#include "cogstride/board/step_dir.hpp"

namespace cogstride {

class StepDriver {
 public:
  /// @throws RangeError for a board of another kind
  /// @param rows_come_later  ticks, of rows by port writes
  StepDriver(const Mechanism& mechanism, MechanismId id, ExactFrequency clock, Tick rows_come_later = 0);

  [[nodiscard]] std::vector<LineSetup> line_setups() const;
  [[nodiscard]] MechanismId id() const;
  /// The lines whose runs are the steps: one, or one for each direction.
  [[nodiscard]] std::vector<LineId> step_lines() const;

  /// How whoever plays its lines gears it to a count; nothing: it has a line of pulses for each direction.
  [[nodiscard]] std::optional<GearSetup> gear_setup() const;

  [[nodiscard]] Tick wake() const;
  [[nodiscard]] Tick dir_steady_before() const;
  [[nodiscard]] Tick dir_steady_after() const;
  [[nodiscard]] Tick pulse_width() const;

  void put_enable(Lines& lines, Tick at, bool on);
  void put_direction(Lines& lines, Tick at, bool forwards);
  void put_run(Lines& lines, FineTick start, const chip::PulseRun& run, std::optional<StopOn> stop);
  Withdrawn withdraw(Lines& lines, Tick from);

 private:
  std::variant<StepDirDriver, CoilDriver> kind_;
};

}  // namespace cogstride
