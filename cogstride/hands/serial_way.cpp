#include "cogstride/hands/serial_way.hpp"

#include <sys/ioctl.h>

#include <boost/asio/write.hpp>

namespace cogstride {

namespace asio = boost::asio;
using Failure = boost::system::error_code;

SerialWay::SerialWay(asio::io_context& context, const DeviceEars& ears, const Device& device)
    : DeviceWay(context, ears, device.name, device.port),
      device_(device),
      reader_(device),
      port_(context),
      silence_(context),
      heard_([this](const DeviceMessage& message, std::optional<std::int64_t> number) {
        hear(fmt::format("{}.{}{}", device_.name, message.name, number ? fmt::format(" {}", *number) : ""));
      }) {}

MessageReader::Counts SerialWay::counts() const {
  const std::lock_guard lock(mutex_);
  return counts_;
}

void SerialWay::open() {
  Failure failure;
  port_.open(device_.port, failure);
  if (!failure && ioctl(port_.native_handle(), TIOCEXCL) != 0)
    failure = {errno, boost::system::system_category()};
  if (!failure && device_.baud)
    port_.set_option(asio::serial_port::baud_rate(static_cast<unsigned>(*device_.baud)), failure);
  if (failure) throw Error(failure.message());
}

void SerialWay::begin() {
  read();
}

void SerialWay::close() {
  Failure ignored;
  port_.close(ignored);
  silence_.cancel();
  reader_.forget();
  unsaid_.clear();
}

void SerialWay::read() {
  port_.async_read_some(asio::buffer(buffer_), [this](const Failure& failure, std::size_t count) {
    if (failure == asio::error::operation_aborted) return;
    if (failure) return lost(failure.message());
    raw({buffer_.data(), count});
    reader_.take({buffer_.data(), count}, steady_ns(), heard_);
    settle();
    read();
  });
}

void SerialWay::settle() {
  const auto at = reader_.settle(steady_ns(), heard_);
  {
    const std::lock_guard lock(mutex_);
    counts_ = reader_.counts();
  }
  if (!at) return;
  silence_.expires_at(std::chrono::steady_clock::time_point(std::chrono::nanoseconds(*at)));
  silence_.async_wait([this](const Failure& cancelled) {
    if (!cancelled) settle();
  });
}

void SerialWay::say(std::string bytes) {
  if (!is_there()) return;
  // What it does not take in time is old by then.
  if (unsaid_.size() >= most_unsaid) unsaid_.erase(unsaid_.begin() + 1);
  unsaid_.push_back(std::move(bytes));
  if (unsaid_.size() == 1) write();
}

void SerialWay::write() {
  asio::async_write(port_, asio::buffer(unsaid_.front()), [this](const Failure& failure, std::size_t) {
    if (failure || unsaid_.empty()) return;  // who reads hears of it
    unsaid_.pop_front();
    if (!unsaid_.empty()) write();
  });
}

}  // namespace cogstride
