// The demo rig as tests use it: read from the file that ships.
#pragma once

#include "cogstride/rig/files/read_rig.hpp"

namespace cogstride::testing_support {

inline const char* const demo_rig_path = COGSTRIDE_SOURCE_DIR "/demo/bobbin.rig.toml";
inline const char* const cart_rig_path = COGSTRIDE_SOURCE_DIR "/demo/cart.rig.toml";
inline const char* const demo_script_path = COGSTRIDE_SOURCE_DIR "/demo/first.moves";

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

/// The same motor with so many times the inertia on its shaft.
inline Rig with_inertia_times(double factor, Rig rig) {
  auto& load = rig.mechanisms[0].load;
  load.inertia = Inertia(factor * load.inertia.base(), units::kg_m2);
  load.most_inertia.reset();
  return rig;
}

/// An encoder on the screw of the demo traverse: 500 lines, 4 um a count.
inline Encoder scale_on_the_screw() {
  Encoder scale;
  scale.name = "scale";
  scale.line_a = 41;
  scale.line_b = 42;
  scale.lines_per_turn = 500;
  scale.after_stages = 1;
  return scale;
}

}  // namespace cogstride::testing_support
