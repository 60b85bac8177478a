// An input device of the operating system: keys, pads, wheels, receivers, by the kernel's event interface.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace cogstride {

/// What an event of an input device is about, by the kernel's own names: "BTN_SOUTH", "ABS_Y", "REL_DIAL".
struct InputCode {
  unsigned type = 0;
  unsigned code = 0;
  friend bool operator==(const InputCode&, const InputCode&) = default;
};
/// Nothing: the kernel has no such name.
[[nodiscard]] std::optional<InputCode> input_code(const std::string& name);
/// "BTN_SOUTH"; a number in hexadecimal where it has no name.
[[nodiscard]] std::string to_text(const InputCode& code);

class InputDevicePort {
 public:
  struct Event {
    InputCode what{};
    std::int32_t value = 0;  ///< of a key: 0 let go, 1 pressed, 2 held on; of a wheel: its clicks
  };
  /// Of an axis: what it can say, and within what of its middle it is taken to stand there.
  struct Range {
    std::int32_t least = 0;
    std::int32_t most = 0;
    std::int32_t flat = 0;
  };
  struct Found {
    std::string path{};    ///< "/dev/input/event5"
    std::string called{};  ///< as it calls itself
  };

  /// Those that can be read here, by the numbers of their files.
  /// @param folder  where they are
  [[nodiscard]] static std::vector<Found> all(const std::string& folder = "/dev/input");
  /// @param exclusive  nobody else hears it meanwhile
  /// @throws Error when it cannot be opened, or somebody else has it for himself
  InputDevicePort(const std::string& path, bool exclusive);
  ~InputDevicePort();
  InputDevicePort(InputDevicePort&&) noexcept;
  InputDevicePort& operator=(InputDevicePort&&) noexcept;

  /// Ready for reading when something has happened.
  [[nodiscard]] int descriptor() const;
  /// Whether it has such a key, axis or wheel.
  [[nodiscard]] bool has(const InputCode& code) const;
  [[nodiscard]] Range range(const InputCode& axis) const;
  /// What an axis says now, or whether a key is held.
  [[nodiscard]] std::int32_t value(const InputCode& code) const;
  /// What has happened since it was asked last; what was lost on the way comes in as it stands now.
  /// @param heard  told of each, in its order @return whether it is still there
  [[nodiscard]] bool read(const std::function<void(const Event&)>& heard);

 private:
  struct Inside;
  std::unique_ptr<Inside> inside_;
};

}  // namespace cogstride
