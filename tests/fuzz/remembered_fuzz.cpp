// Any bytes as remembered positions: what is written from them reads the same again, or an Error of ours.
#include <cstdlib>

#include "cogstride/quantity/error.hpp"
#include "cogstride/session/remembered.hpp"

extern "C" int LLVMFuzzerTestOneInput(const unsigned char* bytes, std::size_t size) {
  const std::string_view text(reinterpret_cast<const char*>(bytes), size);
  try {
    const cogstride::RememberedPositions read = cogstride::parse_remembered(text);
    const cogstride::RememberedPositions again = cogstride::parse_remembered(cogstride::to_text(read));
    if (again.positions != read.positions || again.rig != read.rig || again.standing != read.standing)
      std::abort();
  } catch (const cogstride::Error&) {
  }
  return 0;
}
