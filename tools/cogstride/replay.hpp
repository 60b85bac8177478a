// What the black box of a run is of, and playing it again.
#pragma once

#include "cogstride/bench/live/black_box.hpp"
#include "commands.hpp"

[[nodiscard]] cogstride::BoxLabels box_labels(const DriveOptions& options);

/// `rehearse --replay`
ExitStatus run_replay(const RehearseOptions& options);
