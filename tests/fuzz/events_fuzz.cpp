// Any bytes as an events file for the demo rig: events whose words say the same again, or an Error of ours
// that points into it.
#include <cstdlib>

#include "cogstride/bench/simulated/outside_event.hpp"
#include "cogstride/rig/files/read_rig.hpp"

extern "C" int LLVMFuzzerTestOneInput(const unsigned char* bytes, std::size_t size) {
  static const cogstride::Rig rig = cogstride::read_rig(COGSTRIDE_SOURCE_DIR "/demo/bobbin.rig.toml");
  const std::string_view text(reinterpret_cast<const char*>(bytes), size);
  try {
    const std::vector<cogstride::OutsideEvent> events = cogstride::parse_events(text, "fuzz.events", rig);
    std::string again;
    for (const cogstride::OutsideEvent& event : events) again += "at 1 s " + to_text(event) + "\n";
    if (cogstride::parse_events(again, "again.events", rig).size() != events.size()) std::abort();
  } catch (const cogstride::InputError& error) {
    if (error.diagnostics().empty() || error.diagnostics().front().place.line == 0) std::abort();
  }
  return 0;
}
