// A small process that outlives a crash: it inherits the requests of the lines, and puts them at rest when
// the program that drives them ends, or gives no sign of life.
#pragma once

#include <sys/types.h>

#include <chrono>
#include <vector>

#include "cogstride/bench/live/rest_write.hpp"

namespace cogstride {

class Guardian {
 public:
  /// Starts it; before any thread. It shares nothing with the program but what the writes need and a pipe.
  /// @param patience  without a sign of life for so long, it acts. @throws Error when it cannot be started
  Guardian(const std::vector<RestWrite>& rests, std::chrono::milliseconds patience);
  /// Dismisses it: lines are at rest by then.
  ~Guardian();
  Guardian(const Guardian&) = delete;
  Guardian& operator=(const Guardian&) = delete;

  /// A sign of life, from any thread. @return whether the guardian is still there
  bool beat() noexcept;
  /// When it is there no more: whether it has put the lines at rest (else somebody ended it).
  bool has_acted() noexcept;

 private:
  int pipe_ = -1;
  pid_t process_ = -1;
  bool has_acted_ = false;
};

}  // namespace cogstride
