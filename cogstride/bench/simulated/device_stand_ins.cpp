#include "cogstride/bench/simulated/device_stand_ins.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <utility>

#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/motion/devices/messages.hpp"
#include "cogstride/motion/devices/remote.hpp"
#include "cogstride/quantity/error.hpp"

namespace cogstride {
namespace {

using Says = SaidControl::Says;

constexpr double repeats_each = 0.1;  // s, of what a device says as long as it is held

bool has_amount(const OutsideEvent& event) {
  return event.number || event.says || event.share || event.speed || event.torque || event.clicks;
}

/// "station" of "panel.station"; "" of "panel"; nothing: it is not of that device.
std::optional<std::string> part_of(const std::string& device, const std::string& what) {
  if (what == device) return std::string();
  if (what.starts_with(device + ".")) return what.substr(device.size() + 1);
  return std::nullopt;
}

/// Says words when their time has come.
class Hearsay final : public Participant {
 public:
  explicit Hearsay(DeviceTold told) : told_(std::move(told)) {}
  void say(Tick at, std::string words) {
    coming_.emplace_back(at, std::move(words));
    std::stable_sort(coming_.begin(), coming_.end(),
                     [](const auto& a, const auto& b) { return a.first < b.first; });
  }
  [[nodiscard]] Tick next_act() const override {
    return next_ < coming_.size() ? coming_[next_].first : never;
  }
  void act(Lines& lines, std::span<const Reading>) override {
    for (; next_ < coming_.size() && coming_[next_].first <= lines.now(); ++next_)
      told_.hear(coming_[next_].second);
  }

 private:
  DeviceTold told_;
  std::vector<std::pair<Tick, std::string>> coming_{};
  std::size_t next_ = 0;
};

// ---- one with texts of its own, on its serial port

class SpeakingDevice final : public Participant {
 public:
  SpeakingDevice(const Device& device, ExactFrequency clock, DeviceTold told)
      : device_(device), clock_(clock.base().to_double()), told_(std::move(told)), reader_(device) {
    reader_.on_ignored([this](std::string_view frame, const char* why) {
      told_.tell(device_.name, fmt::format("{}: {}: ignored", quoted(std::string(frame)), why));
    });
  }

  void say(double at, const std::string& bytes) {
    const double each = device_.baud ? 10.0 / static_cast<double>(*device_.baud) : 0.0;
    for (std::size_t i = 0; i < bytes.size(); ++i)
      coming_.push_back({std::llround((at + each * static_cast<double>(i + 1)) * clock_), bytes[i]});
    std::stable_sort(coming_.begin(), coming_.end(),
                     [](const Byte& a, const Byte& b) { return a.at < b.at; });
  }

  [[nodiscard]] Tick next_act() const override {
    return std::min(next_ < coming_.size() ? coming_[next_].at : never, settles_);
  }
  void act(Lines& lines, std::span<const Reading>) override {
    const Tick now = lines.now();
    if (next_act() > now) return;
    const MessageReader::Hear heard = [this](const DeviceMessage& message,
                                             std::optional<std::int64_t> number) {
      told_.hear(
          fmt::format("{}.{}{}", device_.name, message.name, number ? fmt::format(" {}", *number) : ""));
    };
    for (; next_ < coming_.size() && coming_[next_].at <= now; ++next_)
      reader_.take({&coming_[next_].byte, 1}, ns(coming_[next_].at), heard);
    const std::optional<std::int64_t> settles = reader_.settle(ns(now), heard);
    settles_ = settles ? static_cast<Tick>(std::ceil(1e-9 * static_cast<double>(*settles) * clock_)) : never;
    // A tick is shorter than a silence, and may be longer than a nanosecond.
    if (settles_ != never) settles_ = std::max(settles_, now + 1);
  }

 private:
  struct Byte {
    Tick at;
    char byte;
  };
  [[nodiscard]] std::int64_t ns(Tick at) const {
    return std::llround(1e9 * static_cast<double>(at) / clock_);
  }

