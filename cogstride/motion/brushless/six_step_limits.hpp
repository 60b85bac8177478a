// What speeds a bare brushless motor can be given by six steps, to be asked ahead.
#pragma once

#include <limits>
#include <optional>

#include "cogstride/motion/speed/speed_hold.hpp"
#include "cogstride/plan/back_emf_sense.hpp"
#include "cogstride/plan/open_loop_start.hpp"

namespace cogstride {

/// Rows (sixths of an electrical turn) for a metre or a turn of the output.
[[nodiscard]] double rows_per_base(const Mechanism& mechanism);

class SixStepLimits {
 public:
  /// @param looks  s from one look of the speed loop to the next; @param lead  s from a look to its effect;
  /// @param highest_duty  that its gates can be given
  /// @throws RangeError when it is no bare brushless motor behind six gates, or cannot be started
  SixStepLimits(const Mechanism& mechanism, const Controller& controller, double looks, double lead,
                double highest_duty);

  /// @throws RangeError with the figure that can be had
  void require(OutputSpeed speed) const { require(speed.base.to_double()); }
  void require(double speed) const;  ///< m/s or turns/s
  void require(OutputAcceleration acceleration) const;
  /// Whether such a speed is held by what tells its angle; else it is stepped open loop. @param rate  rows/s
  [[nodiscard]] bool is_held(double rate) const { return hold_ && rate >= hand_over_ * (1.0 - 1e-9); }
  /// Rows/s that it is stepped to open loop on its way to a rate: no further than it takes to be caught.
  [[nodiscard]] double stepped_to(double rate) const;
  /// s from rest to rest, at the least, at a speed of the output
  [[nodiscard]] double shortest(double speed, std::optional<double> acceleration) const;

  // What it is held, told and stepped by, where it is.
  [[nodiscard]] const std::optional<SpeedHold>& hold() const { return hold_; }
  [[nodiscard]] const HallSet* halls() const { return halls_ ? &*halls_ : nullptr; }
  [[nodiscard]] const std::optional<BackEmfSense>& back_emf() const { return back_emf_; }
  [[nodiscard]] const std::optional<OpenLoopStart>& open_loop() const { return open_loop_; }

 private:
  std::string name_;
  OutputKind kind_;
  double rows_per_base_;
  double limit_;  // rows/s; 0: the rig says none
  std::optional<HallSet> halls_{};
  std::optional<BackEmfSense> back_emf_{};
  std::optional<SpeedHold> hold_{};
  std::optional<OpenLoopStart> open_loop_{};
  double hand_over_ = 0.0;  // rows/s from which it is held
};

/// Rows of a commutation for a turn, or a metre, of the output, exactly.
[[nodiscard]] Ratio rows_exactly(const Mechanism& mechanism);

/// To be asked ahead.
[[nodiscard]] SixStepLimits six_step_limits(const Mechanism& mechanism, const Controller& controller);

}  // namespace cogstride
