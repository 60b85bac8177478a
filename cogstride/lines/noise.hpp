// Noise that depends on what it is for, never on the order of drawing: keyed by seed, source and sample
// number. So one more reading, or a plant that goes back in time, changes no other figure.
#pragma once

#include <cmath>
#include <cstdint>
#include <initializer_list>

namespace cogstride {

/// A well-mixed 64-bit word of three keys (finaliser of SplitMix64: Steele, Lea, Flood 2014).
[[nodiscard]] inline std::uint64_t mixed_word(std::uint64_t seed, std::uint64_t source,
                                              std::uint64_t sample) {
  std::uint64_t word = 0;
  for (const std::uint64_t key : {seed, source, sample}) {
    word += 0x9e3779b97f4a7c15u + key;
    word = (word ^ (word >> 30)) * 0xbf58476d1ce4e5b9u;
    word = (word ^ (word >> 27)) * 0x94d049bb133111ebu;
    word ^= word >> 31;
  }
  return word;
}

/// Even in [0, 1).
[[nodiscard]] inline double even_noise(std::uint64_t seed, std::uint64_t source, std::uint64_t sample) {
  return static_cast<double>(mixed_word(seed, source, sample) >> 11) * 0x1p-53;
}

/// Normal, mean 0 and deviation 1 (Box and Muller 1958).
[[nodiscard]] inline double normal_noise(std::uint64_t seed, std::uint64_t source, std::uint64_t sample) {
  const double u = 1.0 - even_noise(seed, source, 2 * sample);
  const double v = even_noise(seed, source, 2 * sample + 1);
  return std::sqrt(-2.0 * std::log(u)) * std::cos(6.28318530717958647692 * v);
}

}  // namespace cogstride
