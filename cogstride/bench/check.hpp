// What holds an encoder against a mover, on a bench. Its sources alone include it.
#pragma once

#include <memory>

#include "cogstride/bench/bench.hpp"
#include "cogstride/motion/count_check.hpp"

namespace cogstride {

struct Bench::Check {
  MechanismId of;
  std::unique_ptr<CountCheck> check;
};

}  // namespace cogstride
