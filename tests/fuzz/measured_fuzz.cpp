// Any bytes as a measured run of the demo's feeder: rows that are numbers, or an Error of ours that points
// into it.
#include <cmath>
#include <cstdlib>

#include "cogstride/rig/files/measured_csv.hpp"
#include "cogstride/rig/files/read_rig.hpp"

extern "C" int LLVMFuzzerTestOneInput(const unsigned char* bytes, std::size_t size) {
  static const cogstride::Rig rig = cogstride::read_rig(COGSTRIDE_SOURCE_DIR "/demo/bobbin.rig.toml");
  const std::string_view text(reinterpret_cast<const char*>(bytes), size);
  try {
    const cogstride::MeasuredCsv read =
        cogstride::parse_measured(text, "fuzz.csv", cogstride::mechanism_named(rig, "feeder"));
    for (const auto& row : read.table.rows)
      for (const double figure : {row.time, row.drive, row.speed.value_or(0.0), row.current.value_or(0.0)})
        if (!std::isfinite(figure)) std::abort();
  } catch (const cogstride::InputError& error) {
    if (error.diagnostics().empty() || error.diagnostics().front().place.line == 0) std::abort();
  }
  return 0;
}
