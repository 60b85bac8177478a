#include "cogstride/trace/queued_sink.hpp"

#include <chrono>
#include <exception>
#include <memory>
#include <thread>

namespace cogstride {
namespace {
constexpr auto between_looks = std::chrono::milliseconds(20);
}

QueuedSink::QueuedSink(TraceSink& inner, std::size_t room) : inner_(inner), items_(room) {}

QueuedSink::~QueuedSink() {
  join();
}

void QueuedSink::begin(const TraceLayout& layout) {
  inner_.begin(layout);
  thread_.start([this] { run(); });
}

bool QueuedSink::push(const Item& item) {
  if (items_.push(item)) return true;
  ++left_out_;
  return false;
}

void QueuedSink::edge(Tick at, LineId line, bool high) {
  push({.kind = Item::Kind::edge, .high = high, .line = line, .at = at});
}

void QueuedSink::sample(Tick at, std::span<const double> values) {
  auto kept = std::make_unique<std::vector<double>>(values.begin(), values.end());
  if (push({.kind = Item::Kind::sample, .at = at, .values = kept.get()})) (void)kept.release();
}

void QueuedSink::event(const TraceEvent& event) {
  auto kept = std::make_unique<TraceEvent>(event);
  if (push({.kind = Item::Kind::event, .at = event.at, .event = kept.get()})) (void)kept.release();
}

void QueuedSink::end(Tick at) {
  if (!thread_.is_joinable()) return;
  // The end must arrive: there is time for it, since nothing moves any more.
  while (!items_.push({.kind = Item::Kind::end, .at = at})) std::this_thread::sleep_for(between_looks);
  join();
}

void QueuedSink::join() {
  if (!thread_.is_joinable()) return;
  ends_.store(true, std::memory_order_release);
  thread_.join();
}

void QueuedSink::write(const Item& item) {
  const std::unique_ptr<std::vector<double>> values(item.values);
  const std::unique_ptr<TraceEvent> event(item.event);
  if (!failure_.empty()) return;
  try {
    switch (item.kind) {
      case Item::Kind::edge:
        inner_.edge(item.at, item.line, item.high);
        break;
      case Item::Kind::sample:
        inner_.sample(item.at, *values);
        break;
      case Item::Kind::event:
        inner_.event(*event);
        break;
      case Item::Kind::end:
        inner_.end(item.at);
        break;
    }
  } catch (const std::exception& error) {
    failure_ = error.what();
    if (failure_.empty()) failure_ = "the record failed";
  } catch (...) {
    failure_ = "the record failed";
  }
}

void QueuedSink::run() {
  for (;;) {
    const bool is_last = ends_.load(std::memory_order_acquire);
    Item item;
    while (items_.pop(item)) write(item);
    if (is_last) return;
    std::this_thread::sleep_for(between_looks);
  }
}

}  // namespace cogstride
