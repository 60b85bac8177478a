#include "cogstride/bench/pwm_timer.hpp"

#include <algorithm>

#include "cogstride/quantity/error.hpp"

namespace cogstride {

PwmTimer::PwmTimer(PwmSetup setup) : setup_(std::move(setup)), channels_(setup_.channels.size()) {
  if (setup_.period <= 0) throw RangeError("a PWM period must be at least one tick");
  if (setup_.dead_time < 0) throw RangeError("a dead time cannot be negative");
}

void PwmTimer::put(Tick at, std::span<const Compare> compares) {
  for (const Compare& compare : compares) {
    if (compare.channel >= channels_.size()) throw RangeError("the PWM group has no channel of that number");
    if (compare.on_ticks < 0 || compare.on_ticks > setup_.period) {
      throw RangeError("a compare value lies between 0 and the period");
    }
  }
  const Tick starts = (at + setup_.period - 1) / setup_.period * setup_.period;
  pending_.push_back({starts, {compares.begin(), compares.end()}});
  if (setup_.averaged) {
    next_period_ = std::min(next_period_, starts);
  } else if (next_period_ == never) {
    next_period_ = starts;
  }
}

void PwmTimer::withdraw(Tick from) {
  std::erase_if(pending_, [&](const Pending& item) { return item.at >= from; });
}

void PwmTimer::stop() {
  pending_.clear();
  next_period_ = never;
  std::fill(channels_.begin(), channels_.end(), Channel{});
}

Tick PwmTimer::next() const {
  Tick soonest = next_period_;
  for (const Channel& channel : channels_)
    soonest = std::min({soonest, channel.change_at, channel.coming_on});
  return soonest;
}

Tick PwmTimer::rise_of(const Channel& channel) const {
  return period_start_ +
         (setup_.alignment == PwmAlignment::edge ? 0 : (setup_.period - channel.on_ticks) / 2);
}

void PwmTimer::start_period(Tick at) {
  period_start_ = at;
  next_period_ = at + setup_.period;
  for (auto item = pending_.begin(); item != pending_.end();) {
    if (item->at > at) {
      ++item;
      continue;
    }
    for (const Compare& compare : item->compares) {
      channels_[compare.channel].on_ticks = compare.on_ticks;
      channels_[compare.channel].runs = true;
    }
    item = pending_.erase(item);
  }
}

/// The compare unit changes: the side that was on goes off now, the other one comes on after the dead time.
void PwmTimer::turn(std::size_t index, bool wanted, Tick at, std::vector<Level>& changes) {
  Channel& channel = channels_[index];
  const PwmSetup::Channel& lines = setup_.channels[index];
  channel.wanted = wanted;
  if (!wanted && channel.line_on) changes.push_back({lines.line, false});
  if (!wanted) channel.line_on = false;
  if (!lines.complement) {
    if (wanted && !channel.line_on) {
      channel.line_on = true;
      changes.push_back({lines.line, true});
    }
    return;
  }
  if (wanted && channel.complement_on) {
    channel.complement_on = false;
    changes.push_back({*lines.complement, false});
  }
  channel.coming_on = at + setup_.dead_time;
  if (setup_.dead_time == 0) come_on(index, changes);
}

void PwmTimer::come_on(std::size_t index, std::vector<Level>& changes) {
  Channel& channel = channels_[index];
  const PwmSetup::Channel& lines = setup_.channels[index];
  channel.coming_on = never;
  bool& side = channel.wanted ? channel.line_on : channel.complement_on;
  if (side) return;
  side = true;
  changes.push_back({channel.wanted ? lines.line : *lines.complement, true});
}

void PwmTimer::advance(std::vector<Level>& changes) {
  const Tick at = next();
  const bool starts = at == next_period_;
  if (starts) start_period(at);
  for (std::size_t i = 0; i < channels_.size(); ++i) {
    Channel& channel = channels_[i];
    if (!channel.runs) continue;
    if (channel.coming_on == at) come_on(i, changes);
    const Tick rise = rise_of(channel);
    const Tick fall = rise + channel.on_ticks;
    if (starts || channel.change_at == at) {
      const bool wanted = at >= rise && at < fall;
      const bool idle_complement = setup_.channels[i].complement && !channel.line_on &&
                                   !channel.complement_on && channel.coming_on == never;
      if (wanted != channel.wanted || (!wanted && idle_complement)) turn(i, wanted, at, changes);
      channel.change_at = at < rise ? rise : (at < fall ? fall : never);
      if (channel.change_at >= next_period_) channel.change_at = never;
    }
  }
  if (starts && pending_.empty() && stands_still()) next_period_ = never;
}

/// Every channel is off or on for good: periods come and go, and nothing changes.
bool PwmTimer::stands_still() const {
  return std::all_of(channels_.begin(), channels_.end(), [this](const Channel& channel) {
    return channel.on_ticks == 0 || channel.on_ticks == setup_.period;
  });
}

void PwmTimer::advance(std::vector<Share>& shares) {
  start_period(next_period_);
  for (std::size_t i = 0; i < channels_.size(); ++i) {
    if (!channels_[i].runs) continue;
    shares.push_back({setup_.channels[i].line,
                      static_cast<double>(channels_[i].on_ticks) / static_cast<double>(setup_.period)});
  }
  next_period_ = never;
  for (const Pending& item : pending_) next_period_ = std::min(next_period_, item.at);
}

std::vector<LineId> PwmTimer::lines() const {
  std::vector<LineId> ids;
  for (const PwmSetup::Channel& channel : setup_.channels) {
    ids.push_back(channel.line);
    if (channel.complement) ids.push_back(*channel.complement);
  }
  return ids;
}

}  // namespace cogstride
