// A text as a square code that a phone's camera reads (QR code, ISO/IEC 18004), drawn with characters.
#pragma once

#include <string>

/// Lines of half blocks, dark on light whatever the terminal's colours are, with the quiet zone round it.
/// @throws cogstride::Error when it is too long
[[nodiscard]] std::string code_text(const std::string& text);
