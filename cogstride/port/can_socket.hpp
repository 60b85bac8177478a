// A CAN bus by the kernel's own interface (SocketCAN, linux/can/raw.h).
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "cogstride/port/descriptor.hpp"
#include "cogstride/port/line_port.hpp"
#include "cogstride/port/rest_write.hpp"

namespace cogstride {

class CanSocket {
 public:
  /// @param rest  what brings others on it to rest, in this order
  /// @throws Error with what to do: no interface of that name, one that is down, no permission
  /// @param has_controller  what becomes of the interface's controller is its business too
  CanSocket(BusId bus, const std::string& interface_name, std::vector<Frame> rest,
            bool has_controller = true);

  /// @throws PortGone when the interface is down, or its end of the bus is off
  void send(const Frame& frame);
  /// Appends what has come in. @return at once. @throws PortGone as send()
  void take(std::vector<PortFrame>& frames);
  void rest(RestOutcome& outcome) noexcept;
  [[nodiscard]] std::vector<RestWrite> rest_writes() const;
  [[nodiscard]] int descriptor() const { return fd_.get(); }
  [[nodiscard]] BusId bus() const { return bus_; }
  /// "can0".
  [[nodiscard]] const std::string& name() const { return name_; }

 private:
  BusId bus_;
  std::string name_;
  std::vector<Frame> rest_;
  Descriptor fd_;
};

}  // namespace cogstride
