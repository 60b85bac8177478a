// What a bench puts on its lines, kept until it is asked for.
#pragma once

#include <vector>

#include "cogstride/lines/lines_watch.hpp"

namespace cogstride {

class PutRecorder final : public LinesWatch {
 public:
  struct Run {
    FineTick start{};
    LineId line{};
    chip::PulseRun run{};
  };
  struct Put {
    Tick at = 0;
    Level level{};
  };
  struct Recorded {
    std::vector<Run> runs{};    ///< by line in the order of time
    std::vector<Put> levels{};  ///< in the order in which they were put
  };

  /// All that was put since it was asked last.
  [[nodiscard]] Recorded take();
  /// Whether anything was taken back or cut: what is recorded is then not what a script says.
  [[nodiscard]] bool was_disturbed() const { return disturbed_; }
  void forget() {
    recorded_ = {};
    disturbed_ = false;
  }

  void levels(Tick at, std::span<const Level> levels) override;
  void runs(FineTick start, LineId line, std::span<const chip::PulseRun> runs) override;
  void withdrawn(MechanismId mechanism, Tick from) override;
  void cut(Tick at) override;

 private:
  Recorded recorded_{};
  bool disturbed_ = false;
};

/// Where a run ends.
[[nodiscard]] FineTick end_of(const PutRecorder::Run& run);

}  // namespace cogstride
