#include "cogstride/port/kernel_counters.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <linux/counter.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <filesystem>

#include "cogstride/port/bell.hpp"
#include "cogstride/port/kernel_files.hpp"
#include "cogstride/port/line_port.hpp"

namespace cogstride {
namespace {

constexpr const char* each_edge_of_both = "quadrature x4";

}  // namespace

bool has_counter_chip(const Controller& controller, std::int64_t line_a) {
  return std::any_of(controller.counter_chips.begin(), controller.counter_chips.end(),
                     [&](const CounterChip& chip) {
                       return std::find(chip.lines.begin(), chip.lines.end(), line_a) != chip.lines.end();
                     });
}

struct KernelCounters::Chip {
  std::string key{};  // of the rig
  std::string name{};
  std::filesystem::path folder{};
  Descriptor events{};
  struct Told {
    std::uint64_t value = 0;
    std::int64_t at_ns = 0;
  };
  bool watches = false;                 // its watches have been put on
  std::map<std::uint8_t, Told> told{};  // by its count: the last change

  void take_events();
};

struct KernelCounters::Count {
  Chip* chip = nullptr;
  std::uint8_t number = 0;
  bool tells_changes = false;
  Descriptor file{};
  std::uint64_t ceiling = UINT64_MAX;
  std::uint64_t raw = 0;
  std::int64_t read_ns = 0;
  PortCount counted{};

