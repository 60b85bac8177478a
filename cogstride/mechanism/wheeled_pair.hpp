// Two driven wheels on one axis: a cart that goes straight, on an arc, or turns on the spot.
#pragma once

#include <string>

#include "cogstride/quantity/quantity.hpp"

namespace cogstride {

struct WheeledPair {
  std::string name{};
  std::string left{};  ///< names of the mechanisms that turn the wheels, forwards when the cart goes forwards
  std::string right{};
  Length left_wheel{};  ///< diameters, measured under load
  Length right_wheel{};
  Length track{};  ///< between the places where the two wheels touch the floor
};

}  // namespace cogstride
