#include "cogstride/port/kernel_files.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <grp.h>
#include <sys/stat.h>

#include <algorithm>
#include <cerrno>
#include <fstream>

#include "cogstride/port/descriptor.hpp"
#include "cogstride/quantity/error.hpp"

namespace cogstride {

std::optional<std::string> text_of_file(const std::filesystem::path& file) {
  std::ifstream in(file);
  std::string line;
  if (!in || !std::getline(in, line)) return std::nullopt;
  return line;
}

int write_file(const std::filesystem::path& file, const std::string& text) {
  const Descriptor out(open(file.c_str(), O_WRONLY | O_CLOEXEC));
  if (out.get() < 0) return errno;
  return write(out.get(), text.data(), text.size()) == static_cast<ssize_t>(text.size()) ? 0 : errno;
}

std::vector<KernelDevice> kernel_devices(const std::filesystem::path& folder, const std::string& begin) {
  std::vector<KernelDevice> found;
  std::error_code ignored;
  for (const auto& entry : std::filesystem::directory_iterator(folder, ignored)) {
    KernelDevice device{entry.path(), entry.path().filename(), {}};
    if (!device.name.starts_with(begin)) continue;
    if (const auto name = text_of_file(device.folder / "name")) {
      device.other_name = *name;
    } else {
      device.other_name = std::filesystem::read_symlink(device.folder / "device", ignored).filename();
    }
    found.push_back(std::move(device));
  }
  std::sort(found.begin(), found.end(),
            [](const KernelDevice& a, const KernelDevice& b) { return a.name < b.name; });
  return found;
}

KernelDevice device_named(const std::vector<KernelDevice>& devices, const std::string& wanted,
                          const std::string& whose, const std::string& what) {
  std::vector<std::string> there;
  for (const KernelDevice& device : devices) {
    if (wanted == device.name || wanted == device.other_name) return device;
    there.push_back(device.other_name.empty() ? device.name
                                              : fmt::format("{} ({})", device.name, device.other_name));
  }
  throw Error(there.empty()
                  ? fmt::format("{}: this machine has no {}, so none is called {}", whose, what, wanted)
                  : fmt::format("{}: this machine has no {} {}; it has: {}", whose, what, wanted,
                                fmt::join(there, ", ")));
}

std::string who_may_use(const std::filesystem::path& file) {
  struct stat about {};
  if (stat(file.c_str(), &about) != 0) return {};
  const group* const owner = getgrgid(about.st_gid);
  if (owner == nullptr || about.st_gid == 0 || (about.st_mode & S_IRGRP) == 0)
    return "; give it to a group of yours by a udev rule, or run as root";
  return fmt::format("; its group is {}: 'sudo usermod -aG {} $USER', then log in anew", owner->gr_name,
                     owner->gr_name);
}

}  // namespace cogstride
