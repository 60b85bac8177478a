// Lines of the kernel's GPIO character device (uAPI v2, linux/gpio.h), spoken to directly: a guardian process
// must inherit the requests, and all lines of a chip, in and out, are one request that is granted or refused
// whole. The library for it in Debian 12 hands out no descriptor of a request and asks for inputs and outputs
// apart.
#pragma once

#include <map>
#include <vector>

#include "cogstride/mechanism/controller.hpp"
#include "cogstride/mechanism/sensors.hpp"
#include "cogstride/port/bell.hpp"
#include "cogstride/port/line_port.hpp"
#include "cogstride/port/rest_write.hpp"

namespace cogstride {

struct FoundChip;

class GpioPort final : public LinePort {
 public:
  /// Finds the chips and takes all lines, outputs at their rest levels, inputs with their edges; all or none.
  /// @param pulls  of inputs that want a resistor; others are left as they are
  /// @param counted  inputs whose edges wait until they are taken: they end no sleep
  /// @param consumer  the name under which the kernel shows who holds the lines
  /// @throws Error with what to do: no chip, no permission, a line that somebody holds (and who)
  GpioPort(const Controller& controller, const std::vector<LineSetup>& lines,
           const std::map<LineId, Pull>& pulls, const std::vector<LineId>& counted,
           const std::string& consumer);
  ~GpioPort() override;
  GpioPort(const GpioPort&) = delete;
  GpioPort& operator=(const GpioPort&) = delete;

  [[nodiscard]] std::int64_t now_ns() override;
  void write(std::span<const Level> levels) override;
  RestOutcome rest() noexcept override;
  [[nodiscard]] bool read(LineId line) override;
  void take_edges(std::vector<PortEdge>& edges) override;
  void sleep_until(std::int64_t ns) override;
  void wake() noexcept override { bell_.ring(); }

  /// Something of another part of the port: what comes there ends a sleep as well.
  void watch_also(int descriptor) { also_watched_ = descriptor; }
  /// Of each chip: what a guardian needs to put its outputs at rest.
  [[nodiscard]] std::vector<RestWrite> rest_writes() const;

 private:
  struct Request {
    std::string chip;  // "gpiochip0 (label)"
    int fd = -1;
    std::int64_t first_line = 0;  // the rig's number of the chip's line 0
    std::vector<LineId> lines;    // by bit
    std::uint64_t outputs = 0;
    std::uint64_t rest = 0;
    bool is_counted = false;
  };
  struct Place {
    std::size_t request = 0;
    unsigned bit = 0;
    bool is_open = false;
  };

  void take(const std::vector<const LineSetup*>& own, bool is_counted, const GpioChip& wanted,
            const FoundChip& chip, const std::map<LineId, Pull>& pulls, const std::string& consumer);
  void close_all() noexcept;

  std::vector<Request> requests_;
  std::vector<Place> places_;  // by line number
  Bell bell_;
  int also_watched_ = -1;  // poll() passes over it
};

}  // namespace cogstride
