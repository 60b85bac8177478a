// Tests by the clock of a computer that may be busy with something else.
#pragma once

#include <gtest/gtest.h>

#include <string>

#include "cogstride/bench/bench.hpp"
#include "cogstride/quantity/quantity.hpp"

namespace cogstride::testing_support {

/// Whether a run was ended because the computer was busy at a bad moment, which shows nothing.
inline bool is_of_a_busy_computer(const std::string& fault) {
  // A reaction to the gate that came too late leaves the output in it: "the switch gate ... acts outside
  // homing".
  return fault.find("this computer was busy with something else") != std::string::npos ||
         fault.find("the bench was not served for 250 ms") != std::string::npos ||
         fault.find("acts outside homing") != std::string::npos;
}

/// Runs it, again where it was ended by a busy computer.
template <class Run>
void unless_busy(Run run) {
  for (int tries = 0; tries < 40; ++tries) {
    try {
      run();
      return;
    } catch (const MotionFault& fault) {
      if (!is_of_a_busy_computer(fault.what())) throw;
    }
  }
  FAIL() << "in 40 tries this computer was always later than the bound";
}

/// Lets the bench run until something has come to pass, which a busy computer may be late with.
template <class Done>
bool comes_to(Bench& bench, Done done) {
  for (int looks = 0; looks < 300 && !done(); ++looks) bench.serve(Time(10.0, units::ms));
  return done();
}

/// What ended a motion; only a busy computer makes it be tried again.
inline std::string end_of(Motion& motion) {
  std::string fault = motion.result();
  if (is_of_a_busy_computer(fault)) throw MotionFault(fault, FaultCode::controller);
  return fault;
}

}  // namespace cogstride::testing_support
