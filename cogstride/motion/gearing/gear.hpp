// Between one or two leaders and one follower: where the follower belongs, exactly, and where it is to be at
// an instant to come.
//
// In grains of the follower: its steps, or the counts of its own encoder. Whole counts of the leaders go in
// through chip::GearedPlace, so that after any way the follower belongs on the very step that whole-number
// arithmetic says; what lies between two counts is estimated, and never kept.
#pragma once

#include <memory>
#include <optional>
#include <vector>

#include "cogstride/chip/follower.hpp"
#include "cogstride/motion/gearing/place_source.hpp"
#include "cogstride/plan/pursuit.hpp"
#include "cogstride/quantity/ratio.hpp"

namespace cogstride {

struct GearTerm {
  std::unique_ptr<PlaceSource> source;
  Ratio per_count{};  ///< grains of the follower for a count
};

/// Where an uncompensated follower keeps itself behind what was counted, and why; grains.
struct Lag {
  double count = 0.0;     ///< a count of the leader may be all but over
  double sampling = 0.0;  ///< it is looked at now and then
  double delay = 0.0;     ///< what is done about it comes later
  double limits = 0.0;    ///< it takes so much to stop
  [[nodiscard]] double sum() const { return count + sampling + delay + limits; }
};

class Gear {
 public:
  struct Timing {
    double ticks_per_second = 0.0;
    Tick period = 0;  ///< between two looks
  };
  /// @param limits  of the follower, in grains @throws RangeError when the ratios have no common grain
  Gear(std::vector<GearTerm> terms, const Timing& timing, const RampLimits& limits, bool is_compensated);

  /// Asks for what it needs.
  void begin(Lines& lines);
  /// @return whether there is something new to act on
  bool take(Tick now, std::span<const Reading> readings);
  /// `never` where it waits for readings.
  [[nodiscard]] Tick next_look() const { return next_look_; }
  /// Whether all that it follows is known.
  [[nodiscard]] bool is_known() const;
  /// From now on the follower belongs where it stands, `at`, when its leaders are where they are.
  void engage(Tick now, StepPosition at);
  [[nodiscard]] bool is_engaged() const { return is_engaged_; }

  /// Moves it against its leaders. @throws RangeError when that is too fine to be kept exactly
  void shift(Ratio grains);
  /// Another ratio from here on; where it belongs does not jump. @throws RangeError as the constructor
  void change(Tick now, const std::vector<Ratio>& per_count);

  /// Where it belongs by the counts of its leaders, exactly: a whole step, and parts of one beyond.
  [[nodiscard]] const chip::GearedPlace& belongs() const { return place_; }
  [[nodiscard]] Ratio belongs_exactly() const {
    return Ratio(place_.position()) + Ratio(place_.rest(), place_.grain());
  }
  /// Where its leaders are at an instant, in its grains, as far as can be told.
  [[nodiscard]] Course leader(Tick now, Tick at) const;
  /// Where it is to be at an instant: the same where it is compensated, so far behind it else.
  [[nodiscard]] Course course(Tick now, Tick at) const;
  /// How far behind, at a speed of the leader in grains/s.
  [[nodiscard]] Lag lag(double speed, double lead_seconds) const;
  /// Whether all leaders stand, as far as can be told.
  [[nodiscard]] bool leaders_stand(Tick now) const;
  /// Grains for a count of the first.
  [[nodiscard]] Ratio per_count() const { return terms_.front().per_count; }
  [[nodiscard]] const PlaceSource& first() const { return *terms_.front().source; }
  [[nodiscard]] std::size_t leaders() const { return terms_.size(); }
  [[nodiscard]] bool is_compensated() const { return is_compensated_; }
  [[nodiscard]] Tick period() const { return timing_.period; }
  [[nodiscard]] double ticks_per_second() const { return timing_.ticks_per_second; }

 private:
  void settle_grain();
  void go_on(Tick now);

  std::vector<GearTerm> terms_;
  std::vector<std::int64_t> parts_;   // of a grain, for a count of each
  std::vector<std::int64_t> counts_;  // of each, when looked at last
  Timing timing_;
  RampLimits limits_;
  bool is_compensated_;
  bool is_engaged_ = false;
  Tick next_look_ = 0;
  chip::GearedPlace place_;
};

}  // namespace cogstride
