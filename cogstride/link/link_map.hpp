// What a computer and the small chip of a rig agree on before anything moves: which line is which pin, which
// axis is which, and a mark of all that the chip's program was made from.
#pragma once

#include <cstddef>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "cogstride/lines/events.hpp"
#include "cogstride/link/link_duties.hpp"
#include "cogstride/mechanism/line_name.hpp"
#include "cogstride/rig/rig.hpp"

namespace cogstride {

/// A line on the link: 8 for each letter behind A, and its bit; "B1" is 9. @return nothing: it is no such pin
[[nodiscard]] std::optional<std::uint8_t> link_code(LineId line);
/// The same of one that is. @throws RangeError when it is none
[[nodiscard]] std::uint8_t pin_code(LineId line);
[[nodiscard]] LineId line_of_link(std::uint8_t code);

struct LinkMap {
  /// duty: an output that a timer switches on for a part of each of its periods; counted: of an encoder
  enum class Use : std::uint8_t { output, step, direction, duty, input, counted };
  struct Line {
    std::uint8_t code = 0;
    Pin pin{};
    Use use = Use::output;
    bool rest_high = false;
    bool pull_up = false;  ///< the chip's own
    std::string name{};    ///< "carriage enable"
  };
  struct Counter {
    std::uint8_t code_a = 0;
    std::uint8_t code_b = 0;
    Pin a{};
    Pin b{};
    std::string name{};  ///< "wheel"
  };
  std::vector<Line> lines{};  ///< in the order of their codes
  std::vector<LinkDuty> duties{};
  std::vector<Counter> counters{};  ///< of its encoders, mechanisms first
  /// Encoders by which a motor's loop is closed, by their line A: the chip closes it.
  std::vector<std::uint8_t> loops{};
  /// Mechanisms that move, by their place in the rig; `not_there`: it is another part of the whole rig
  std::vector<std::size_t> axes{};
  std::uint32_t mark = 0;
  static constexpr std::size_t not_there = SIZE_MAX;

  /// Whether pulses go one after another in a frame.
  [[nodiscard]] bool has_frame() const;
};
[[nodiscard]] LinkMap link_map(const Rig& rig);
/// Why a chip cannot count it; "": it can.
[[nodiscard]] std::string why_no_chip_counts(const Encoder& encoder);

/// A number for a session, from chance: 1 to 65534.
[[nodiscard]] std::uint16_t new_link_session();
/// What a chip's answer to a greeting says against going on: another form of the link, or a program that was
/// made from another rig. @param port  its name, for the words @return "": nothing
[[nodiscard]] std::string why_not_with(const LinkMap& map, std::uint8_t version, std::uint32_t mark,
                                       const std::string& port);
/// What to look after when no chip answers. @param baud  of the line
[[nodiscard]] std::string no_answer_words(const std::string& port, std::int64_t baud);

}  // namespace cogstride
