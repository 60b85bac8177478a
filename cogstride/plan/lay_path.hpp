// To and fro between two ends while a leader turns on: yarn in layers.
//
// The way that a ratio would make without ends is folded: out to one end, back to the other. Where it turns
// round the fold is rounded so that a speed of the leader needs no more than the follower's limits; before
// and after, it is on the fold exactly, so that layers neither gain nor lose. All in grains of the follower.
//
//   LayPath lay({Ratio(3200), Ratio(73600, 3)});     // from 12 mm to 92 mm at 800/3 steps/mm
//   lay.begin(Ratio(3200));
//   lay.place(Ratio(64000, 3));                      // after 80 mm of way: the far end
#pragma once

#include <cstdint>
#include <optional>

#include "cogstride/plan/ramp.hpp"
#include "cogstride/quantity/ratio.hpp"

namespace cogstride {

/// Where it turns round, and what changes from layer to layer.
struct Lay {
  Ratio low{};         ///< ends, grains
  Ratio high{};        ///< above `low`
  Ratio low_moves{};   ///< by which an end lies farther on with each layer: a cone, or an offset
  Ratio high_moves{};  ///< below 0: it moves in
  Ratio dwell{};       ///< way of the ratio for which it stands at an end, not below 0
  std::optional<std::int64_t> layers{};  ///< after which it stays; nothing: on and on
};

/// How a turn-round at a speed looks.
struct TurnRound {
  double seconds = 0.0;
  double way = 0.0;       ///< of the ratio, that it takes: from leaving the fold to being on it again
  double short_by = 0.0;  ///< of the end, grains
};
/// @param speed  of the straight way, grains/s, above 0 @param changes  of slope: 2, or 1 to a dwell and from
/// it
[[nodiscard]] TurnRound turn_round(const RampLimits& limits, double speed, double changes = 2.0);

class LayPath {
 public:
  /// Of the limits, that a turn-round uses: what is left holds the follower to it.
  static constexpr double used_share = 0.8;
  static constexpr double used_jerk = 0.6;

  /// @throws RangeError when the ends are none, or lie the wrong way round
  explicit LayPath(const Lay& lay);

  /// From here, where the way is 0, towards the high end. @throws RangeError outside the ends
  void begin(Ratio at);
  /// Other ends from where it is; a layer that is on goes to the new one, and turns at once where that lies
  /// behind it. @param way  of the ratio so far. @throws RangeError as the constructor
  void change_ends(Ratio way, Ratio low, Ratio high);
  /// All of it lies farther on.
  void shift(Ratio by);

  /// On the fold, exactly. @param way  of the ratio since begin(); what lies before is as 0
  [[nodiscard]] Ratio place(Ratio way);
  /// On the very step: the one reached last, whichever way it goes.
  [[nodiscard]] std::int64_t step(Ratio way);
  /// The same rounded at the turns. @param whole  near it @param beyond  the way is so much farther on
  /// @param speed  of the way, grains/s
  [[nodiscard]] double rounded(Ratio whole, double beyond, double speed, const RampLimits& limits);
  /// Layers that are done by then.
  [[nodiscard]] std::int64_t layers_done(Ratio way);
  /// Layers after which ends that move in have met; nothing where they never do, or it ends before.
  [[nodiscard]] std::optional<std::int64_t> ends_meet_after() const;
  [[nodiscard]] const Lay& lay() const { return lay_; }

 private:
  /// A layer, and the dwell behind it.
  struct Layer {
    std::int64_t number = 0;
    Ratio begins{};  ///< way at which it does
    Ratio from{};
    Ratio to{};
    Ratio length{};
    Ratio ends{};     ///< way at which it does
    Ratio is_over{};  ///< and the dwell behind it
    [[nodiscard]] int direction() const { return to < from ? -1 : 1; }
  };
  [[nodiscard]] Layer layer_of(std::int64_t number, Ratio begins, Ratio from, Ratio to) const;
  [[nodiscard]] Ratio turning_point(std::int64_t layer) const;
  [[nodiscard]] bool is_last(std::int64_t layer) const;
  [[nodiscard]] Layer next_of(const Layer& layer) const;
  [[nodiscard]] std::optional<Layer> before(const Layer& layer) const;
  void find(Ratio way);

  Lay lay_;
  Ratio start_{};
  Layer now_{};
  std::int64_t first_ = 0;        // the layer from which on the ends are those of `lay_`
  std::optional<Layer> floor_{};  // it does not go back before this one
};

}  // namespace cogstride
