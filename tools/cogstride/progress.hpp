// A line of progress on a terminal, when something takes longer than a second.
#pragma once

#include <sys/ioctl.h>
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
    const int width = columns() - 1;
    std::fprintf(stderr, "\r%-*.*s", width, width, ("  " + words).c_str());
    shown_ = true;
  }
  void clear() {
    if (shown_) std::fprintf(stderr, "\r%*s\r", columns() - 1, "");
    shown_ = false;
  }
  ~ProgressLine() { clear(); }

 private:
  /// Of the terminal: what is longer would wrap, and stay.
  [[nodiscard]] static int columns() {
    winsize size{};
    return ioctl(STDERR_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_col > 20 ? size.ws_col : 80;
  }

  bool shown_ = false;
  std::chrono::steady_clock::time_point next_ = std::chrono::steady_clock::now() + std::chrono::seconds(1);
};
