// The place of a shaft by the counts of its encoder, looked at now and then; between two counts by the speed
// at which they came last.
#pragma once

#include <optional>

#include "cogstride/mechanism/sensors.hpp"
#include "cogstride/motion/gearing/index_check.hpp"
#include "cogstride/motion/gearing/place_source.hpp"
#include "cogstride/motion/speed/count_speed.hpp"

namespace cogstride {

class CountedPlace final : public PlaceSource {
 public:
  /// @param period  ticks between two looks
  /// @param is_read  somebody else looks at it, as often or oftener
  /// @param late  s at the most, until an edge is known here
  /// @param time_error  s within which the time of an edge is known; 0: to a tick
  CountedPlace(const Encoder& encoder, double ticks_per_second, Tick period, bool is_read, double late = 0.0,
               double time_error = 0.0)
      : line_a_(static_cast<LineId>(encoder.line_a)),
        source_(counter_source(encoder.line_a)),
        edge_source_(counter_edge_source(encoder.line_a)),
        ticks_per_second_(ticks_per_second),
        period_(period),
        is_read_(is_read),
        late_(late),
        speed_(ticks_per_second, 0.0, time_error) {
    if (encoder.line_index) index_.emplace(encoder);
  }

  void begin(Lines& lines) override;
  bool take(Tick now, std::span<const Reading> readings) override;
  /// Once it has been looked at twice: how fast it turns is known then.
  [[nodiscard]] bool is_known() const override { return looks_ > 1; }
  [[nodiscard]] std::int64_t count(Tick) const override { return count_.value_or(0); }
  [[nodiscard]] double beyond(Tick now, Tick at) const override;
  [[nodiscard]] double speed(Tick now, Tick at) const override;
  [[nodiscard]] Tick known_at(Tick now) const override { return now - reads_late_; }
  [[nodiscard]] bool is_planned() const override { return false; }
  [[nodiscard]] std::optional<LineId> counted_at() const override { return line_a_; }
  [[nodiscard]] IndexCheck* index() override { return index_ ? &*index_ : nullptr; }

 private:
  [[nodiscard]] double seconds(Tick ticks) const { return static_cast<double>(ticks) / ticks_per_second_; }

  LineId line_a_;
  SourceId source_;
  SourceId edge_source_;
  double ticks_per_second_;
  Tick period_;
  bool is_read_;
  double late_;
  CountSpeed speed_;
  std::optional<IndexCheck> index_{};
  std::optional<std::int64_t> count_{};
  int looks_ = 0;
  Tick counted_at_ = 0;
  Tick reads_late_ = 0;    // that a reading takes to come
  int way_ = 1;            // that it counted last
  double interval_ = 0.0;  // s between the last counts, at the speed that they came with
};

}  // namespace cogstride
