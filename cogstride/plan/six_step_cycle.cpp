#include "cogstride/plan/six_step_cycle.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include "cogstride/mechanism/boards.hpp"

namespace cogstride {
namespace {

constexpr int parts_of_period = 12;  // whose current never comes to nothing; one that does is followed closer
constexpr int parts_by_diodes = 20;
constexpr double parts_of_sector = 120.0;
constexpr double most_of_sector = 1200.0;
constexpr double settled_after = 6.0;  // time constants
constexpr double periods_counted = 50.0;
constexpr int most_turns = 60;  // of the field, followed and counted each
constexpr double no_current = 1e-9;

using Three = std::array<double, 3>;

/// The high and the low phase of each sector, and the one that is left out.
constexpr std::array<std::array<std::size_t, 3>, 6> sectors{
    {{0, 1, 2}, {0, 2, 1}, {1, 2, 0}, {1, 0, 2}, {2, 0, 1}, {2, 1, 0}}};

class Cycle {
 public:
  Cycle(const SixStepParts& parts, double duty, double rad_per_s)
      : parts_(parts),
        speed_(rad_per_s),
        supply_(parts.supply),
        // Line to line a sine's peak is sqrt 3 of a phase's, a flat top twice it.
        constant_(parts.constant / (parts.is_sine ? std::sqrt(3.0) : 2.0)),
        sector_(pi / 3.0 / (parts.pole_pairs * rad_per_s)),
        step_(std::min(std::max(parts.period / (parts.complementary ? parts_of_period : parts_by_diodes),
                                sector_ / most_of_sector),
                       sector_ / parts_of_sector)),
        on_(duty >= 1.0 ? 2.0 * parts.period
                        : std::max(0.0, duty * parts.period - (parts.complementary ? parts.dead : 0.0))),
        per_resistance_(1.0 / (parts.resistance + parts.stage_resistance)) {}

  SwitchedCurrent run() {
    const double constant = parts_.inductance * per_resistance_;
    // Whole turns of the field, and periods of the duty enough for an average.
    const int settling =
        1 + static_cast<int>(std::min<double>(most_turns, settled_after * constant / (6.0 * sector_)));
    const int counted =
        1 + static_cast<int>(std::min<double>(most_turns, periods_counted * parts_.period / (6.0 * sector_)));
    for (int turn = 0; turn < settling; ++turn) {
      sum_ = {};
      go_round();
      // What it draws lowers the supply; it takes nothing back.
      const double drawn = std::max(0.0, sum_.from_supply / (6.0 * sector_));
      supply_ += 0.7 * (parts_.supply - parts_.supply_resistance * drawn - supply_);
    }
    sum_ = {};
    for (int turn = 0; turn < counted; ++turn) go_round();
    sum_.mean = sum_.driven + sum_.freewheels;
    return sum_.over(6.0 * sector_ * counted);
  }

 private:
  void go_round() {
    for (std::size_t sector = 0; sector < sectors.size(); ++sector) {
      const double begins = pi / 6.0 + pi / 3.0 * static_cast<double>(sector);
      double at = 0.0;  // s since it began
      while (at < sector_) {
        if (clock_ >= parts_.period) {
          clock_ = 0.0;
          // As the sensors told a little before.
          row_ = at < parts_.reacts_after ? (sector + 5) % 6 : sector;
        }
        // Up to the next switching, which may be near.
        const bool driven = clock_ < on_;
        const double seconds =
            std::min({step_, sector_ - at, (driven ? std::min(on_, parts_.period) : parts_.period) - clock_});
        pass(driven, begins + pi / 3.0 * (at + 0.5 * seconds) / sector_, seconds);
        at += seconds;
        clock_ += seconds;
        if (parts_.period - clock_ < 1e-6 * parts_.period) clock_ = parts_.period;
        if (std::abs(on_ - clock_) < 1e-6 * parts_.period) clock_ = on_;
        if (sector_ - at < 1e-9 * sector_) at = sector_;
      }
    }
  }

  /// V s/rad of a phase: a sine, or a straight rise to a flat top.
  [[nodiscard]] double constant_at(std::size_t phase, double electrical) const {
    const double sine = std::sin(electrical - 2.0 * pi / 3.0 * static_cast<double>(phase));
    if (parts_.is_sine) return constant_ * sine;
    return constant_ * std::clamp(std::asin(sine) * 6.0 / pi, -1.0, 1.0);
  }

