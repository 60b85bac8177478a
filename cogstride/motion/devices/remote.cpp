#include "cogstride/motion/devices/remote.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

namespace cogstride {
namespace {

// us
constexpr double unit = 562.5;
constexpr double leading_mark = 9000.0;
constexpr double leading_gap = 4500.0;
constexpr double held_gap = 2250.0;
constexpr double one_gap = 3.0 * unit;
constexpr std::size_t bits = 32;

constexpr std::size_t most_durations = 401;

}  // namespace

RemoteFrame remote_frame(std::vector<double> us) {
  RemoteFrame frame{std::move(us), {}, false};
  const std::vector<double>& all = frame.us;
  const auto is_short = [](double mark) { return mark > 0.25 * unit && mark < 1.75 * unit; };
  if (all.size() < 3 || all[0] < 0.8 * leading_mark || all[0] > 1.2 * leading_mark) return frame;
  const double gap = all[1];
  const double between = 0.5 * (leading_gap + held_gap);
  if (all.size() == 3 && gap > 0.6 * held_gap && gap < between && is_short(all[2])) {
    frame.is_held = true;
    return frame;
  }
  if (all.size() != 2 + 2 * bits + 1 || gap < between || gap > 1.3 * leading_gap) return frame;
  std::uint32_t code = 0;
  for (std::size_t i = 0; i < bits; ++i) {
    const double mark = all[2 + 2 * i];
    const double off = all[3 + 2 * i];
    if (!is_short(mark) || off < 0.25 * unit || off > one_gap + unit) return frame;
    if (off > 0.5 * (unit + one_gap)) code |= 1U << i;
  }
  if (!is_short(all.back())) return frame;
  if (((code >> 16) & 0xff) != (~(code >> 24) & 0xff)) return frame;
  frame.code = code;
  return frame;
}

std::vector<std::int64_t> timing_of(std::uint32_t code) {
  const auto us = [](double duration) { return std::llround(duration); };
  std::vector<std::int64_t> timing{us(leading_mark), us(leading_gap)};
  for (std::size_t i = 0; i < bits; ++i) {
    timing.push_back(us(unit));
    timing.push_back(us((code >> i & 1U) != 0 ? one_gap : unit));
  }
  timing.push_back(us(unit));
  return timing;
}

std::vector<std::int64_t> held_timing() {
  return {std::llround(leading_mark), std::llround(held_gap), std::llround(unit)};
}

std::optional<double> distance(const std::vector<double>& us, const std::vector<std::int64_t>& timing) {
  if (us.size() != timing.size()) return std::nullopt;
  const auto shortest = static_cast<double>(*std::min_element(timing.begin(), timing.end()));
  double sum = 0.0;
  for (std::size_t i = 0; i < us.size(); ++i) {
    const auto wanted = static_cast<double>(timing[i]);
    // Each edge may be off by a quarter of the shortest; and receivers stretch marks by a share.
    const double most = std::max(0.55 * shortest, 0.2 * wanted);
    const double off = std::abs(us[i] - wanted) / most;
    if (off > 1.0) return std::nullopt;
    sum += off * off;
  }
  return std::sqrt(sum / static_cast<double>(us.size()));
}

RemoteReceiver::RemoteReceiver(const Remote& remote, double ticks_per_second)
    : remote_(remote), ticks_per_second_(ticks_per_second) {}

Tick RemoteReceiver::ticks(double seconds) const {
  return std::llround(seconds * ticks_per_second_);
}

void RemoteReceiver::take(Tick at, bool mark, const Hear& heard) {
  if (mark == is_mark_) return;  // read again
  (void)settle(at, heard);
  const double us = 1e6 * static_cast<double>(at - changed_) / ticks_per_second_;
  is_mark_ = mark;
  changed_ = at;
  if (mark && us_.empty()) return;  // a frame begins
  if (us_.size() >= most_durations) {
    is_overlong_ = true;
    us_.clear();
    us_.push_back(0.0);
    return;
  }
  us_.push_back(us);
}

Tick RemoteReceiver::settle(Tick now, const Hear& heard) {
  if (!is_mark_ && !us_.empty() && now - changed_ >= ticks(ends_after)) end_frame(heard);
  const Tick lets_go = said_ + ticks(remote_.held_for.in(units::s));
  // A frame that has begun says whether it is held on.
  const bool is_coming = is_mark_ || !us_.empty();
  if (held_ != nullptr && now >= lets_go && (!is_coming || now >= lets_go + ticks(between))) let_go(heard);
  Tick next = never;
  if (!is_mark_ && !us_.empty()) next = changed_ + ticks(ends_after);
  if (held_ != nullptr) next = std::min(next, is_coming ? lets_go + ticks(between) : lets_go);
  return std::max(next, now + 1);
}

void RemoteReceiver::let_go(const Hear& heard) {
  const RemoteKey* const key = std::exchange(held_, nullptr);
  if (key != nullptr) heard(*key, false);
}

const RemoteKey* RemoteReceiver::key_of(const RemoteFrame& frame) const {
  if (remote_.coding == Remote::Coding::pulse_distance) {
    for (const RemoteKey& key : remote_.keys)
      if (frame.code && key.code == static_cast<std::int64_t>(*frame.code)) return &key;
    return nullptr;
  }
  const RemoteKey* nearest = nullptr;
  double least = 0.0;
  for (const RemoteKey& key : remote_.keys)
    for (const std::vector<std::int64_t>* const timing : {&key.timing, &key.other_timing}) {
      const std::optional<double> off = distance(frame.us, *timing);
      if (!off || (nearest != nullptr && *off >= least)) continue;
      nearest = &key;
      least = *off;
    }
  return nearest;
}

void RemoteReceiver::end_frame(const Hear& heard) {
  RemoteFrame frame = remote_frame(std::exchange(us_, {}));
  const bool is_garbled = std::exchange(is_overlong_, false);
  // A single spike is no frame: light is full of them.
  if (frame.us.size() < 2 && !is_garbled) return;
  const bool is_learned = remote_.coding == Remote::Coding::learned;
  if (is_learned) frame.is_held = distance(frame.us, remote_.held_timing).has_value();
  if (listener_) listener_(frame);
  const Tick ended = changed_;
  const bool in_time = ended - said_ < ticks(remote_.held_for.in(units::s));
  if (frame.is_held && !is_garbled) {
    if (held_ == nullptr) return;  // of a key that nobody knows
    ++counts_.good;
    said_ = ended;
    return;
  }
  const RemoteKey* const key = is_garbled ? nullptr : key_of(frame);
  if (key == nullptr) {
    ++(!is_garbled && (frame.code || is_learned) ? counts_.unknown : counts_.garbled);
    return let_go(heard);
  }
  ++counts_.good;
  if (held_ == key && in_time) {
    said_ = ended;
    return;
  }
  let_go(heard);
  held_ = key;
  said_ = ended;
  heard(*key, true);
}

}  // namespace cogstride
