// A shaft that we do not drive. Another machine turns it, and its encoder tells where it is; or nothing turns
// at all: a master speed, which others follow.
#pragma once

#include <optional>
#include <string>
#include <utility>

#include "cogstride/mechanism/mechanism.hpp"

namespace cogstride {

struct Shaft {
  std::string name{};
  Train train{};  ///< from the encoder's shaft to what is followed
  OutputSpeed speed{};
  std::optional<OutputAcceleration>
      acceleration{};                ///< of a master speed; nothing: its speed changes at once
  std::optional<Encoder> encoder{};  ///< nothing: a master speed

  [[nodiscard]] bool is_master() const { return !encoder.has_value(); }
};

/// What can be known of it in the words of a mechanism: name, train, top speed, encoder. Nothing moves it.
[[nodiscard]] inline Mechanism parts_of(const Shaft& shaft) {
  Mechanism parts;
  parts.name = shaft.name;
  parts.motor = BrushedMotor{};
  parts.board = PulseWidthInput{};  // no pair of these two is moved
  parts.wiring = PulseWidthWiring{};
  parts.train = shaft.train;
  parts.limits.speed = shaft.speed;
  const OutputKind kind = output_kind(shaft.train);
  parts.limits.acceleration = shaft.acceleration.value_or(OutputAcceleration{kind, Ratio(0)});
  if (shaft.encoder) parts.sensors.emplace_back(*shaft.encoder);
  return parts;
}

}  // namespace cogstride
