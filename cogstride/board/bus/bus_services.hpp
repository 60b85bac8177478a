// What goes over a CANopen bus beside objects: starting and stopping of nodes, heartbeats, emergencies,
// synchronous instants, process data; and with which ids (CiA 301).
#pragma once

#include <array>
#include <cstdint>
#include <optional>

#include "cogstride/lines/events.hpp"

namespace cogstride {

enum class NodeCommand : std::uint8_t {
  start = 0x01,
  stop = 0x02,
  prepare = 0x80,  ///< to pre-operational: objects alone, no process data
  reset = 0x81,
  reset_communication = 0x82
};
enum class NodeState : std::uint8_t { boot = 0x00, stopped = 0x04, operational = 0x05, prepared = 0x7f };

inline constexpr int most_node_id = 127;
/// @throws RangeError when it is none
void require_node_id(int id);

[[nodiscard]] constexpr std::uint32_t access_request_id(int id) {
  return 0x600 + static_cast<std::uint32_t>(id);
}
[[nodiscard]] constexpr std::uint32_t access_answer_id(int id) {
  return 0x580 + static_cast<std::uint32_t>(id);
}
[[nodiscard]] constexpr std::uint32_t heartbeat_id(int id) {
  return 0x700 + static_cast<std::uint32_t>(id);
}
[[nodiscard]] constexpr std::uint32_t emergency_id(int id) {
  return 0x080 + static_cast<std::uint32_t>(id);
}
inline constexpr std::uint32_t node_control_id = 0x000;
inline constexpr std::uint32_t sync_id = 0x080;
/// Process data as devices have them by default. @param number  1 to 4
[[nodiscard]] constexpr std::uint32_t told_data_id(int number, int id) {
  return 0x080 + 0x100 * static_cast<std::uint32_t>(number) + static_cast<std::uint32_t>(id);
}
[[nodiscard]] constexpr std::uint32_t ordered_data_id(int number, int id) {
  return 0x100 + 0x100 * static_cast<std::uint32_t>(number) + static_cast<std::uint32_t>(id);
}

/// @param id  0: all of them
[[nodiscard]] Frame node_control(NodeCommand command, int id);
/// What was told before it, synchronous process data, comes in force together.
[[nodiscard]] Frame sync_frame();
[[nodiscard]] Frame heartbeat_frame(int id, NodeState state);

struct NodeHeartbeat {
  int id = 0;
  NodeState state = NodeState::boot;
};
/// Nothing: it is none.
[[nodiscard]] std::optional<NodeHeartbeat> heartbeat_of(const Frame& frame);

struct Emergency {
  int id = 0;
  std::uint16_t code = 0;             ///< 0: no more
  std::uint8_t errors = 0;            ///< its error register (1001:00)
  std::array<std::uint8_t, 5> own{};  ///< the manufacturer's
};
[[nodiscard]] std::optional<Emergency> emergency_of(const Frame& frame);

}  // namespace cogstride
