#include "cogstride/port/input_device.hpp"

#include <fmt/format.h>

#include <fcntl.h>
#include <libevdev/libevdev.h>

#include <algorithm>
#include <cerrno>
#include <filesystem>
#include <system_error>
#include <utility>

#include "cogstride/port/descriptor.hpp"
#include "cogstride/quantity/error.hpp"

namespace cogstride {

struct InputDeviceFreed {
  void operator()(libevdev* device) const { libevdev_free(device); }
};

namespace {

Descriptor opened(const std::string& path) {
  return Descriptor(above_standard(open(path.c_str(), O_RDONLY | O_NONBLOCK | O_CLOEXEC)));
}

std::unique_ptr<libevdev, InputDeviceFreed> device_of(const Descriptor& file) {
  libevdev* device = nullptr;
  if (file.get() < 0 || libevdev_new_from_fd(file.get(), &device) != 0) return nullptr;
  return std::unique_ptr<libevdev, InputDeviceFreed>(device);
}

}  // namespace

std::optional<InputCode> input_code(const std::string& name) {
  const int type = libevdev_event_type_from_code_name(name.c_str());
  const int code = libevdev_event_code_from_code_name(name.c_str());
  if (type < 0 || code < 0) return std::nullopt;
  return InputCode{static_cast<unsigned>(type), static_cast<unsigned>(code)};
}

std::string to_text(const InputCode& code) {
  const char* const name = libevdev_event_code_get_name(code.type, code.code);
  return name != nullptr ? name : fmt::format("{:#x}:{:#x}", code.type, code.code);
}

struct InputDevicePort::Inside {
  Descriptor file{};
  std::unique_ptr<libevdev, InputDeviceFreed> device{};
};

std::vector<InputDevicePort::Found> InputDevicePort::all(const std::string& folder) {
  std::vector<std::pair<int, Found>> found;
  std::error_code failure;
  for (const auto& entry : std::filesystem::directory_iterator(folder, failure)) {
    const std::string name = entry.path().filename().string();
    if (!name.starts_with("event")) continue;
    const Descriptor file = opened(entry.path().string());
    if (const auto device = device_of(file))
      found.push_back(
          {std::atoi(name.c_str() + 5), {entry.path().string(), libevdev_get_name(device.get())}});
  }
  std::sort(found.begin(), found.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
  std::vector<Found> all;
  for (auto& [number, each] : found) all.push_back(std::move(each));
  return all;
}

InputDevicePort::InputDevicePort(const std::string& path, bool exclusive)
    : inside_(std::make_unique<Inside>()) {
  inside_->file = opened(path);
  if (inside_->file.get() < 0)
    throw Error(fmt::format("{} cannot be opened: {}", path, std::generic_category().message(errno)));
  inside_->device = device_of(inside_->file);
  if (!inside_->device) throw Error(path + " is no input device");
  if (exclusive && libevdev_grab(inside_->device.get(), LIBEVDEV_GRAB) != 0)
    throw Error(path + " cannot be had alone: somebody else has it");
}

InputDevicePort::~InputDevicePort() = default;
InputDevicePort::InputDevicePort(InputDevicePort&&) noexcept = default;
InputDevicePort& InputDevicePort::operator=(InputDevicePort&&) noexcept = default;

int InputDevicePort::descriptor() const {
  return inside_->file.get();
}

bool InputDevicePort::has(const InputCode& code) const {
  return libevdev_has_event_code(inside_->device.get(), code.type, code.code) == 1;
}

InputDevicePort::Range InputDevicePort::range(const InputCode& axis) const {
  const input_absinfo* const info = libevdev_get_abs_info(inside_->device.get(), axis.code);
  return info == nullptr ? Range{} : Range{info->minimum, info->maximum, info->flat};
}

std::int32_t InputDevicePort::value(const InputCode& code) const {
  return libevdev_get_event_value(inside_->device.get(), code.type, code.code);
}

bool InputDevicePort::read(const std::function<void(const Event&)>& heard) {
  unsigned how = LIBEVDEV_READ_FLAG_NORMAL;
  for (;;) {
    input_event event{};
    const int status = libevdev_next_event(inside_->device.get(), how, &event);
    if (status == -EAGAIN) {
      // All that was lost has come in.
      if (how == LIBEVDEV_READ_FLAG_NORMAL) return true;
      how = LIBEVDEV_READ_FLAG_NORMAL;
      continue;
    }
    if (status < 0) return status == -EINTR;
    if (status == LIBEVDEV_READ_STATUS_SYNC) how = LIBEVDEV_READ_FLAG_SYNC;
    if (event.type != EV_SYN) heard({{event.type, event.code}, event.value});
  }
}

}  // namespace cogstride
