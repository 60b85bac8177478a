// Long rows of trials: a few of them where every change runs the tests, all of them in scripts/test-slow.
#pragma once

#include <cstdlib>

namespace cogstride::testing_support {

/// Whether a sanitizer looks on: at the way through the code and not at figures, and it takes ten times as
/// long.
#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
inline constexpr bool is_sanitized = true;
#elif defined(__has_feature)
#if __has_feature(address_sanitizer) || __has_feature(thread_sanitizer)
inline constexpr bool is_sanitized = true;
#else
inline constexpr bool is_sanitized = false;
#endif
#else
inline constexpr bool is_sanitized = false;
#endif

/// Whether long tests are to be run whole.
inline bool runs_slow_tests() {
  return std::getenv("COGSTRIDE_SLOW") != nullptr;
}

/// So many trials: `whole`, or `few` where time counts.
inline int trials(int few, int whole) {
  return runs_slow_tests() ? whole : few;
}

/// Of a row of trials one in so many is made: each of them, or one in `stride` where time counts.
inline int one_in(int stride) {
  return runs_slow_tests() ? 1 : stride;
}

/// So many of what goes the same way through the code each time: fewer under a sanitizer.
inline int repeated(int whole, int sanitized) {
  return is_sanitized && !runs_slow_tests() ? sanitized : whole;
}

/// Of trials that all go the same way through the code: each, or one in `stride` under a sanitizer.
class Sampled {
 public:
  explicit Sampled(int stride) : stride_(stride) {}
  /// Whether the next one is made.
  bool next() { return !is_sanitized || runs_slow_tests() || count_++ % stride_ == 0; }

 private:
  int stride_;
  int count_ = 0;
};

}  // namespace cogstride::testing_support
