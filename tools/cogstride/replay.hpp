// Playing a live run again from its black box.
#pragma once

#include "commands.hpp"

/// `rehearse --replay`
ExitStatus run_replay(const RehearseOptions& options);
