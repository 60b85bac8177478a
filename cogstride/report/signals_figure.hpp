// All recorded signals of one mover against time, a panel for each unit: for runs of which is not known
// beforehand what is worth seeing.
#pragma once

#include <string>

#include "cogstride/trace/thinned.hpp"

namespace cogstride {

/// @return false when nothing of it was recorded, or nothing that is known: no file is written then
/// @throws Error as write_figure()
bool write_signals_figure(const std::string& path, const ThinnedTrace& trace, const std::string& mover,
                          const std::string& title);

}  // namespace cogstride
