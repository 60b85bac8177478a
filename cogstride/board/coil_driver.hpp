// A board that leaves the switching of coils to the controller, seen from the controller: a run of steps is a
// run of rows, each of which changes all lines of the coils together.
#pragma once

#include <cstdint>
#include <vector>

#include "cogstride/board/line_levels.hpp"
#include "cogstride/chip/coils.hpp"
#include "cogstride/lines/lines.hpp"
#include "cogstride/mechanism/mechanism.hpp"

namespace cogstride {

class CoilDriver {
 public:
  /// @param rows_come_later  ticks by which a port write comes after its row's tick
  CoilDriver(const Mechanism& mechanism, MechanismId id, Tick rows_come_later = 0);

  /// The lines it needs, with their rest levels: every coil off, ENABLE off.
  [[nodiscard]] std::vector<LineSetup> line_setups() const;
  [[nodiscard]] MechanismId id() const { return id_; }

  /// On: the coils of the step it stands on, so that nothing jumps; off: none.
  void put_enable(Lines& lines, Tick at, bool on);
  /// The line to which its runs are put.
  [[nodiscard]] LineId step_line() const { return line_id(wiring_.coils[0]); }
  /// A row for each step of the run.
  void put_run(Lines& lines, FineTick start, const chip::PulseRun& run, std::optional<StopOn> stop);
  /// Takes back what is ahead.
  Withdrawn withdraw(Lines& lines, Tick from);

 private:
  void put_coils(Lines& lines, Tick at, std::uint8_t on) const;

  std::string name_;
  MechanismId id_;
  CoilWiring wiring_;
  chip::Stepping stepping_;
  Tick rows_come_later_;
  std::int64_t put_ = 0;  // step of the last row that was put
};

}  // namespace cogstride
