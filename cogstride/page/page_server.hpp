// A page that a browser opens, from which hands move a rig and others look on: served to this computer, or to
// those of the same network, and to nobody by a detour. What hands order there is what they order elsewhere
// (hands/order_desk.hpp): each viewer is a way in.
//
// Over HTTP it gives the page and its parts, which are built in, and the record of the run so far; all else
// goes over a WebSocket, as JSON (docs/page.md): orders and answers as everywhere, how everything is ten
// times a second, samples of the record's signals, lines when they are asked for. A viewer that takes nothing
// misses some of it, and is let go when it takes no answers; nobody waits for it.
//
// Who comes from outside this computer brings a token; so does everybody where the rig names one. A request
// that another page sends, or that names a host that is none of this computer's, is refused.
//
// Threads: all of it is a thread of its own; it is made and taken down by the bench's, while that does not
// run.
#pragma once

#include <functional>
#include <memory>
#include <string>

#include "cogstride/hands/access_token.hpp"
#include "cogstride/hands/order_desk.hpp"
#include "cogstride/trace/run_window.hpp"

namespace cogstride {

class PageServer {
 public:
  static constexpr const char* usual_address = "127.0.0.1:7480";

  struct Options {
    std::string listen = usual_address;  ///< port 0: any that is free
    /// Left out: one of its own. When it is renewed, who came by the old one is let go at once.
    std::shared_ptr<AccessToken> token{};
    bool look_without_token = false;
    std::string where{};    ///< said beside the rig's name: "simulated", "live lines"
    std::string scripts{};  ///< folder of the scripts that are offered; empty: none are
    const RunWindow* window =
        nullptr;  ///< a sink of the bench; null: no charts, lines or record. It outlives
    /// Told, in words, who has come and gone, from a thread of its own.
    std::function<void(const std::string&)> tell{};
  };
  /// Serves from now on. All of it must outlive it. @throws Error when the address is none, or cannot be had
  PageServer(Bench& bench, Operation& operation, OrderDesk& desk, Options options);
  /// Viewers are told that it is over, and let go.
  ~PageServer();
  PageServer(const PageServer&) = delete;
  PageServer& operator=(const PageServer&) = delete;

  /// "127.0.0.1:7480"
  [[nodiscard]] const std::string& address() const;
  /// What a browser opens, the token in it where one is wanted: "http://192.168.1.20:7480/#token=..."; one
  /// for each address that this computer is known by there.
  [[nodiscard]] std::vector<std::string> links() const;

 private:
  struct Inside;
  std::unique_ptr<Inside> inside_;
};

}  // namespace cogstride
