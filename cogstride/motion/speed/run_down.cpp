#include "cogstride/motion/speed/run_down.hpp"

#include <fmt/format.h>

#include <cmath>
#include <limits>

namespace cogstride {

std::string add_run_down(MoverVerdict& verdict, const RunDown& run_down, OutputKind kind, Tick now) {
  const double stands_in = run_down.stands_in(now);
  const double speed = run_down.speed(now) * speed_units_per_base(kind);
  verdict.add("runs_on_at", speed, std::string(speed_unit(kind)));
  verdict.add("stands_in", std::isfinite(stands_in) ? stands_in : std::numeric_limits<double>::quiet_NaN(),
              "s");
  if (stands_in == 0.0) return {};
  if (!std::isfinite(stands_in))
    return "STILL TURNS without drive: by the rig its load may turn it, or nothing slows it";
  return fmt::format("STILL TURNS without drive, at up to {:.3g} {}; by its friction it stands in {:.2g} s",
                     std::abs(speed), speed_unit(kind), stands_in);
}

}  // namespace cogstride
