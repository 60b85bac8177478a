#include "cogstride/port/kernel_port.hpp"

#include <algorithm>

namespace cogstride {

KernelPort::KernelPort(const Controller& controller, const std::vector<LineSetup>& lines,
                       const std::vector<PwmChannels::Wanted>& duties, const std::map<LineId, Pull>& pulls,
                       const std::vector<LineId>& counted, const std::string& consumer)
    : duties_(controller, duties) {
  std::vector<LineSetup> plain;
  std::copy_if(lines.begin(), lines.end(), std::back_inserter(plain),
               [&](const LineSetup& line) { return !duties_.has(line.id); });
  plain_.reserve(lines.size());
  gpio_ = std::make_unique<GpioPort>(controller, plain, pulls, counted, consumer);
}

void KernelPort::write(std::span<const Level> levels) {
  plain_.clear();
  for (const Level& level : levels) {
    if (duties_.has(level.line)) {
      duties_.write(level);
    } else {
      plain_.push_back(level);
    }
  }
  if (!plain_.empty()) gpio_->write(plain_);
}

void KernelPort::open_bus(const BusSetup& bus, const std::string& interface_name) {
  bus_.emplace(bus.id, interface_name, bus.rest);
  gpio_->watch_also(bus_->descriptor());
}

void KernelPort::send(BusId bus, const Frame& frame) {
  if (!bus_ || bus_->bus() != bus) return LinePort::send(bus, frame);
  bus_->send(frame);
}

std::vector<RestWrite> KernelPort::rest_writes() const {
  std::vector<RestWrite> writes;
  if (bus_) writes = bus_->rest_writes();
  for (const RestWrite& rest : gpio_->rest_writes()) writes.push_back(rest);
  for (const RestWrite& rest : duties_.rest_writes()) writes.push_back(rest);
  return writes;
}

}  // namespace cogstride
