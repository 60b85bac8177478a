// The way of a wheeled pair on the floor: where it thought it went, and where it went.
#pragma once

#include <string>

#include "cogstride/trace/thinned.hpp"

namespace cogstride {

/// @param cart  its name, which its signals begin with
/// @throws Error as draw_figure()
void draw_cart(const std::string& path, const ThinnedTrace& trace, const std::string& title,
               const std::string& cart);

}  // namespace cogstride
