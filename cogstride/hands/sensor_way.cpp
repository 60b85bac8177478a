#include "cogstride/hands/sensor_way.hpp"

#include <algorithm>
#include <cmath>

namespace cogstride {

void SensorWay::open() {
  bus_.emplace(sensor_.bus, static_cast<std::uint8_t>(sensor_.address));
  for (const SensorSetting& setting : sensor_.settings)
    bus_->write(static_cast<std::uint8_t>(setting.at), static_cast<std::uint8_t>(setting.value));
  (void)bus_->read(static_cast<std::uint8_t>(sensor_.reads));  // what happened before is over
}

void SensorWay::interrupted() {
  if (!bus_) return;
  std::int64_t value = 0;
  try {
    value = bus_->read(static_cast<std::uint8_t>(sensor_.reads));
  } catch (const Error& error) {
    return lost(error.what());
  }
  const auto event = std::find_if(sensor_.events.begin(), sensor_.events.end(),
                                  [&](const SensorEvent& each) { return each.value == value; });
  if (event == sensor_.events.end()) return;
  const std::int64_t now = steady_ns();
  const bool is_again =
      last_ == &*event && now - last_at_ < std::llround(1e9 * sensor_.again_after.in(units::s));
  last_ = &*event;
  last_at_ = now;
  if (!is_again) hear(fmt::format("{}.{}", sensor_.name, event->name));
}

}  // namespace cogstride
