#include "cogstride/hands/input_way.hpp"

#include <fmt/ranges.h>

#include <algorithm>
#include <cstdlib>

namespace cogstride {

namespace asio = boost::asio;
using Failure = boost::system::error_code;

namespace {

InputCode code_of(const InputDevice& device, const std::string& name) {
  if (const std::optional<InputCode> code = input_code(name)) return *code;
  throw RangeError(
      fmt::format("input_device.{}: the kernel knows no {}: `cogstride operate RIG --learn` shows what comes",
                  device.name, name));
}

}  // namespace

InputWay::InputWay(asio::io_context& context, const DeviceEars& ears, const InputDevice& device)
    : DeviceWay(context, ears, device.name, fmt::format("\"{}\"", device.called)),
      device_(device),
      ready_(context),
      next_values_(context) {
  for (const InputKey& key : device.keys) keys_.emplace_back(code_of(device, key.code), &key);
  for (const InputAxis& axis : device.axes) axes_.emplace_back(code_of(device, axis.code), Axis{&axis});
  for (const InputWheel& wheel : device.wheels) wheels_.emplace_back(code_of(device, wheel.code), &wheel);
}

void InputWay::open() {
  const std::vector<InputDevicePort::Found> all = InputDevicePort::all();
  const auto found = std::find_if(all.begin(), all.end(), [&](const InputDevicePort::Found& each) {
    return each.called == device_.called;
  });
  if (found == all.end()) throw Error("no input device that can be read here calls itself so");
  port_.emplace(found->path, device_.exclusive);
  const auto require = [&](const InputCode& code, const std::string& name) {
    if (!port_->has(code)) throw Error(fmt::format("it has no {}", name));
  };
  for (const auto& [code, key] : keys_) require(code, key->code);
  for (const auto& [code, wheel] : wheels_) require(code, wheel->code);
  for (auto& [code, axis] : axes_) {
    require(code, axis.axis->code);
    axis.range = port_->range(code);
    axis.told = axis.now = 0;
  }
}

void InputWay::begin() {
  // A key that is held by then was not pressed; an axis stands where it stands.
  ready_.assign(port_->descriptor());
  for (auto& [code, axis] : axes_) {
    axis.now =
        thousandths_of(*axis.axis, port_->value(code), axis.range.least, axis.range.most, axis.range.flat);
    axis.told = axis.now;
    hear(fmt::format("{}.{} {}", device_.name, axis.axis->name, axis.now));
  }
  wait();
}

void InputWay::close() {
  next_values_.cancel();
  waits_for_values_ = false;
  if (ready_.is_open()) (void)ready_.release();  // its port closes it
  for (auto& [key, held] : held_)
    if (std::exchange(held, false)) hear(fmt::format("{}.{} off", device_.name, key->name));
  if (port_)
    for (auto& [code, axis] : axes_)
      if (axis.told != 0) hear(fmt::format("{}.{} 0", device_.name, axis.axis->name));
  port_.reset();
}

void InputWay::wait() {
  ready_.async_wait(asio::posix::stream_descriptor::wait_read, [this](const Failure& failure) {
    if (failure == asio::error::operation_aborted || !port_) return;
    if (failure || !port_->read([this](const InputDevicePort::Event& event) { take(event); }))
      return lost("it is gone");
    tell_axes();
    wait();
  });
}

void InputWay::press(const InputKey& key, bool on) {
  bool& held = held_[&key];
  if (std::exchange(held, on) != on) hear(fmt::format("{}.{} {}", device_.name, key.name, on ? "on" : "off"));
}

void InputWay::take(const InputDevicePort::Event& event) {
  if (ears().event) ears().event(device_.called, event, port_->range(event.what));
  for (const auto& [code, key] : keys_)
    if (code == event.what && event.value != 2) press(*key, event.value != 0);
  for (auto& [code, axis] : axes_)
    if (code == event.what)
      axis.now = thousandths_of(*axis.axis, event.value, axis.range.least, axis.range.most, axis.range.flat);
  for (const auto& [code, wheel] : wheels_)
    if (code == event.what && event.value != 0)
      hear(fmt::format("{}.{} {}", device_.name, wheel->name, wheel->reversed ? -event.value : event.value));
}

/// What comes faster is told by its last value; that it stands at nothing, at once.
void InputWay::tell_axes() {
  bool has_told = false;
  for (auto& [code, axis] : axes_) {
    if (axis.now == axis.told || (waits_for_values_ && axis.now != 0)) continue;
    axis.told = axis.now;
    has_told = true;
    hear(fmt::format("{}.{} {}", device_.name, axis.axis->name, axis.now));
  }
  if (!has_told || waits_for_values_) return;
  waits_for_values_ = true;
  next_values_.expires_after(between_values);
  next_values_.async_wait([this](const Failure& cancelled) {
    if (cancelled) return;
    waits_for_values_ = false;
    tell_axes();
  });
}

}  // namespace cogstride
