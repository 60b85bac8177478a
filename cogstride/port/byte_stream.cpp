#include "cogstride/port/byte_stream.hpp"

#include <fmt/format.h>
#include <poll.h>
#include <sys/ioctl.h>
#include <sys/socket.h>

#include <algorithm>
#include <boost/asio/connect.hpp>
#include <boost/asio/io_context.hpp>
#include <boost/asio/ip/tcp.hpp>
#include <boost/asio/serial_port.hpp>
#include <boost/asio/write.hpp>
#include <cerrno>
#include <chrono>
#include <cstring>
#include <type_traits>

#include "cogstride/port/any_baud.hpp"
#include "cogstride/port/bell.hpp"

namespace cogstride {
namespace {

namespace asio = boost::asio;
using Failure = boost::system::error_code;

/// What poll() says of it is all that the two kinds share.
template <class Device>
class OpenStream final : public ByteStream {
 public:
  OpenStream(std::string name) : name_(std::move(name)), device_(context_) {}

  [[nodiscard]] Device& device() { return device_; }
  [[nodiscard]] asio::io_context& context() { return context_; }

  [[nodiscard]] std::int64_t now_ns() const override { return monotonic_ns(); }
  std::size_t write(std::span<const std::uint8_t> bytes) override {
    const ssize_t count = put(bytes);
    return count < 0 ? none_or_gone() : static_cast<std::size_t>(count);
  }
  std::size_t read(std::span<std::uint8_t> bytes) override {
    const ssize_t count = ::read(device_.native_handle(), bytes.data(), bytes.size());
    if (count == 0 && std::exchange(has_come_, false))
      throw Error(fmt::format("{} is gone: it was closed", name_));
    return count < 0 ? none_or_gone() : static_cast<std::size_t>(count);
  }
  void wait_until(std::int64_t ns) override {
    pollfd each[2] = {{device_.native_handle(), POLLIN, 0}, {bell_.descriptor(), POLLIN, 0}};
    const std::int64_t left = std::max<std::int64_t>(0, ns - now_ns());
    const timespec until{left / 1'000'000'000, left % 1'000'000'000};
    if (ppoll(each, 2, &until, nullptr) <= 0) return;
    has_come_ = (each[0].revents & (POLLIN | POLLHUP | POLLERR)) != 0;
    if ((each[1].revents & POLLIN) != 0) bell_.take();
  }
  void wake() noexcept override { bell_.ring(); }

 private:
  /// A connection that the other end has closed sends no signal, as it would by write().
  [[nodiscard]] ssize_t put(std::span<const std::uint8_t> bytes) {
    if constexpr (std::is_same_v<Device, asio::ip::tcp::socket>)
      return ::send(device_.native_handle(), bytes.data(), bytes.size(), MSG_NOSIGNAL);
    else
      return ::write(device_.native_handle(), bytes.data(), bytes.size());
  }
  std::size_t none_or_gone() const {
    if (errno == EAGAIN || errno == EWOULDBLOCK || errno == EINTR) return 0;
    throw Error(fmt::format("{} is gone: {}", name_, std::strerror(errno)));
  }

  std::string name_;
  asio::io_context context_{};
  Device device_;
  Bell bell_{};
  bool has_come_ = false;
};

std::unique_ptr<ByteStream> open_port(const std::string& name, std::int64_t baud) {
  auto stream = std::make_unique<OpenStream<asio::serial_port>>(name);
  asio::serial_port& port = stream->device();
  using Port = asio::serial_port_base;
  Failure failure;
  port.open(name, failure);
  if (!failure && ioctl(port.native_handle(), TIOCEXCL) != 0)
    failure = {errno, boost::system::system_category()};
  if (!failure) port.set_option(Port::character_size(8), failure);
  if (!failure) port.set_option(Port::parity(Port::parity::none), failure);
  if (!failure) port.set_option(Port::stop_bits(Port::stop_bits::one), failure);
  if (!failure) port.set_option(Port::flow_control(Port::flow_control::none), failure);
  if (!failure) failure = {set_any_baud(port.native_handle(), baud), boost::system::system_category()};
  if (failure) throw Error(fmt::format("{} cannot be opened: {}", name, failure.message()));
  return stream;
}

std::unique_ptr<ByteStream> open_connection(const std::string& name, const std::string& host,
                                            const std::string& service, std::int64_t patience_ns) {
  auto stream = std::make_unique<OpenStream<asio::ip::tcp::socket>>(name);
  asio::ip::tcp::resolver resolver(stream->context());
  Failure failure;
  const auto found = resolver.resolve(host, service, failure);
  if (!failure) {
    bool has_answered = false;
    asio::async_connect(stream->device(), found, [&](const Failure& how, const asio::ip::tcp::endpoint&) {
      has_answered = true;
      failure = how;
    });
    stream->context().run_for(std::chrono::nanoseconds(patience_ns));
    if (!has_answered) {
      Failure closed;
      stream->device().close(closed);
      stream->context().run();
      throw Error(fmt::format("{} cannot be reached: nobody has answered for {:.3g} s", name,
                              1e-9 * static_cast<double>(patience_ns)));
    }
  }
  if (!failure) stream->device().set_option(asio::ip::tcp::no_delay(true), failure);
  if (!failure) stream->device().native_non_blocking(true, failure);
  if (failure) throw Error(fmt::format("{} cannot be reached: {}", name, failure.message()));
  return stream;
}

}  // namespace

std::unique_ptr<ByteStream> open_byte_stream(const std::string& name, std::int64_t baud,
                                             std::int64_t patience_ns) {
  constexpr std::string_view tcp = "tcp:";
  if (!name.starts_with(tcp)) return open_port(name, baud);
  const std::size_t colon = name.rfind(':');
  if (colon < tcp.size()) throw Error(fmt::format("{}: a connection is \"tcp:HOST:PORT\"", name));
  return open_connection(name, name.substr(tcp.size(), colon - tcp.size()), name.substr(colon + 1),
                         patience_ns);
}

}  // namespace cogstride
