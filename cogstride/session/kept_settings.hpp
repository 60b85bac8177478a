// What has been set by hand goes into the rig.
#pragma once

#include <string>
#include <vector>

#include "cogstride/session/operation.hpp"

namespace cogstride {

/// Changes the keys of a rig file that have been set; the rest of it stays as it is. @return what it wrote,
/// in words. @throws Error when the file cannot be changed; nothing is changed then
std::string keep_settings(const std::string& rig_file, const Rig& rig, const std::vector<SetByHand>& all);

}  // namespace cogstride
