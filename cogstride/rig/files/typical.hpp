// Typical parts: what a new rig file starts from, sound as it stands.
#pragma once

#include "cogstride/rig/rig.hpp"

namespace cogstride {

[[nodiscard]] Controller typical_controller();
[[nodiscard]] Supply typical_supply();

/// The parts of a mechanism that turns, its motor and board of the same kinds as those given.
/// @param first_line  number of the first line it may use; moved past those it takes
[[nodiscard]] Mechanism typical_mechanism(const Motor& motor, const Board& board, std::int64_t& first_line);

/// A sensor of the same kind as the given one. @param channel  of the next analogue input; moved on
[[nodiscard]] Sensor typical_sensor(const Sensor& sensor, std::int64_t& first_line, std::int64_t& channel);

[[nodiscard]] HandControl typical_hand(HandControl::Kind kind, std::int64_t& first_line,
                                       std::int64_t& channel);

}  // namespace cogstride
