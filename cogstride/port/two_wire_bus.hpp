// A two-wire bus, by the kernel's interface: registers of one byte.
#pragma once

#include <cstdint>
#include <string>

#include "cogstride/port/descriptor.hpp"

namespace cogstride {

class TwoWireBus {
 public:
  /// One device on it. @param path  "/dev/i2c-1" @param address  seven bits
  /// @throws Error when it cannot be opened, or a driver of the kernel has the device
  TwoWireBus(const std::string& path, std::uint8_t address);

  /// @throws Error when the device does not answer
  [[nodiscard]] std::uint8_t read(std::uint8_t at) const;
  void write(std::uint8_t at, std::uint8_t value) const;

 private:
  Descriptor file_;
};

}  // namespace cogstride
