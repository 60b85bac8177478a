// A sink that writes in a thread of its own: whoever tells it something never waits for a disk or a terminal,
// and never sees it fail.
//
// What comes while its queue is full is left out and counted. When the sink behind it fails, it is told
// nothing any more, and failure() says why.
#pragma once

#include <atomic>
#include <boost/lockfree/spsc_queue.hpp>
#include <string>
#include <vector>

#include "cogstride/trace/trace.hpp"
#include "cogstride/trace/writer_thread.hpp"

namespace cogstride {

class QueuedSink final : public TraceSink {
 public:
  static constexpr std::size_t usual_room = 1U << 17U;  ///< edges, samples and events that may wait

  /// @param inner  must outlive it
  explicit QueuedSink(TraceSink& inner, std::size_t room = usual_room);
  /// Waits until what was told is written.
  ~QueuedSink() override;
  QueuedSink(const QueuedSink&) = delete;
  QueuedSink& operator=(const QueuedSink&) = delete;

  /// At once, in the caller's thread: nothing moves yet. @throws what the sink throws
  void begin(const TraceLayout& layout) override;
  void edge(Tick at, LineId line, bool high) override;
  void sample(Tick at, std::span<const double> values) override;
  void event(const TraceEvent& event) override;
  /// Waits until all is written.
  void end(Tick at) override;

  /// What was left out, because the sink was too slow.
  [[nodiscard]] std::int64_t left_out() const { return left_out_; }
  /// Why the sink was given up; empty: it was not. After end().
  [[nodiscard]] const std::string& failure() const { return failure_; }

 private:
  struct Item {
    enum class Kind : std::uint8_t { edge, sample, event, end };
    Kind kind = Kind::edge;
    bool high = false;
    LineId line{};
    Tick at = 0;
    std::vector<double>* values = nullptr;  // ours, until it is written
    TraceEvent* event = nullptr;            // the same
  };

  bool push(const Item& item);
  void run();
  void write(const Item& item);
  void join();

  TraceSink& inner_;
  boost::lockfree::spsc_queue<Item> items_;
  std::int64_t left_out_ = 0;
  std::string failure_{};
  std::atomic<bool> ends_{false};
  WriterThread thread_{};
};

}  // namespace cogstride
