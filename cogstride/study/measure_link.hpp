// What does the line to a small chip add, and what does it carry? Nothing moves by it.
#pragma once

#include "cogstride/link/link_map.hpp"
#include "cogstride/mechanism/controller.hpp"
#include "cogstride/port/byte_stream.hpp"
#include "cogstride/quantity/quantity.hpp"
#include "cogstride/study/results/link_result.hpp"

namespace cogstride {

/// Greets the chip, asks it for `each`, and then gives it all that the line takes for as long.
/// @param controller  with a small chip and a link to it @param map  of the whole rig
/// @throws Error when no chip answers, or one with another program
[[nodiscard]] LinkResult measure_link(ByteStream& stream, const Controller& controller, const LinkMap& map,
                                      Time each);

}  // namespace cogstride
