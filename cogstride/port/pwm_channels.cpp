#include "cogstride/port/pwm_channels.hpp"

#include <fcntl.h>
#include <fmt/format.h>

#include <algorithm>
#include <cerrno>
#include <charconv>
#include <cstring>

#include "cogstride/port/kernel_files.hpp"
#include "cogstride/port/line_port.hpp"

namespace cogstride {
namespace {

void must_write(const std::string& who, const std::string& file, const std::string& text) {
  const int why = write_file(file, text);
  if (why != 0)
    throw Error(fmt::format("{}: does not take {} as its {} ({}){}", who, text,
                            std::filesystem::path(file).filename().string(), std::strerror(why),
                            why == EACCES || why == EPERM ? who_may_use(file) : ""));
}

}  // namespace

PwmChannels::PwmChannels(const Controller& controller, const std::vector<Wanted>& wanted,
                         const std::string& folder) {
  try {
    for (const Wanted& each : wanted) take(controller, each, folder);
  } catch (...) {
    for (const Channel& channel : channels_) give_back(channel);
    throw;
  }
}

PwmChannels::~PwmChannels() {
  for (Channel& channel : channels_) {
    (void)put(channel, channel.rest_high ? channel.period_ns : 0);
    give_back(channel);
  }
}

void PwmChannels::take(const Controller& controller, const Wanted& wanted, const std::string& folder) {
  for (const PwmChip& chip : controller.pwm_chips) {
    const auto line = std::find(chip.lines.begin(), chip.lines.end(), static_cast<std::int64_t>(wanted.line));
    if (line == chip.lines.end()) continue;
    const KernelDevice device =
        device_named(kernel_devices(folder, "pwmchip"), chip.chip, "controller.pwm." + chip.name, "PWM chip");
    Channel channel;
    channel.number = chip.channels[static_cast<std::size_t>(line - chip.lines.begin())];
    channel.chip = device.folder;
    channel.folder = fmt::format("{}/pwm{}", channel.chip, channel.number);
    channel.who = fmt::format("{} channel {} ({})", device.name, channel.number, wanted.name);
    channel.period_ns = wanted.period_ns;
    channel.rest_high = wanted.rest_high;
    const std::string count = text_of_file(device.folder / "npwm").value_or("0");
    if (channel.number >= std::strtoll(count.c_str(), nullptr, 10))
      throw Error(fmt::format("controller.pwm.{}: {} has {} channels, and no channel {}", chip.name,
                              device.name, count, channel.number));
    const std::string number = fmt::format("{}", channel.number);
    const int why = write_file(device.folder / "export", number);
    if (why == EBUSY)
      throw Error(fmt::format("{} is held by somebody else: end that program (or write {} to {}/unexport)",
                              channel.who, number, channel.chip));
    if (why != 0)
      throw Error(fmt::format("{} cannot be taken: {}{}", channel.who, std::strerror(why),
                              why == EACCES || why == EPERM ? who_may_use(device.folder / "export") : ""));
    try {
      set_up(channel);
    } catch (...) {
      give_back(channel);
      throw;
    }
    places_[wanted.line] = channels_.size();
    channels_.push_back(std::move(channel));
    return;
  }
  throw RangeError(fmt::format("line {} is on no PWM chip", static_cast<int>(wanted.line)));
}

void PwmChannels::set_up(Channel& channel) const {
  // One that was left on goes off first; a period must never be below the duty that stands.
  (void)write_file(channel.folder + "/duty_cycle", "0");
  (void)write_file(channel.folder + "/enable", "0");
  // Only where there is a choice of it; some chips have none and say so by refusing.
  if (text_of_file(channel.folder + "/polarity") == "inversed")
    must_write(channel.who, channel.folder + "/polarity", "normal");
  must_write(channel.who, channel.folder + "/period", fmt::format("{}", channel.period_ns));
  channel.high_ns = channel.rest_high ? channel.period_ns : 0;
  must_write(channel.who, channel.folder + "/duty_cycle", fmt::format("{}", channel.high_ns));
  must_write(channel.who, channel.folder + "/enable", "1");
  channel.duty =
      Descriptor(above_standard(open((channel.folder + "/duty_cycle").c_str(), O_WRONLY | O_CLOEXEC)));
  if (channel.duty.get() < 0)
    throw Error(fmt::format("{}: its duty cannot be written: {}", channel.who, std::strerror(errno)));
}

/// One that rests low is switched off; one that rests high has to go on.
void PwmChannels::give_back(const Channel& channel) noexcept {
  try {
    if (!channel.rest_high) (void)write_file(channel.folder + "/enable", "0");
    (void)write_file(channel.chip + "/unexport", fmt::format("{}", channel.number));
  } catch (...) {  // no memory for a name: the kernel keeps it at rest all the same
  }
}

bool PwmChannels::put(Channel& channel, std::int64_t high_ns) noexcept {
  char text[24];
  const auto end = std::to_chars(text, text + sizeof text, high_ns).ptr;
  if (pwrite(channel.duty.get(), text, static_cast<std::size_t>(end - text), 0) != end - text) return false;
  channel.high_ns = high_ns;
  return true;
}

void PwmChannels::write(LineId line, std::int64_t high_ns) {
  Channel& channel = channels_[places_.at(line)];
  if (high_ns == channel.high_ns) return;
  if (!put(channel, std::clamp<std::int64_t>(high_ns, 0, channel.period_ns)))
    throw PortGone(fmt::format("{} takes no duty any more ({}): it was taken away, or its driver failed",
                               channel.who, std::strerror(errno)));
}

void PwmChannels::write(const Level& level) {
  write(level.line, level.high ? channels_[places_.at(level.line)].period_ns : 0);
}

void PwmChannels::rest(RestOutcome& outcome) noexcept {
  for (Channel& channel : channels_)
    if (!put(channel, channel.rest_high ? channel.period_ns : 0)) outcome.add_silent(channel.who.c_str());
}

bool PwmChannels::is_high(LineId line) const {
  return channels_[places_.at(line)].high_ns > 0;
}

std::vector<RestWrite> PwmChannels::rest_writes() const {
  std::vector<RestWrite> writes;
  for (const Channel& channel : channels_) {
    RestWrite rest;
    rest.fd = channel.duty.get();
    const auto end = std::to_chars(rest.text.begin(), rest.text.end(),
                                   channel.rest_high ? channel.period_ns : std::int64_t{0})
                         .ptr;
    rest.text_size = static_cast<std::size_t>(end - rest.text.begin());
    writes.push_back(rest);
  }
  return writes;
}

}  // namespace cogstride
