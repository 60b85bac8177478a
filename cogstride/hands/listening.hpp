// An address at which somebody is listened for, and how answers come to who has come there; for sockets and
// the page.
#pragma once

#include <boost/asio/io_context.hpp>
#include <boost/asio/ip/tcp.hpp>
#include <boost/asio/post.hpp>
#include <functional>
#include <memory>
#include <string>
#include <utility>

namespace cogstride {

/// "127.0.0.1:7440", "[::1]:7440"; port 0: any that is free. @throws Error when it is none
[[nodiscard]] boost::asio::ip::tcp::endpoint endpoint_of(const std::string& listen);
/// "127.0.0.1:7440"
[[nodiscard]] std::string address_text(const boost::asio::ip::tcp::endpoint& endpoint);
/// Listens there from now on. @throws Error when it cannot be had
void listen_at(boost::asio::ip::tcp::acceptor& acceptor, const boost::asio::ip::tcp::endpoint& endpoint);
/// Hands each answer on, from any thread, in the thread of a context, to one who has come and is still there.
template <class Who>
[[nodiscard]] std::function<void(std::string)> said_in(boost::asio::io_context& context,
                                                       std::weak_ptr<Who> who) {
  return [&context, who = std::move(who)](std::string line) {
    boost::asio::post(context, [who, text = std::move(line)]() mutable {
      if (const auto here = who.lock()) here->say(std::move(text));
    });
  };
}

}  // namespace cogstride
