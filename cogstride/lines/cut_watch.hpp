// Inputs at which whoever plays lines puts all of them at rest by itself: simulated lines and live ones.
#pragma once

#include <algorithm>
#include <vector>

#include "cogstride/chip/reaction.hpp"
#include "cogstride/lines/lines.hpp"

namespace cogstride {

class CutWatch {
 public:
  explicit CutWatch(const std::vector<CutOn>& inputs) {
    for (const CutOn& input : inputs)
      inputs_.push_back(
          {input, chip::Reaction(input.when_high, input.steady_for, input.released_for, input.waits)});
  }

  /// An input has changed. @param runs  whether a mechanism's lines have something to make
  template <class Runs>
  void edge(LineId line, bool high, Tick at, Runs runs) {
    for (Watched& each : inputs_) {
      if (each.on.line != line) continue;
      const bool counts = each.is_watched && (!each.on.while_runs || runs(*each.on.while_runs));
      each.reaction.edge(high, at, counts);
    }
    look();
  }
  /// When the first of them acts; `never` when none is to.
  [[nodiscard]] Tick next() const { return next_; }
  /// Those that are due act now. @return whether one of them did not have to wait for planning
  bool take(Tick now) {
    bool at_once = false;
    for (Watched& each : inputs_) {
      if (!each.reaction.is_due(now)) continue;
      at_once = at_once || each.on.waits == 0;
      each.reaction.forget();
    }
    look();
    return at_once;
  }
  /// Planning acts itself on those that wait for it.
  void answer() {
    for (Watched& each : inputs_)
      if (each.on.waits > 0) each.reaction.forget();
    look();
  }
  void watch(MechanismId mechanism, bool is_watched) {
    for (Watched& each : inputs_) {
      if (each.on.while_runs != mechanism) continue;
      each.is_watched = is_watched;
      if (!is_watched) each.reaction.forget();
    }
    look();
  }
  void forget() {
    for (Watched& each : inputs_) each.reaction.forget();
    look();
  }

 private:
  struct Watched {
    CutOn on;
    chip::Reaction reaction;
    bool is_watched = true;
  };
  void look() {
    next_ = never;
    for (const Watched& each : inputs_) next_ = std::min(next_, each.reaction.due_at());
  }

  std::vector<Watched> inputs_{};
  Tick next_ = never;
};

}  // namespace cogstride
