// A sensor on a two-wire bus: its settings are written when it is there, and its register is read after each
// interrupt.
#pragma once

#include <optional>

#include "cogstride/hands/device_way.hpp"
#include "cogstride/port/two_wire_bus.hpp"

namespace cogstride {

class SensorWay final : public DeviceWay {
 public:
  /// @param sensor  must outlive it
  SensorWay(boost::asio::io_context& context, const DeviceEars& ears, const BusSensor& sensor)
      : DeviceWay(context, ears, sensor.name,
                  fmt::format("{} at address {:#04x}", sensor.bus, sensor.address)),
        sensor_(sensor) {}
  /// Its interrupt line acts.
  void interrupted();

 private:
  void open() override;
  void begin() override {}
  void close() override { bus_.reset(); }

  const BusSensor& sensor_;
  std::optional<TwoWireBus> bus_{};
  const SensorEvent* last_ = nullptr;
  std::int64_t last_at_ = 0;  // ns
};

}  // namespace cogstride
