#include "cogstride/motion/back_emf_angle.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/chip/six_step.hpp"
#include "cogstride/plan/open_loop_start.hpp"
#include "cogstride/quantity/quantity.hpp"

namespace cogstride {
namespace {

constexpr double blank_share = 0.2;   // of a row after its beginning
constexpr double rail_share = 0.02;   // of the supply: nearer to a rail a diode carries current
constexpr double late_share = 1.5;    // of a row after its beginning: its crossing should long be over
constexpr double least_change = 0.7;  // of a row, from one to the next
constexpr double most_change = 1.4;
constexpr double weak_share = 0.35;   // of the back-EMF that belongs to the speed
constexpr double silent_share = 0.1;  // the same, open loop, where the rotor stands anyhow in its field
constexpr int most_weak = 3;          // rows one after the other

/// Phases that a row joins to the supply and to ground, and the one that is free.
struct Phases {
  std::size_t from;
  std::size_t to;
  std::size_t free;
};

Phases phases_in(int sector, int way) {
  namespace checks = chip::six_step_checks;
  const std::size_t from = checks::from_phase[sector];
  const std::size_t to = checks::to_phase[sector];
  return way > 0 ? Phases{from, to, 3 - from - to} : Phases{to, from, 3 - from - to};
}

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

double mean_of(const std::array<double, 3>& volts) {
  return (volts[0] + volts[1] + volts[2]) / 3.0;
}

/// Whether the free phase stands where a diode holds it.
bool is_at_a_rail(const std::array<double, 3>& volts, const Phases& phases) {
  const auto [low, high] = std::minmax(volts[phases.from], volts[phases.to]);
  const double margin = rail_share * (high - low);
  return volts[phases.free] < low + margin || volts[phases.free] > high - margin;
}

}  // namespace

Tick BackEmfAngle::ticks(double seconds) const {
  return std::llround(seconds * ticks_per_second_);
}

void BackEmfAngle::ask(Lines& lines, Tick first, Tick period) const {
  for (const std::int64_t channel : terminals_.channels)
    lines.sample(analogue_source(channel), first, first == never ? 0 : period);
}

std::optional<BackEmfAngle::Sample> BackEmfAngle::take(std::span<const Reading> readings) const {
  Sample sample;
  std::size_t found = 0;
  for (const Reading& reading : readings)
    for (std::size_t k = 0; k < 3; ++k)
      if (reading.source == analogue_source(terminals_.channels[k])) {
        sample.at = reading.at;
        sample.volts[k] = static_cast<double>(reading.raw) * sense_.volts_a_code;
        ++found;
      }
  if (found < 3) return std::nullopt;
  return sample;
}

void BackEmfAngle::let_go(Tick settles) {
  watched_sector_ = -1;
  rows_seen_ = 0;
  stands_ = false;
  settles_ = heard_at_ = settles;
  top_ = -1;
  top_at_ = never;
  ways_ = 0;
}

std::optional<BackEmfAngle::Turning> BackEmfAngle::look_free(const Sample& sample) {
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

bool BackEmfAngle::look_driven(const Sample& seen, bool gates_are_on) {
  // Without drive a diode holds the lowest terminal below ground, and no input reads that.
  Sample sample = seen;
  double& lowest = *std::min_element(sample.volts.begin(), sample.volts.end());
  if (!gates_are_on && lowest < sense_.least_volts) lowest = -diode_drop;
  const Phases phases = phases_in(sector_, way_);
  // The free phase becomes the highest one in the next sector, or the lowest.
  const bool rises = phases_in(after(sector_, way_), way_).from == phases.free;
  const double off = (rises ? 1.0 : -1.0) * (sample.volts[phases.free] - mean_of(sample.volts));
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
  if (since < blank_share * row_ || (gates_are_on && is_at_a_rail(sample.volts, phases))) return false;
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

bool BackEmfAngle::stands_in_field(const Sample& sample, int sector, double rate) {
  if (rate <= 0.0) return false;  // aligned
  if (sector != watched_sector_) {
    if (watched_sector_ >= 0) stands_ = is_silent(silent_share * sense_.peak_at(rate));
    rows_seen_ = watched_sector_ < 0 ? 0 : rows_seen_ + 1;
    watched_sector_ = sector;
    row_began_ = sample.at;
    seen_[rows_seen_ % seen_.size()] = {};
  }
  const Phases phases = phases_in(sector, 1);
  const double passed = seconds(sample.at - row_began_) * rate * static_cast<double>(row_parts);
  Part& part = seen_[rows_seen_ % seen_.size()][std::min(row_parts - 1, static_cast<std::size_t>(passed))];
  ++part.asked;
  if (!is_at_a_rail(sample.volts, phases)) {
    part.sum += (sector % 2 == 0 ? 1.0 : -1.0) * (sample.volts[phases.free] - mean_of(sample.volts));
    ++part.count;
  }
  return stands_;
}

/// Whether of the last three rows nothing is left that a rotor would induce that turns with its field. In the
/// first part of them a diode may carry current all the time.
bool BackEmfAngle::is_silent(double least) const {
  if (rows_seen_ + 1 < seen_.size()) return false;
  for (std::size_t part = 0; part < row_parts; ++part) {
    double mean = 0.0;
    int count = 0;
    bool is_told = true;
    for (const auto& row : seen_) {
      is_told = is_told && 2 * row[part].count > row[part].asked;
      mean += row[part].sum / static_cast<double>(seen_.size() * std::max(1, row[part].count));
      count += row[part].count;
    }
    is_told = is_told && least > sense_.least_volts / std::sqrt(count);
    if (is_told ? std::abs(mean) >= least : part > 0) return false;
  }
  return true;
}

}  // namespace cogstride
