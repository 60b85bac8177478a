// What a computer and the small chip of a rig agree on before anything moves: which line is which pin, which
// axis is which, and a mark of all that the chip's program was made from.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "cogstride/lines/events.hpp"
#include "cogstride/mechanism/line_name.hpp"
#include "cogstride/rig/rig.hpp"

namespace cogstride {

/// A line on the link: 8 for each letter behind A, and its bit; "B1" is 9. @return nothing: it is no such pin
[[nodiscard]] std::optional<std::uint8_t> link_code(LineId line);
[[nodiscard]] LineId line_of_link(std::uint8_t code);

struct LinkMap {
  enum class Use : std::uint8_t { output, step, direction, input };
  struct Line {
    std::uint8_t code = 0;
    Pin pin{};
    Use use = Use::output;
    bool rest_high = false;
    bool pull_up = false;  ///< the chip's own
    std::string name{};    ///< "carriage enable"
  };
  std::vector<Line> lines{};        ///< in the order of their codes
  std::vector<std::size_t> axes{};  ///< mechanisms that move, by their place in the rig
  std::uint32_t mark = 0;
};
[[nodiscard]] LinkMap link_map(const Rig& rig);

}  // namespace cogstride
