#include "cogstride/plant/star_winding.hpp"

#include <algorithm>
#include <cmath>

#include "cogstride/quantity/quantity.hpp"

namespace cogstride {
namespace {

using Three = StarWinding::Three;

const double root3 = std::sqrt(3.0);
const Three axis_x{1.0, -0.5, -0.5};  // of the phases' axes
const Three axis_y{0.0, 0.5 * root3, -0.5 * root3};
constexpr int halvings = 40;

/// The component of three phases' values along an angle.
double along(const Three& values, double cosine, double sine) {
  double x = 0.0;
  double y = 0.0;
  for (std::size_t k = 0; k < 3; ++k) {
    x += axis_x[k] * values[k];
    y += axis_y[k] * values[k];
  }
  return 2.0 / 3.0 * (x * cosine + y * sine);
}

}  // namespace

/// Current flows in at one terminal and out at another: w = n_in - n_out, and L is (2/3) w L w.
StarWinding::Mode StarWinding::two_joined(std::size_t in, std::size_t out, double volts, const Rotor& rotor,
                                          double current) const {
  Mode mode;
  mode.share[in] = 1.0;
  mode.share[out] = -1.0;
  mode.before = current;
  double inductance = along_ + across_;
  if (is_salient()) {
    const double angle =
        2.0 * (std::atan2(axis_y[in] - axis_y[out], axis_x[in] - axis_x[out]) - rotor.magnets);
    inductance += (along_ - across_) * std::cos(angle);
    volts -= rotor.speed * 2.0 * (along_ - across_) * std::sin(angle) * current;
  }
  mode.goes_to = volts / (2.0 * rotor.resistance);
  mode.time_constant = inductance / (2.0 * rotor.resistance);
  return mode;
}

StarWinding::Modes StarWinding::modes_of(const Terminals& terminals, const Rotor& rotor,
                                         const Three& current) const {
  Modes modes;
  std::array<std::size_t, 3> joined{};
  std::size_t count = 0;
  Three driving{};
  for (std::size_t k = 0; k < 3; ++k) {
    driving[k] = terminals[k].volts - rotor.emf[k];
    if (terminals[k].joined != Joined::nothing) joined[count++] = k;
  }
  if (count == 2) {
    modes.mode[modes.count++] =
        two_joined(joined[0], joined[1], driving[joined[0]] - driving[joined[1]], rotor, current[joined[0]]);
  } else if (count == 3) {
    const double cosine = is_salient() ? std::cos(rotor.magnets) : 1.0;
    const double sine = is_salient() ? std::sin(rotor.magnets) : 0.0;
    const double direct = along(current, cosine, sine);
    const double quadrature = along(current, -sine, cosine);
    const double change = rotor.speed * (along_ - across_);
    const auto add = [&](double x, double y, double before, double volts, double inductance) {
      Mode& mode = modes.mode[modes.count++];
      for (std::size_t k = 0; k < 3; ++k) mode.share[k] = axis_x[k] * x + axis_y[k] * y;
      mode.before = before;
      mode.goes_to = volts / rotor.resistance;
      mode.time_constant = inductance / rotor.resistance;
    };
    add(cosine, sine, direct, along(driving, cosine, sine) - change * quadrature, along_);
    add(-sine, cosine, quadrature, along(driving, -sine, cosine) - change * direct, across_);
  }
  return modes;
}

/// When a phase's current, not nothing now, comes to nothing within a time; that time when it does not.
double StarWinding::dry_at(const Modes& modes, std::size_t phase, double seconds) {
  const auto at = [&](double t) {
    double current = 0.0;
    for (std::size_t m = 0; m < modes.count; ++m) {
      const Mode& mode = modes.mode[m];
      current += mode.share[phase] *
                 (mode.goes_to + (mode.before - mode.goes_to) * std::exp(-t / mode.time_constant));
    }
    return current;
  };
  double before = 0.0;
  double goes_to = 0.0;
  bool is_one = true;
  for (std::size_t m = 0; m < modes.count; ++m) {
    before += modes.mode[m].share[phase] * modes.mode[m].before;
    goes_to += modes.mode[m].share[phase] * modes.mode[m].goes_to;
    is_one = is_one && modes.mode[m].time_constant == modes.mode[0].time_constant;
  }
  if (is_one) {
    if (before * goes_to >= 0.0) return seconds;
    return std::min(seconds, -modes.mode[0].time_constant * std::log(goes_to / (goes_to - before)));
  }
  if (before * at(seconds) > 0.0) return seconds;
  double early = 0.0;
  double late = seconds;
  for (int i = 0; i < halvings; ++i) {
    const double middle = 0.5 * (early + late);
    (before * at(middle) > 0.0 ? early : late) = middle;
  }
  return late;
}

StarWinding::Passed StarWinding::flow(const Terminals& terminals, const Rotor& rotor, double seconds,
                                      Three& current) const {
  Passed passed;
  passed.seconds = seconds;
  const Modes modes = modes_of(terminals, rotor, current);
  if (modes.count == 0) {
    current = {};
    return passed;
  }
  std::size_t runs_dry = 3;
  for (std::size_t k = 0; k < 3; ++k) {
    if (!terminals[k].by_diode) continue;
    // A diode carries current one way alone: into the motor from ground, out of it to the supply.
    const double way = terminals[k].joined == Joined::ground ? 1.0 : -1.0;
    const bool is_dry = way * current[k] <= nothing_flows;
    double towards = 0.0;
    for (std::size_t m = 0; m < modes.count; ++m)
      towards += modes.mode[m].share[k] * (modes.mode[m].goes_to - modes.mode[m].before) /
                 modes.mode[m].time_constant;
    const double dry =
        is_dry ? (way * towards > 0.0 ? passed.seconds : 0.0) : dry_at(modes, k, passed.seconds);
    if (dry < passed.seconds) {
      passed.seconds = dry;
      runs_dry = k;
    }
  }
  Three means{};
  Three after{};
  std::array<double, 2> mean{};
  for (std::size_t m = 0; m < modes.count; ++m) {
    const Mode& mode = modes.mode[m];
    const double x = passed.seconds / mode.time_constant;
    const double left = std::exp(-x);
    const double off = mode.before - mode.goes_to;
    mean[m] = mode.goes_to + off * (x > 1e-9 ? (1.0 - left) / x : 1.0);
    for (std::size_t k = 0; k < 3; ++k) {
      means[k] += mode.share[k] * mean[m];
      after[k] += mode.share[k] * (mode.goes_to + off * left);
    }
  }
  for (std::size_t k = 0; k < 3; ++k) {
    passed.charges[k] = means[k] * passed.seconds;
    if (terminals[k].joined == Joined::supply) passed.from_supply += means[k];
    const double change = after[k] - current[k];
    passed.squares += means[k] * means[k] + change * change / 12.0;
  }
  if (is_salient()) {
    const double cosine = std::cos(rotor.magnets);
    const double sine = std::sin(rotor.magnets);
    passed.reluctance = along(means, cosine, sine) * along(means, -sine, cosine) * passed.seconds;
  }
  current = after;
  if (runs_dry < 3) {
    current[runs_dry] = 0.0;
    // Of the two that are left one carries what the other does, whatever rounding left.
    const std::size_t one = (runs_dry + 1) % 3;
    const std::size_t other = (runs_dry + 2) % 3;
    current[one] = 0.5 * (current[one] - current[other]);
    current[other] = -current[one];
    if (modes.count == 1) current = {};
  }
  return passed;
}

StarWinding::Three StarWinding::volts(const Terminals& terminals, const Rotor& rotor,
                                      const Three& current) const {
  Three found{};
  std::size_t count = 0;
  std::size_t floats = 3;
  double middle = 0.0;
  for (std::size_t k = 0; k < 3; ++k) {
    if (terminals[k].joined == Joined::nothing) {
      floats = k;
      continue;
    }
    found[k] = terminals[k].volts;
    middle += terminals[k].volts - rotor.emf[k];
    ++count;
  }
  middle /= static_cast<double>(std::max<std::size_t>(1, count));
  // What the two that carry current induce in the third, and half of it moves the star point.
  double induced = 0.0;
  if (count == 2 && is_salient()) {
    const std::size_t in = (floats + 1) % 3;
    const std::size_t out = (floats + 2) % 3;
    const Mode mode =
        two_joined(in, out, terminals[in].volts - rotor.emf[in] - terminals[out].volts + rotor.emf[out],
                   rotor, current[in]);
    const double change = (mode.goes_to - mode.before) / mode.time_constant;  // A/s
    const double cosine = std::cos(rotor.magnets);
    const double sine = std::sin(rotor.magnets);
    const Three slope{mode.share[0] * change, mode.share[1] * change, mode.share[2] * change};
    const double turns = rotor.speed * (along_ - across_);
    const double direct = along_ * along(slope, cosine, sine) + turns * along(current, -sine, cosine);
    const double quadrature = across_ * along(slope, -sine, cosine) + turns * along(current, cosine, sine);
    induced = direct * (axis_x[floats] * cosine + axis_y[floats] * sine) +
              quadrature * (-axis_x[floats] * sine + axis_y[floats] * cosine);
    middle += 0.5 * induced;
  }
  for (std::size_t k = 0; k < 3; ++k)
    if (terminals[k].joined == Joined::nothing)
      found[k] = middle + rotor.emf[k] + (k == floats ? induced : 0.0);
  return found;
}

}  // namespace cogstride
