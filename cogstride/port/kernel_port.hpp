// All outputs and inputs of this computer that a rig names: lines of its GPIO chips, channels of its PWM
// chips, its bus.
#pragma once

#include <algorithm>
#include <memory>
#include <optional>
#include <vector>

#include "cogstride/port/can_socket.hpp"
#include "cogstride/port/gpio_port.hpp"
#include "cogstride/port/pwm_channels.hpp"

namespace cogstride {

class KernelPort final : public LinePort {
 public:
  /// Takes them, at rest. @param duties  lines whose duty a PWM chip makes; the others are plain lines
  /// @param counted  as of GpioPort
  /// @throws Error, as GpioPort and PwmChannels
  KernelPort(const Controller& controller, const std::vector<LineSetup>& lines,
             const std::vector<PwmChannels::Wanted>& duties, const std::map<LineId, Pull>& pulls,
             const std::vector<LineId>& counted, const std::string& consumer);
  /// A bus of the rig's as well. @throws Error as CanSocket
  void open_bus(const BusSetup& bus, const std::string& interface_name);

  [[nodiscard]] std::int64_t now_ns() override { return gpio_->now_ns(); }
  void write(std::span<const Level> levels) override;
  void write_duty(LineId line, std::int64_t high_ns) override { duties_.write(line, high_ns); }
  RestOutcome rest() noexcept override {
    RestOutcome outcome;
    if (bus_) bus_->rest(outcome);  // what is slowest to come to rest
    const RestOutcome lines = gpio_->rest();
    for (std::size_t i = 0; i < std::min(lines.silent_count, RestOutcome::most_named); ++i)
      outcome.add_silent(lines.silent[i]);
    duties_.rest(outcome);
    return outcome;
  }
  void send(BusId bus, const Frame& frame) override;
  void take_frames(std::vector<PortFrame>& frames) override {
    if (bus_) bus_->take(frames);
  }
  [[nodiscard]] bool read(LineId line) override {
    return duties_.has(line) ? duties_.is_high(line) : gpio_->read(line);
  }
  void take_edges(std::vector<PortEdge>& edges) override { gpio_->take_edges(edges); }
  void sleep_until(std::int64_t ns) override { gpio_->sleep_until(ns); }
  void wake() noexcept override { gpio_->wake(); }

  [[nodiscard]] std::vector<RestWrite> rest_writes() const;

 private:
  PwmChannels duties_;
  std::unique_ptr<GpioPort> gpio_;
  std::optional<CanSocket> bus_{};
  std::vector<Level> plain_;  // of a write that has both
};

}  // namespace cogstride
