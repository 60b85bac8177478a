// How fast a computer can go: in words and for programs.
#pragma once

#include <string>

#include "cogstride/study/results/link_result.hpp"
#include "cogstride/study/results/rate_result.hpp"

namespace cogstride {

/// A rate with two digits, rounded down: "24 kHz".
[[nodiscard]] std::string rate_words(double rate);
/// @param rig_rate  pulses a second that the rig says
[[nodiscard]] std::string rate_text(const RateResult& result, double rig_rate);
[[nodiscard]] std::string rate_json(const RateResult& result, double rig_rate);
/// Of a line to a small chip.
[[nodiscard]] std::string link_text(const LinkResult& result);
[[nodiscard]] std::string link_json(const LinkResult& result);

}  // namespace cogstride
