// Runs of a ramp as a small chip makes it by itself (chip/ramp_maker.hpp), in place of those that a host has
// planned: what homing does there.
#pragma once

#include <cstdint>
#include <deque>

#include "cogstride/chip/ramp_maker.hpp"
#include "cogstride/plan/ramp.hpp"
#include "cogstride/plan/small_chip.hpp"

namespace cogstride {

class ChipRuns {
 public:
  static constexpr std::size_t runs_ahead = 4;  // as AxisWalk keeps

  explicit ChipRuns(double ticks_per_second) : ramp_(static_cast<std::uint32_t>(ticks_per_second)) {}

  void begin(std::int64_t made, std::int64_t target, const RampLimits& limits, chip::Tick at) {
    put_.clear();
    end_ = {at, 0};
    made_ = made;
    ramp_.stands_at(static_cast<std::int32_t>(made));
    ramp_.limits(chip_limits(limits));
    ramp_.go_to(static_cast<std::int32_t>(target));
  }
  void brake() { ramp_.brake(); }

  /// @return false at rest, where it is to be
  bool next(chip::PulseRun& run) {
    chip::NarrowPulseRun narrow{};
    if (!ramp_.next(narrow)) return false;
    run = {narrow.gap, narrow.change, narrow.bend, narrow.steps, narrow.flags, 0};
    put_.push_back({end_, run, made_});
    chip::PulsePlayer<chip::PulseRun> player(end_);
    player.load(run);
    while (player.left() > 0) player.advance();
    end_ = player.time();
    if (player.makes_pulses()) made_ += player.is_backwards() ? -std::int64_t{run.steps} : run.steps;
    return true;
  }
  [[nodiscard]] chip::FineTick end() const { return end_; }
  [[nodiscard]] std::int64_t made() const { return made_; }

  /// Runs that have not begun.
  [[nodiscard]] std::size_t waiting(chip::Tick now) const {
    std::size_t count = 0;
    for (auto put = put_.rbegin(); put != put_.rend() && put->start.tick > now; ++put) ++count;
    return count;
  }
  /// When the next of them begins; `otherwise` where none waits.
  [[nodiscard]] chip::Tick next_begin(chip::Tick now, chip::Tick otherwise) const {
    for (const Put& put : put_)
      if (put.start.tick > now) return put.start.tick;
    return otherwise;
  }
  /// The step it stands on at an instant.
  [[nodiscard]] std::int64_t step_at(chip::Tick at) const {
    std::int64_t step = put_.empty() ? made_ : put_.front().made;
    for (const Put& put : put_) {
      chip::PulsePlayer<chip::PulseRun> player(put.start);
      player.load(put.run);
      while (player.left() > 0 && chip::nearest_tick(player.next()) <= at) {
        player.advance();
        if (player.makes_pulses()) step += player.is_backwards() ? -1 : 1;
      }
      if (player.left() > 0) break;
    }
    return step;
  }
  /// Steps/s, signed.
  [[nodiscard]] double speed_at(chip::Tick at, double ticks_per_second) const {
    for (const Put& put : put_) {
      chip::PulsePlayer<chip::PulseRun> player(put.start);
      player.load(put.run);
      chip::FineTick last = put.start;
      while (player.left() > 0 && chip::nearest_tick(player.next()) <= at) {
        last = player.next();
        player.advance();
      }
      if (player.left() == 0) continue;
      if (!player.makes_pulses()) return 0.0;
      const double gap = static_cast<double>(player.next().tick - last.tick);
      return (player.is_backwards() ? -1.0 : 1.0) * ticks_per_second / std::max(gap, 1.0);
    }
    return 0.0;
  }
  /// What is over is forgotten.
  void forget(chip::Tick before) {
    while (put_.size() > 1 && put_[1].start.tick <= before) put_.pop_front();
  }

 private:
  struct Put {
    chip::FineTick start;
    chip::PulseRun run;
    std::int64_t made;  ///< before it
  };
  chip::RampMaker ramp_;
  std::deque<Put> put_{};
  chip::FineTick end_{0, 0};
  std::int64_t made_ = 0;
};

}  // namespace cogstride
