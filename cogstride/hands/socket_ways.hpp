// Orders by a TCP socket: a line each, answered in lines, as by standard input. One file, so that what it
// takes to wait on sockets is compiled once.
//
// Who comes from outside this computer says `token ...` first, and so does everybody where the rig names one.
// Without it nothing is ordered but `stop everything`, and nothing shown unless the rig lets it.
#pragma once

#include <functional>
#include <memory>
#include <string>

#include "cogstride/hands/access_token.hpp"
#include "cogstride/hands/order_desk.hpp"

namespace cogstride {

class SocketWays {
 public:
  struct Options {
    std::string listen{};  ///< "127.0.0.1:7440"; port 0: any that is free
    /// Left out: one of its own. When it is renewed, who came by the old one is let go at once.
    std::shared_ptr<AccessToken> token{};
    bool look_without_token = false;
    bool json = false;
    /// Told, in words, who has come and gone, from a thread of its own.
    std::function<void(const std::string&)> tell{};
  };
  /// Listens from now on, in a thread of its own. @param desk  must outlive it
  /// @throws Error when the address is none, or cannot be had
  SocketWays(OrderDesk& desk, Options options);
  /// Nobody is heard any more, and all are let go.
  ~SocketWays();
  SocketWays(const SocketWays&) = delete;
  SocketWays& operator=(const SocketWays&) = delete;

  /// "127.0.0.1:7440"
  [[nodiscard]] const std::string& address() const;

 private:
  struct Inside;
  std::unique_ptr<Inside> inside_;
};

}  // namespace cogstride
