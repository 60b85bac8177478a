// An input device of the operating system: found by what it calls itself, taken for oneself if the rig says
// so, and let go of all that it holds when it is unplugged.
#pragma once

#include <boost/asio/posix/stream_descriptor.hpp>
#include <map>
#include <optional>

#include "cogstride/hands/device_way.hpp"

namespace cogstride {

class InputWay final : public DeviceWay {
 public:
  /// s between two values of an axis; the last one is always told.
  static constexpr std::chrono::milliseconds between_values{20};

  /// @param device  must outlive it @throws RangeError when the kernel knows no such code, with one that is
  /// near
  InputWay(boost::asio::io_context& context, const DeviceEars& ears, const InputDevice& device);

 private:
  struct Axis {
    const InputAxis* axis = nullptr;
    InputDevicePort::Range range{};
    std::int64_t now = 0;   // thousandths
    std::int64_t told = 0;  // the same
  };
  void open() override;
  void begin() override;
  void close() override;
  void wait();
  void take(const InputDevicePort::Event& event);
  void tell_axes();
  void press(const InputKey& key, bool on);

  const InputDevice& device_;
  std::vector<std::pair<InputCode, const InputKey*>> keys_{};
  std::vector<std::pair<InputCode, Axis>> axes_{};
  std::vector<std::pair<InputCode, const InputWheel*>> wheels_{};
  std::map<const InputKey*, bool> held_{};
  std::optional<InputDevicePort> port_{};
  boost::asio::posix::stream_descriptor ready_;
  boost::asio::steady_timer next_values_;
  bool waits_for_values_ = false;
};

}  // namespace cogstride
