// Any bytes as a rig file: a rig that can be inspected, or an Error of ours that points into the file.
#include <cstdlib>

#include "cogstride/report/reports.hpp"
#include "cogstride/rig/files/change_rig.hpp"
#include "cogstride/rig/files/read_rig.hpp"

extern "C" int LLVMFuzzerTestOneInput(const unsigned char* bytes, std::size_t size) {
  const std::string_view text(reinterpret_cast<const char*>(bytes), size);
  try {
    const cogstride::Rig rig = cogstride::parse_rig(text, "fuzz.rig.toml");
    const cogstride::Inspection inspection = cogstride::inspect_rig(rig);
    if (cogstride::inspect_text(rig, inspection, "fuzz.rig.toml").empty()) std::abort();
    if (cogstride::inspect_json(rig, inspection, "fuzz.rig.toml").empty()) std::abort();
    const std::string changed =
        cogstride::changed_rig_text(std::string(text), "fuzz.rig.toml", "name", "Fuzzed");
    if (cogstride::parse_rig(changed, "fuzz.rig.toml").name != "Fuzzed") std::abort();
  } catch (const cogstride::InputError& error) {
    if (error.diagnostics().empty() || error.diagnostics().front().place.line == 0) std::abort();
  }
  return 0;
}
