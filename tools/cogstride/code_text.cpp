#include "code_text.hpp"

#include <qrencode.h>

#include <memory>

#include "cogstride/quantity/error.hpp"

std::string code_text(const std::string& text) {
  const std::unique_ptr<QRcode, decltype(&QRcode_free)> code(
      QRcode_encodeString8bit(text.c_str(), 0, QR_ECLEVEL_L), &QRcode_free);
  if (!code) throw cogstride::Error("a code for '" + text + "' cannot be made: it is too long");
  constexpr int quiet = 2;
  const auto is_dark = [&](int row, int column) {
    if (row < 0 || column < 0 || row >= code->width || column >= code->width) return false;
    return (code->data[row * code->width + column] & 1) != 0;
  };
  std::string lines;
  for (int row = -quiet; row < code->width + quiet; row += 2) {
    lines += "\033[30;107m";  // black on white
    for (int column = -quiet; column < code->width + quiet; ++column) {
      const bool upper = is_dark(row, column);
      const bool lower = is_dark(row + 1, column);
      lines += upper ? (lower ? "\u2588" : "\u2580") : (lower ? "\u2584" : " ");
    }
    lines += "\033[0m\n";
  }
  return lines;
}
