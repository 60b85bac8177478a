// The drives of a rig as they would be, in real time on the CAN interface that the rig names: for the live
// route where there are none yet, or none that may move. What drives them is another program.
//
//   DriveStandIn drives(rig, {}, {});
//   drives.run([&] { return is_stopped; }, [](const auto& told) { puts(told.c_str()); });
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "cogstride/bench/simulated/outside_event.hpp"
#include "cogstride/rig/rig.hpp"

namespace cogstride {

class DriveStandIn {
 public:
  /// @param only  names of mechanisms whose drives it is; none: of all that are on the bus
  /// @param events  what befalls them, from its beginning on
  /// @throws RangeError when the rig has no bus, or a name is of none on it; Error when the interface cannot
  /// be had
  DriveStandIn(const Rig& rig, const std::vector<std::string>& only, const std::vector<OutsideEvent>& events);
  ~DriveStandIn();

  /// Plays until `is_over`, which is asked each millisecond.
  /// @param tell  "1.204 s warp_beam: driven", whenever the state of one changes
  /// @throws PortGone when the interface goes down
  void run(const std::function<bool()>& is_over, const std::function<void(const std::string&)>& tell);

  /// "warp_beam is 11 on vcan0", one each.
  [[nodiscard]] std::vector<std::string> who() const;
  /// Where each stands, how fast it turns, its state, and its highest current, as it has come to.
  [[nodiscard]] std::vector<std::string> sums() const;

 private:
  struct Inside;
  std::unique_ptr<Inside> inside_;
};

}  // namespace cogstride
