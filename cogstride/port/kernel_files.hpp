// Small text files through which the kernel's PWM chips and converters are spoken to.
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace cogstride {

/// What a file says, without the end of its line; nothing when it cannot be read.
[[nodiscard]] std::optional<std::string> text_of_file(const std::filesystem::path& file);
/// @return 0, or the error number
[[nodiscard]] int write_file(const std::filesystem::path& file, const std::string& text);

/// A device among those of one kind: "pwmchip0", and what its hardware is called.
struct KernelDevice {
  std::filesystem::path folder{};
  std::string name{};
  std::string other_name{};
};
/// Those of a folder whose names begin so, in their order. Their other name is what their file `name` says,
/// or else that of their device.
[[nodiscard]] std::vector<KernelDevice> kernel_devices(const std::filesystem::path& folder,
                                                       const std::string& begin);
/// @param whose  key of the rig that wants it; @param what  "PWM chip"
/// @throws Error naming those that are there
[[nodiscard]] KernelDevice device_named(const std::vector<KernelDevice>& devices, const std::string& wanted,
                                        const std::string& whose, const std::string& what);
/// What may be done about a file that may not be written or read; "" when nothing is known.
[[nodiscard]] std::string who_may_use(const std::filesystem::path& file);

}  // namespace cogstride
