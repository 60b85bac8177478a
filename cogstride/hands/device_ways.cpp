#include "cogstride/hands/device_ways.hpp"

#include <boost/asio/post.hpp>

#include "cogstride/hands/input_way.hpp"
#include "cogstride/hands/sensor_way.hpp"
#include "cogstride/hands/serial_way.hpp"
#include "cogstride/trace/writer_thread.hpp"

namespace cogstride {

namespace asio = boost::asio;

struct DeviceWays::Inside {
  DeviceEars ears{};
  asio::io_context context{1};
  asio::executor_work_guard<asio::io_context::executor_type> goes_on = asio::make_work_guard(context);
  std::vector<std::unique_ptr<SerialWay>> serial{};
  std::vector<std::unique_ptr<InputWay>> inputs{};
  std::vector<std::unique_ptr<SensorWay>> sensors{};
  WriterThread thread{};
};

bool DeviceWays::are_of(const Rig& rig) {
  return !rig.devices.empty() || !rig.input_devices.empty() || !rig.bus_sensors.empty();
}

DeviceWays::DeviceWays(const Rig& rig, DeviceEars ears) : inside_(std::make_unique<Inside>()) {
  Inside& in = *inside_;
  in.ears = std::move(ears);
  for (const Device& device : rig.devices)
    in.serial.push_back(std::make_unique<SerialWay>(in.context, in.ears, device));
  for (const InputDevice& device : rig.input_devices)
    in.inputs.push_back(std::make_unique<InputWay>(in.context, in.ears, device));
  for (const BusSensor& sensor : rig.bus_sensors)
    in.sensors.push_back(std::make_unique<SensorWay>(in.context, in.ears, sensor));
  in.thread.start([&in] {
    for (const auto& way : in.serial) way->look_for_it();
    for (const auto& way : in.inputs) way->look_for_it();
    for (const auto& way : in.sensors) way->look_for_it();
    in.context.run();
  });
}

DeviceWays::~DeviceWays() {
  inside_->context.stop();
  inside_->thread.join();
}

void DeviceWays::interrupted(std::size_t sensor) {
  asio::post(inside_->context, [way = inside_->sensors.at(sensor).get()] { way->interrupted(); });
}

void DeviceWays::say(const std::string& device, const std::string& bytes) {
  for (const auto& way : inside_->serial)
    if (way->name() == device) asio::post(inside_->context, [way = way.get(), bytes] { way->say(bytes); });
}

MessageReader::Counts DeviceWays::counts(const std::string& device) const {
  for (const auto& way : inside_->serial)
    if (way->name() == device) return way->counts();
  throw RangeError(fmt::format("no device is called {}", device));
}

}  // namespace cogstride
