// A small process that outlives a crash: it inherits the requests of the lines, and puts them at rest when
// the program that drives them ends, or gives no sign of life.
//
// To act, it ends the program first, waits until that is gone, and writes only then: nothing is written after
// it. Each sign of life is answered, so that a guardian that was stopped or ended is noticed as well.
#pragma once

#include <sys/types.h>

#include <chrono>
#include <cstdint>
#include <vector>

#include "cogstride/port/rest_write.hpp"

namespace cogstride {

class Guardian {
 public:
  /// Starts it; before any thread. It shares nothing with the program but what the writes need and a pipe.
  /// @param patience  without a sign of life for so long, it acts. @throws Error when it cannot be started
  Guardian(const std::vector<RestWrite>& rests, std::chrono::milliseconds patience);
  /// Dismisses it, if nobody has done so: lines are at rest by then.
  ~Guardian();
  Guardian(const Guardian&) = delete;
  Guardian& operator=(const Guardian&) = delete;

  enum class State : std::uint8_t {
    well,    ///< it has answered within its own patience
    silent,  ///< it has not: somebody has stopped it
    ended    ///< it is gone
  };
  /// A sign of life, from any one thread. @return how the guardian is
  [[nodiscard]] State beat() noexcept;

  /// Ends it without a write: all lines are known to be at rest. Waits for its end, and kills one that does
  /// not end.
  void dismiss() noexcept;
  /// Lines did not all come to rest: it tries once more, and ends.
  /// @return whether every line took it
  [[nodiscard]] bool puts_at_rest() noexcept;

 private:
  [[nodiscard]] int end_with(char word) noexcept;

  std::chrono::milliseconds patience_;
  std::int64_t answered_ns_ = 0;
  int pipe_ = -1;
  pid_t process_ = -1;
};

}  // namespace cogstride