  const Device& device_;
  double clock_;
  DeviceTold told_;
  MessageReader reader_;
  std::vector<Byte> coming_{};  // by time
  std::size_t next_ = 0;
  Tick settles_ = never;
};

/// The text of a message, as the device says it. @throws RangeError when it has no such number
std::string text_of(const DeviceMessage& message, const OutsideEvent& event) {
  if (!message.has_number()) return message.text;
  const std::int64_t number = *event.number;
  if (number < message.lowest || number > message.highest)
    throw RangeError(fmt::format("{} says {} to {}", event.what, message.lowest, message.highest));
  const std::int64_t written = message.inverted ? message.lowest + (message.highest - number) : number;
  std::string digits = fmt::format("{}", std::abs(written));
  const auto fewest = static_cast<std::size_t>(message.fewest_digits);
  if (digits.size() < fewest) digits.insert(0, fewest - digits.size(), '0');
  std::string text = message.text;
  text.replace(text.find(number_word), number_word.size(), (written < 0 ? "-" : "") + digits);
  if (!said_by(message, text))
    throw RangeError(
        fmt::format("{} has no digits for {}: at most {}", event.what, number, message.most_digits));
  return text;
}

const DeviceMessage* message_named(const Device& device, const std::string& name) {
  for (const DeviceMessage& message : device.messages)
    if (message.name == name) return &message;
  return nullptr;
}

/// @return whether it is of this device
bool require(const Device& device, const OutsideEvent& event) {
  const auto part = part_of(device.name, event.what);
  if (!part) return false;
  const DeviceMessage* const message = message_named(device, *part);
  if (message == nullptr && !part->empty()) return false;
  if (message == nullptr) {
    if (!event.says) throw RangeError(fmt::format("{0} says bytes, such as {0} says \"@5\"", event.what));
  } else if (message->has_number()) {
    if (!event.number) throw RangeError(fmt::format("{0} says a number, such as {0} 5", event.what));
    (void)text_of(*message, event);
  } else if (event.on != true || has_amount(event)) {
    throw RangeError(
        fmt::format("{0} is said, or said again and again: {0} on, {0} on for 0.5 s", event.what));
  }
  return true;
}

std::unique_ptr<Participant> stand_in(const Device& device, const Rig& rig,
                                      const std::vector<OutsideEvent>& events, const DeviceTold& told) {
  auto one = std::make_unique<SpeakingDevice>(device, rig.controller.timer_clock, told);
  bool speaks = false;
  for (const OutsideEvent& event : events) {
    if (!require(device, event)) continue;
    speaks = true;
    const double at = event.at.base().to_double();
    const DeviceMessage* const message = message_named(device, *part_of(device.name, event.what));
    if (message == nullptr) {
      one->say(at, *event.says);
      continue;
    }
    const std::string text = text_of(*message, event) + device.ends_with.value_or("");
    const double lasts = event.lasts ? event.lasts->base().to_double() : 0.0;
    for (int i = 0; i * repeats_each <= lasts; ++i) one->say(at + i * repeats_each, text);
  }
  return speaks ? std::move(one) : nullptr;
}

// ---- an input device of the operating system

const SaidControl* control_named(const std::vector<SaidControl>& controls, const std::string& name) {
  for (const SaidControl& control : controls)
    if (control.name == name) return &control;
  return nullptr;
}

bool require(const InputDevice& device, const OutsideEvent& event) {
  const std::vector<SaidControl> controls = controls_of(device);
  const SaidControl* const control = control_named(controls, event.what);
  if (control == nullptr) return false;
  const double least = control->has_centre ? -1.0 : 0.0;
  if (control->says == Says::hold && (!event.on || has_amount(event)))
    throw RangeError(fmt::format("{0} is on or off, or on for 0.5 s", event.what));
  if (control->says == Says::share && (!event.share || !(*event.share >= least && *event.share <= 1.0)))
    throw RangeError(
        fmt::format("{} is turned to {:.0f} % to 100 %, such as 40 %", event.what, 100.0 * least));
  if (control->says == Says::number && !event.clicks)
    throw RangeError(fmt::format("{} is turned by clicks, such as 5 clicks or -2 clicks", event.what));
  return true;
}

std::unique_ptr<Participant> stand_in(const InputDevice& device, const Rig& rig,
                                      const std::vector<OutsideEvent>& events, const DeviceTold& told) {
  auto one = std::make_unique<Hearsay>(told);
  bool speaks = false;
  const Ratio clock = rig.controller.timer_clock.base();
  for (const OutsideEvent& event : events) {
    if (!require(device, event)) continue;
    speaks = true;
    const Tick at = (event.at.base() * clock).rounded();
    if (event.share) {
      one->say(at, fmt::format("{} {}", event.what, std::llround(1000.0 * *event.share)));
    } else if (event.clicks) {
      one->say(at, fmt::format("{} {}", event.what, *event.clicks));
    } else {
      one->say(at, fmt::format("{} {}", event.what, *event.on ? "on" : "off"));
      if (event.lasts) one->say(at + (event.lasts->base() * clock).rounded(), event.what + " off");
    }
  }
  // Where they stand when the device comes.
  for (const InputAxis& axis : device.axes) one->say(0, fmt::format("{}.{} 0", device.name, axis.name));
  return speaks ? std::move(one) : nullptr;
}

// ---- a remote: the marks of its receiver

/// What it says: a code, or marks and gaps in us. @throws RangeError when it is neither
std::vector<std::int64_t> timing_said(const std::string& text, const std::string& what) {
  const char* const end = text.data() + text.size();
  if (text.starts_with("0x")) {
    std::uint32_t code = 0;
    const auto read = std::from_chars(text.data() + 2, end, code, 16);
    if (read.ec == std::errc() && read.ptr == end) return timing_of(code);
  }
  std::vector<std::int64_t> timing;
  for (const char* at = text.data(); at != end;) {
    std::int64_t us = 0;
    const auto read = std::from_chars(at, end, us);
    if (read.ec != std::errc() || us < 1 || us > 1'000'000) {
      timing.clear();
      break;
    }
    timing.push_back(us);
    at = read.ptr != end && *read.ptr == ' ' ? read.ptr + 1 : read.ptr;
  }
  if (timing.size() % 2 == 0)
    throw RangeError(
        fmt::format("{0} says a code or its timing in us: {0} says \"0xe916fb04\", {0} says \"9000 2250 "
                    "560\"",
                    what));
  return timing;
}

const RemoteKey* key_named(const Remote& remote, const std::string& name) {
  for (const RemoteKey& key : remote.keys)
    if (key.name == name) return &key;
  return nullptr;
}

bool require(const Remote& remote, const OutsideEvent& event) {
  const auto part = part_of(remote.name, event.what);
  if (!part) return false;
  const RemoteKey* const key = key_named(remote, *part);
  if (key == nullptr && !part->empty()) return false;
  if (key == nullptr) {
    if (!event.says) (void)timing_said("", event.what);
    (void)timing_said(*event.says, event.what);
  } else if (event.on != true || has_amount(event)) {
    throw RangeError(fmt::format("{0} is pressed, or held: {0} on, {0} on for 0.5 s", event.what));
  }
  return true;
}

// ---- a sensor on a bus

const SensorEvent* event_named(const BusSensor& sensor, const std::string& name) {
  for (const SensorEvent& each : sensor.events)
    if (each.name == name) return &each;
  return nullptr;
}

bool require(const BusSensor& sensor, const OutsideEvent& event) {
  const auto part = part_of(sensor.name, event.what);
  if (!part || event_named(sensor, *part) == nullptr) return false;
  if (event.on != true || has_amount(event) || event.lasts)
    throw RangeError(fmt::format("{0} happens: {0} on", event.what));
  return true;
}

/// Its interrupt acts until its register has been read, as late as that may be; what happens meanwhile takes
/// the place of what has not been read yet.
class Sensing final : public Participant {
 public:
  Sensing(const BusSensor& sensor, ExactFrequency clock, DeviceTold told)
      : sensor_(sensor), told_(std::move(told)), takes_(ticks_at_least(sensor.read_by(), clock)) {}
  void happens(Tick at, const SensorEvent& event) { coming_.emplace_back(at, &event); }
  void sort() {
    std::stable_sort(coming_.begin(), coming_.end(),
                     [](const auto& a, const auto& b) { return a.first < b.first; });
  }
  /// Edges of its line.
  [[nodiscard]] std::vector<LineEdge> edges() const {
    std::vector<LineEdge> edges;
    const auto line = static_cast<LineId>(sensor_.line);
    const bool high = sensor_.active == ActiveLevel::high;
    Tick until = -1;
    for (const auto& [at, event] : coming_) {
      if (at < until) continue;
      until = at + takes_;
      edges.push_back({at, line, high});
      edges.push_back({until, line, !high});
    }
    return edges;
  }
  [[nodiscard]] Tick next_act() const override {
    const Tick next = next_ < coming_.size() ? coming_[next_].first : never;
    return pending_ != nullptr ? std::min(read_at_, next) : next;
  }
  void act(Lines& lines, std::span<const Reading>) override {
    const Tick now = lines.now();
    while (next_act() <= now) {
      if (pending_ != nullptr && read_at_ <= (next_ < coming_.size() ? coming_[next_].first : never)) {
        told_.hear(fmt::format("{}.{}", sensor_.name, std::exchange(pending_, nullptr)->name));
        continue;
      }
      const auto& [at, event] = coming_[next_++];
      if (pending_ == nullptr)
        read_at_ = at + takes_;
      else
        told_.tell(sensor_.name, fmt::format("{} was missed: it was not read in time", pending_->name));
      pending_ = event;
    }
  }

