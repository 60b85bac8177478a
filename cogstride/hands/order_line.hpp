// Lines that come in and answers that go out, by whichever way: plain, or JSON Lines.
//
//   move traverse to 40 mm                         done: move traverse to 40 mm
//   @7 move traverse to 400 mm                     @7 refused: move traverse to 400 mm: ends at 400 mm, ...
//   {"order": "stop traverse", "tag": 8}        {"tag":8,"answer":"done","order":"release
//   traverse","at_s":12.5}
#pragma once

#include <string>
#include <string_view>

#include "cogstride/session/operation.hpp"

namespace cogstride {

/// What somebody orders.
struct OrderLine {
  std::string order{};
  std::string tag{};  ///< as it was written; in JSON form where it came so. Empty: none
  bool is_json = false;
};

/// The most that a line may have.
inline constexpr std::size_t longest_order = 1000;

/// @throws Error when it is neither, or too long
[[nodiscard]] OrderLine read_order(std::string_view line);
/// Without the end of the line. @param at_s  of the bench's time, s @param json  as JSON, whatever form the
/// order had
[[nodiscard]] std::string answer_line(const OrderLine& order, const Operation::Answer& answer, double at_s,
                                      bool json);

}  // namespace cogstride
