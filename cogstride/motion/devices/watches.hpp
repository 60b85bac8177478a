// Devices that are heard at lines of the controller: a remote's receiver, the interrupt of a sensor on a bus.
#pragma once

#include <functional>
#include <string>

#include "cogstride/motion/devices/remote.hpp"
#include "cogstride/motion/inputs.hpp"
#include "cogstride/motion/participant.hpp"

namespace cogstride {

/// Hears the keys of a remote: "remote.up on", "remote.up off".
class RemoteWatch final : public Participant {
 public:
  /// @param remote  must outlive it
  RemoteWatch(const Remote& remote, ExactFrequency clock, std::function<void(const std::string&)> hear);

  [[nodiscard]] RemoteReceiver& receiver() { return receiver_; }
  [[nodiscard]] Tick next_act() const override { return wakes_; }
  void act(Lines& lines, std::span<const Reading> readings) override;

 private:
  const Remote& remote_;
  RemoteReceiver receiver_;
  RemoteReceiver::Hear heard_;
  Tick wakes_ = never;
};

/// Tells that an interrupt line acts, and again as long as it does.
class InterruptWatch final : public Participant {
 public:
  static constexpr ExactTime told_again_after = ExactTime::from_base({1, 20});

  /// @param inputs  that have the line, and outlive it
  InterruptWatch(const Inputs& inputs, LineId line, ExactFrequency clock, std::function<void()> tell);

  [[nodiscard]] Tick next_act() const override { return acts() ? again_ : never; }
  void act(Lines& lines, std::span<const Reading> readings) override;

 private:
  [[nodiscard]] bool acts() const { return inputs_.acts(line_).value_or(false); }

  const Inputs& inputs_;
  LineId line_;
  Tick between_;
  std::function<void()> tell_;
  Tick again_ = 0;
};

}  // namespace cogstride
