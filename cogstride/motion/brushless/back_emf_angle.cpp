#include "cogstride/motion/brushless/back_emf_angle.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/quantity/quantity.hpp"

namespace cogstride {
namespace {

constexpr double blank_share = 0.2;   // of a row after its beginning
constexpr double late_share = 1.5;    // of a row after its beginning: its crossing should long be over
constexpr double least_change = 0.7;  // of a row, from one to the next
constexpr double most_change = 1.4;
constexpr double weak_share = 0.35;  // of the back-EMF that belongs to the speed
constexpr int most_weak = 3;         // rows one after the other

int after(int sector, int way) {
  return (sector + way + 6) % 6;
}

/// The sector that begins where this phase becomes the highest one.
int sector_of_top(std::size_t phase, int way) {
  for (int sector = 0; sector < 6; ++sector)
    if (phases_in(sector, way).from == phase && phases_in(after(sector, -way), way).from != phase)
      return sector;
  return 0;
}

}  // namespace

Tick BackEmfAngle::ticks(double seconds) const {
  return std::llround(seconds * ticks_per_second_);
}

void BackEmfAngle::ask(Lines& lines, Tick first, Tick period) const {
  for (const std::int64_t channel : terminals_.channels)
    lines.sample(analogue_source(channel), first, first == never ? 0 : period);
}

std::optional<TerminalSample> BackEmfAngle::take(std::span<const Reading> readings) const {
  TerminalSample sample;
  std::size_t found = 0;
  for (const Reading& reading : readings)
    for (std::size_t k = 0; k < 3; ++k)
      if (reading.source == analogue_source(terminals_.channels[k])) {
        sample.at = reading.at;
        sample.volts[k] = static_cast<double>(reading.raw) * sense_.volts_per_code;
        ++found;
      }
  if (found < 3) return std::nullopt;
  return sample;
}

void BackEmfAngle::let_go(Tick settles) {
  settles_ = heard_at_ = settles;
  top_ = -1;
  top_at_ = never;
  ways_ = 0;
}

std::optional<BackEmfAngle::Turning> BackEmfAngle::look_free(const TerminalSample& sample) {
  if (sample.at < settles_) return std::nullopt;
  std::array<std::size_t, 3> order{0, 1, 2};
  std::sort(order.begin(), order.end(),
            [&](std::size_t a, std::size_t b) { return sample.volts[a] > sample.volts[b]; });
  if (sample.volts[order[0]] - sample.volts[order[2]] > 2.0 * sense_.least_volts) heard_at_ = sample.at;
  const int top = static_cast<int>(order[0]);
  if (sample.volts[order[0]] - sample.volts[order[1]] < sense_.least_volts || top == top_)
    return std::nullopt;
  const int before = std::exchange(top_, top);
  if (before < 0) return std::nullopt;
  const int way = (top - before + 3) % 3 == 1 ? 1 : -1;
  const bool goes_on = ways_ * way > 0;
  ways_ = goes_on ? ways_ + way : way;
  const Tick began = std::exchange(top_at_, sample.at);
  if (!goes_on) return std::nullopt;
  return Turning{way, sector_of_top(order[0], way), sample.at, 0.5 * seconds(sample.at - began)};
}

void BackEmfAngle::follow(const Turning& turning, Tick now) {
  way_ = turning.way;
  row_ = turning.row;
  const auto passed = static_cast<int>(seconds(now - turning.at) / row_);
  sector_ = ((turning.sector + way_ * passed) % 6 + 6) % 6;
  entered_at_ = turning.at + ticks(passed * row_);
  crossed_at_ = entered_at_ - ticks(0.5 * row_);
  crossed_before_ = crossed_at_ - ticks(row_);
  has_crossed_ = false;
  before_.reset();
  weak_ = 0;
  count_ = 0;
  fault_.clear();
}

void BackEmfAngle::crossed(Tick at) {
  row_ = std::clamp(0.5 * seconds(at - crossed_before_), least_change * row_, most_change * row_);
  crossed_before_ = std::exchange(crossed_at_, at);
  has_crossed_ = true;
  after_ = 0.0;
  count_ += way_;
}

bool BackEmfAngle::look_driven(const TerminalSample& seen, bool gates_are_on) {
  // Without drive a diode holds the lowest terminal below ground, and no input reads that.
  TerminalSample sample = seen;
  double& lowest = *std::min_element(sample.volts.begin(), sample.volts.end());
  if (!gates_are_on && lowest < sense_.least_volts) lowest = -diode_drop;
  const RowPhases phases = phases_in(sector_, way_);
  // The free phase becomes the highest one in the next sector, or the lowest.
  const bool rises = phases_in(after(sector_, way_), way_).from == phases.free;
  const double off = (rises ? 1.0 : -1.0) * sample.off_star(phases.free);
  if (has_crossed_) {
    after_ = std::max(after_, off);
    return false;
  }
  const double since = seconds(sample.at - entered_at_);
  if (since > late_share * row_) {
    fault_ = fmt::format(
        "its back-EMF has not gone through nothing for {:.3g} ms, where {:.3g} ms belong to "
        "its speed: it has fallen out of step, or stands",
        1e3 * seconds(sample.at - crossed_at_), 1e3 * row_);
    return false;
  }
  if (since < blank_share * row_ || (gates_are_on && sample.is_at_a_rail(phases))) return false;
  if (off < 0.0) {
    before_ = off;
    before_at_ = sample.at;
    return false;
  }
  // Between the last sample before it and the first after it the back-EMF is a straight line.
  const Tick at = before_ ? before_at_ + std::llround(static_cast<double>(sample.at - before_at_) *
                                                      -*before_ / (off - *before_))
                          : sample.at;
  crossed(at);
  return true;
}

Tick BackEmfAngle::next_row_at(Tick early) const {
  return has_crossed_ ? crossed_at_ + ticks(0.5 * row_) - early : never;
}

void BackEmfAngle::enter_next(Tick now) {
  const double share = std::clamp(seconds(now - crossed_at_) / row_, 0.0, 1.0);
  const double belongs = sense_.peak_at(1.0 / row_) * std::sin(share * pi / 3.0);
  weak_ = after_ < weak_share * belongs ? weak_ + 1 : 0;
  if (weak_ >= most_weak)
    fault_ = fmt::format(
        "its back-EMF is {:.2g} V where {:.2g} V belong to the speed it was taken for: it stands, or "
        "has fallen out of step",
        after_, belongs);
  sector_ = after(sector_, way_);
  entered_at_ = now;
  has_crossed_ = false;
  before_.reset();
}

}  // namespace cogstride
