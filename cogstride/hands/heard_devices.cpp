#include "cogstride/hands/heard_devices.hpp"

#include "cogstride/hands/device_ways.hpp"

namespace cogstride {

HeardDevices::HeardDevices(Bench& bench, std::function<void(const std::string&)> tell) {
  if (!DeviceWays::are_of(bench.rig())) return;
  DeviceEars ears;
  ears.heard = [&bench](const std::string& device, const std::string& words) {
    (void)bench.post("heard " + words, [&bench, device, words] { bench.hear(words, device); });
  };
  ears.tell = std::move(tell);
  ways_ = std::make_unique<DeviceWays>(bench.rig(), std::move(ears));
  interrupted_ =
      std::make_shared<Bench::Interrupted>([this](std::size_t sensor) { ways_->interrupted(sensor); });
  bench.on_interrupt(interrupted_);
}

HeardDevices::~HeardDevices() = default;

}  // namespace cogstride
