// Lines that change together, a row a step, as whoever plays them has them: simulated lines and live ones.
#pragma once

#include <span>
#include <vector>

#include "cogstride/chip/row_cycle.hpp"
#include "cogstride/lines/lines.hpp"

namespace cogstride {

class RowLines {
 public:
  /// None.
  RowLines() = default;
  /// @param front  the line that has the cycle; @param all  with the other ones of it among them
  RowLines(const LineSetup& front, std::span<const LineSetup> all)
      : rows_(front.rows.cycle), cycle_(rows_.data(), static_cast<std::uint8_t>(rows_.size())) {
    for (const LineId line : front.rows.lines)
      for (const LineSetup& setup : all)
        if (setup.id == line) lines_.push_back({line, !setup.rest_high});
  }
  RowLines(RowLines&& other) noexcept
      : rows_(std::move(other.rows_)), lines_(std::move(other.lines_)), cycle_(other.cycle_) {}
  RowLines& operator=(RowLines&& other) noexcept = default;

  [[nodiscard]] bool is_none() const { return lines_.empty(); }
  /// To the next row, or the one before: `put(level)` for each of its lines.
  template <class Put>
  void step(bool backwards, Put put) {
    const std::uint8_t on = cycle_.step(backwards);
    for (std::size_t i = 0; i < lines_.size(); ++i)
      put(Level{lines_[i].line, ((on >> i) & 1U) != 0 ? lines_[i].high : !lines_[i].high});
  }

 private:
  std::vector<std::uint8_t> rows_{};
  std::vector<Level> lines_{};  // with the level that is on
  chip::RowCycle cycle_{nullptr, 1};
};

}  // namespace cogstride
