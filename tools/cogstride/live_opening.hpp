// What commands that take live lines look at before they do.
#pragma once

#include <span>
#include <string>

#include "cogstride/rig/rig.hpp"

/// @throws Error, with what --only would leave, when something of it cannot be driven on live lines
void require_drivable(const std::string& rig_file, const cogstride::Rig& rig);
/// Where the black box of a run goes: as asked, or with this user's states; empty, and why is said, where it
/// can go nowhere. @throws Error when it is there and not to be replaced, or one of the files that are read
[[nodiscard]] std::string black_box_of(const std::string& asked, const std::string& usual, bool overwrite,
                                       std::span<const std::string> read);
