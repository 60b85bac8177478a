#include "cogstride/board/bus/bus_services.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "cogstride/quantity/error.hpp"

namespace cogstride {

void require_node_id(int id) {
  if (id < 1 || id > most_node_id)
    throw RangeError(fmt::format("{}: an id on a bus is 1 to {}", id, most_node_id));
}

Frame node_control(NodeCommand command, int id) {
  if (id != 0) require_node_id(id);
  return {node_control_id, 2, {static_cast<std::uint8_t>(command), static_cast<std::uint8_t>(id)}};
}

Frame sync_frame() {
  return {sync_id, 0, {}};
}

Frame heartbeat_frame(int id, NodeState state) {
  require_node_id(id);
  return {heartbeat_id(id), 1, {static_cast<std::uint8_t>(state)}};
}

std::optional<NodeHeartbeat> heartbeat_of(const Frame& frame) {
  if (frame.id <= heartbeat_id(0) || frame.id > heartbeat_id(most_node_id) || frame.size != 1)
    return std::nullopt;
  const std::uint8_t state = frame.bytes[0] & 0x7f;
  for (const NodeState known :
       {NodeState::boot, NodeState::stopped, NodeState::operational, NodeState::prepared})
    if (static_cast<std::uint8_t>(known) == state)
      return NodeHeartbeat{static_cast<int>(frame.id - heartbeat_id(0)), known};
  return std::nullopt;
}

std::optional<Emergency> emergency_of(const Frame& frame) {
  if (frame.id <= emergency_id(0) || frame.id > emergency_id(most_node_id) || frame.size != 8)
    return std::nullopt;
  Emergency emergency;
  emergency.id = static_cast<int>(frame.id - emergency_id(0));
  emergency.code = static_cast<std::uint16_t>(frame.bytes[0] | frame.bytes[1] << 8);
  emergency.errors = frame.bytes[2];
  std::copy_n(frame.bytes.begin() + 3, emergency.own.size(), emergency.own.begin());
  return emergency;
}

}  // namespace cogstride
