// Any bytes as a waveform file: a record whose edges are in the order of time, or an Error of ours.
#include <cstdlib>

#include "cogstride/quantity/error.hpp"
#include "cogstride/report/read_vcd.hpp"

extern "C" int LLVMFuzzerTestOneInput(const unsigned char* bytes, std::size_t size) {
  const std::string_view text(reinterpret_cast<const char*>(bytes), size);
  try {
    const cogstride::RecordedTrace trace = cogstride::parse_vcd(text, "fuzz.vcd");
    for (const auto& line : trace.lines)
      for (std::size_t i = 1; i < line.edges.size(); ++i)
        if (line.edges[i] < line.edges[i - 1]) std::abort();
  } catch (const cogstride::Error&) {
  }
  return 0;
}
