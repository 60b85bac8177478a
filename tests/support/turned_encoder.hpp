// A shaft that a test turns as it likes, and its encoder as a controller counts it: counts and the tick of
// the edge that was counted last.
#pragma once

#include <cmath>
#include <functional>
#include <utility>
#include <vector>

#include "support/scripted_lines.hpp"

namespace cogstride::testing_support {

class TurnedEncoder {
 public:
  /// Turns in pieces of even acceleration.
  struct Piece {
    double seconds;
    double acceleration;  ///< counts/s2
  };
  explicit TurnedEncoder(std::vector<Piece> pieces, double ticks_per_second = 48e6)
      : pieces_(std::move(pieces)), ticks_per_second_(ticks_per_second) {}

  /// At once to another speed, counts/s, at the begin of a piece.
  void jerk(std::size_t piece, double to) { jerks_.emplace_back(piece, to); }

  /// From an instant on the counter has counted so many more than there were, or fewer.
  void miscount(Tick from, std::int64_t by) { miscounts_.emplace_back(from, by); }

  [[nodiscard]] double place(double seconds) const { return state(seconds).first; }
  [[nodiscard]] double speed(double seconds) const { return state(seconds).second; }
  [[nodiscard]] double place(Tick at) const { return place(static_cast<double>(at) / ticks_per_second_); }

  void wire(ScriptedPlayer& player, std::int64_t line_a) {
    player.says(counter_source(line_a), [this](Tick now) { return count(now); });
    player.says(counter_edge_source(line_a), [this](Tick now) { return look(now), counted_at_; });
  }
  [[nodiscard]] std::int64_t count(Tick now) {
    look(now);
    std::int64_t counted = count_;
    for (const auto& [from, by] : miscounts_) counted += now >= from ? by : 0;
    return counted;
  }

 private:
  [[nodiscard]] std::pair<double, double> state(double seconds) const {
    double place = 0.0;
    double speed = 0.0;
    for (std::size_t i = 0; i < pieces_.size(); ++i) {
      for (const auto& [piece, to] : jerks_)
        if (piece == i) speed = to;
      const double t = std::min(seconds, pieces_[i].seconds);
      if (t <= 0.0) break;
      place += t * (speed + 0.5 * pieces_[i].acceleration * t);
      speed += pieces_[i].acceleration * t;
      seconds -= t;
    }
    return {place, seconds > 0.0 ? 0.0 : speed};
  }

  /// On to `now`, edge by edge: a count is passed upwards on reaching it, downwards on leaving it.
  void look(Tick now) {
    while (looked_at_ < now) {
      const Tick next = std::min(now, looked_at_ + 48);
      const std::int64_t count = static_cast<std::int64_t>(std::floor(place(next)));
      if (count != count_) {
        count_ = count;
        counted_at_ = edge_between(looked_at_, next, count);
      }
      looked_at_ = next;
    }
  }
  [[nodiscard]] Tick edge_between(Tick from, Tick to, std::int64_t count) const {
    while (to - from > 1) {
      const Tick middle = from + (to - from) / 2;
      (static_cast<std::int64_t>(std::floor(place(middle))) == count ? to : from) = middle;
    }
    return to;
  }

  std::vector<Piece> pieces_;
  std::vector<std::pair<std::size_t, double>> jerks_{};
  std::vector<std::pair<Tick, std::int64_t>> miscounts_{};
  double ticks_per_second_;
  Tick looked_at_ = 0;
  std::int64_t count_ = 0;
  Tick counted_at_ = 0;
};

}  // namespace cogstride::testing_support
