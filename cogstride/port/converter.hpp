// Analogue inputs of this computer: channels that give a code when they are asked.
#pragma once

#include <map>
#include <string>

#include "cogstride/mechanism/controller.hpp"
#include "cogstride/port/descriptor.hpp"

namespace cogstride {

class Converter {
 public:
  virtual ~Converter() = default;
  /// The code of a channel, now; takes as long as the hardware takes. @throws PortGone
  [[nodiscard]] virtual std::int64_t read(std::int64_t channel) = 0;
};

/// A converter of the kernel's industrial I/O interface: the voltage channels of one device.
class KernelConverter final : public Converter {
 public:
  /// @param folder  where the kernel's converters are
  /// @throws Error when the rig's converter is not there, lacks a channel, or does not measure as the rig
  /// says
  explicit KernelConverter(const AnalogueInputs& inputs, const std::string& folder = "/sys/bus/iio/devices");
  [[nodiscard]] std::int64_t read(std::int64_t channel) override;

 private:
  std::string name_;
  std::map<std::int64_t, Descriptor> channels_;
};

}  // namespace cogstride
