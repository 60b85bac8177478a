#include "cogstride/plan/run_fitter.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <span>

namespace cogstride {
namespace {

constexpr double fraction_scale = 65536.0;

/// To the grain of a form.
double rounded(double value, const RunForm& form) {
  return std::round(value / form.unit) * form.unit;
}

/// Solves the symmetric system of `n` <= 3 unknowns by elimination; it is small and well scaled.
void solve(std::array<std::array<double, 4>, 3>& rows, std::size_t n, std::array<double, 3>& x) {
  for (std::size_t i = 0; i < n; ++i) {
    for (std::size_t k = i + 1; k < n; ++k) {
      const double factor = rows[k][i] / rows[i][i];
      for (std::size_t j = i; j < 4; ++j) rows[k][j] -= factor * rows[i][j];
    }
  }
  for (std::size_t i = n; i-- > 0;) {
    double value = rows[i][3];
    for (std::size_t j = i + 1; j < n; ++j) value -= rows[i][j] * x[j];
    x[i] = value / rows[i][i];
  }
}

/// Least-squares coefficients of u, u^2, u^3 (the first `n` of them) for samples (u, y).
std::array<double, 3> fit_powers(std::span<const double> u, std::span<const double> y, std::size_t n) {
  std::array<double, 7> moments{};
  std::array<std::array<double, 4>, 3> rows{};
  for (std::size_t i = 0; i < u.size(); ++i) {
    double power = u[i];
    for (std::size_t p = 1; p <= 2 * n; ++p, power *= u[i]) {
      if (p >= 2) moments[p] += power;
      if (p <= n) rows[p - 1][3] += power * y[i];
    }
  }
  for (std::size_t i = 0; i < n; ++i) {
    for (std::size_t j = 0; j < n; ++j) rows[i][j] = moments[i + j + 2];
  }
  std::array<double, 3> x{};
  solve(rows, n, x);
  return x;
}

/// Gap, change and bend in fixed point for `ways`: ticks from the run's start to each of its steps.
bool fit(std::span<const double> ways, const RunForm& form, chip::PulseRun& run) {
  const std::size_t count = ways.size();
  constexpr std::size_t most_samples = 12;
  const std::size_t samples = std::min(count, most_samples);
  std::array<double, most_samples> u{};
  std::array<double, most_samples> y{};
  const double length = static_cast<double>(count);
  for (std::size_t i = 0; i < samples; ++i) {
    const std::size_t step = (i + 1) * count / samples;
    u[i] = static_cast<double>(step) / length;
    y[i] = ways[step - 1];
  }
  const auto us = std::span(u).first(samples);
  const auto ys = std::span(y).first(samples);

  double bend = 0.0;
  if (count >= 4) {
    bend = rounded(6.0 * fit_powers(us, ys, 3)[2] / (length * length * length) * fraction_scale, form);
    bend = std::clamp(bend, -form.most_bend, form.most_bend);
    for (std::size_t i = 0; i < samples; ++i) {
      const double j = u[i] * length;
      y[i] -= j * (j - 1.0) * (j - 2.0) / 6.0 * bend / fraction_scale;
    }
  }
  double change = 0.0;
  if (count >= 2) {
    change = rounded(2.0 * fit_powers(us, ys, 2)[1] / (length * length) * fraction_scale, form);
    if (std::abs(change) > form.most_change) return false;
    for (std::size_t i = 0; i < samples; ++i) {
      const double j = u[i] * length;
      y[i] -= j * (j - 1.0) / 2.0 * change / fraction_scale;
    }
  }
  const double gap = rounded(fit_powers(us, ys, 1)[0] / length * fraction_scale, form);
  if (gap < fraction_scale || gap >= 0x1p48) return false;
  run.gap = static_cast<std::uint64_t>(gap);
  run.change = static_cast<std::int64_t>(change);
  run.bend = static_cast<std::int32_t>(bend);
  run.steps = static_cast<std::uint16_t>(count);
  return true;
}

/// Whether every step of the run, as it will be played, is near its exact time and every gap is a real one.
bool holds(const chip::PulseRun& run, const RunForm& form, std::span<const double> ways) {
  const auto longest = static_cast<std::int64_t>(form.longest_gap * fraction_scale);

  std::int64_t time = 0;
  std::int64_t gap = static_cast<std::int64_t>(run.gap);
  std::int64_t change = run.change;
  for (const double way : ways) {
    if (gap < (1 << 16) || gap > longest) return false;
    time += gap;
    gap += change;
    change += run.bend;
    if (std::abs(static_cast<double>(time) / fraction_scale - way) > form.tolerance) return false;
  }
  return true;
}

chip::FineTick played_end(const chip::PulseRun& run, chip::FineTick start) {
  chip::PulsePlayer<chip::PulseRun> player(start);
  player.load(run);
  while (player.left() > 0) player.advance();
  return player.time();
}

}  // namespace

RunFitter::RunFitter(const Ramp& ramp, std::int64_t made, chip::FineTick start, double ticks_per_second,
                     std::int64_t grain, const RunForm& form)
    : times_(ramp, made),
      form_(form),
      slow_form_(slow_runs),
      start_(start),
      ticks_per_second_(ticks_per_second),
      grain_(static_cast<double>(grain)),
      end_(start),
      made_(made),
      window_(2 * form.most_steps) {
  slow_form_.tolerance = form.tolerance;
}

void RunFitter::refill() {
  std::move(window_.begin() + static_cast<std::ptrdiff_t>(first_),
            window_.begin() + static_cast<std::ptrdiff_t>(last_), window_.begin());
  last_ -= first_;
  first_ = 0;
  // A block of the other direction is taken only when nothing of this one is left.
  StepTimes ahead = times_;
  const std::size_t written = ahead.fill(std::span(window_).subspan(last_));
  turns_next_ = written == 0 || (last_ > 0 && ahead.direction() != direction_);
  if (turns_next_) return;
  times_ = ahead;
  direction_ = ahead.direction();
  for (std::size_t i = last_; i < last_ + written; ++i) window_[i] *= ticks_per_second_;
  constexpr double on_it = 1e-6;  // ticks: rounding, not a grain more
  if (grain_ > 1.0)
    for (std::size_t i = last_; i < last_ + written; ++i)
      window_[i] = std::ceil((window_[i] - on_it) / grain_) * grain_;
  last_ += written;
}

/// Of a chip's two.
const RunForm& RunFitter::form_for(double way) const {
  const bool is_narrow = form_.longest_gap == narrow_runs.longest_gap;
  return is_narrow && way > form_.longest_gap ? slow_form_ : form_;
}

bool RunFitter::next(chip::PulseRun& run) {
  if (first_ == last_ || (last_ - first_ < form_.most_steps && !turns_next_)) refill();
  const std::size_t available = std::min(last_ - first_, form_.most_steps);
  if (available == 0) return false;

  std::array<double, wide_runs.most_steps> ways;
  const double from = static_cast<double>(end_.tick - start_.tick) +
                      (static_cast<double>(end_.fraction) - start_.fraction) / fraction_scale;
  std::size_t filled = 0;
  const auto ways_up_to = [&](std::size_t count) {
    for (; filled < count; ++filled) ways[filled] = window_[first_ + filled] - from;
    return std::span<const double>(ways).first(count);
  };

  run = {};
  const auto way = static_cast<std::uint8_t>(direction_ < 0 ? chip::run_backwards : 0);
  const double first_way = ways_up_to(1)[0];
  const RunForm& form = form_for(first_way);
  if (first_way > form.longest_gap) {
    // In equal parts, so that none is too short to be played.
    const double parts = std::ceil(first_way / form_.longest_gap);
    run.gap = static_cast<std::uint64_t>(first_way / parts) << 16;
    run.steps = static_cast<std::uint16_t>(std::min(static_cast<double>(form_.most_steps), parts - 1.0));
    run.flags = static_cast<std::uint8_t>(way | chip::run_silent);
    end_ = played_end(run, end_);
    return true;
  }

  // Gallop up from the last run's length, then halve the interval.
  std::size_t good = 0;
  std::size_t bad = available + 1;
  std::size_t attempt = std::min(guess_, available);
  while (good + std::max<std::size_t>(1, good / 16) < bad) {
    chip::PulseRun candidate{};
    const std::span<const double> tried = ways_up_to(attempt);
    if (fit(tried, form, candidate) && holds(candidate, form, tried)) {
      good = attempt;
      run = candidate;
    } else {
      bad = attempt;
      if (bad <= 1) break;
    }
    attempt = bad > available ? std::min(2 * good, available) : (good + bad) / 2;
    if (good == available) break;
  }
  if (good == 0) {
    // One step alone is a gap: exact to the fixed point. A gap below one tick is the caller's rate being
    // absurd; it is played as one tick, and every later step catches up.
    run.gap = static_cast<std::uint64_t>(std::max(fraction_scale, rounded(first_way * fraction_scale, form)));
    run.steps = 1;
    good = 1;
  }
  run.flags = static_cast<std::uint8_t>(way | (form.unit > 1.0 ? chip::run_slow : 0));
  guess_ = std::max<std::size_t>(good, 4);
  first_ += good;
  made_ += direction_ * static_cast<std::int64_t>(good);
  end_ = played_end(run, end_);
  return true;
}

}  // namespace cogstride
