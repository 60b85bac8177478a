// The demo rig as tests use it: read from the file that ships.
#pragma once

#include "cogstride/rig/read_rig.hpp"

namespace cogstride::testing_support {

inline const char* const demo_rig_path = COGSTRIDE_SOURCE_DIR "/demo/bobbin.rig.toml";
inline const char* const demo_script_path = COGSTRIDE_SOURCE_DIR "/demo/first.stride";

inline Rig demo_rig() {
  return read_rig(demo_rig_path);
}

/// The same, standing at 0 when it is switched on, with nothing to home against.
inline Rig demo_rig_without_gate() {
  Rig rig = demo_rig();
  rig.mechanisms[0].homing.reset();
  rig.mechanisms[0].sensors.clear();
  return rig;
}

}  // namespace cogstride::testing_support
