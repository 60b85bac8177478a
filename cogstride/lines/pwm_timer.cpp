#include "cogstride/lines/pwm_timer.hpp"

#include <fmt/core.h>

#include <algorithm>

#include "cogstride/quantity/error.hpp"

namespace cogstride {

PwmTimer::PwmTimer(PwmSetup setup) : setup_(std::move(setup)), channels_(setup_.channels.size()) {
  if (setup_.period <= 0) throw RangeError("a PWM period must be at least one tick");
  if (setup_.dead_time < 0) throw RangeError("a dead time cannot be negative");
}

std::size_t PwmTimer::place_of(LineId line) const {
  const auto found = std::find_if(setup_.channels.begin(), setup_.channels.end(),
                                  [&](const PwmSetup::Channel& channel) { return channel.line == line; });
  return static_cast<std::size_t>(found - setup_.channels.begin());
}

void PwmTimer::put(Tick at, const Compare& compare) {
  const Tick starts = (at + setup_.period - 1) / setup_.period * setup_.period;
  pending_.push_back({starts, compare});
  if (setup_.averaged) {
    next_period_ = std::min(next_period_, starts);
  } else if (next_period_ == never) {
    next_period_ = starts;
  }
  find_next();
}

void PwmTimer::withdraw(Tick from) {
  std::erase_if(pending_, [&](const Pending& item) { return item.at >= from; });
}

void PwmTimer::stop() {
  pending_.clear();
  next_period_ = next_ = never;
  std::fill(channels_.begin(), channels_.end(), Channel{});
}

bool PwmTimer::is_driving() const {
  if (!pending_.empty()) return true;
  return std::any_of(channels_.begin(), channels_.end(),
                     [](const Channel& channel) { return channel.runs && channel.on_ticks > 0; });
}

void PwmTimer::find_next() {
  next_ = next_period_;
  for (const Channel& channel : channels_)
    next_ = std::min({next_, channel.change_at, channel.line.comes_on, channel.complement.comes_on});
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
    Channel& channel = channels_[place_of(item->compare.line)];
    channel.on_ticks = item->compare.on_ticks;
    channel.drive = item->compare.drive;
    channel.runs = true;
    item = pending_.erase(item);
  }
}

/// What the compare unit says from now on: what is not wanted goes off now, what is comes on a dead time
/// after the other side went off.
void PwmTimer::compare(std::size_t index, Tick at, std::vector<Level>& changes) {
  Channel& channel = channels_[index];
  const PwmSetup::Channel& lines = setup_.channels[index];
  const Tick rise = rise_of(channel);
  const Tick fall = rise + channel.on_ticks;
  const bool is_on = at >= rise && at < fall;
  channel.line.wanted = is_on && (channel.drive == PwmDrive::both || channel.drive == PwmDrive::line);
  channel.complement.wanted =
      lines.complement &&
      (channel.drive == PwmDrive::both ? !is_on : channel.drive == PwmDrive::complement && is_on);
  channel.change_at = at < rise ? rise : (at < fall ? fall : never);
  if (channel.change_at >= next_period_) channel.change_at = never;
  const auto go_off = [&](Side& side, LineId line) {
    if (side.wanted) return;
    side.comes_on = never;
    if (!side.on) return;
    side.on = false;
    side.off_since = at;
    changes.push_back({line, false});
  };
  const auto plan_on = [&](Side& side, const Side& other) {
    if (!side.wanted || side.on || side.comes_on != never) return;
    // Of a pair every rising edge is late by the dead time; a line that is driven alone waits for the other.
    const bool is_pair = lines.complement && channel.drive == PwmDrive::both;
    side.comes_on = is_pair ? at + setup_.dead_time : std::max(at, other.off_since + setup_.dead_time);
  };
  go_off(channel.line, lines.line);
  if (lines.complement) go_off(channel.complement, *lines.complement);
  plan_on(channel.line, channel.complement);
  plan_on(channel.complement, channel.line);
}

void PwmTimer::come_on(std::size_t index, Tick at, std::vector<Level>& changes) {
  const PwmSetup::Channel& lines = setup_.channels[index];
  const auto come = [&](Side& side, LineId line) {
    if (side.comes_on > at) return;
    side.comes_on = never;
    side.on = true;
    changes.push_back({line, true});
  };
  come(channels_[index].line, lines.line);
  if (lines.complement) come(channels_[index].complement, *lines.complement);
}

void PwmTimer::advance(std::vector<Level>& changes) {
  const Tick at = next();
  const bool starts = at == next_period_;
  if (starts) start_period(at);
  for (std::size_t i = 0; i < channels_.size(); ++i) {
    if (!channels_[i].runs) continue;
    if (starts || channels_[i].change_at == at) compare(i, at, changes);
    come_on(i, at, changes);
  }
  if (starts && pending_.empty() && stands_still()) next_period_ = never;
  find_next();
}

/// Every channel is off or on for good: periods come and go, and nothing changes.
bool PwmTimer::stands_still() const {
  return std::all_of(channels_.begin(), channels_.end(), [this](const Channel& channel) {
    return channel.on_ticks == 0 || channel.on_ticks == setup_.period || channel.drive == PwmDrive::none;
  });
}

void PwmTimer::advance(std::vector<Share>& shares) {
  start_period(next_period_);
  for (std::size_t i = 0; i < channels_.size(); ++i) {
    if (!channels_[i].runs) continue;
    const bool is_driven = channels_[i].drive == PwmDrive::both || channels_[i].drive == PwmDrive::line;
    const Tick on = is_driven ? channels_[i].on_ticks : 0;
    shares.push_back({setup_.channels[i].line, static_cast<double>(on) / static_cast<double>(setup_.period)});
  }
  next_period_ = never;
  for (const Pending& item : pending_) next_period_ = std::min(next_period_, item.at);
  find_next();
}

std::vector<LineId> PwmTimer::lines() const {
  std::vector<LineId> ids;
  for (const PwmSetup::Channel& channel : setup_.channels) {
    ids.push_back(channel.line);
    if (channel.complement) ids.push_back(*channel.complement);
  }
  return ids;
}

std::vector<PwmSetup> by_owner(const PwmSetup& setup, std::span<const LineSetup> lines) {
  const auto owner_of = [&](LineId id) {
    const auto found =
        std::find_if(lines.begin(), lines.end(), [&](const LineSetup& line) { return line.id == id; });
    if (found == lines.end())
      throw RangeError(fmt::format("line {} has not been opened", static_cast<int>(id)));
    return found->owner;
  };
  std::vector<PwmSetup> parts;
  std::vector<MechanismId> owners;
  for (const PwmSetup::Channel& channel : setup.channels) {
    const MechanismId owner = owner_of(channel.line);
    const auto known = std::find(owners.begin(), owners.end(), owner);
    const auto place = static_cast<std::size_t>(known - owners.begin());
    if (known == owners.end()) {
      owners.push_back(owner);
      parts.push_back(setup);
      parts.back().channels.clear();
    }
    parts[place].channels.push_back(channel);
  }
  return parts;
}

}  // namespace cogstride
