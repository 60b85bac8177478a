// Lines that are played beside whoever plans, and what a live bench has to know of them beside: live ones,
// the same with a black box, or a black box alone.
#pragma once

#include <span>
#include <string>

#include "cogstride/bench/live/live_messages.hpp"
#include "cogstride/lines/lines.hpp"

namespace cogstride {

class PlayedLines : public TimedLines {
 public:
  /// What went wrong since it was asked last.
  struct Trouble {
    Tick late = 0;                   ///< an edge was later than the bound by this in all; 0: none
    LineId line{};                   ///< the first of those
    std::string gone{};              ///< why the lines cannot be reached any more; empty: they can
    CutBy cut_by = CutBy::planning;  ///< another: the player has put all lines at rest by itself
  };
  [[nodiscard]] virtual bool has_trouble() const = 0;
  [[nodiscard]] virtual Trouble take_trouble() = 0;
  /// Ticks for which time has stood still.
  [[nodiscard]] virtual Tick stood_still() const = 0;
  /// Whether something answers when a source is sampled.
  [[nodiscard]] virtual bool answers(SourceId source) const = 0;
  /// Of an input when the lines were opened.
  [[nodiscard]] virtual bool level(LineId line) const = 0;
};

}  // namespace cogstride