  void pass(bool driven, double electrical, double seconds) {
    Three constants{};
    Three emf{};
    for (std::size_t k = 0; k < 3; ++k) {
      constants[k] = constant_at(k, electrical);
      emf[k] = constants[k] * speed_;
    }
    Three volts{};
    std::array<bool, 3> joined{};
    std::array<bool, 3> at_supply{};
    std::array<bool, 3> by_diode{};
    const auto join = [&](std::size_t k, bool high, double at, bool diode) {
      joined[k] = true;
      at_supply[k] = high;
      by_diode[k] = diode;
      volts[k] = (high ? supply_ : 0.0) + at;
    };
    const auto against = [&](std::size_t k, double drop) {
      return current_[k] > no_current ? -drop : current_[k] < -no_current ? drop : 0.0;
    };
    const auto leave = [&](std::size_t k) {
      if (current_[k] > no_current) join(k, false, -diode_drop, true);
      if (current_[k] < -no_current) join(k, true, diode_drop, true);
    };
    const auto [high, low, out] = sectors[row_];
    if (driven) {
      join(high, true, against(high, parts_.drop), false);
      join(low, false, against(low, parts_.drop), false);
    } else {
      if (parts_.complementary) join(high, false, against(high, parts_.drop), false);
      if (!parts_.complementary) leave(high);
      if (!parts_.both_switched || parts_.complementary) join(low, false, against(low, parts_.drop), false);
      if (parts_.both_switched && !parts_.complementary) leave(low);
    }
    leave(out);
    open_diodes(joined, emf, volts, join);
    flow(joined, by_diode, emf, volts, seconds);
    for (std::size_t k = 0; k < 3; ++k) {
      sum_.torque += constants[k] * mean_[k] * seconds;
      sum_.square += 0.5 * mean_square_[k] * seconds;
      (driven ? sum_.driven : sum_.freewheels) += 0.5 * std::abs(mean_[k]) * seconds;
      sum_.highest = std::max(sum_.highest, std::abs(current_[k]));
      if (joined[k] && at_supply[k]) sum_.from_supply += mean_[k] * seconds;
    }
  }

  /// The star point: the mean of what is behind the joined terminals.
  struct Star {
    double volts = 0.0;
    int count = 0;  // of them
  };
  static Star star_of(const std::array<bool, 3>& joined, const Three& emf, const Three& volts) {
    Star star;
    for (std::size_t k = 0; k < 3; ++k) {
      if (!joined[k]) continue;
      star.volts += volts[k] - emf[k];
      ++star.count;
    }
    if (star.count > 0) star.volts /= star.count;
    return star;
  }

  /// A terminal that nothing joins stands where star and back-EMF put it; beyond the rails its diode opens.
  template <class Join>
  void open_diodes(const std::array<bool, 3>& joined, const Three& emf, const Three& volts,
                   const Join& join) const {
    for (std::size_t k = 0; k < 3; ++k) {
      if (joined[k]) continue;
      const Star star = star_of(joined, emf, volts);
      if (star.count == 0) continue;
      const double stands = star.volts + emf[k];
      if (stands > supply_ + diode_drop) join(k, true, diode_drop, true);
      if (stands < -diode_drop) join(k, false, -diode_drop, true);
    }
  }

  void flow(const std::array<bool, 3>& joined, const std::array<bool, 3>& by_diode, const Three& emf,
            const Three& volts, double seconds) {
    const Star star = star_of(joined, emf, volts);
    const Three before = current_;
    const double left = std::exp(-seconds / (parts_.inductance * per_resistance_));
    if (star.count < 2) {
      current_ = {};
    } else {
      for (std::size_t k = 0; k < 3; ++k) {
        if (!joined[k]) {
          current_[k] = 0.0;
          continue;
        }
        const double goes_to = (volts[k] - emf[k] - star.volts) * per_resistance_;
        current_[k] = goes_to + (current_[k] - goes_to) * left;
      }
      for (std::size_t k = 0; k < 3; ++k) {
        // A diode carries one way alone: a current that has turned has ended.
        const bool turned = by_diode[k] && (volts[k] < 0.5 * supply_ ? current_[k] < 0.0 : current_[k] > 0.0);
        if (!turned) continue;
        if (star.count == 2) current_ = {};
        const std::size_t one = (k + 1) % 3;
        const std::size_t other = (k + 2) % 3;
        current_[k] = 0.0;
        current_[one] = 0.5 * (current_[one] - current_[other]);
        current_[other] = -current_[one];
      }
    }
    for (std::size_t k = 0; k < 3; ++k) {
      mean_[k] = 0.5 * (before[k] + current_[k]);
      const double change = current_[k] - before[k];
      mean_square_[k] = mean_[k] * mean_[k] + change * change / 12.0;
    }
  }

  const SixStepParts& parts_;
  double speed_;
  double supply_;    // V at the board
  double constant_;  // V s/rad of a phase, peak
  double sector_;    // s
  double step_;      // s
  double on_;        // s of a period
  double per_resistance_;
  double clock_ = 0.0;  // s since a period began
  std::size_t row_ = 0;
  Three current_{};
  Three mean_{};
  Three mean_square_{};
  SwitchedCurrent sum_{};
};

}  // namespace

SwitchedCurrent six_step_cycle(const SixStepParts& parts, double duty, double rad_per_s) {
  return Cycle(parts, duty, rad_per_s).run();
}

}  // namespace cogstride
