// What of a mechanism is wired beside its lines: the leads of its motor, its supply and ground, switches as
// they are set, inputs that are tied or left open.
#pragma once

#include <string>
#include <vector>

#include "cogstride/rig/rig.hpp"

namespace cogstride {

struct Connection {
  std::string about{};  ///< "motor leads"
  std::string words{};  ///< "A+ red, A- blue, B+ green, B- black"
};

[[nodiscard]] std::vector<Connection> connections_of(const Rig& rig, const Mechanism& mechanism);

}  // namespace cogstride
