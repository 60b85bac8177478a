// What of a rig's bindings a chip does by itself: keys that hold, nudge, home, go to a place, switch; knobs
// that set a speed or a place.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "cogstride/rig/rig.hpp"

namespace cogstride {

/// What one press does.
struct ChipAct {
  enum class Does : std::uint8_t { hold, spin, nudge, go_to, home, rest, rest_all, clear, put };
  Does does = Does::rest;
  std::size_t axis = 0;    ///< place among the program's axes
  std::int64_t steps = 0;  ///< of a hold and a spin: +1 or -1; else a way, or where to
  std::int64_t speed = 0;  ///< steps/s; 0: the usual one
  std::size_t output = 0;  ///< place in the rig
  bool on = false;         ///< whether it is switched on
  std::string text{};      ///< as the rig says it
};

struct ChipKey {
  const HandControl* hand = nullptr;
  std::string name{};  ///< in the program
  std::optional<ChipAct> on{};
  std::optional<ChipAct> off{};
  bool latched = false;
};

struct ChipKnob {
  enum class Does : std::uint8_t { usual_speed, spin, place };
  const HandControl* hand = nullptr;
  Does does = Does::usual_speed;
  std::size_t axis = 0;
  std::int64_t from = 0;  ///< steps/s, signed of a spin; steps of a place
  std::int64_t to = 0;
  int low =
      0;  ///< sums of four codes of ten bits, between which it is even; turned round where it is reversed
  int high = 0;
  int still = 0;
  std::string text{};
};

struct ChipHands {
  std::vector<ChipKey> keys{};
  std::vector<ChipKnob> knobs{};
  /// Of bindings that the program does not obey: which, and why.
  struct Left {
    const Binding* binding;
    std::string why;
  };
  std::vector<Left> left{};
};

/// @param axes  places in the rig of what the program moves
[[nodiscard]] ChipHands chip_hands(const Rig& rig, const std::vector<std::size_t>& axes);

}  // namespace cogstride
