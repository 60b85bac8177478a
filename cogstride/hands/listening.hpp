// An address at which somebody is listened for, as sockets and the page take it.
#pragma once

#include <boost/asio/ip/tcp.hpp>
#include <string>

namespace cogstride {

/// "127.0.0.1:7440", "[::1]:7440"; port 0: any that is free. @throws Error when it is none
[[nodiscard]] boost::asio::ip::tcp::endpoint endpoint_of(const std::string& listen);
/// "127.0.0.1:7440"
[[nodiscard]] std::string address_text(const boost::asio::ip::tcp::endpoint& endpoint);
/// Listens there from now on. @throws Error when it cannot be had
void listen_at(boost::asio::ip::tcp::acceptor& acceptor, const boost::asio::ip::tcp::endpoint& endpoint);

}  // namespace cogstride
