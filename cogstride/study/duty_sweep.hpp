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

#include "cogstride/rig/rig.hpp"
#include "cogstride/study/results/duty_sweep.hpp"

namespace cogstride {

/// A bare brushless motor with Hall sensors is held at eight speeds up to its top speed instead,
/// complementary beside single switching, and the duty that each takes is read.
/// @param on_curve  told of each way of switching as it ends, from any thread; may be empty
/// @throws RangeError unless the mechanism is driven by duty or has six gates and Hall sensors
[[nodiscard]] DutySweep sweep_duty(const Rig& rig, const Mechanism& mechanism,
                                   const std::function<void(const DutyCurve&)>& on_curve = {});

}  // namespace cogstride
