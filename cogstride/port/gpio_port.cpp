#include "cogstride/port/gpio_port.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <linux/gpio.h>
#include <poll.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <filesystem>
#include <functional>
#include <utility>

#include "cogstride/mechanism/line_name.hpp"
#include "cogstride/port/descriptor.hpp"
#include "cogstride/port/kernel_files.hpp"

namespace cogstride {

struct FoundChip {
  std::string path;
  std::string name;
  std::string label;
  std::int64_t lines = 0;
  Descriptor fd;
};

namespace {

constexpr std::size_t most_chip_lines = GPIO_V2_LINES_MAX;
constexpr std::uint32_t kept_events = 1024;

std::vector<FoundChip> chips_there() {
  std::vector<FoundChip> found;
  std::vector<std::string> refused;
  std::error_code ignored;
  for (const auto& entry : std::filesystem::directory_iterator("/dev", ignored)) {
    const std::string path = entry.path();
    if (!entry.path().filename().string().starts_with("gpiochip")) continue;
    Descriptor fd(open(path.c_str(), O_RDWR | O_CLOEXEC));
    if (fd.get() < 0) {
      const int why = errno;
      refused.push_back(
          fmt::format("{}: {}{}", path, std::strerror(why), why == EACCES ? who_may_use(path) : ""));
      continue;
    }
    gpiochip_info info{};
    if (ioctl(fd.get(), GPIO_GET_CHIPINFO_IOCTL, &info) != 0) continue;
    found.push_back({path, info.name, info.label, static_cast<std::int64_t>(info.lines), std::move(fd)});
  }
  if (!found.empty()) return found;
  if (!refused.empty()) throw Error(fmt::format("no GPIO chip can be opened: {}", fmt::join(refused, "; ")));
  throw Error(
      "this machine has no GPIO chip (/dev/gpiochip*): run it on the computer whose lines are wired; "
      "`rehearse` "
      "needs none");
}

const FoundChip& chip_named(const std::vector<FoundChip>& chips, const GpioChip& wanted) {
  std::vector<std::string> there;
  for (const FoundChip& chip : chips) {
    if (wanted.chip == chip.name || wanted.chip == chip.label || wanted.chip == chip.path) return chip;
    there.push_back(fmt::format("{} ({}, {} lines)", chip.name, chip.label, chip.lines));
  }
  throw Error(fmt::format("controller.gpio.{}: this machine has no chip {}; it has: {}", wanted.name,
                          wanted.chip, fmt::join(there, ", ")));
}

/// Those of the wanted lines that somebody holds, and who.
std::string holders(const FoundChip& chip, const GpioChip& wanted,
                    const std::vector<const LineSetup*>& lines) {
  std::vector<std::string> held;
  for (const LineSetup* const line : lines) {
    gpio_v2_line_info info{};
    info.offset = static_cast<std::uint32_t>(static_cast<std::int64_t>(line->id) - wanted.first_line);
    if (ioctl(chip.fd.get(), GPIO_V2_GET_LINEINFO_IOCTL, &info) != 0) continue;
    if ((info.flags & GPIO_V2_LINE_FLAG_USED) == 0) continue;
    held.push_back(fmt::format("line {} ({}, {} line {}) is held by '{}'", static_cast<int>(line->id),
                               line->name, chip.name, info.offset,
                               info.consumer[0] == 0 ? "the kernel" : info.consumer));
  }
  return fmt::format("{}", fmt::join(held, "; "));
}

std::uint64_t flags_of(Pull pull) {
  switch (pull) {
    case Pull::up:
      return GPIO_V2_LINE_FLAG_BIAS_PULL_UP;
    case Pull::down:
      return GPIO_V2_LINE_FLAG_BIAS_PULL_DOWN;
    case Pull::none:
      return GPIO_V2_LINE_FLAG_BIAS_DISABLED;
  }
  return 0;
}

constexpr std::uint64_t input_flags =
    GPIO_V2_LINE_FLAG_INPUT | GPIO_V2_LINE_FLAG_EDGE_RISING | GPIO_V2_LINE_FLAG_EDGE_FALLING;

void add_flags(gpio_v2_line_config& config, std::uint64_t mask, std::uint64_t flags) {
  if (mask == 0) return;
  gpio_v2_line_config_attribute& attribute = config.attrs[config.num_attrs++];
  attribute.attr.id = GPIO_V2_LINE_ATTR_ID_FLAGS;
  attribute.attr.flags = flags;
  attribute.mask = mask;
}

}  // namespace

GpioPort::GpioPort(const Controller& controller, const std::vector<LineSetup>& lines,
                   const std::map<LineId, Pull>& pulls, const std::vector<LineId>& counted,
                   const std::string& consumer) {
  if (lines.empty()) return;
  const std::vector<FoundChip> chips = chips_there();
  try {
    for (const GpioChip& wanted : controller.chips) {
      std::vector<const LineSetup*> own;
      for (const LineSetup& line : lines) {
        const auto number = static_cast<std::int64_t>(line.id);
        if (number >= wanted.first_line && number < wanted.first_line + wanted.lines) own.push_back(&line);
      }
      if (own.empty()) continue;
      const FoundChip& chip = chip_named(chips, wanted);
      if (wanted.lines > chip.lines) {
        throw Error(fmt::format("controller.gpio.{}: {} has {} lines, and the rig says {}", wanted.name,
                                wanted.chip, chip.lines, wanted.lines));
      }
      if (own.size() > most_chip_lines)
        throw Error(fmt::format("controller.gpio.{}: {} lines of one chip; {} can be asked for together",
                                wanted.name, own.size(), most_chip_lines));
      const auto is_counted = [&](const LineSetup* line) {
        return std::find(counted.begin(), counted.end(), line->id) != counted.end();
      };
      const auto first_counted = std::stable_partition(own.begin(), own.end(), std::not_fn(is_counted));
      take({own.begin(), first_counted}, false, wanted, chip, pulls, consumer);
      take({first_counted, own.end()}, true, wanted, chip, pulls, consumer);
    }
    for (const LineSetup& line : lines) {
      const auto number = static_cast<std::size_t>(line.id);
      if (number < places_.size() && places_[number].is_open) continue;
      throw Error(fmt::format(
          "line {} ({}) is on no GPIO chip of this rig: say which has it, in [controller.gpio.NAME]",
          line_name(number), line.name));
    }
  } catch (...) {
    close_all();
    throw;
  }
}

/// Some lines of a chip, in one request of the kernel's.
void GpioPort::take(const std::vector<const LineSetup*>& own, bool is_counted, const GpioChip& wanted,
                    const FoundChip& chip, const std::map<LineId, Pull>& pulls, const std::string& consumer) {
  if (own.empty()) return;
  Request request;
  request.chip = fmt::format("{} ({})", chip.name, chip.label);
  request.first_line = wanted.first_line;
  request.is_counted = is_counted;
  gpio_v2_line_request asked{};
  std::strncpy(asked.consumer, consumer.c_str(), sizeof asked.consumer - 1);
  asked.num_lines = static_cast<std::uint32_t>(own.size());
  asked.event_buffer_size = kept_events;
  asked.config.flags = input_flags;
  std::map<Pull, std::uint64_t> pulled;
  for (std::size_t bit = 0; bit < own.size(); ++bit) {
    const LineSetup& line = *own[bit];
    asked.offsets[bit] = static_cast<std::uint32_t>(static_cast<std::int64_t>(line.id) - wanted.first_line);
    const std::uint64_t mask = std::uint64_t{1} << bit;
    if (line.use != LineSetup::Use::input) {
      request.outputs |= mask;
      if (line.rest_high) request.rest |= mask;
    } else if (const auto pull = pulls.find(line.id); pull != pulls.end()) {
      pulled[pull->second] |= mask;
    }
    request.lines.push_back(line.id);
  }
  add_flags(asked.config, request.outputs, GPIO_V2_LINE_FLAG_OUTPUT);
  for (const auto& [pull, mask] : pulled) add_flags(asked.config, mask, input_flags | flags_of(pull));
  if (request.outputs != 0) {
    gpio_v2_line_config_attribute& values = asked.config.attrs[asked.config.num_attrs++];
    values.attr.id = GPIO_V2_LINE_ATTR_ID_OUTPUT_VALUES;
    values.attr.values = request.rest;
    values.mask = request.outputs;
  }
  if (ioctl(chip.fd.get(), GPIO_V2_GET_LINE_IOCTL, &asked) != 0) {
    const int why = errno;
    if (why == EBUSY)
      throw Error(
          fmt::format("{}: end that program, or give this rig other lines", holders(chip, wanted, own)));
    throw Error(fmt::format("{}: the kernel refuses these lines: {}", request.chip, std::strerror(why)));
  }
  request.fd = above_standard(asked.fd);
  fcntl(request.fd, F_SETFL, fcntl(request.fd, F_GETFL) | O_NONBLOCK);
  for (unsigned bit = 0; bit < request.lines.size(); ++bit) {
    const auto number = static_cast<std::size_t>(request.lines[bit]);
    if (number >= places_.size()) places_.resize(number + 1);
    places_[number] = {requests_.size(), bit, true};
  }
  requests_.push_back(std::move(request));
}

GpioPort::~GpioPort() {
  close_all();
}

void GpioPort::close_all() noexcept {
  for (const Request& request : requests_) close(request.fd);
  requests_.clear();
}

std::int64_t GpioPort::now_ns() {
  return monotonic_ns();
}

void GpioPort::write(std::span<const Level> levels) {
  for (std::size_t i = 0; i < requests_.size(); ++i) {
    gpio_v2_line_values values{};
    for (const Level& level : levels) {
      const Place& place = places_[static_cast<std::size_t>(level.line)];
      if (place.request != i) continue;
      values.mask |= std::uint64_t{1} << place.bit;
      if (level.high) values.bits |= std::uint64_t{1} << place.bit;
    }
    if (values.mask == 0) continue;
    if (ioctl(requests_[i].fd, GPIO_V2_LINE_SET_VALUES_IOCTL, &values) != 0)
      throw PortGone(
          fmt::format("{} does not take levels any more ({}): it was taken away, or its driver failed",
                      requests_[i].chip, std::strerror(errno)));
  }
}

RestOutcome GpioPort::rest() noexcept {
  RestOutcome outcome;
  for (const Request& request : requests_)
    if (!write_at_rest({.fd = request.fd, .mask = request.outputs, .bits = request.rest}))
      outcome.add_silent(request.chip.c_str());
  return outcome;
}

bool GpioPort::read(LineId line) {
  const Place& place = places_[static_cast<std::size_t>(line)];
  gpio_v2_line_values values{};
  values.mask = std::uint64_t{1} << place.bit;
  if (ioctl(requests_[place.request].fd, GPIO_V2_LINE_GET_VALUES_IOCTL, &values) != 0)
    throw PortGone(
        fmt::format("{} does not tell levels any more ({}): it was taken away, or its driver failed",
                    requests_[place.request].chip, std::strerror(errno)));
  return values.bits != 0;
}

void GpioPort::take_edges(std::vector<PortEdge>& edges) {
  const std::size_t first = edges.size();
  for (const Request& request : requests_) {
    const std::size_t before = edges.size();
    gpio_v2_line_event events[16];
    for (;;) {
      const ssize_t got = ::read(request.fd, events, sizeof events);
      if (got < 0 && (errno == EAGAIN || errno == EINTR)) break;
      if (got <= 0)
        throw PortGone(fmt::format("{} tells no edges any more ({}): it was taken away, or its driver failed",
                                   request.chip, std::strerror(errno)));
      const auto count = static_cast<std::size_t>(got) / sizeof events[0];
      for (std::size_t i = 0; i < count; ++i) {
        const LineId line{static_cast<std::uint16_t>(request.first_line + events[i].offset)};
        edges.push_back({static_cast<std::int64_t>(events[i].timestamp_ns), line,
                         events[i].id == GPIO_V2_LINE_EVENT_RISING_EDGE});
      }
      if (count < std::size(events)) break;
    }
    // In the order of time among those of the others; they are few.
    for (std::size_t i = before; i < edges.size(); ++i)
      for (std::size_t j = i; j > first && edges[j].at_ns < edges[j - 1].at_ns; --j)
        std::swap(edges[j], edges[j - 1]);
  }
}

void GpioPort::sleep_until(std::int64_t ns) {
  const std::int64_t left = std::max<std::int64_t>(0, ns - now_ns());
  const timespec time{left / 1'000'000'000, left % 1'000'000'000};
  constexpr nfds_t own = 2;
  pollfd waited[own + 8];
  nfds_t count = 0;
  waited[count++] = {bell_.descriptor(), POLLIN, 0};
  waited[count++] = {also_watched_, POLLIN, 0};
  for (const Request& request : requests_) {
    if (count < std::size(waited))
      waited[count++] = {request.fd, static_cast<short>(request.is_counted ? 0 : POLLIN), 0};
  }
  if (ppoll(waited, count, &time, nullptr) <= 0) return;
  if ((waited[0].revents & POLLIN) != 0) bell_.take();
  for (nfds_t i = own; i < count; ++i) {
    if ((waited[i].revents & (POLLERR | POLLHUP | POLLNVAL)) != 0)
      throw PortGone(fmt::format("{} was taken away", requests_[i - own].chip));
  }
}

std::vector<RestWrite> GpioPort::rest_writes() const {
  std::vector<RestWrite> writes;
  for (const Request& request : requests_)
    writes.push_back({.fd = request.fd, .mask = request.outputs, .bits = request.rest});
  return writes;
}

}  // namespace cogstride
