// Any bytes as a stimulus file for the demo rig: stimuli whose words say the same again, or an Error of ours
// that points into it.
#include <cstdlib>

#include "cogstride/bench/stimulus.hpp"
#include "cogstride/rig/read_rig.hpp"

extern "C" int LLVMFuzzerTestOneInput(const unsigned char* bytes, std::size_t size) {
  static const cogstride::Rig rig = cogstride::read_rig(COGSTRIDE_SOURCE_DIR "/demo/bobbin.rig.toml");
  const std::string_view text(reinterpret_cast<const char*>(bytes), size);
  try {
    const std::vector<cogstride::Stimulus> stimuli = cogstride::parse_stimuli(text, "fuzz.stimulus", rig);
    std::string again;
    for (const cogstride::Stimulus& stimulus : stimuli) again += "at 1 s " + to_text(stimulus) + "\n";
    if (cogstride::parse_stimuli(again, "again.stimulus", rig).size() != stimuli.size()) std::abort();
  } catch (const cogstride::InputError& error) {
    if (error.diagnostics().empty() || error.diagnostics().front().place.line == 0) std::abort();
  }
  return 0;
}
