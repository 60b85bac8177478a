// Two runs laid over each other: in words, for programs, and as a figure.
#pragma once

#include <string>

#include "cogstride/trace/recorded.hpp"

namespace cogstride {

[[nodiscard]] std::string compare_text(const TraceComparison& comparison);
[[nodiscard]] std::string compare_json(const TraceComparison& comparison);
/// The rate of the busiest line in both over time, and by how much the second's edges are later.
/// @throws Error when it cannot be drawn
void draw_comparison(const std::string& path, const TraceComparison& comparison);

}  // namespace cogstride
