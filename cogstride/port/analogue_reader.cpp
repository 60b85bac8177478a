#include "cogstride/port/analogue_reader.hpp"

#include <algorithm>
#include <chrono>

#include "cogstride/quantity/error.hpp"

namespace cogstride {

AnalogueReader::AnalogueReader(Converter& converter, std::int64_t channels, Clock clock,
                               std::function<void()> told)
    : converter_(converter),
      channels_(channels),
      clock_(std::move(clock)),
      told_(std::move(told)),
      thread_([this] { run(); }) {}

AnalogueReader::~AnalogueReader() {
  {
    const std::lock_guard lock(mutex_);
    ends_ = true;
  }
  changed_.notify_one();
  thread_.join();
}

bool AnalogueReader::has(SourceId source) const {
  return source >= analogue_source(0) && source < analogue_source(channels_);
}

void AnalogueReader::sample(SourceId source, Tick first, Tick period) {
  {
    const std::lock_guard lock(mutex_);
    asked_[source] = {static_cast<std::int64_t>(source) - static_cast<std::int64_t>(analogue_source(0)),
                      first, period};
  }
  changed_.notify_one();
}

void AnalogueReader::clear() {
  const std::lock_guard lock(mutex_);
  asked_.clear();
}

void AnalogueReader::take(std::vector<Reading>& readings) {
  const std::lock_guard lock(mutex_);
  readings.insert(readings.end(), readings_.begin(), readings_.end());
  readings_.clear();
}

std::string AnalogueReader::gone() const {
  const std::lock_guard lock(mutex_);
  return gone_;
}

std::int64_t AnalogueReader::read() const {
  const std::lock_guard lock(mutex_);
  return read_;
}

std::int64_t AnalogueReader::left_out() const {
  const std::lock_guard lock(mutex_);
  return left_out_;
}

std::map<SourceId, AnalogueReader::Asked>::iterator AnalogueReader::soonest() {
  return std::min_element(asked_.begin(), asked_.end(),
                          [](const auto& a, const auto& b) { return a.second.next < b.second.next; });
}

void AnalogueReader::run() {
  std::unique_lock lock(mutex_);
  while (!ends_ && gone_.empty()) {
    const auto next = soonest();
    if (next == asked_.end() || next->second.next == never) {
      changed_.wait(lock);
      continue;
    }
    const Tick early = next->second.next - clock_.now();
    if (early > 0) {
      changed_.wait_for(lock,
                        std::chrono::duration<double>(static_cast<double>(early) / clock_.ticks_per_second));
      continue;  // it may have been told otherwise
    }
    const SourceId source = next->first;
    Asked& asked = next->second;
    const std::int64_t channel = asked.channel;
    asked.next = asked.period > 0 ? asked.next + asked.period : never;
    if (const Tick behind = clock_.now() - asked.next; asked.period > 0 && behind > 0) {
      const Tick missed = behind / asked.period + 1;
      left_out_ += missed;
      asked.next += missed * asked.period;
    }
    lock.unlock();
    Reading reading{0, source, 0};
    std::string gone;
    try {
      reading.raw = converter_.read(channel);
    } catch (const Error& error) {
      gone = error.what();
    }
    reading.at = clock_.now();
    lock.lock();
    gone_ = gone;
    if (gone.empty()) {
      readings_.push_back(reading);
      ++read_;
    }
    lock.unlock();
    told_();
    lock.lock();
  }
}

}  // namespace cogstride
