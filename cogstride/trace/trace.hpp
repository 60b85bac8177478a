// The record of one run, streamed as it happens: line changes, sampled signals, and events in words.
//
// A sink is told the layout first, then everything in the order of time, then the end. Nothing is kept here,
// so a run of hours needs no more memory than one of seconds.
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "cogstride/lines/events.hpp"

namespace cogstride {

struct TracedLine {
  LineId id{};
  std::string name{};
  bool starts_high = false;
};

/// One sampled signal. A sample that is not known (a position before homing) is NaN.
struct TracedSignal {
  std::string name{};  ///< "traverse.made"
  std::string unit{};  ///< "mm"
};

struct TraceLayout {
  std::string rig{};
  std::int64_t ticks_per_second_numerator = 1;
  std::int64_t ticks_per_second_denominator = 1;
  std::vector<TracedLine> lines{};
  std::vector<TracedSignal> signals{};
  Tick sample_period = 0;

  [[nodiscard]] double ticks_per_second() const {
    return static_cast<double>(ticks_per_second_numerator) /
           static_cast<double>(ticks_per_second_denominator);
  }
  [[nodiscard]] double seconds(Tick at) const { return static_cast<double>(at) / ticks_per_second(); }
  /// The place of a signal among the values of a sample; nothing when there is none of that name.
  [[nodiscard]] std::optional<std::size_t> place_of(std::string_view signal) const {
    for (std::size_t i = 0; i < signals.size(); ++i)
      if (signals[i].name == signal) return i;
    return std::nullopt;
  }
};

struct TraceEvent {
  enum class Kind { began, ended, note, fault, outside };  ///< outside: somebody or something else did it
  Tick at = 0;
  std::string who{};   ///< a mechanism, or empty
  std::string text{};  ///< what happened
  Kind kind = Kind::note;

  [[nodiscard]] bool is_fault() const { return kind == Kind::fault; }
  /// What a summary of many events never leaves out.
  [[nodiscard]] bool is_always_told() const { return kind == Kind::fault || kind == Kind::outside; }
};

class TraceSink {
 public:
  virtual ~TraceSink() = default;
  virtual void begin(const TraceLayout& layout) = 0;
  virtual void edge(Tick at, LineId line, bool high) = 0;
  virtual void sample(Tick at, std::span<const double> values) = 0;
  virtual void event(const TraceEvent& event) = 0;
  virtual void end(Tick at) = 0;
};

/// Hands everything on to several sinks.
class TraceFork final : public TraceSink {
 public:
  void add(TraceSink& sink) { sinks_.push_back(&sink); }
  [[nodiscard]] bool is_empty() const { return sinks_.empty(); }

  void begin(const TraceLayout& layout) override {
    for (TraceSink* sink : sinks_) sink->begin(layout);
  }
  void edge(Tick at, LineId line, bool high) override {
    for (TraceSink* sink : sinks_) sink->edge(at, line, high);
  }
  void sample(Tick at, std::span<const double> values) override {
    for (TraceSink* sink : sinks_) sink->sample(at, values);
  }
  void event(const TraceEvent& event) override {
    for (TraceSink* sink : sinks_) sink->event(event);
  }
  void end(Tick at) override {
    for (TraceSink* sink : sinks_) sink->end(at);
  }

 private:
  std::vector<TraceSink*> sinks_;
};

}  // namespace cogstride
