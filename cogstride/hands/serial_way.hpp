// A device with texts of its own, on its serial port.
#pragma once

#include <array>
#include <boost/asio/serial_port.hpp>
#include <deque>
#include <mutex>

#include "cogstride/hands/device_way.hpp"

namespace cogstride {

class SerialWay final : public DeviceWay {
 public:
  /// @param device  must outlive it
  SerialWay(boost::asio::io_context& context, const DeviceEars& ears, const Device& device);
  /// From any thread.
  [[nodiscard]] MessageReader::Counts counts() const;
  /// Bytes for it, one after the other; nothing while it is not there.
  void say(std::string bytes);

 private:
  static constexpr std::size_t most_unsaid = 100;

  void open() override;
  void begin() override;
  void close() override;
  void read();
  void settle();
  void write();

  const Device& device_;
  MessageReader reader_;
  boost::asio::serial_port port_;
  boost::asio::steady_timer silence_;
  std::array<char, 512> buffer_{};
  std::deque<std::string> unsaid_{};
  MessageReader::Hear heard_;
  mutable std::mutex mutex_;  // of the counts
  MessageReader::Counts counts_{};
};

}  // namespace cogstride
