#include "cogstride/lines/pulse_queue.hpp"

#include <algorithm>

#include "cogstride/lines/edge_ramp.hpp"

namespace cogstride {
namespace {
constexpr std::size_t usual_room = 128;
}

FineTick end_of_run(FineTick start, const chip::PulseRun& run) {
  // n gap + n(n-1)/2 change + n(n-1)(n-2)/6 bend: modulo 2^64, which the whole does not exceed.
  const std::uint64_t n = run.steps;
  const std::uint64_t pairs = n < 2 ? 0 : n * (n - 1) / 2;
  const std::uint64_t triples = n < 3 ? 0 : n * (n - 1) * (n - 2) / 6;
  const std::uint64_t lasts = n * run.gap + pairs * static_cast<std::uint64_t>(run.change) +
                              triples * static_cast<std::uint64_t>(static_cast<std::int64_t>(run.bend));
  const std::uint64_t fraction = start.fraction + (lasts & 0xffff);
  return {start.tick + static_cast<Tick>(lasts >> 16) + static_cast<Tick>(fraction >> 16),
          static_cast<std::uint16_t>(fraction & 0xffff)};
}

Tick PulseQueue::Train::next_pulse() {
  if (!player.makes_pulses() || player.left() == 0) return never;
  const Tick at = chip::nearest_tick(player.next());
  return at < end_before ? at : never;
}

Tick first_pulse_of(FineTick start, std::span<const chip::PulseRun> runs) {
  for (const chip::PulseRun& run : runs) {
    chip::PulsePlayer<chip::PulseRun> player(start);
    player.load(run);
    if (player.makes_pulses() && player.left() > 0) return chip::nearest_tick(player.next());
    start = end_of_run(start, run);
  }
  return never;
}

void PulseQueue::put(FineTick start, std::span<const chip::PulseRun> runs, std::optional<StopOn> stop) {
  if (!is_told_) return;
  brakes_ = false;
  if (trains_.capacity() == 0) trains_.reserve(usual_room);
  if (first_ > usual_room / 2) {
    trains_.erase(trains_.begin(), trains_.begin() + static_cast<std::ptrdiff_t>(first_));
    first_ = 0;
  }
  for (const chip::PulseRun& run : runs) {
    Train train{chip::PulsePlayer<chip::PulseRun>(start), stop};
    train.player.load(run);
    trains_.push_back(train);
    start = end_of_run(start, run);
  }
}

Tick PulseQueue::next() {
  for (; !is_empty(); ++first_) {
    const Tick at = trains_[first_].next_pulse();
    if (at != never) return at;
  }
  trains_.clear();
  first_ = 0;
  return never;
}

bool PulseQueue::make() {
  chip::PulsePlayer<chip::PulseRun>& player = trains_[first_].player;
  player.advance();
  steps_ += player.is_backwards() ? -1 : 1;
  last_pulse_ = player.tick();
  return player.is_backwards();
}

Withdrawn PulseQueue::withdraw(Tick from) {
  is_told_ = true;
  Withdrawn left{steps_, last_pulse_, brakes_};
  if (brakes_) from = never;
  for (std::size_t i = first_; i < trains_.size(); ++i) {
    Train& train = trains_[i];
    train.end_before = std::min(train.end_before, from);
    Train ahead = train;
    for (Tick at = ahead.next_pulse(); at != never; at = ahead.next_pulse()) {
      ahead.player.advance();
      left.steps += ahead.player.is_backwards() ? -1 : 1;
      left.last_pulse = std::max(left.last_pulse, at);
    }
  }
  return left;
}

void PulseQueue::edge(LineId line, bool high, double ticks_per_second) {
  if (is_empty()) return;
  const std::optional<StopOn> stop = trains_[first_].stop;
  if (!stop || stop->line != line || (stop->edge == Edge::rising) != high) return;
  if (stop->ramp)
    brake(*stop->ramp, ticks_per_second);
  else
    clear();
}

void PulseQueue::brake(const chip::ChipLimits& limits, double ticks_per_second) {
  std::int64_t keeps = steps_before_ramp(limits, ticks_per_second);
  std::int64_t place = steps_;
  bool backwards = false;
  std::uint64_t gap = 0;
  FineTick end{};
  std::size_t last = first_;
  for (std::size_t i = first_; i < trains_.size() && keeps > 0; ++i) {
    Train& train = trains_[i];
    train.stop.reset();
    last = i;
    Train ahead = train;
    chip::PulsePlayer<chip::PulseRun>& player = ahead.player;
    if (!player.makes_pulses()) continue;
    backwards = player.is_backwards();
    for (; keeps > 0 && ahead.next_pulse() != never; --keeps) {
      gap = player.rest().gap;
      player.advance();
      place += backwards ? -1 : 1;
    }
    end = player.time();
    for (int drops = player.left(); drops > 0; drops -= 255)
      train.player.shorten(static_cast<std::uint8_t>(std::min(drops, 255)));
  }
  if (gap == 0)  // it has not begun
    clear();
  else
    trains_.resize(last + 1);
  const auto ramp = gap == 0 ? std::vector<chip::NarrowPulseRun>()
                             : ramp_to_rest(place, backwards, gap, limits, ticks_per_second);
  for (const chip::NarrowPulseRun& run : ramp) {
    const chip::PulseRun wide = chip::wide_run(run);
    put(end, {&wide, 1}, {});
    end = end_of_run(end, wide);
  }
  brakes_ = true;
  is_told_ = false;
}

void PulseQueue::clear() {
  brakes_ = false;
  is_told_ = true;
  trains_.clear();
  first_ = 0;
}

}  // namespace cogstride
