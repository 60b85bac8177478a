// A board that leaves the switching of coils to the controller, seen from the controller: each step is one
// port write that changes all lines of the coils together.
#pragma once

#include <cstdint>
#include <deque>
#include <vector>

#include "cogstride/chip/coils.hpp"
#include "cogstride/lines/lines.hpp"
#include "cogstride/mechanism/mechanism.hpp"

namespace cogstride {

class CoilDriver {
 public:
  CoilDriver(const Mechanism& mechanism, MechanismId id);

  /// The lines it needs, with their rest levels: every coil off, ENABLE off.
  [[nodiscard]] std::vector<LineSetup> line_setups() const;
  [[nodiscard]] MechanismId id() const { return id_; }

  /// On: the coils of the step it stands on, so that nothing jumps; off: none.
  void put_enable(Lines& lines, Tick at, bool on);
  /// A row for each step of the run.
  void put_run(Lines& lines, FineTick start, const chip::PulseRun& run);
  /// Takes back what is ahead; the steps that go out are counted by the rows that stay.
  Withdrawn withdraw(Lines& lines, Tick from);
  /// The step whose row is on the lines at an instant not before the last call's.
  [[nodiscard]] std::int64_t step_at(Tick at) const;

 private:
  struct Row {
    Tick at;
    std::int64_t step;
  };
  void put_row(Lines& lines, Tick at, std::int64_t step) const;
  void forget_before(Tick at);

  std::string name_;
  MechanismId id_;
  CoilWiring wiring_;
  chip::Stepping stepping_;
  std::deque<Row> rows_{};  // those put that may still be ahead
  Row last_gone_{-never / 2, 0};
  std::int64_t put_ = 0;  // step of the last row that was put
};

}  // namespace cogstride
