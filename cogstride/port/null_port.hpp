// A port with this computer's clock and no lines: what is written goes nowhere. `measure-rate` measures
// against it what the computer alone can do.
#pragma once

#include "cogstride/port/bell.hpp"
#include "cogstride/port/line_port.hpp"

namespace cogstride {

class NullPort final : public LinePort {
 public:
  [[nodiscard]] std::int64_t now_ns() override { return monotonic_ns(); }
  void write(std::span<const Level>) override {}
  void write_duty(LineId, std::int64_t) override {}
  RestOutcome rest() noexcept override { return {}; }
  [[nodiscard]] bool read(LineId) override { return false; }
  void take_edges(std::vector<PortEdge>&) override {}
  void sleep_until(std::int64_t ns) override { bell_.wait(ns - monotonic_ns()); }
  void wake() noexcept override { bell_.ring(); }

 private:
  Bell bell_;
};

}  // namespace cogstride
