// The levels that lines have now, for whoever shows them: told in one thread, asked in another.
#pragma once

#include <atomic>
#include <memory>
#include <mutex>
#include <string>
#include <utility>
#include <vector>

#include "cogstride/trace/trace.hpp"

namespace cogstride {

class LastLevels final : public TraceSink {
 public:
  struct Level {
    std::string owner{};  ///< "traverse"
    std::string name{};   ///< "step"
    bool is_high = false;
  };
  /// Of all lines that a mechanism has. From any thread.
  [[nodiscard]] std::vector<Level> of(const std::string& owner) const {
    const std::lock_guard lock(mutex_);
    std::vector<Level> levels;
    for (const Known& line : lines_)
      if (line.owner == owner)
        levels.push_back({line.owner, line.name, line.is_high->load(std::memory_order_relaxed)});
    return levels;
  }

  void begin(const TraceLayout& layout) override {
    const std::lock_guard lock(mutex_);
    for (const TracedLine& line : layout.lines) {
      const std::size_t dot = line.name.find('.');
      if (dot == std::string::npos) continue;
      lines_.push_back({line.id, line.name.substr(0, dot), line.name.substr(dot + 1),
                        std::make_unique<std::atomic<bool>>(line.starts_high)});
    }
  }
  void edge(Tick, LineId id, bool high) override {
    for (const Known& line : lines_)
      if (line.id == id) line.is_high->store(high, std::memory_order_relaxed);
  }
  void sample(Tick, std::span<const double>) override {}
  void event(const TraceEvent&) override {}
  void end(Tick) override {}

 private:
  struct Known {
    LineId id{};
    std::string owner{};
    std::string name{};
    std::unique_ptr<std::atomic<bool>> is_high{};
  };
  mutable std::mutex mutex_;  // of the list, which is made once
  std::vector<Known> lines_{};
};

}  // namespace cogstride
