// Any bytes as an amount: a finite value that reads back as itself, or an Error of ours.
#include <cmath>
#include <cstdlib>

#include "cogstride/mechanism/output.hpp"
#include "cogstride/quantity/text.hpp"

extern "C" int LLVMFuzzerTestOneInput(const unsigned char* bytes, std::size_t size) {
  const std::string_view text(reinterpret_cast<const char*>(bytes), size);
  try {
    const cogstride::ParsedQuantity parsed = cogstride::parse_any_quantity(text);
    if (!std::isfinite(parsed.base)) std::abort();
  } catch (const cogstride::Error&) {
  }
  try {
    const auto length = cogstride::parse_quantity<cogstride::ExactLength>(text);
    const std::string written = to_text(length, "mm");
    if (written.find('/') == std::string::npos &&
        cogstride::parse_quantity<cogstride::ExactLength>(written) != length)
      std::abort();
  } catch (const cogstride::Error&) {
  }
  return 0;
}
