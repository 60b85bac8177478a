// A port that keeps the levels of lines and pins, by this computer's clock, with somebody who presses what it
// reads.
#pragma once

#include <array>
#include <initializer_list>
#include <mutex>
#include <vector>

#include "cogstride/port/null_port.hpp"

namespace cogstride::testing_support {

class LevelPort : public LinePort {
 public:
  explicit LevelPort(std::initializer_list<LineId> high) {
    edges_.reserve(16);  // so that a press asks for no memory
    for (const LineId line : high) level(line) = true;
  }
  [[nodiscard]] std::int64_t now_ns() override { return clock_.now_ns(); }
  [[nodiscard]] bool read(LineId line) override {
    const std::lock_guard lock(mutex_);
    return level(line);
  }
  void take_edges(std::vector<PortEdge>& edges) override {
    const std::lock_guard lock(mutex_);
    edges.insert(edges.end(), edges_.begin(), edges_.end());
    edges_.clear();
  }
  void write(std::span<const Level> levels) override {
    const std::lock_guard lock(mutex_);
    for (const Level& each : levels) level(each.line) = each.high;
  }
  RestOutcome rest() noexcept override { return {}; }
  void sleep_until(std::int64_t ns) override { clock_.sleep_until(ns); }
  void wake() noexcept override { clock_.wake(); }

  /// From another thread: a hand.
  void press(LineId line, bool high) {
    {
      const std::lock_guard lock(mutex_);
      change(line, high);
    }
    clock_.wake();
  }

 protected:
  /// With the mutex held.
  [[nodiscard]] bool& level(LineId line) { return levels_[static_cast<std::size_t>(line)]; }
  void change(LineId line, bool high) {
    level(line) = high;
    edges_.push_back({clock_.now_ns(), line, high});
  }
  std::mutex mutex_;

 private:
  NullPort clock_;
  std::array<bool, 2048> levels_{};
  std::vector<PortEdge> edges_;
};

}  // namespace cogstride::testing_support
