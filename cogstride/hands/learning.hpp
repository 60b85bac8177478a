// Learns what devices say: shows what comes in, and proposes how a rig declares it.
//
//   Learning learning(rig);
//   learning.input("Pad", {EV_KEY, BTN_SOUTH}, 1, {});
//   learning.bytes("panel", "@5", now_ns);
//   learning.proposal();             // "[input_device.pad]\ncalled = \"Pad\"\n..."
#pragma once

#include <cstdint>
#include <functional>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "cogstride/motion/devices/remote.hpp"
#include "cogstride/port/input_device.hpp"
#include "cogstride/rig/rig.hpp"

namespace cogstride {

class Learning {
 public:
  /// @param rig  what it declares already is not proposed again; must outlive it
  /// @param show  told, in words, of what comes in
  Learning(const Rig& rig, std::function<void(const std::string&)> show);

  /// An event of an input device. @param range  of an axis
  void input(const std::string& called, const InputCode& code, std::int32_t value,
             InputDevicePort::Range range);
  /// A port that the rig does not know is listened to as well. @param baud  bit/s; nothing: as it stands
  void add_port(const std::string& name, const std::string& port, std::optional<std::int64_t> baud);
  /// Bytes of a serial device of the rig, or of a port. @param now  ns
  void bytes(const std::string& device, std::string_view bytes, std::int64_t now);
  /// A silence may end a text. @param now  ns
  void settle(std::int64_t now);
  /// A frame of a remote of the rig. @param now  ns, at its end
  void frame(const std::string& remote, const RemoteFrame& frame, std::int64_t now);

  /// What a rig would say of it, as TOML; "" when there is nothing that it does not say already.
  [[nodiscard]] std::string proposal() const;

 private:
  struct Axis {
    InputDevicePort::Range range{};
    std::int32_t rests_at = 0;  ///< what it said first
  };
  struct Input {
    std::vector<InputCode> codes{};
    std::map<unsigned, Axis> axes{};
  };
  /// Texts that are alike but for their number.
  struct Form {
    std::string text{};  ///< with NUMBER, where it has digits
    std::int64_t times = 0;
    std::vector<std::string> digits{};  ///< the different ones that were seen
    std::int64_t last_at = 0;           ///< ns
    std::int64_t quick = 0;             ///< how often it came again soon
    std::int64_t between = 0;           ///< ns, of those on average
  };
  struct Speaker {
    std::string port{};
    std::optional<std::int64_t> baud{};
    const Device* declared = nullptr;
    std::string text{};  ///< of the frame that is on
    std::int64_t last_byte = 0;
    std::vector<Form> forms{};
  };
  struct Pressed {
    std::vector<double> us{};
    std::int64_t at = 0;
  };
  struct Key {
    std::optional<std::uint32_t> code{};
    std::vector<std::int64_t> timing{};
    std::vector<std::int64_t> other_timing{};
  };
  struct Handheld {
    std::vector<Pressed> presses{};  ///< of the key that is being learned
    std::int64_t last_at = 0;
    std::vector<std::int64_t> held_timing{};
    std::vector<Key> keys{};
  };

  void end_text(const std::string& device, Speaker& speaker, std::int64_t now);
  void learn(const Remote& remote, Handheld& handheld);
  void propose_inputs(std::string& toml) const;
  void propose_texts(std::string& toml) const;
  void propose_keys(std::string& toml) const;

  const Rig& rig_;
  std::function<void(const std::string&)> show_;
  std::vector<std::pair<std::string, Input>> inputs_{};
  std::vector<std::pair<std::string, Speaker>> speakers_{};
  std::vector<std::pair<std::string, Handheld>> handhelds_{};
};

}  // namespace cogstride
