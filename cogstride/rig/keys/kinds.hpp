// The kinds of motors, boards, sensors, parts and hand controls by the words that a rig file has for them.
#pragma once

#include <array>

#include "cogstride/mechanism/mechanism.hpp"

namespace cogstride {

template <class Part>
struct NamedKind {
  const char* word;
  const char* about;
  Part part;
};

/// A motor or board of each kind, otherwise empty.
[[nodiscard]] const std::vector<NamedKind<Motor>>& motor_kinds();
[[nodiscard]] const std::vector<NamedKind<Board>>& board_kinds();
[[nodiscard]] const std::vector<NamedKind<Sensor>>& sensor_kinds();
[[nodiscard]] const std::vector<NamedKind<HandControl::Kind>>& hand_kinds();
[[nodiscard]] const std::vector<NamedKind<BetweenPart::Kind>>& part_kinds();

/// Whether a motor of this kind can be driven by a board of that kind at all.
[[nodiscard]] bool fits(const Motor& motor, const Board& board);

/// The wiring that a kind of board takes, otherwise empty.
[[nodiscard]] BoardWiring wiring_for(const Board& board);

}  // namespace cogstride
