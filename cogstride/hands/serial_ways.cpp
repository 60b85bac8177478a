#include "cogstride/hands/serial_ways.hpp"

#include <fmt/format.h>

#include <sys/ioctl.h>

#include <array>
#include <boost/asio/io_context.hpp>
#include <boost/asio/serial_port.hpp>
#include <boost/asio/steady_timer.hpp>
#include <chrono>
#include <mutex>

#include "cogstride/quantity/error.hpp"
#include "cogstride/trace/writer_thread.hpp"

namespace cogstride {
namespace {

namespace asio = boost::asio;
using Failure = boost::system::error_code;

constexpr std::chrono::milliseconds looked_for_again{500};

std::int64_t now_ns() {
  return std::chrono::duration_cast<std::chrono::nanoseconds>(
             std::chrono::steady_clock::now().time_since_epoch())
      .count();
}

}  // namespace

/// One device. All of it but its counts is the thread's of the ports.
class SerialPortWay {
 public:
  SerialPortWay(asio::io_context& context, OrderDesk& desk, const Device& device,
                const SerialWays::Tell& tell)
      : desk_(desk),
        device_(device),
        tell_(tell),
        reader_(device),
        port_(context),
        again_(context),
        silence_(context) {}

  void look_for_it() {
    Failure failure;
    port_.open(device_.port, failure);
    if (!failure && ioctl(port_.native_handle(), TIOCEXCL) != 0)
      failure = {errno, boost::system::system_category()};
    if (!failure && device_.baud)
      port_.set_option(asio::serial_port::baud_rate(static_cast<unsigned>(*device_.baud)), failure);
    if (failure) return wait_for_it(failure);
    told_missing_ = false;
    way_ = desk_.open(device_.name, {}, false);
    tell_(fmt::format("{} is heard on {}", device_.name, device_.port));
    read();
  }
  [[nodiscard]] const std::string& name() const { return device_.name; }
  [[nodiscard]] MessageReader::Counts counts() const {
    const std::lock_guard lock(mutex_);
    return counts_;
  }

 private:
  void wait_for_it(const Failure& failure) {
    Failure ignored;
    port_.close(ignored);
    silence_.cancel();
    reader_.forget();
    if (way_) desk_.close(std::exchange(way_, nullptr));
    if (!std::exchange(told_missing_, true))
      tell_(fmt::format("{} is not heard on {}: {}; it is waited for", device_.name, device_.port,
                        failure.message()));
    again_.expires_after(looked_for_again);
    again_.async_wait([this](const Failure& cancelled) {
      if (!cancelled) look_for_it();
    });
  }

  void read() {
    port_.async_read_some(asio::buffer(buffer_), [this](const Failure& failure, std::size_t count) {
      if (failure == asio::error::operation_aborted) return;
      if (failure) return wait_for_it(failure);
      reader_.take({buffer_.data(), count}, now_ns(), heard_);
      settle();
      read();
    });
  }

  void settle() {
    const auto at = reader_.settle(now_ns(), heard_);
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

  void hear(const DeviceMessage& message, std::optional<std::int64_t> number) {
    const std::string control = fmt::format("heard {}.{}", device_.name, message.name);
    desk_.line(way_, number ? fmt::format("{} {}", control, *number) : control);
  }

  OrderDesk& desk_;
  const Device& device_;
  const SerialWays::Tell& tell_;
  MessageReader reader_;
  asio::serial_port port_;
  asio::steady_timer again_;
  asio::steady_timer silence_;
  std::array<char, 512> buffer_{};
  std::shared_ptr<OrderDesk::Way> way_{};
  bool told_missing_ = false;
  MessageReader::Hear heard_ = [this](const DeviceMessage& message, std::optional<std::int64_t> number) {
    hear(message, number);
  };
  mutable std::mutex mutex_;  // of the counts
  MessageReader::Counts counts_{};
};

struct SerialWays::Inside {
  Tell tell{};
  asio::io_context context{1};
  std::vector<std::unique_ptr<SerialPortWay>> ports{};
  WriterThread thread{};
};

SerialWays::SerialWays(OrderDesk& desk, const std::vector<Device>& devices, Tell tell)
    : inside_(std::make_unique<Inside>()) {
  inside_->tell = tell ? std::move(tell) : [](const std::string&) {};
  for (const Device& device : devices)
    inside_->ports.push_back(std::make_unique<SerialPortWay>(inside_->context, desk, device, inside_->tell));
  inside_->thread.start([inside = inside_.get()] {
    for (const auto& port : inside->ports) port->look_for_it();
    inside->context.run();
  });
}

SerialWays::~SerialWays() {
  inside_->context.stop();
  inside_->thread.join();
}

MessageReader::Counts SerialWays::counts(const std::string& device) const {
  for (const auto& port : inside_->ports)
    if (port->name() == device) return port->counts();
  throw RangeError(fmt::format("no device is called {}", device));
}

}  // namespace cogstride
