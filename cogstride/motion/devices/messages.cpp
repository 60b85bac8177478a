#include "cogstride/motion/devices/messages.hpp"

#include <cmath>
#include <utility>

namespace cogstride {
namespace {

std::int64_t ns_of(Time time) {
  return std::llround(1e9 * time.in(units::s));
}

}  // namespace

MessageReader::MessageReader(const Device& device)
    : device_(device),
      ends_with_(device.ends_with.value_or("")),
      silence_(device.ends_after ? ns_of(*device.ends_after) : 0),
      last_(device.messages.size()) {
  require_readable(device);
}

void MessageReader::take(std::string_view bytes, std::int64_t now, const Hear& heard) {
  if (bytes.empty()) return;
  (void)settle(now, heard);
  last_byte_ = now;
  for (const char byte : bytes) {
    if (frame_.size() >= longest_device_text + ends_with_.size()) {
      is_overlong_ = true;  // only its end is still looked for
      frame_.erase(0, 1);
    }
    frame_ += byte;
    if (ends_with_.empty() || !frame_.ends_with(ends_with_)) continue;
    frame_.resize(frame_.size() - ends_with_.size());
    end_frame(now, heard);
  }
}

std::optional<std::int64_t> MessageReader::settle(std::int64_t now, const Hear& heard) {
  if (silence_ <= 0 || frame_.empty()) return std::nullopt;
  if (now - last_byte_ < silence_) return last_byte_ + silence_;
  end_frame(now, heard);
  return std::nullopt;
}

void MessageReader::forget() {
  frame_.clear();
  is_overlong_ = false;
}

void MessageReader::ignore(std::string_view frame, std::int64_t& count, const char* why) {
  ++count;
  if (ignored_) ignored_(frame, why);
}

void MessageReader::end_frame(std::int64_t now, const Hear& heard) {
  const std::string frame = std::exchange(frame_, {});
  if (std::exchange(is_overlong_, false) || frame.size() > longest_device_text)
    return ignore(frame, counts_.overlong, "it is too long");
  for (std::size_t i = 0; i < device_.messages.size(); ++i) {
    const DeviceMessage& message = device_.messages[i];
    const std::optional<Said> said = said_by(message, frame);
    if (!said) continue;
    if (!said->is_in_range) return ignore(frame, counts_.out_of_range, "its number is out of its range");
    Last& last = last_[i];
    const bool is_again =
        last.at && last.number == said->number && now - *last.at < ns_of(message.again_after);
    last = {said->number, now};
    if (is_again) return ignore(frame, counts_.doubled, "it is the last one, heard twice");
    ++counts_.good;
    heard(message, said->number);
    return;
  }
  ignore(frame, counts_.unknown, "it is no message of it");
}

}  // namespace cogstride
