// What many homings found: in words, for programs, and as a figure.
#pragma once

#include <string>
#include <vector>

#include "cogstride/study/results/end_scatter.hpp"
#include "cogstride/study/results/scatter_result.hpp"

namespace cogstride {

[[nodiscard]] std::string scatter_text(const std::vector<ScatterResult>& results);
[[nodiscard]] std::string scatter_json(const std::vector<ScatterResult>& results);
/// How the errors are spread, and over the places that homing began from, a row for each mechanism.
/// @throws Error when it cannot be drawn
void draw_scatter(const std::string& path, const std::vector<ScatterResult>& results);

/// The same of patterns that only time decides.
[[nodiscard]] std::string end_scatter_text(const std::string& script, const std::vector<EndScatter>& results);
[[nodiscard]] std::string end_scatter_json(const std::vector<EndScatter>& results);
void draw_end_scatter(const std::string& path, const std::string& script,
                      const std::vector<EndScatter>& results);

}  // namespace cogstride
