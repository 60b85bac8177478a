// Stand-ins for the devices of a rig on a simulated bench: what an events file has them say comes in as it
// would from the real ones, byte by byte or mark by mark, and is heard, or garbled, in the same way.
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "cogstride/bench/simulated/outside_event.hpp"
#include "cogstride/motion/participant.hpp"
#include "cogstride/plant/plant.hpp"

namespace cogstride {

/// Whether an event is of a device, or of something that one says.
/// @throws RangeError when the device cannot do that, with what it can
[[nodiscard]] bool is_of_a_device(const Rig& rig, const OutsideEvent& event);

/// Lines that remotes and sensors drive, at power-up, and how they change.
[[nodiscard]] std::vector<Level> levels_of_devices(const Rig& rig);
[[nodiscard]] std::vector<LineEdge> edges_of_devices(const Rig& rig, const std::vector<OutsideEvent>& events);

/// Who is told of what the stand-ins do.
struct DeviceTold {
  std::function<void(const std::string& words)> hear{};  ///< as Bench::hear takes it
  std::function<void(const std::string& device, const std::string& text)> tell{};  ///< for the record
};
/// Those of a rig that something happens to, and no line tells of.
[[nodiscard]] std::vector<std::unique_ptr<Participant>> device_stand_ins(
    const Rig& rig, const std::vector<OutsideEvent>& events, const DeviceTold& told);

}  // namespace cogstride
