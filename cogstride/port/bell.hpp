// Something that a thread can sleep on, and that another one can ring.
#pragma once

#include <cstdint>

namespace cogstride {

/// ns of the clock that the kernel stamps edges with.
[[nodiscard]] std::int64_t monotonic_ns();

class Bell {
 public:
  /// @throws Error when the kernel has no descriptor left
  Bell();
  ~Bell();
  Bell(const Bell&) = delete;
  Bell& operator=(const Bell&) = delete;

  void ring() const noexcept;
  /// Returns when it has been rung, or after that time. A ring from before counts.
  void wait(std::int64_t ns) const noexcept;
  /// Readable when it has been rung; take() makes it quiet again.
  [[nodiscard]] int descriptor() const { return fd_; }
  void take() const noexcept;

 private:
  int fd_;
};

}  // namespace cogstride
