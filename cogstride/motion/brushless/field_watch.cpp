#include "cogstride/motion/brushless/field_watch.hpp"

#include <algorithm>
#include <cmath>

namespace cogstride {
namespace {
// Of the back-EMF that belongs to the speed of the field: a rotor that swings about its place in it showed
// more than a quarter of that in rehearsals, one that stands a fiftieth.
constexpr double silent_share = 0.1;
}  // namespace

void FieldWatch::begin() {
  sector_ = -1;
  rows_before_ = 0;
  stands_ = false;
}

bool FieldWatch::look(const TerminalSample& sample, int sector, double rate) {
  if (rate <= 0.0) return false;
  if (sector != sector_) {
    if (sector_ >= 0) {
      stands_ = is_silent(silent_share * sense_.peak_at(rate));
      ++rows_before_;
    }
    sector_ = sector;
    row_began_ = sample.at;
    rows_[rows_before_ % rows_.size()] = {};
  }
  const RowPhases phases = phases_in(sector, 1);
  const double seconds = static_cast<double>(sample.at - row_began_) / ticks_per_second_;
  const auto passed = static_cast<std::size_t>(seconds * rate * static_cast<double>(row_parts));
  Part& part = rows_[rows_before_ % rows_.size()][std::min(row_parts - 1, passed)];
  ++part.asked;
  if (!sample.is_at_a_rail(phases)) {
    part.sum += (sector % 2 == 0 ? 1.0 : -1.0) * sample.off_star(phases.free);
    ++part.count;
  }
  return stands_;
}

/// Whether of the last three rows nothing is left that a rotor would induce that turns with its field. In the
/// first part of them a diode may carry current all the time.
bool FieldWatch::is_silent(double least) const {
  if (rows_before_ + 1 < rows_.size()) return false;
  for (std::size_t part = 0; part < row_parts; ++part) {
    double mean = 0.0;
    int count = 0;
    bool is_told = true;
    for (const auto& row : rows_) {
      is_told = is_told && 2 * row[part].count > row[part].asked;
      mean += row[part].sum / static_cast<double>(rows_.size() * std::max(1, row[part].count));
      count += row[part].count;
    }
    is_told = is_told && least > sense_.least_volts / std::sqrt(count);
    if (is_told ? std::abs(mean) >= least : part > 0) return false;
  }
  return true;
}

}  // namespace cogstride