  /// Of its attribute. @throws PortGone
  [[nodiscard]] std::uint64_t read() const {
    std::array<char, 32> text{};
    const ssize_t got = pread(file.get(), text.data(), text.size() - 1, 0);
    if (got <= 0)
      throw PortGone(
          fmt::format("{} does not say any more how far it has counted ({}): it was taken away, or its "
                      "driver failed",
                      chip->name, std::strerror(errno)));
    return std::strtoull(text.data(), nullptr, 10);
  }
  /// The shorter way round from where it stood: at its ceiling it begins anew.
  void came_to(std::uint64_t now) {
    if (ceiling == UINT64_MAX) {
      counted.count += static_cast<std::int64_t>(now - raw);
    } else {
      const std::uint64_t round = ceiling + 1;
      const std::uint64_t up = now >= raw ? now - raw : round - (raw - now);
      counted.count +=
          up <= round / 2 ? static_cast<std::int64_t>(up) : -static_cast<std::int64_t>(round - up);
    }
    raw = now;
  }
};

KernelCounters::KernelCounters(const Controller& controller, const std::vector<LineId>& lines_a,
                               const std::string& folder, const std::string& devices) {
  for (const LineId line_a : lines_a) {
    for (const CounterChip& chip : controller.counter_chips) {
      const auto line = std::find(chip.lines.begin(), chip.lines.end(), static_cast<std::int64_t>(line_a));
      if (line == chip.lines.end()) continue;
      take(chip_of(chip, folder, devices), line_a,
           chip.channels[static_cast<std::size_t>(line - chip.lines.begin())]);
    }
  }
  for (const auto& chip : chips_) {
    chip->watches = std::any_of(counts_.begin(), counts_.end(),
                                [&](const auto& each) {
                                  return each.second->chip == chip.get() && each.second->tells_changes;
                                }) &&
                    ioctl(chip->events.get(), COUNTER_ENABLE_EVENTS_IOCTL) == 0;
  }
  for (auto& [line_a, count] : counts_) {
    count->raw = count->read();
    count->counted.changed_ns = count->read_ns = monotonic_ns();
    count->tells_changes = count->tells_changes && count->chip->watches;
  }
}

KernelCounters::~KernelCounters() = default;

KernelCounters::Chip& KernelCounters::chip_of(const CounterChip& wanted, const std::string& folder,
                                              const std::string& devices) {
  const std::string key = "controller.counter." + wanted.name;
  for (const auto& chip : chips_)
    if (chip->key == key) return *chip;
  const KernelDevice device = device_named(kernel_devices(folder, "counter"), wanted.chip, key, "counter");
  auto chip = std::make_unique<Chip>();
  chip->key = key;
  chip->name =
      device.other_name.empty() ? device.name : fmt::format("{} ({})", device.name, device.other_name);
  chip->folder = device.folder;
  const std::filesystem::path file = std::filesystem::path(devices) / device.name;
  chip->events = Descriptor(above_standard(open(file.c_str(), O_RDONLY | O_NONBLOCK | O_CLOEXEC)));
  if (chip->events.get() < 0)
    throw Error(errno == EBUSY
                    ? fmt::format("{}: {} is held by somebody else: end that program", key, chip->name)
                    : fmt::format("{}: {} cannot be opened: {}{}", key, file.string(), std::strerror(errno),
                                  errno == EACCES || errno == EPERM ? who_may_use(file) : ""));
  chips_.push_back(std::move(chip));
  return *chips_.back();
}

void KernelCounters::take(Chip& chip, LineId line_a, std::int64_t number) {
  const std::filesystem::path folder = chip.folder / fmt::format("count{}", number);
  auto count = std::make_unique<Count>();
  count->chip = &chip;
  count->number = static_cast<std::uint8_t>(number);
  count->file = Descriptor(above_standard(open((folder / "count").c_str(), O_RDONLY | O_CLOEXEC)));
  if (count->file.get() < 0)
    throw Error(fmt::format("{}: {} has no count {} ({}: {})", chip.key, chip.name, number,
                            (folder / "count").string(), std::strerror(errno)));
  if (const auto by = text_of_file(folder / "function"); by && *by != each_edge_of_both) {
    const int why = write_file(folder / "function", each_edge_of_both);
    if (why != 0)
      throw Error(fmt::format("{}: count {} of {} counts by '{}' and does not take '{}' ({}){}", chip.key,
                              number, chip.name, *by, each_edge_of_both, std::strerror(why),
                              why == EACCES || why == EPERM ? who_may_use(folder / "function") : ""));
  }
  if (const auto is_on = text_of_file(folder / "enable"); is_on && *is_on == "0") {
    if (const int why = write_file(folder / "enable", "1"); why != 0)
      throw Error(fmt::format("{}: count {} of {} is off and cannot be switched on ({}){}", chip.key, number,
                              chip.name, std::strerror(why),
                              why == EACCES || why == EPERM ? who_may_use(folder / "enable") : ""));
  }
  if (const auto ceiling = text_of_file(folder / "ceiling"))
    count->ceiling = std::strtoull(ceiling->c_str(), nullptr, 10);
  if (count->ceiling == 0) count->ceiling = UINT64_MAX;
  counter_watch watch{};
  watch.component.type = COUNTER_COMPONENT_COUNT;
  watch.component.scope = COUNTER_SCOPE_COUNT;
  watch.component.parent = count->number;
  watch.event = COUNTER_EVENT_CHANGE_OF_STATE;
  watch.channel = count->number;
  count->tells_changes = ioctl(chip.events.get(), COUNTER_ADD_WATCH_IOCTL, &watch) == 0;
  counts_[line_a] = std::move(count);
}

void KernelCounters::Chip::take_events() {
  std::array<counter_event, 64> events_read{};
  while (watches) {
    const ssize_t got = ::read(events.get(), events_read.data(), sizeof events_read);
    if (got <= 0) return;
    for (std::size_t i = 0; i < static_cast<std::size_t>(got) / sizeof events_read[0]; ++i) {
      const counter_event& event = events_read[i];
      if (event.status == 0)
        told[event.watch.component.parent] = {event.value, static_cast<std::int64_t>(event.timestamp)};
    }
  }
}

/// Where it stands is what its attribute says, which misses nothing; since when, what its last event said, if
/// that led there: a chip may tell of fewer changes than there are.
PortCount KernelCounters::read(LineId line_a) {
  Count& count = *counts_.at(line_a);
  count.chip->take_events();
  const std::uint64_t now = count.read();
  const std::int64_t read_ns = monotonic_ns();
  const auto told = count.chip->told.find(count.number);
  if (told != count.chip->told.end() && told->second.value == now) {
    count.counted.changed_ns = std::max(count.counted.changed_ns, told->second.at_ns);
  } else if (now != count.raw) {
    count.counted.changed_ns = count.read_ns + (read_ns - count.read_ns) / 2;
  }
  count.read_ns = read_ns;
  count.came_to(now);
  return count.counted;
}

bool KernelCounters::tells_times(LineId line_a) const {
  return counts_.at(line_a)->tells_changes;
}

std::string KernelCounters::name_of(LineId line_a) const {
  const Count& count = *counts_.at(line_a);
  return fmt::format("count {} of {}", count.number, count.chip->name);
}

}  // namespace cogstride
