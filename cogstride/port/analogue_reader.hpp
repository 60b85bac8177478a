// Asks a converter for codes at set instants, in a thread of its own: a conversion may take longer than there
// is between two edges.
//
// A converter that is too slow for what is asked of it gives what it can; what was left out is counted.
#pragma once

#include <condition_variable>
#include <functional>
#include <map>
#include <mutex>
#include <string>
#include <thread>
#include <vector>

#include "cogstride/lines/events.hpp"
#include "cogstride/port/converter.hpp"

namespace cogstride {

class AnalogueReader {
 public:
  struct Clock {
    std::function<Tick()> now{};  ///< from any thread
    double ticks_per_second = 0.0;
  };
  /// @param converter  must outlive it; @param told  rings when there is something to take, from its thread
  AnalogueReader(Converter& converter, std::int64_t channels, Clock clock, std::function<void()> told);
  ~AnalogueReader();
  AnalogueReader(const AnalogueReader&) = delete;
  AnalogueReader& operator=(const AnalogueReader&) = delete;

  /// Whether a source is one of its channels.
  [[nodiscard]] bool has(SourceId source) const;
  /// As Lines::sample.
  void sample(SourceId source, Tick first, Tick period);
  /// Forgets all that was asked.
  void clear();
  /// Appends the codes that have come. A code bears the instant at which it was there.
  void take(std::vector<Reading>& readings);
  /// Why no codes come any more; empty: they do.
  [[nodiscard]] std::string gone() const;
  /// Codes read, and those left out because the converter was still busy.
  [[nodiscard]] std::int64_t read() const;
  [[nodiscard]] std::int64_t left_out() const;

 private:
  struct Asked {
    std::int64_t channel = 0;
    Tick next = never;
    Tick period = 0;
  };
  void run();
  [[nodiscard]] std::map<SourceId, Asked>::iterator soonest();

  Converter& converter_;
  std::int64_t channels_;
  Clock clock_;
  std::function<void()> told_;
  mutable std::mutex mutex_;  // of all below
  std::condition_variable changed_;
  std::map<SourceId, Asked> asked_;
  std::vector<Reading> readings_;
  std::string gone_;
  std::int64_t read_ = 0;
  std::int64_t left_out_ = 0;
  bool ends_ = false;
  std::thread thread_;
};

}  // namespace cogstride
