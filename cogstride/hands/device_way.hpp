// One device that is looked for until it is there, heard as long as it is, and looked for again.
#pragma once

#include <fmt/format.h>

#include <boost/asio/io_context.hpp>
#include <boost/asio/steady_timer.hpp>
#include <chrono>
#include <cstdint>
#include <string>
#include <utility>

#include "cogstride/hands/device_ways.hpp"
#include "cogstride/quantity/error.hpp"

namespace cogstride {

[[nodiscard]] inline std::int64_t steady_ns() {
  return std::chrono::duration_cast<std::chrono::nanoseconds>(
             std::chrono::steady_clock::now().time_since_epoch())
      .count();
}

/// All of it is the thread's of its context.
class DeviceWay {
 public:
  static constexpr std::chrono::milliseconds looked_for_again{500};

  /// @param where  "/dev/ttyS0": where it is looked for
  DeviceWay(boost::asio::io_context& context, const DeviceEars& ears, std::string name, std::string where)
      : ears_(ears), name_(std::move(name)), where_(std::move(where)), again_(context) {}
  virtual ~DeviceWay() = default;
  DeviceWay(const DeviceWay&) = delete;
  DeviceWay& operator=(const DeviceWay&) = delete;

  [[nodiscard]] const std::string& name() const { return name_; }
  void look_for_it() {
    try {
      open();
    } catch (const Error& error) {
      return lost(error.what());
    }
    told_missing_.clear();
    is_there_ = true;
    if (ears_.came) ears_.came(name_);
    tell(fmt::format("{} is heard on {}", name_, where_));
    begin();
  }

 protected:
  /// @throws Error in words when it is not there
  virtual void open() = 0;
  /// It is there.
  virtual void begin() = 0;
  /// It is not there any more; what it holds is let go.
  virtual void close() = 0;

  void lost(const std::string& why) {
    close();
    if (std::exchange(is_there_, false) && ears_.gone) ears_.gone(name_);
    if (std::exchange(told_missing_, why) != why)
      tell(fmt::format("{} is not heard on {}: {}; it is waited for", name_, where_, why));
    again_.expires_after(looked_for_again);
    again_.async_wait([this](const boost::system::error_code& cancelled) {
      if (!cancelled) look_for_it();
    });
  }
  void hear(const std::string& words) const {
    if (ears_.heard) ears_.heard(name_, words);
  }
  void raw(const std::string& words) const {
    if (ears_.raw) ears_.raw(name_, words);
  }
  void tell(const std::string& words) const {
    if (ears_.tell) ears_.tell(words);
  }
  [[nodiscard]] bool is_there() const { return is_there_; }
  [[nodiscard]] const DeviceEars& ears() const { return ears_; }

 private:
  const DeviceEars& ears_;
  std::string name_;
  std::string where_;
  boost::asio::steady_timer again_;
  std::string told_missing_{};  // why it is not there, as it was told
  bool is_there_ = false;
};

}  // namespace cogstride
