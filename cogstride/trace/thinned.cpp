#include "cogstride/trace/thinned.hpp"

#include "cogstride/quantity/error.hpp"

namespace cogstride {

void ThinnedSignal::add(Tick at, double value) {
  if (std::isnan(value)) return;
  if (in_last_ == 0) {
    stretches_.push_back({at, value, value, false});
  } else {
    Stretch& last = stretches_.back();
    if (value < last.low) last.falls = true;
    if (value > last.high) last.falls = false;
    last.low = std::min(last.low, value);
    last.high = std::max(last.high, value);
  }
  in_last_ = (in_last_ + 1) % samples_per_stretch_;
  if (stretches_.size() < most_stretches || in_last_ != 0) return;
  for (std::size_t i = 0; i < most_stretches / 2; ++i) {
    const Stretch& a = stretches_[2 * i];
    const Stretch& b = stretches_[2 * i + 1];
    const bool falls = a.low <= b.low ? (a.high >= b.high && a.falls) : (a.high >= b.high || b.falls);
    stretches_[i] = {a.at, std::min(a.low, b.low), std::max(a.high, b.high), falls};
  }
  stretches_.resize(most_stretches / 2);
  samples_per_stretch_ *= 2;
}

void ThinnedTrace::begin(const TraceLayout& layout) {
  layout_ = layout;
  speed_place_ = layout.place_of(speed_signal_);
  signals_.resize(layout.signals.size());
  bursts_.resize(layout.lines.size());
  for (std::size_t i = 0; i < layout.lines.size(); ++i) {
    levels_.push_back(layout.lines[i].starts_high);
  }
  merge_within_ = static_cast<Tick>(0.004 * layout.ticks_per_second());
  silence_ = static_cast<Tick>(0.02 * layout.ticks_per_second());
}

void ThinnedTrace::add_to_burst(std::size_t line, Tick at, bool away) {
  std::vector<Burst>& bursts = bursts_[line];
  if (!away) {
    if (!bursts.empty()) bursts.back().to = at;
    return;
  }
  if (!bursts.empty() && at - bursts.back().to <= merge_within_) {
    bursts.back().to = never;
    return;
  }
  bursts.push_back({at, never});
  if (bursts.size() < most_bursts) return;
  // Too many to keep: bursts within twice the distance become one.
  merge_within_ *= 2;
  std::vector<Burst> merged{bursts.front()};
  for (std::size_t i = 1; i < bursts.size(); ++i) {
    if (bursts[i].from - merged.back().to <= merge_within_) {
      merged.back().to = bursts[i].to;
    } else {
      merged.push_back(bursts[i]);
    }
  }
  bursts = std::move(merged);
}

void ThinnedTrace::finish_candidate() {
  if (candidate_.empty() || candidate_speed_ <= best_speed_) return;
  best_ = candidate_;
  best_speed_ = candidate_speed_;
  levels_before_best_ = levels_before_candidate_;
}

void ThinnedTrace::edge(Tick at, LineId line, bool high) {
  const auto found = std::find_if(layout_.lines.begin(), layout_.lines.end(),
                                  [&](const TracedLine& l) { return l.id == line; });
  if (found == layout_.lines.end()) return;
  const auto index = static_cast<std::size_t>(found - layout_.lines.begin());
  add_to_burst(index, at, high != found->starts_high);
  if (line == step_line_) {
    if (at - last_step_ > silence_) {
      finish_candidate();
      candidate_.clear();
      candidate_speed_ = 0.0;
      levels_before_candidate_ = levels_;
    }
    last_step_ = at;
  }
  // What comes before the first pulse belongs to no burst.
  const bool in_burst = line == step_line_ || !candidate_.empty();
  if (in_burst && candidate_.size() < most_close_edges) candidate_.push_back({at, line, high});
  levels_[index] = high;
}

void ThinnedTrace::sample(Tick at, std::span<const double> values) {
  for (std::size_t i = 0; i < values.size(); ++i) signals_[i].add(at, values[i]);
  if (speed_place_) candidate_speed_ = std::max(candidate_speed_, std::abs(values[*speed_place_]));
}

const ThinnedSignal& ThinnedTrace::signal(std::string_view name) const {
  if (const std::optional<std::size_t> place = layout_.place_of(name)) return signals_[*place];
  throw RangeError("the record has no signal " + std::string(name));
}

void ThinnedTrace::end(Tick at) {
  finish_candidate();
  end_ = at;
  for (std::vector<Burst>& line : bursts_) {
    if (!line.empty() && line.back().to == never) line.back().to = at;
  }
}

}  // namespace cogstride
