// What is believed of an amount that somebody wrote: beyond it a slip of the pen is likelier than a machine.
#pragma once

#include <string>

#include "cogstride/quantity/text.hpp"

namespace cogstride {

/// Why an amount is absurd, as "2e300 kg m2 is absurd: at most 1e6 kg m2 can be meant"; empty where it can be
/// meant, and for amounts of a kind that has no bounds here.
/// @param written  as it stands in the file
[[nodiscard]] std::string why_absurd(std::string_view written, const ParsedQuantity& parsed);

}  // namespace cogstride
