// What is kept of a run that goes on, as files to take along.
#pragma once

#include <string>

#include "cogstride/trace/run_window.hpp"

namespace cogstride {

enum class RecordForm { csv, vcd, json };

/// All that is kept, as rehearse writes it of a whole run: samples and levels (csv), edges (vcd), samples and
/// what happened (json). Takes a while: not for a thread that somebody waits for.
/// @throws Error when there is no room for it on the disc
[[nodiscard]] std::string record_text(const RunWindow& window, RecordForm form);

}  // namespace cogstride
