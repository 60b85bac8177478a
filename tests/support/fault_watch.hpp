// The first fault that a bench tells, and when.
#pragma once

#include <string>

#include "cogstride/bench/bench.hpp"

namespace cogstride::testing_support {

struct FaultWatch {
  explicit FaultWatch(Bench& bench) {
    bench.on_fault([this, &bench](const std::string& why) {
      if (!what.empty()) return;
      what = why;
      at = bench.now().in(units::s);
    });
  }
  FaultWatch(const FaultWatch&) = delete;
  FaultWatch& operator=(const FaultWatch&) = delete;

  std::string what{};
  double at = 0.0;  // s
};

}  // namespace cogstride::testing_support
