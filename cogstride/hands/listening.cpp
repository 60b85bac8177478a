#include "cogstride/hands/listening.hpp"

#include <fmt/format.h>

#include "cogstride/quantity/error.hpp"

namespace cogstride {

using boost::asio::ip::tcp;

tcp::endpoint endpoint_of(const std::string& listen) {
  const std::size_t colon = listen.rfind(':');
  const auto refuse = [&]() -> tcp::endpoint {
    throw Error(fmt::format("'{}' is no address to listen at; one is 127.0.0.1:7440", listen));
  };
  if (colon == std::string::npos) return refuse();
  const std::string port = listen.substr(colon + 1);
  std::string host = listen.substr(0, colon);
  if (host.size() > 2 && host.front() == '[' && host.back() == ']') host = host.substr(1, host.size() - 2);
  if (port.empty() || port.size() > 5 || port.find_first_not_of("0123456789") != std::string::npos)
    return refuse();
  const int number = std::stoi(port);
  boost::system::error_code failure;
  const auto address = boost::asio::ip::make_address(host, failure);
  if (failure || number > 65535) return refuse();
  return {address, static_cast<unsigned short>(number)};
}

std::string address_text(const tcp::endpoint& endpoint) {
  const std::string address = endpoint.address().to_string();
  return fmt::format("{}:{}", endpoint.address().is_v6() ? "[" + address + "]" : address, endpoint.port());
}

void listen_at(tcp::acceptor& acceptor, const tcp::endpoint& endpoint) {
  try {
    acceptor.open(endpoint.protocol());
    acceptor.set_option(tcp::acceptor::reuse_address(true));
    acceptor.bind(endpoint);
    acceptor.listen();
  } catch (const boost::system::system_error& error) {
    throw Error(fmt::format("cannot listen at {}: {}", address_text(endpoint), error.code().message()));
  }
}

}  // namespace cogstride
