// The last of a run, kept for whoever looks at it while it goes on: samples, edges and events, as many as
// there is room for. Told in one thread, asked in any other; who asks copies what has been written and holds
// up nobody who tells.
#pragma once

#include <cstdint>
#include <deque>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "cogstride/trace/trace.hpp"

namespace cogstride {

/// The last of a row of values, in blocks that do not change once they are full.
template <class T, std::size_t block>
class LastOf {
 public:
  using Block = std::shared_ptr<std::vector<T>>;
  /// @param most  values that are kept at the least
  explicit LastOf(std::size_t most) : most_blocks_(most / block + 2) {}

  void push(T value) {
    if (blocks_.empty() || blocks_.back()->size() == block) {
      blocks_.push_back(std::make_shared<std::vector<T>>());
      blocks_.back()->reserve(block);
    }
    blocks_.back()->push_back(std::move(value));
    ++count_;
  }
  /// The oldest block, once there is no room for it any more; else nothing.
  [[nodiscard]] Block drop() {
    if (blocks_.size() <= most_blocks_) return nullptr;
    Block oldest = std::move(blocks_.front());
    blocks_.pop_front();
    return oldest;
  }
  /// What is there now, the oldest first. Blocks are shared, but for the last one.
  [[nodiscard]] std::vector<Block> all() const {
    std::vector<Block> blocks(blocks_.begin(), blocks_.end());
    if (!blocks.empty()) blocks.back() = std::make_shared<std::vector<T>>(*blocks.back());
    return blocks;
  }
  /// How many there have been.
  [[nodiscard]] std::int64_t count() const { return count_; }

 private:
  std::size_t most_blocks_;
  std::deque<Block> blocks_{};
  std::int64_t count_ = 0;
};

class RunWindow final : public TraceSink {
 public:
  /// What is kept at the least.
  struct Kept {
    std::size_t samples = 72'000;  ///< an hour, 20 a second
    std::size_t edges = 1'000'000;
    std::size_t events = 10'000;
  };
  struct Sample {
    Tick at = 0;
    std::vector<double> values{};  ///< in the order of the layout's signals
  };
  struct Samples {
    std::int64_t next = 0;  ///< to be asked for from there on
    std::vector<Sample> samples{};
  };
  /// A line as it was for a while.
  struct Line {
    std::string name{};
    bool starts_high = false;
    std::vector<Tick> edges{};  ///< each a change of the level
    std::int64_t left_out = 0;  ///< changes before them, of that while, that are not among them
  };

  RunWindow() : RunWindow(Kept{}) {}
  explicit RunWindow(Kept most) : samples_(most.samples), edges_(most.edges), events_(most.events) {}

  [[nodiscard]] TraceLayout layout() const;
  /// The instant that was told of last.
  [[nodiscard]] Tick now() const;
  /// How many samples there have been.
  [[nodiscard]] std::int64_t count() const;
  /// @param from  how many samples had come before the first that is wanted @param most  of them, the last
  [[nodiscard]] Samples samples(std::int64_t from, std::size_t most) const;
  /// Of the last change of a line of one that has several: "traverse" of "traverse.step". Nothing: none has.
  [[nodiscard]] std::optional<Tick> last_edge(std::string_view owner) const;
  /// All lines from an instant on. @param most  changes of a line, the last of them
  [[nodiscard]] std::vector<Line> lines(Tick from, std::size_t most) const;
  [[nodiscard]] std::vector<TraceEvent> events() const;
  /// All that is kept, in the order of time, to another sink: as if the run had begun then.
  void tell(TraceSink& sink) const;

  void begin(const TraceLayout& layout) override;
  void edge(Tick at, LineId line, bool high) override;
  void sample(Tick at, std::span<const double> values) override;
  void event(const TraceEvent& event) override;
  void end(Tick at) override;

 private:
  struct Edge {
    Tick at = 0;
    LineId line{};
    bool high = false;
  };
  static constexpr std::size_t edges_a_block = 4096;
  static constexpr std::size_t samples_a_block = 256;
  static constexpr std::size_t events_a_block = 64;

  void passed(Tick at) { now_ = std::max(now_, at); }
  [[nodiscard]] bool is_high(LineId line) const;
  void now_high(LineId line, bool high);

  mutable std::mutex mutex_{};
  TraceLayout layout_{};
  Tick now_ = 0;
  std::vector<bool> high_{};  // by line, now
  LastOf<Sample, samples_a_block> samples_;
  LastOf<Edge, edges_a_block> edges_;
  LastOf<TraceEvent, events_a_block> events_;
};

}  // namespace cogstride
