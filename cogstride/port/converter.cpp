#include "cogstride/port/converter.hpp"

#include <fcntl.h>
#include <fmt/format.h>

#include <cerrno>
#include <cmath>
#include <cstdlib>
#include <cstring>

#include "cogstride/port/kernel_files.hpp"
#include "cogstride/port/line_port.hpp"

namespace cogstride {
namespace {

constexpr double scales_may_differ = 0.02;

/// What a code is worth by the kernel, V; nothing where it does not say.
std::optional<double> volts_per_code(const std::filesystem::path& device, std::int64_t channel) {
  for (const std::string& file :
       {fmt::format("in_voltage{}_scale", channel), std::string("in_voltage_scale")})
    if (const auto text = text_of_file(device / file)) return 1e-3 * std::strtod(text->c_str(), nullptr);
  return std::nullopt;
}

}  // namespace

KernelConverter::KernelConverter(const AnalogueInputs& inputs, const std::string& folder) {
  const KernelDevice device = device_named(kernel_devices(folder, "iio:device"), inputs.chip.value_or(""),
                                           "controller.analogue.chip", "converter");
  name_ = device.other_name.empty() ? device.name : device.name + " (" + device.other_name + ")";
  const double by_rig = inputs.volts_per_code();
  for (std::int64_t channel = 0; channel < inputs.channels; ++channel) {
    const std::filesystem::path file = device.folder / fmt::format("in_voltage{}_raw", channel);
    Descriptor code(open(file.c_str(), O_RDONLY | O_CLOEXEC));
    if (code.get() < 0)
      throw Error(fmt::format("controller.analogue: {} has no voltage channel {} ({}: {}){}", name_, channel,
                              file.string(), std::strerror(errno), errno == EACCES ? who_may_use(file) : ""));
    const std::optional<double> by_kernel = volts_per_code(device.folder, channel);
    if (by_kernel && std::abs(*by_kernel - by_rig) > scales_may_differ * by_rig)
      throw Error(
          fmt::format("controller.analogue: a code of {} is {:.4g} mV by the kernel, and {:.4g} mV by "
                      "the rig: look at bits and full_scale ({} bits of such codes are {:.4g} V)",
                      name_, 1e3 * *by_kernel, 1e3 * by_rig, inputs.bits, *by_kernel * inputs.top_code()));
    channels_[channel] = std::move(code);
  }
}

std::int64_t KernelConverter::read(std::int64_t channel) {
  char text[32];
  const ssize_t got = pread(channels_.at(channel).get(), text, sizeof text - 1, 0);
  if (got <= 0)
    throw PortGone(fmt::format("{} gives no codes any more ({}): it was taken away, or its driver failed",
                               name_, std::strerror(errno)));
  text[got] = 0;
  return std::strtoll(text, nullptr, 10);
}

}  // namespace cogstride
