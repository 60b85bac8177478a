// Reads waveforms back (VCD, IEEE 1364): one-bit wires, as this library and most loggers write them.
#pragma once

#include <string>
#include <string_view>

#include "cogstride/trace/recorded.hpp"

namespace cogstride {

/// Wires of more than one bit and real values are left out. @throws Error with FILE:LINE for what is no VCD
[[nodiscard]] RecordedTrace parse_vcd(std::string_view text, const std::string& file);
[[nodiscard]] RecordedTrace read_vcd(const std::string& file);

}  // namespace cogstride
