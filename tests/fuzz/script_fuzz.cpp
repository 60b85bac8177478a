// Any bytes as a script for the demo rig: a script, or an Error of ours that points into it.
#include <cstdlib>

#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/script/script.hpp"

extern "C" int LLVMFuzzerTestOneInput(const unsigned char* bytes, std::size_t size) {
  static const cogstride::Rig rig = cogstride::read_rig(COGSTRIDE_SOURCE_DIR "/demo/bobbin.rig.toml");
  const std::string_view text(reinterpret_cast<const char*>(bytes), size);
  try {
    (void)cogstride::parse_script(text, "fuzz.moves", rig);
  } catch (const cogstride::InputError& error) {
    if (error.diagnostics().empty() || error.diagnostics().front().place.line == 0) std::abort();
  }
  return 0;
}
