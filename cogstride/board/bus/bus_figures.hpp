// How busy a bus is with what its drives tell and are told, and how late things are on it.
#pragma once

#include <vector>

#include "cogstride/mechanism/mechanism.hpp"

namespace cogstride {

struct BusFigures {
  int drives = 0;
  double load = 0.0;         ///< share of its time, with as many stuffed bits as there can be
  double orders_take = 0.0;  ///< s, until the orders of a common instant are all over it
  double told_take = 0.0;    ///< s, until all have told
  double cut_within = 0.0;   ///< s, until the last drive has heard of a cut, whatever is on the bus just then
};
/// @param drives  that are on it
[[nodiscard]] BusFigures bus_figures(const FieldBus& bus, const std::vector<const BusDrive*>& drives);

/// Those of a rig's mechanisms.
[[nodiscard]] std::vector<const BusDrive*> drives_of(const std::vector<Mechanism>& mechanisms);

}  // namespace cogstride
