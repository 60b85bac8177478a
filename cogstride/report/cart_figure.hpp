// The way of a wheeled pair on the floor: where it thought it went, and where it went.
#pragma once

#include <string>

#include "cogstride/trace/thinned.hpp"

namespace cogstride {

/// @param first  of the pair's traced signals: x, y, heading really, then as it thinks
/// @throws Error as draw_figure()
void draw_cart(const std::string& path, const ThinnedTrace& trace, const std::string& title,
               std::size_t first);

}  // namespace cogstride
