// The devices of a rig that are heard beside its lines: serial ports, input devices of the operating system,
// sensors on two-wire buses. One that is not there, or is gone, is named and waited for.
//
//   DeviceWays ways(rig, {.heard = [&](const std::string& device, const std::string& words) {
//     bench.post("heard " + words, [&bench, words, device] { bench.hear(words, device); });
//   }});
#pragma once

#include <cstddef>
#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "cogstride/motion/devices/messages.hpp"
#include "cogstride/port/input_device.hpp"
#include "cogstride/rig/rig.hpp"

namespace cogstride {

/// Told of devices, from a thread of their own; each may be left out.
struct DeviceEars {
  std::function<void(const std::string& device)> came{};
  /// What one says, as Bench::hear takes it. What it holds it lets go of before it is gone.
  std::function<void(const std::string& device, const std::string& words)> heard{};
  std::function<void(const std::string& device)> gone{};
  std::function<void(const std::string& words)> tell{};  ///< in words, for people
  /// All that comes in, for one who learns: bytes of a serial port, events of an input device.
  std::function<void(const std::string& device, const std::string& bytes)> raw{};
  std::function<void(const std::string& called, const InputDevicePort::Event& event,
                     const InputDevicePort::Range& range)>
      event{};
};

class DeviceWays {
 public:
  /// Listens from now on, in a thread of its own.
  /// @param rig  must outlive it @throws RangeError when a device says something that there is not
  DeviceWays(const Rig& rig, DeviceEars ears);
  /// Nobody is heard any more.
  ~DeviceWays();
  DeviceWays(const DeviceWays&) = delete;
  DeviceWays& operator=(const DeviceWays&) = delete;

  /// Whether a rig has any.
  [[nodiscard]] static bool are_of(const Rig& rig);
  /// A sensor on a bus has raised its interrupt line: it is read. From any thread.
  /// @param sensor  its place in the rig
  void interrupted(std::size_t sensor);
  /// Bytes for a serial device; those of one that is not there are lost. From any thread.
  void say(const std::string& device, const std::string& bytes);
  /// What a serial device said so far, good or not. @throws RangeError when there is no such device
  [[nodiscard]] MessageReader::Counts counts(const std::string& device) const;

 private:
  struct Inside;
  std::unique_ptr<Inside> inside_;
};

}  // namespace cogstride
