// Up and down through duty on the simulated bench: where a motor starts, where it drops out, what speed and
// current a duty gives, for slow and fast decay and for several frequencies side by side.
//
//   DutySweep sweep = sweep_duty(rig, feeder);
//   sweep.curves[0].start();      // 0.14: the first duty on the way up that turns it
//   sweep.curves[0].drop_out();   // 0.11: the last on the way down that still does
//
// Each duty is held for five of its time constants, J R / k^2; what is said of it is the mean of the last
// one.
#pragma once

#include <functional>
#include <memory>
#include <optional>

#include "cogstride/bench/live/live_bench.hpp"
#include "cogstride/rig/rig.hpp"
#include "cogstride/study/results/duty_sweep.hpp"

namespace cogstride {

/// A bare brushless motor with Hall sensors is held at eight speeds up to its top speed instead,
/// complementary beside single switching, and the duty that each takes is read.
/// @param on_curve  told of each way of switching as it ends, from any thread; may be empty
/// @throws RangeError unless the mechanism is driven by duty or has six gates and Hall sensors
[[nodiscard]] DutySweep sweep_duty(const Rig& rig, const Mechanism& mechanism,
                                   const std::function<void(const DutyCurve&)>& on_curve = {});

/// How a duty is held and read on live lines.
struct LiveDutySweep {
  LiveBench::Options bench{};
  /// Told of the bench before anything turns; what it hands back lives no longer than the bench. May be
  /// empty.
  std::function<std::shared_ptr<void>(LiveBench&)> opened{};
  /// Told of each duty as it has been read; may be empty.
  std::function<void(const DutyPoint&)> on_point{};
  /// For which a duty is held before it is read, and for which it is read; nothing: by what the rig says of
  /// the motor, four of its time constants and one, at least 0.2 s and 0.1 s.
  std::optional<Time> settles{};
  std::optional<Time> looks{};
};

/// On real lines, forwards, switched as the rig says and up to the highest duty of its limits: the speed by
/// its encoder, the current by its shunt where it has one. The lines are at rest afterwards, however it ends.
/// @throws RangeError unless it is driven by duty, has an encoder that is read here, and may turn on and on;
/// Error when the lines cannot be had; MotionFault when it was stopped, or its encoder does not tell how it
/// turns
[[nodiscard]] DutySweep sweep_duty_live(const Rig& rig, const Mechanism& mechanism, LiveDutySweep how = {});

/// Of sweep_duty_live() by those times: s, ramps left out.
[[nodiscard]] double live_duty_sweep_seconds(const Rig& rig, const Mechanism& mechanism);

}  // namespace cogstride
