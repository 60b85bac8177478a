// What a device is told in its own form: a place, a speed, a state.
#pragma once

#include <optional>
#include <string>

#include "cogstride/mechanism/devices.hpp"
#include "cogstride/session/operation_state.hpp"

namespace cogstride {

/// @return its bytes; nothing: that is not known now
[[nodiscard]] std::optional<std::string> reply_text(const DeviceReply& reply, const OperationState& state);

}  // namespace cogstride
