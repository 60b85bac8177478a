// One axis that lines gear to a count by themselves, in the ticks of a controller: the chip's own code
// (chip/step_follow.hpp).
#pragma once

#include <functional>
#include <vector>

#include "cogstride/chip/step_follow.hpp"
#include "cogstride/lines/lines.hpp"

namespace cogstride {

class GearPlayer {
 public:
  GearPlayer(const GearSetup& setup, double ticks_per_second)
      : setup_(setup),
        ramp_(static_cast<std::uint32_t>(ticks_per_second)),
        follow_(static_cast<std::uint32_t>(ticks_per_second)) {}

  [[nodiscard]] const GearSetup& setup() const { return setup_; }
  [[nodiscard]] bool is_on() const { return is_on_ || begins_ != never; }
  /// Line A of the encoder that it goes by. It is on.
  [[nodiscard]] LineId counts_at() const { return counts_at_; }
  void put(Tick at, LineId counts_at, const chip::CountFollow& what);
  void let_go(Tick at) { lets_go_ = at; }
  void clear();

  /// When something is to be done.
  [[nodiscard]] Tick next() const;
  /// What it gives its line.
  struct Run {
    FineTick start{};
    chip::PulseRun run{};
    bool backwards = false;
  };
  /// It is due. @param place  where its line stands now @param runs  that are to be put are appended
  /// @return whether it stands, let go
  bool look(Tick now, std::int64_t place, std::int64_t count, Tick counted_at, std::vector<Run>& runs);

 private:
  void feed(Tick now, std::vector<Run>& runs);

  GearSetup setup_;
  chip::RampMaker ramp_;
  chip::StepFollow follow_;
  chip::CountFollow what_{};
  LineId counts_at_{};
  bool is_on_ = false;
  Tick begins_ = never;  // or goes by something else from then on
  Tick lets_go_ = never;
  Tick next_look_ = never;
  FineTick end_{};              // of its runs
  bool comes_to_rest_ = false;  // there
};

}  // namespace cogstride
