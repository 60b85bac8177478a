// The six rows of a brushless motor's commutation, in words, as JSON, and drawn.
#pragma once

#include <string>

#include "cogstride/plan/commutation.hpp"

namespace cogstride {

[[nodiscard]] std::string commutation_text(const Mechanism& mechanism, const Commutation& commutation);
[[nodiscard]] std::string commutation_json(const Mechanism& mechanism, const Commutation& commutation);

/// Gates, terminal voltages, Hall levels and back-EMF over two electrical turns.
/// @throws Error when it cannot be drawn
void draw_commutation(const std::string& path, const Mechanism& mechanism, const Commutation& commutation);

}  // namespace cogstride
