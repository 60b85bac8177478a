// The devices of a rig that have texts of their own, on their serial ports: what they say is heard by the
// bindings of the rig. A port that is not there, or is gone, is named and waited for.
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "cogstride/hands/messages.hpp"
#include "cogstride/hands/order_desk.hpp"

namespace cogstride {

class SerialWays {
 public:
  /// Told, in words, which device has come and gone, from a thread of its own.
  using Tell = std::function<void(const std::string&)>;
  /// Listens from now on, in a thread of its own. Both must outlive it.
  /// @param devices  of the rig @throws RangeError as require_readable
  SerialWays(OrderDesk& desk, const std::vector<Device>& devices, Tell tell);
  /// Nobody is heard any more.
  ~SerialWays();
  SerialWays(const SerialWays&) = delete;
  SerialWays& operator=(const SerialWays&) = delete;

  /// What came in so far, good or not. @throws RangeError when there is no such device
  [[nodiscard]] MessageReader::Counts counts(const std::string& device) const;

 private:
  struct Inside;
  std::unique_ptr<Inside> inside_;
};

}  // namespace cogstride
