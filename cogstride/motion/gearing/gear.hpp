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
#include "cogstride/chip/step_follow.hpp"
#include "cogstride/motion/gearing/place_source.hpp"
#include "cogstride/plan/lay_path.hpp"
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
  /// @param limits  of the follower, in grains @param lay  to and fro between two ends @throws RangeError
  /// when the ratios have no common grain
  Gear(std::vector<GearTerm> terms, const Timing& timing, const RampLimits& limits, bool is_compensated,
       const std::optional<Lay>& lay = {});

  /// Asks for what it needs.
  void begin(Lines& lines);
  /// @return whether there is something new to act on
  bool take(Tick now, std::span<const Reading> readings);
  /// The follower goes by what is known now, from an instant on.
  void was_told(Tick now, Tick from);
  /// `never` where it waits for readings.
  [[nodiscard]] Tick next_look() const { return next_look_; }
  /// Whether all that it follows is known.
  [[nodiscard]] bool is_known() const;
  /// From now on the follower belongs where it stands, `at`, when its leaders are where they are.
  /// @throws RangeError when that lies outside its ends
  void engage(Tick now, StepPosition at);
  [[nodiscard]] bool is_engaged() const { return is_engaged_; }

  /// Moves it against its leaders; its ends, where it has some. @throws RangeError when that is too fine to
  /// be kept exactly
  void shift(Ratio grains);
  /// The way of the ratio is so much farther on. @throws RangeError as above
  void advance(Ratio grains);
  /// Another ratio from here on; where it belongs does not jump. @throws RangeError as the constructor
  void change(Tick now, const std::vector<Ratio>& per_count);

  /// Other ends, from where it is. @throws RangeError when it has none, or they lie the wrong way round
  void change_ends(Tick now, Ratio low, Ratio high);

  /// The way of the ratio, by the counts of its leaders, exactly; without ends the place where it belongs.
  [[nodiscard]] const chip::GearedPlace& way() const { return place_; }
  [[nodiscard]] Ratio way_exactly() const {
    return Ratio(place_.position()) + Ratio(place_.rest(), place_.grain());
  }
  /// Where it goes by one encoder alone, without ends, at most a grain a count: what a chip needs to know.
  struct Plain {
    LineId counts_at{};
    chip::CountFollow what{};  ///< its limits and tick are the caller's
  };
  [[nodiscard]] std::optional<Plain> plain() const;
  /// Another number whenever it was told to go by something else.
  [[nodiscard]] std::uint32_t revision() const { return revision_; }
  /// The very step on which the follower belongs, when its leaders stand where they are.
  [[nodiscard]] std::int64_t belongs_on() const;
  /// Counts that its first leader has gone since it engaged.
  [[nodiscard]] std::int64_t counted() const { return counts_.front() - engaged_at_; }
  [[nodiscard]] const std::optional<LayPath>& lay() const { return lay_; }
  [[nodiscard]] std::int64_t layers_done() const;
  /// Where its leaders are at an instant, in its grains, as far as can be told.
  [[nodiscard]] Course leader(Tick now, Tick at) const;
  /// Where it is to be at an instant: the same where it is compensated, so far behind it else.
  /// @param looks_to_meet  in which what is a little off is met
  [[nodiscard]] Course course(Tick now, Tick at, double looks_to_meet = 8.0) const;
  /// Where one belongs that keeps itself no way behind.
  [[nodiscard]] Course there(Tick now, Tick at) const;
  /// How far behind, at a speed of the leader in grains/s.
  [[nodiscard]] Lag lag(double speed, double lead_seconds) const;
  /// Whether all leaders stand, as far as can be told.
  [[nodiscard]] bool leaders_stand(Tick now) const;
  [[nodiscard]] bool is_looked_at_seldom() const;
  [[nodiscard]] bool has_turned_out_otherwise(Tick now) const;
  [[nodiscard]] bool is_planned() const;
  /// Grains for a count of the first.
  [[nodiscard]] Ratio per_count() const { return terms_.front().per_count; }
  [[nodiscard]] const PlaceSource& first() const { return *terms_.front().source; }
  /// What holds the counts of its leaders against their indexes.
  [[nodiscard]] const std::vector<IndexCheck*>& indexes() const { return indexes_; }
  [[nodiscard]] bool is_compensated() const { return is_compensated_; }
  [[nodiscard]] Tick period() const { return timing_.period; }
  [[nodiscard]] double ticks_per_second() const { return timing_.ticks_per_second; }

 private:
  void settle_grain();
  void go_on(Tick now);
  [[nodiscard]] Course way_at(Tick now, Tick at) const;
  [[nodiscard]] double laid_at(const Course& way) const;

  std::vector<GearTerm> terms_;
  std::vector<IndexCheck*> indexes_;
  std::vector<std::int64_t> parts_;   // of a grain, for a count of each
  std::vector<std::int64_t> counts_;  // of each, when looked at last
  Timing timing_;
  RampLimits limits_;
  bool is_compensated_;
  bool is_engaged_ = false;
  std::uint32_t revision_ = 0;
  Tick next_look_ = 0;
  Tick next_told_ = 0;
  Tick told_from_ = 0;  // what the follower was told last: from then on,
  Tick told_lead_ = 0;  // so long after it was told,
  Course told_{};       // to be there
  chip::GearedPlace place_;
  std::int64_t engaged_at_ = 0;           // count of the first leader
  mutable std::optional<LayPath> lay_{};  // looks for the layer that it is asked about
};

}  // namespace cogstride
