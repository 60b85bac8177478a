// A line of progress on a terminal, when something takes longer than a second.
//
// It is written in a thread of its own: a terminal that takes nothing (Ctrl-S, a dead connection) holds up
// this line alone.
#pragma once

#include <sys/ioctl.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <condition_variable>
#include <cstdio>
#include <memory>
#include <mutex>
#include <stop_token>
#include <string>
#include <thread>
#include <utility>

#include "cogstride/trace/writer_thread.hpp"

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
    std::string line(static_cast<std::size_t>(width) + 1, ' ');
    line[0] = '\r';
    const std::string shown = "  " + words;
    line.replace(1, std::min(shown.size(), line.size() - 1), shown, 0, line.size() - 1);
    write(line);
    shown_ = true;
  }
  void clear() {
    if (shown_) write("\r" + std::string(static_cast<std::size_t>(columns() - 1), ' ') + "\r");
    shown_ = false;
    if (writer_ == nullptr) return;
    // What is on its way comes before what is printed next, unless nothing gets through.
    std::unique_lock lock(writer_->mutex);
    writer_->changed.wait_for(lock, longest_wait, [&] { return writer_->line.empty() && !writer_->writes; });
  }
  ProgressLine() = default;
  ~ProgressLine() {
    try {
      clear();
      if (writer_ == nullptr) return;
      const std::lock_guard lock(writer_->mutex);
      writer_->ends = true;
      writer_->changed.notify_all();
    } catch (...) {  // no memory for a blank line: it stays
    }
  }
  ProgressLine(const ProgressLine&) = delete;
  ProgressLine& operator=(const ProgressLine&) = delete;

 private:
  static constexpr auto longest_wait = std::chrono::milliseconds(300);

  /// Shared with the thread, which may hang in a write for longer than anybody waits for it.
  struct Writer {
    std::mutex mutex{};
    std::condition_variable changed{};
    std::string line{};  // to be written; a newer one takes its place
    bool writes = false;
    bool ends = false;

    void run() {
      std::unique_lock lock(mutex);
      for (;;) {
        changed.wait(lock, [&] { return ends || !line.empty(); });
        if (line.empty()) return;
        const std::string now = std::exchange(line, {});
        writes = true;
        lock.unlock();
        [[maybe_unused]] const auto done = ::write(STDERR_FILENO, now.data(), now.size());
        lock.lock();
        writes = false;
        changed.notify_all();
      }
    }
  };

  void write(const std::string& line) {
    if (writer_ == nullptr) {
      writer_ = std::make_shared<Writer>();
      cogstride::WriterThread thread;
      thread.start([writer = writer_] { writer->run(); });
      thread.detach();
    }
    const std::lock_guard lock(writer_->mutex);
    writer_->line = line;
    writer_->changed.notify_all();
  }
  /// Of the terminal: what is longer would wrap, and stay.
  [[nodiscard]] static int columns() {
    winsize size{};
    return ioctl(STDERR_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_col > 20 ? size.ws_col : 80;
  }

  bool shown_ = false;
  std::shared_ptr<Writer> writer_{};
  std::chrono::steady_clock::time_point next_ = std::chrono::steady_clock::now() + std::chrono::seconds(1);
};

/// Says how long something has been at it that cannot tell how far it has come, from the second second on.
class ElapsedLine {
 public:
  explicit ElapsedLine(std::string doing)
      : thread_([this, doing = std::move(doing)](const std::stop_token& ends) {
          std::mutex mutex;
          std::condition_variable_any changed;
          std::unique_lock lock(mutex);
          const auto began = std::chrono::steady_clock::now();
          while (!changed.wait_for(lock, ends, std::chrono::milliseconds(500),
                                   [&] { return ends.stop_requested(); })) {
            const std::chrono::duration<double> passed = std::chrono::steady_clock::now() - began;
            if (progress_.is_due())
              progress_.say(doing + ": " + std::to_string(static_cast<int>(passed.count())) + " s");
          }
        }) {}

 private:
  ProgressLine progress_{};  // before the thread that writes it, so that it outlives it
  std::jthread thread_;
};
