// A key and a value, a line each, for the demo rig: a rig whose other lines are as they were, or an Error of
// ours.
#include <algorithm>
#include <cstdlib>

#include "cogstride/rig/files/change_rig.hpp"
#include "cogstride/rig/files/read_rig.hpp"

extern "C" int LLVMFuzzerTestOneInput(const unsigned char* bytes, std::size_t size) {
  static const std::string rig = cogstride::read_text_file(COGSTRIDE_SOURCE_DIR "/demo/bobbin.rig.toml");
  const std::string text(reinterpret_cast<const char*>(bytes), size);
  const std::size_t end = std::min(text.find('\n'), text.size());
  const std::string key = text.substr(0, end);
  const std::string value = text.substr(std::min(end + 1, text.size()));
  try {
    const std::string changed = cogstride::changed_rig_text(rig, "fuzz.rig.toml", key, value);
    (void)cogstride::parse_rig(changed, "changed.rig.toml");
    if (changed.size() + 4096 < rig.size()) std::abort();  // one key is no more than a few lines
  } catch (const cogstride::Error&) {
  }
  return 0;
}
