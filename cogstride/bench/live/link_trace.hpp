// What whoever listens to the lines of a chip behind a link hears: levels and duties as they were planned,
// each step as the mirror of its axis has it, edges of inputs as the chip told them; all in the order of
// time.
#pragma once

#include <cstddef>
#include <cstdint>
#include <functional>
#include <map>
#include <optional>
#include <span>
#include <vector>

#include "cogstride/lines/lines.hpp"
#include "cogstride/link/link_axis.hpp"

namespace cogstride {

class LinkTrace {
 public:
  using Listener = std::function<void(Tick, LineId, bool)>;

  /// @param lines, axis_of, axes  must outlive it; the lines whose runs are an axis's
  LinkTrace(std::span<const LineSetup> lines, const std::map<LineId, std::size_t>& axis_of,
            const std::vector<LinkAxis>& axes)
      : lines_(lines), axis_of_(axis_of), axes_(axes) {}

  /// From now on; without a listener nothing is kept.
  void begin(Tick now, Listener listener);

  /// A level that has been put, or an edge that came in. Of a line with a duty: whether it has any.
  void level(Tick at, LineId line, bool high);
  /// What was to come to a mechanism's outputs from then on does not.
  void take_back(MechanismId mechanism, Tick from);
  /// Nor does what was to come to any.
  void drop(Tick from);
  /// An axis stands there, whatever else it was to make: before its mirror is told.
  void stands(std::size_t axis, std::int64_t place, Tick at);
  /// All outputs rest from then on.
  void rests(Tick at);

  /// Tells what was before an instant.
  void tell(Tick to);
  void tell_all(Tick now);

 private:
  struct Told {
    Tick at = 0;
    LineId line{};
    bool high = false;
  };
  [[nodiscard]] const LineSetup& setup_of(LineId line) const;
  [[nodiscard]] bool is_input(LineId line) const { return setup_of(line).use == LineSetup::Use::input; }
  void add_steps(LineId line, Tick to, std::optional<std::int64_t> place, std::vector<Told>& all);

  std::span<const LineSetup> lines_;
  const std::map<LineId, std::size_t>& axis_of_;
  const std::vector<LinkAxis>& axes_;
  Listener listener_{};
  std::vector<Told> ahead_{};
  std::map<LineId, bool> outputs_{};          // as they were told last
  std::map<std::size_t, std::size_t> row_{};  // that an axis of coils stands on
  Tick told_ = 0;                             // up to there
};

}  // namespace cogstride
