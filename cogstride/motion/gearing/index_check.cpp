#include "cogstride/motion/gearing/index_check.hpp"

#include <fmt/format.h>

#include <cmath>

namespace cogstride {

IndexCheck::IndexCheck(const Encoder& encoder)
    : name_(encoder.name),
      count_source_(counter_source(encoder.line_a)),
      index_source_(static_cast<SourceId>(encoder.line_index.value())),
      counts_per_turn_(4.0 * static_cast<double>(encoder.lines_per_turn)) {}

void IndexCheck::take(std::span<const Reading> readings) {
  for (const Reading& reading : readings) {
    if (reading.source == index_source_ && reading.raw != 0 && before_) waiting_.push_back(reading.at);
    if (reading.source != count_source_) continue;
    const Look next{reading.at, reading.raw};
    for (const Tick at : waiting_) came(at, next);
    waiting_.clear();
    before_ = next;
  }
}

void IndexCheck::came(Tick at, const Look& next) {
  const std::int64_t way = next.count - before_->count;
  if (way == 0 || next.at <= before_->at) return;  // it trembles about the index
  const double share = static_cast<double>(at - before_->at) / static_cast<double>(next.at - before_->at);
  // It comes at the count's begin on the way up, at its end on the way down; between two looks the middle of
  // a count is the likeliest place.
  const double place =
      static_cast<double>(before_->count) + share * static_cast<double>(way) + (way > 0 ? 0.5 : -0.5);
  if (!first_) {
    first_ = place;
    return;
  }
  ++looked_;
  const double since = place - *first_;
  const double off = since - std::round(since / counts_per_turn_) * counts_per_turn_;
  const bool changed = std::abs(off - static_cast<double>(off_)) >= told_from;
  if (!changed) return;
  off_ = std::llround(off);
  if (std::abs(off_) <= std::abs(most_off_)) return;
  most_off_ = off_;
  news_ = fmt::format("the count of {} is {} {} than its index says after {} turns: its edges were {}", name_,
                      std::abs(off_), off_ < 0 ? "less" : "more", looked_,
                      (off_ < 0) == (way > 0) ? "missed" : "counted twice");
}

}  // namespace cogstride
