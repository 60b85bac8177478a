// The coil sequence of a stepper: a table, the same for programs, and a figure of line levels and field.
#pragma once

#include <string>

#include "cogstride/plan/excitation.hpp"

namespace cogstride {

/// @param backwards  the rows in the order in which they are gone through backwards
[[nodiscard]] std::string sequence_text(const Mechanism& mechanism, const Excitation& excitation,
                                        bool backwards);
[[nodiscard]] std::string sequence_json(const Mechanism& mechanism, const Excitation& excitation,
                                        bool backwards);

/// Timing diagram over two electrical turns, and the field that the currents of both coils make.
/// @throws Error when it cannot be drawn
void draw_sequence(const std::string& path, const Mechanism& mechanism, const Excitation& excitation,
                   bool backwards);

}  // namespace cogstride
