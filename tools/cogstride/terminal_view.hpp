// A rig that is operated, on the whole of a terminal: how everything is, and keys that move it.
#pragma once

#include <functional>
#include <memory>
#include <string>

#include "cogstride/hands/order_desk.hpp"
#include "cogstride/trace/last_levels.hpp"

/// Draws and reads in a thread of its own: a terminal that is blocked holds up nothing else. The terminal is
/// as it was when this has gone, and on every other way out of the program that it can see.
class TerminalView {
 public:
  struct Shown {
    std::string rig{};      ///< its name
    std::string where{};    ///< "simulated", "live lines"
    std::string listens{};  ///< "127.0.0.1:7440"; empty: no socket
    bool is_alone = true;   ///< no other way in: when it is gone, all comes to its end
  };
  /// All of it must outlive it. @throws Error when the terminal is not known
  TerminalView(cogstride::OrderDesk& desk, const cogstride::Rig& rig, const cogstride::LastLevels& levels,
               Shown shown);
  ~TerminalView();
  TerminalView(const TerminalView&) = delete;
  TerminalView& operator=(const TerminalView&) = delete;

  /// Something to be read among the answers. From any thread.
  void tell(const std::string& words);
  /// From any thread; it does not wait for the terminal.
  void update(const cogstride::OperationState& state);

 private:
  struct Inside;
  std::unique_ptr<Inside> inside_;
};
