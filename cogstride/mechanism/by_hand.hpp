// What a rig says of moving it by hand.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "cogstride/mechanism/output.hpp"
#include "cogstride/quantity/quantity.hpp"

namespace cogstride {

/// Of one mechanism: what an order by hand means that does not say it.
struct ByHand {
  std::optional<OutputSpeed> speed{};
  std::optional<OutputAcceleration> acceleration{};
  std::optional<OutputPosition> nudge{};  ///< way of one press
};

/// Of all of them.
struct Operating {
  enum class Lost : std::uint8_t { rest, stop_everything };
  Time hold_lasts{0.3, units::s};       ///< a hold that is not said again for so long ends
  Lost when_lost = Lost::rest;          ///< what a way in held that is gone
  std::optional<std::string> listen{};  ///< "127.0.0.1:7440": address and port of a socket
  std::optional<std::string> token{};   ///< what one who comes in by the socket has to say first
  bool look_without_token = false;      ///< one may see how things are without it, and order nothing
};

/// What a control of the rig does, or a single key.
struct Binding {
  std::string name{};
  std::string control{};               ///< a hand of the rig; "key x"; or "anything else"
  std::optional<std::string> on{};     ///< order when it is pressed
  std::optional<std::string> off{};    ///< order when it is let go; of a value: where that is at nothing
  bool latched = false;                ///< it is let go by pressing it again
  std::optional<std::string> value{};  ///< order with VALUE in it, whenever a knob or a wheel has another
  std::optional<std::string> from{};   ///< that the knob's travel begins with; with a centre, next to it
  std::optional<std::string> to{};     ///< and ends with
  std::optional<std::string> each{};   ///< of a wheel: amount of a click
  std::optional<std::string>
      also{};  ///< a second knob, for the word OTHER in the value: a stick's other axis
  std::optional<std::string> other_from{};
  std::optional<std::string> other_to{};
};

/// What the page shows, in the order of the file: something of the rig, or a control of its own.
struct PageControl {
  std::string name{};
  std::optional<std::string> label{};  ///< nothing: its name
  std::optional<std::string> of{};     ///< a mechanism, a cart or an output
  std::vector<std::string> shows{};    ///< of it (page_parts); none: all that makes sense
  std::optional<std::string> from{};   ///< amount that its slider begins with; nothing: as far as it may go
  std::optional<std::string> to{};     ///< and ends with
  // Else a control of its own:
  std::optional<std::string> on{};     ///< order when it is pressed
  std::optional<std::string> off{};    ///< order when it is let go
  bool latched = false;                ///< it is let go by pressing it again
  std::optional<std::string> value{};  ///< order with VALUE in it, of a slider from `from` to `to`
};

/// What can be shown of a mechanism, a cart or an output.
inline constexpr std::array<const char*, 11> page_parts = {"drawing",  "place",   "speed",    "share",
                                                           "hold",     "nudge",   "stations", "home",
                                                           "settings", "gearing", "switch"};

}  // namespace cogstride