 private:
  const BusSensor& sensor_;
  DeviceTold told_;
  Tick takes_;
  std::vector<std::pair<Tick, const SensorEvent*>> coming_{};
  std::size_t next_ = 0;
  const SensorEvent* pending_ = nullptr;
  Tick read_at_ = 0;
};

std::unique_ptr<Sensing> sensing(const BusSensor& sensor, const Rig& rig,
                                 const std::vector<OutsideEvent>& events, const DeviceTold& told) {
  auto one = std::make_unique<Sensing>(sensor, rig.controller.timer_clock, told);
  bool happens = false;
  for (const OutsideEvent& event : events) {
    if (!require(sensor, event)) continue;
    happens = true;
    one->happens((event.at.base() * rig.controller.timer_clock.base()).rounded(),
                 *event_named(sensor, *part_of(sensor.name, event.what)));
  }
  one->sort();
  return happens ? std::move(one) : nullptr;
}

std::unique_ptr<Participant> stand_in(const BusSensor& sensor, const Rig& rig,
                                      const std::vector<OutsideEvent>& events, const DeviceTold& told) {
  return sensing(sensor, rig, events, told);
}

/// The edges of a frame's marks.
void add_frame(const Remote& remote, double at, const std::vector<std::int64_t>& timing, double clock,
               std::vector<LineEdge>& edges) {
  const auto line = static_cast<LineId>(remote.line);
  bool mark = remote.active == ActiveLevel::high;
  for (std::size_t i = 0; i <= timing.size(); ++i) {
    edges.push_back({std::llround(at * clock), line, mark});
    if (i < timing.size()) at += 1e-6 * static_cast<double>(timing[i]);
    mark = !mark;
  }
}

double lasts(const std::vector<std::int64_t>& timing) {
  double us = 0.0;
  for (const std::int64_t each : timing) us += static_cast<double>(each);
  return 1e-6 * us;
}

void add_edges(const Remote& remote, const OutsideEvent& event, double clock, std::vector<LineEdge>& edges) {
  if (!require(remote, event)) return;
  const double at = event.at.base().to_double();
  const RemoteKey* const key = key_named(remote, *part_of(remote.name, event.what));
  if (key == nullptr) return add_frame(remote, at, timing_said(*event.says, event.what), clock, edges);
  const bool is_learned = remote.coding == Remote::Coding::learned;
  const std::vector<std::int64_t> first =
      is_learned ? key->timing : timing_of(static_cast<std::uint32_t>(*key->code));
  const std::vector<std::int64_t> again = !is_learned                  ? held_timing()
                                          : remote.held_timing.empty() ? first
                                                                       : remote.held_timing;
  add_frame(remote, at, first, clock, edges);
  const double held = event.lasts ? event.lasts->base().to_double() : 0.0;
  const double between = std::max(RemoteReceiver::between, lasts(first) + 0.02);
  for (int i = 1; i * between <= held; ++i) add_frame(remote, at + i * between, again, clock, edges);
}

}  // namespace

bool is_of_a_device(const Rig& rig, const OutsideEvent& event) {
  const auto has = [&](const auto& devices) {
    return std::any_of(devices.begin(), devices.end(),
                       [&](const auto& each) { return require(each, event); });
  };
  return has(rig.devices) || has(rig.input_devices) || has(rig.remotes) || has(rig.bus_sensors);
}

std::vector<Level> levels_of_devices(const Rig& rig) {
  std::vector<Level> levels;
  for (const Remote& remote : rig.remotes)
    levels.push_back({static_cast<LineId>(remote.line), remote.active != ActiveLevel::high});
  for (const BusSensor& sensor : rig.bus_sensors)
    levels.push_back({static_cast<LineId>(sensor.line), sensor.active != ActiveLevel::high});
  return levels;
}

std::vector<LineEdge> edges_of_devices(const Rig& rig, const std::vector<OutsideEvent>& events) {
  std::vector<LineEdge> edges;
  const double clock = rig.controller.timer_clock.base().to_double();
  for (const Remote& remote : rig.remotes)
    for (const OutsideEvent& event : events) add_edges(remote, event, clock, edges);
  for (const BusSensor& sensor : rig.bus_sensors)
    if (const auto one = sensing(sensor, rig, events, {}))
      for (const LineEdge& edge : one->edges()) edges.push_back(edge);
  return edges;
}

std::vector<std::unique_ptr<Participant>> device_stand_ins(const Rig& rig,
                                                           const std::vector<OutsideEvent>& events,
                                                           const DeviceTold& told) {
  std::vector<std::unique_ptr<Participant>> all;
  const auto add = [&](const auto& devices) {
    for (const auto& device : devices)
      if (auto one = stand_in(device, rig, events, told)) all.push_back(std::move(one));
  };
  add(rig.devices);
  add(rig.input_devices);
  add(rig.bus_sensors);
  return all;
}

}  // namespace cogstride
