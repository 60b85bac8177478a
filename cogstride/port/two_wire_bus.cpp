#include "cogstride/port/two_wire_bus.hpp"

#include <fmt/format.h>

#include <fcntl.h>
#include <linux/i2c-dev.h>
#include <linux/i2c.h>
#include <sys/ioctl.h>

#include <cerrno>
#include <system_error>

#include "cogstride/quantity/error.hpp"

namespace cogstride {
namespace {

[[noreturn]] void fail(const std::string& what) {
  throw Error(fmt::format("{}: {}", what, std::generic_category().message(errno)));
}

}  // namespace

TwoWireBus::TwoWireBus(const std::string& path, std::uint8_t address)
    : file_(above_standard(open(path.c_str(), O_RDWR | O_CLOEXEC))) {
  if (file_.get() < 0) fail(path);
  if (ioctl(file_.get(), I2C_SLAVE, static_cast<unsigned long>(address)) < 0)
    fail(fmt::format("{} at address {:#04x}", path, address));
}

std::uint8_t TwoWireBus::read(std::uint8_t at) const {
  i2c_smbus_data data{};
  i2c_smbus_ioctl_data order{I2C_SMBUS_READ, at, I2C_SMBUS_BYTE_DATA, &data};
  if (ioctl(file_.get(), I2C_SMBUS, &order) < 0) fail(fmt::format("register {:#04x} cannot be read", at));
  return data.byte;
}

void TwoWireBus::write(std::uint8_t at, std::uint8_t value) const {
  i2c_smbus_data data{};
  data.byte = value;
  i2c_smbus_ioctl_data order{I2C_SMBUS_WRITE, at, I2C_SMBUS_BYTE_DATA, &data};
  if (ioctl(file_.get(), I2C_SMBUS, &order) < 0) fail(fmt::format("register {:#04x} cannot be written", at));
}

}  // namespace cogstride
