// A follower whose loop goes by counts: what it follows becomes what is wanted of the loop.
#pragma once

#include <memory>
#include <string>
#include <utility>

#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/motion/gearing/follow.hpp"
#include "cogstride/motion/motion_log.hpp"
#include "cogstride/motion/speed/speed_hold.hpp"

namespace cogstride {

class HeldFollow {
 public:
  /// @param counts_per_base  of what counts for the loop, for a metre or a turn of the output
  [[nodiscard]] static Follower follower(const Mechanism& mechanism, const SpeedHold& hold,
                                         Ratio counts_per_base) {
    Follower follower;
    follower.name = mechanism.name;
    follower.kind = output_kind(mechanism.train);
    follower.grains_per_base = counts_per_base < Ratio(0) ? -counts_per_base : counts_per_base;
    follower.grain = "counts";
    follower.limits = hold.own_limits();
    if (const Limits& limits = mechanism.limits; limits.travel_from) {
      const auto counts = [&](const OutputPosition& place) {
        return (place.base * follower.grains_per_base).to_double();
      };
      follower.travel = {counts(*limits.travel_from), counts(*limits.travel_to)};
    }
    return follower;
  }

  void begin(std::unique_ptr<Follow> follow, Lines& lines) {
    follow_ = std::move(follow);
    last_ = follow_;
    follow_->gear().begin(lines);
  }
  void end() { follow_.reset(); }
  [[nodiscard]] Follow* following() const { return follow_.get(); }
  [[nodiscard]] Tick next_look() const { return follow_ ? follow_->gear().next_look() : never; }
  void add_to(MoverVerdict& verdict) const {
    if (last_) last_->add_to(verdict);
  }

  enum class State { goes_on, is_over, failed };
  /// Looks at its leaders anew.
  State look(Lines& lines, std::span<const Reading> readings, SpeedHold& hold, const MotionLog& log) {
    const Tick now = lines.now();
    const auto course = follow_->look(now, readings, now, hold.wanted(now));
    if (const std::string news = follow_->take_news(); !news.empty())
      log.note(now, MotionNote::Kind::told, news);
    if (!follow_->fault().empty()) return State::failed;
    if (course) hold.go_along(now, *course);
    return follow_->is_over() ? State::is_over : State::goes_on;
  }

 private:
  std::shared_ptr<Follow> follow_{};
  std::shared_ptr<Follow> last_{};
};

}  // namespace cogstride
