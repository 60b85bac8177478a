// Channels of the kernel's PWM chips (its interface under /sys/class/pwm): hardware that makes a duty by
// itself, at a period that was set when it was taken.
//
// Off first and last: a channel is at its rest level before it is switched on, and after. A new duty counts
// from the hardware's next period; where in time its periods begin, only the hardware knows.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "cogstride/lines/lines.hpp"
#include "cogstride/mechanism/controller.hpp"
#include "cogstride/port/descriptor.hpp"
#include "cogstride/port/line_port.hpp"
#include "cogstride/port/rest_write.hpp"

namespace cogstride {

class PwmChannels {
 public:
  struct Wanted {
    LineId line{};
    std::string name{};  ///< "feeder.input_a"
    bool rest_high = false;
    std::int64_t period_ns = 0;
  };

  /// Takes the channels of those lines, at rest. @param folder  where the kernel's PWM chips are
  /// @throws Error when a chip or channel is not there, is held by somebody else, or refuses the period
  PwmChannels(const Controller& controller, const std::vector<Wanted>& wanted,
              const std::string& folder = "/sys/class/pwm");
  /// At rest, and given back.
  ~PwmChannels();
  PwmChannels(const PwmChannels&) = delete;
  PwmChannels& operator=(const PwmChannels&) = delete;

  [[nodiscard]] bool has(LineId line) const { return places_.contains(line); }
  /// High for so long of each period. @param high_ns  0 to the period. @throws PortGone
  void write(LineId line, std::int64_t high_ns);
  /// All of the time, or none of it.
  void write(const Level& level);
  /// Each channel's duty to rest; adds those that do not take it.
  void rest(RestOutcome& outcome) noexcept;
  [[nodiscard]] bool is_high(LineId line) const;
  [[nodiscard]] std::vector<RestWrite> rest_writes() const;

 private:
  struct Channel {
    std::string who{};     // "pwmchip0 channel 1 (feeder.input_b)"
    std::string folder{};  // of the channel
    std::string chip{};    // folder of its chip
    std::int64_t number = 0;
    std::int64_t period_ns = 0;
    std::int64_t high_ns = 0;
    bool rest_high = false;
    Descriptor duty{};
  };
  void take(const Controller& controller, const Wanted& wanted, const std::string& folder);
  void set_up(Channel& channel) const;
  static void give_back(const Channel& channel) noexcept;
  static bool put(Channel& channel, std::int64_t high_ns) noexcept;

  std::vector<Channel> channels_;
  std::map<LineId, std::size_t> places_;
};

}  // namespace cogstride
