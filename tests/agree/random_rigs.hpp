// Rigs of one mechanism each with figures that nobody chose: any motor on any board that drives it.
#pragma once

#include <cstdint>
#include <random>

#include "cogstride/rig/rig.hpp"

namespace cogstride::agree {

/// Numbers of one seed.
class Dice {
 public:
  explicit Dice(std::uint64_t seed) : engine_(seed) {}
  /// Evenly between.
  double even(double least, double most) {
    return least + (most - least) * std::uniform_real_distribution<double>(0.0, 1.0)(engine_);
  }
  /// Evenly by ratio.
  double by_ratio(double least, double most);
  /// 0 to count - 1.
  std::size_t one_of(std::size_t count) {
    return std::uniform_int_distribution<std::size_t>(0, count - 1)(engine_);
  }
  bool by_chance(double share) { return even(0.0, 1.0) < share; }

 private:
  std::mt19937_64 engine_;
};

/// A stepper with a speed that its windings give torque for, and an acceleration of a share of what the
/// closed form lets it have.
[[nodiscard]] Rig random_stepper(Dice& dice);

/// A stepper with much to spare behind a wheel that somebody turns, with any encoder, by any ratio of whole
/// numbers: at the wheel's top speed it goes with a share of its own.
[[nodiscard]] Rig random_follower(Dice& dice);

/// A brushed motor, its bridge coasting or braking between, of many frequencies.
[[nodiscard]] Rig random_brushed(Dice& dice);

/// A brushless motor with Hall sensors behind six gates.
[[nodiscard]] Rig random_brushless(Dice& dice);

}  // namespace cogstride::agree
