#include "cogstride/motion/speed/loop_orders.hpp"

#include <algorithm>
#include <cmath>

namespace cogstride {
namespace {
constexpr double shortest = 0.02;  // s, of a stretch
constexpr double longest = 0.25;   // s, of one that goes on evenly
constexpr double counts_round = 65536.0;
}  // namespace

LoopOrders::LoopOrders(LoopSetup setup, double ticks_per_second)
    : setup_(std::move(setup)),
      ticks_per_second_(ticks_per_second),
      period_(static_cast<Tick>(setup_.loop.period)) {}

Tick LoopOrders::on_grid(Tick at) const {
  const Tick after = std::max<Tick>(0, at - begun_);
  return begun_ + (after + period_ - 1) / period_ * period_;
}

Tick LoopOrders::begins(const Lines& lines) const {
  const Tick soonest = lines.now() + lines.lead();
  return is_on_ ? on_grid(soonest) : soonest;
}

void LoopOrders::ask(Lines& lines, Tick stride) const {
  lines.sample(setup_.source, lines.now() + lines.lead(), stride);
}

void LoopOrders::hear(std::span<const Reading> readings) {
  for (const Reading& reading : readings)
    if (reading.source == setup_.source && is_on_ && reading.at >= anew_at_)
      said_ = LoopTold::of(reading.raw);
}

bool LoopOrders::is_renewed(Tick soonest, double lets) const {
  return !is_on_ || is_anew_ || lets != lets_ || told_to_ < soonest ||
         (has_changed_ && soonest - renewed_at_ >= stretch_);
}

void LoopOrders::tell(Lines& lines, SpeedHold& hold, double lets, bool has_changed) {
  const Tick soonest = begins(lines);
  if (!is_on_) begun_ = soonest;
  // As many as go into its room reach beyond what the lines take.
  const Tick least = std::max(static_cast<Tick>(shortest * ticks_per_second_), lines.lead() / 3);
  stretch_ = (least + period_ - 1) / period_ * period_;
  has_changed_ = has_changed_ || has_changed;
  const auto ahead = [&](Tick before) {
    return std::count_if(told_.begin(), told_.end(),
                         [&](const Told& one) { return one.at > lines.now() && one.at < before; });
  };
  Tick from = told_to_;
  if (is_renewed(soonest, lets)) {
    if (ahead(soonest) >= chip::loop_room) {
      tells_at_ = lines.now() + period_;
      return;
    }
    from = renewed_at_ = soonest;
    std::erase_if(told_, [&](const Told& one) { return one.at >= from; });
    has_changed_ = false;
  }
  lets_ = lets;
  while (from < soonest + stretch_ && ahead(never) < chip::loop_room) {
    const Tick far = from + static_cast<Tick>(longest * ticks_per_second_) / period_ * period_;
    const Tick to = hold.is_even(from, far) ? far : from + stretch_;
    chip::LoopWanted wanted = hold.stretch(from, to, period_, lets);
    if (!is_on_ || is_anew_) {
      wanted.flags |= chip::LoopWanted::anew;
      anew_at_ = from;
      said_.reset();
      is_anew_ = false;
    }
    lines.hold(from, setup_.owner, wanted);
    told_.push_back({from, wanted, hold.wanted_at(from).place});
    is_on_ = true;
    told_to_ = from = to;
  }
  tells_at_ = std::max(lines.now() + 1, told_to_ - lines.lead() - stretch_ + 1);
  // What was said of is over.
  const Tick past = lines.now() - static_cast<Tick>(ticks_per_second_);
  while (told_.size() > 1 && told_[1].at < past) told_.pop_front();
}

Tick LoopOrders::end(Lines& lines) {
  const Tick at = begins(lines);
  if (!is_on_) return at;
  lines.hold(at, setup_.owner, chip::LoopWanted{});
  forget();
  return at + period_;
}

void LoopOrders::forget() {
  is_on_ = is_anew_ = has_changed_ = false;
  told_.clear();
  said_.reset();
  anew_at_ = 0;
}

SpeedWanted LoopOrders::wanted(Tick at) const {
  if (told_.empty()) return {};
  const Told* its = &told_.front();
  for (const Told& one : told_)
    if (one.at <= at) its = &one;
  const double apart = static_cast<double>(period_) / ticks_per_second_;
  const double gone = std::max(0.0, static_cast<double>(at - its->at) / static_cast<double>(period_));
  const double ramp = std::min<double>(gone, its->wanted.periods);
  const double speed = its->wanted.speed / counts_round;
  const double change = its->wanted.periods == 0 ? 0.0 : its->wanted.change / counts_round;
  SpeedWanted wanted;
  wanted.place = its->place + speed * gone + change * (ramp * gone - 0.5 * ramp * ramp);
  wanted.speed = (speed + change * ramp) / apart;
  wanted.change = gone < its->wanted.periods ? change / (apart * apart) : 0.0;
  return wanted;
}

}  // namespace cogstride
