// Long rows of trials: a few of them where every change runs the tests, all of them in scripts/test-slow.
#pragma once

#include <cstdlib>

namespace cogstride::testing_support {

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

/// Of trials that all go the same way through the code: each, or one in `stride` under a sanitizer, which
/// looks at the way and not at the figures, and takes ten times as long.
class Sampled {
 public:
  explicit Sampled(int stride) : stride_(stride) {}
  /// Whether the next one is made.
  bool next() {
#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
    return runs_slow_tests() || count_++ % stride_ == 0;
#else
    return stride_ > 0;
#endif
  }

 private:
  int stride_;
  [[maybe_unused]] int count_ = 0;
};

}  // namespace cogstride::testing_support
