#include "cogstride/motion/devices/watches.hpp"

#include <fmt/format.h>

#include "cogstride/mechanism/ticks.hpp"

namespace cogstride {

RemoteWatch::RemoteWatch(const Remote& remote, ExactFrequency clock,
                         std::function<void(const std::string&)> hear)
    : remote_(remote),
      receiver_(remote, clock.base().to_double()),
      heard_([this, hear = std::move(hear)](const RemoteKey& key, bool on) {
        hear(fmt::format("{}.{} {}", remote_.name, key.name, on ? "on" : "off"));
      }) {}

void RemoteWatch::act(Lines& lines, std::span<const Reading> readings) {
  const auto source = static_cast<SourceId>(remote_.line);
  bool has_read = false;
  for (const Reading& reading : readings) {
    if (reading.source != source) continue;
    has_read = true;
    receiver_.take(reading.at, (reading.raw != 0) == (remote_.active == ActiveLevel::high), heard_);
  }
  if (has_read || lines.now() >= wakes_) wakes_ = receiver_.settle(lines.now(), heard_);
}

InterruptWatch::InterruptWatch(const Inputs& inputs, LineId line, ExactFrequency clock,
                               std::function<void()> tell)
    : inputs_(inputs),
      line_(line),
      between_(ticks_at_least(told_again_after, clock)),
      tell_(std::move(tell)) {}

void InterruptWatch::act(Lines& lines, std::span<const Reading>) {
  if (!acts()) {
    again_ = 0;
    return;
  }
  if (lines.now() < again_) return;
  again_ = lines.now() + between_;
  tell_();
}

}  // namespace cogstride
