// The devices of a rig, heard by a bench: for a script that waits for them, and for a program of one's own.
//
//   HeardDevices devices(bench);
//   bench.run(player, ...);                          // or:
//   if (bench.heard().number("panel.station") == 5) ...
#pragma once

#include <functional>
#include <memory>
#include <string>

#include "cogstride/bench/bench.hpp"

namespace cogstride {

class DeviceWays;

class HeardDevices {
 public:
  /// Listens from now on. @param bench  must outlive it
  /// @param tell  in words, which device has come and gone, from a thread of its own; may be empty
  explicit HeardDevices(Bench& bench, std::function<void(const std::string&)> tell = {});
  ~HeardDevices();
  HeardDevices(const HeardDevices&) = delete;
  HeardDevices& operator=(const HeardDevices&) = delete;

 private:
  std::shared_ptr<Bench::Interrupted> interrupted_{};
  std::unique_ptr<DeviceWays> ways_{};
};

}  // namespace cogstride
