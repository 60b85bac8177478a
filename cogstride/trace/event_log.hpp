// Keeps the events of a run for its summary: the first of them, and how many more there were.
#pragma once

#include <vector>

#include "cogstride/trace/trace.hpp"

namespace cogstride {

class EventLog final : public TraceSink {
 public:
  explicit EventLog(std::size_t most = 1000) : most_(most) {}

  [[nodiscard]] const std::vector<TraceEvent>& events() const { return events_; }
  [[nodiscard]] std::size_t left_out() const { return left_out_; }
  [[nodiscard]] const TraceLayout& layout() const { return layout_; }

  void begin(const TraceLayout& layout) override { layout_ = layout; }
  void edge(Tick, LineId, bool) override {}
  void sample(Tick, std::span<const double>) override {}
  void event(const TraceEvent& event) override {
    if (events_.size() < most_ || event.is_always_told()) {
      events_.push_back(event);
    } else {
      ++left_out_;
    }
  }
  void end(Tick) override {}

 private:
  std::size_t most_;
  std::vector<TraceEvent> events_;
  std::size_t left_out_ = 0;
  TraceLayout layout_;
};

}  // namespace cogstride
