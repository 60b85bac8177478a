// Process data: objects that lie one after another in a frame which is told or ordered each cycle, and how a
// device is told so (CiA 301, PDO communication and mapping).
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <utility>
#include <vector>

#include "cogstride/board/bus/object_access.hpp"

namespace cogstride {

struct ProcessData {
  bool is_told = true;  ///< by the device; else it is ordered
  int number = 1;       ///< 1 to 4
  std::vector<BusObject> objects{};
  bool is_at_once = false;  ///< it comes in force when it comes; else with the next common instant
};

/// Bits of all its objects. @throws RangeError when they are more than a frame holds, or one is a text
[[nodiscard]] int bits_of(const ProcessData& data);
/// With which id it goes over the bus.
[[nodiscard]] std::uint32_t id_of(const ProcessData& data, int node);
/// @param values  as many as it has objects @throws RangeError when one is not held by its object
[[nodiscard]] Frame pack(const ProcessData& data, int node, std::span<const std::int64_t> values);
/// @param values  as many as it has objects. @return whether the frame is that one
bool unpack(const ProcessData& data, int node, const Frame& frame, std::span<std::int64_t> values);

/// An object and what it is to be.
using ObjectValue = std::pair<BusObject, std::int64_t>;
/// What is written to a device, in this order, so that it has it so: off, what it holds, that it comes in
/// force with each common instant, and on again.
[[nodiscard]] std::vector<ObjectValue> settings_of(const ProcessData& data, int node);
/// That a device no longer has it.
[[nodiscard]] ObjectValue switched_off(const ProcessData& data, int node);

/// Objects by which a device knows it.
[[nodiscard]] BusObject data_id_object(const ProcessData& data);
[[nodiscard]] BusObject data_when_object(const ProcessData& data);
/// @param place  0: how many there are; else of the first one, the second one
[[nodiscard]] BusObject data_entry_object(const ProcessData& data, int place);
/// In the id of process data: it is off.
inline constexpr std::int64_t data_is_off = 0x80000000;

}  // namespace cogstride
