// A line of progress on a terminal, when something takes longer than a second.
#pragma once

#include <unistd.h>

#include <chrono>
#include <cstdio>
#include <string>

class ProgressLine {
 public:
  /// Whether it is time to say something again: at most twice a second, from the second second on.
  [[nodiscard]] bool is_due() {
    if (isatty(STDERR_FILENO) == 0) return false;
    const auto now = std::chrono::steady_clock::now();
    if (now < next_) return false;
    next_ = now + std::chrono::milliseconds(500);
    return true;
  }
  void say(const std::string& words) {
    std::fprintf(stderr, "\r%-78s", ("  " + words).c_str());
    shown_ = true;
  }
  void clear() {
    if (shown_) std::fprintf(stderr, "\r%78s\r", "");
    shown_ = false;
  }
  ~ProgressLine() { clear(); }

 private:
  bool shown_ = false;
  std::chrono::steady_clock::time_point next_ = std::chrono::steady_clock::now() + std::chrono::seconds(1);
};
