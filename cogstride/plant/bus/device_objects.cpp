#include "cogstride/plant/bus/device_objects.hpp"

#include <algorithm>
#include <array>

#include "cogstride/board/bus/bus_services.hpp"
#include "cogstride/quantity/error.hpp"

namespace cogstride {
namespace {

constexpr std::uint32_t toggle_wrong = 0x05030000;
constexpr std::uint32_t service_unknown = 0x05040001;
constexpr std::uint32_t write_only = 0x06010001;
constexpr std::uint32_t read_only = 0x06010002;
constexpr std::uint32_t no_object = 0x06020000;
constexpr std::uint32_t other_length = 0x06070010;
constexpr std::uint32_t no_part = 0x06090011;
constexpr std::uint32_t too_high = 0x06090031;
constexpr std::uint32_t too_low = 0x06090032;

}  // namespace

DeviceObjects::DeviceObjects(int id) : id_(id) {
  require_node_id(id);
}

void DeviceObjects::add(Entry entry) {
  const Key key = key_of(entry.object);
  at_first_[key] = entry.value;
  entries_.insert_or_assign(key, std::move(entry));
}

bool DeviceObjects::has(const BusObject& object) const {
  return entries_.contains(key_of(object));
}

std::int64_t DeviceObjects::value(const BusObject& object) const {
  const auto found = entries_.find(key_of(object));
  if (found == entries_.end()) throw RangeError("the device has no " + to_text(object));
  return found->second.value;
}

const BusObject& DeviceObjects::named(const BusObject& object) const {
  const auto found = entries_.find(key_of(object));
  if (found == entries_.end()) throw RangeError("the device has no " + to_text(object));
  return found->second.object;
}

void DeviceObjects::set(const BusObject& object, std::int64_t value) {
  const auto found = entries_.find(key_of(object));
  if (found == entries_.end()) throw RangeError("the device has no " + to_text(object));
  found->second.value = value;
}

void DeviceObjects::restore() {
  for (auto& [key, entry] : entries_) entry.value = at_first_.at(key);
}

Frame DeviceObjects::refusal(const Frame& asked, std::uint32_t code) const {
  Frame frame{access_answer_id(id_), Frame::most_bytes, asked.bytes};
  frame.bytes[0] = 0x80;
  for (int i = 0; i < 4; ++i) frame.bytes[4 + i] = static_cast<std::uint8_t>(code >> (8 * i));
  return frame;
}

Frame DeviceObjects::next_segment(bool toggle) {
  Frame frame{access_answer_id(id_), Frame::most_bytes, {}};
  if (!says_segments_ || toggle != toggle_) {
    says_segments_ = false;
    return refusal({}, toggle_wrong);
  }
  const std::size_t left = in_segments_.size() - said_;
  const std::size_t count = std::min<std::size_t>(7, left);
  std::copy_n(in_segments_.begin() + static_cast<std::ptrdiff_t>(said_), count, frame.bytes.begin() + 1);
  said_ += count;
  const bool is_last = said_ == in_segments_.size();
  frame.bytes[0] = static_cast<std::uint8_t>((toggle ? 0x10 : 0) | (7 - count) << 1 | (is_last ? 0x01 : 0));
  toggle_ = !toggle_;
  if (is_last) says_segments_ = false;
  return frame;
}

Frame DeviceObjects::told(const Frame& asked, const Entry& entry) {
  if (entry.access == Access::write) return refusal(asked, write_only);
  Frame frame{access_answer_id(id_), Frame::most_bytes, asked.bytes};
  std::fill(frame.bytes.begin() + 4, frame.bytes.end(), std::uint8_t{0});
  if (entry.object.type == ObjectType::text) {
    in_segments_ = entry.text;
    said_ = 0;
    toggle_ = false;
    says_segments_ = true;
    frame.bytes[0] = 0x41;
    frame.bytes[4] = static_cast<std::uint8_t>(entry.text.size());
    return frame;
  }
  const int size = size_of(entry.object.type);
  frame.bytes[0] = static_cast<std::uint8_t>(0x43 | (4 - size) << 2);
  put_number(entry.object, entry.value, frame.bytes.data() + 4);
  return frame;
}

Frame DeviceObjects::written(const Frame& asked, Entry& entry) {
  if (entry.access == Access::read || entry.object.type == ObjectType::text) return refusal(asked, read_only);
  const std::uint8_t first = asked.bytes[0];
  const int size = (first & 0x01) != 0 ? 4 - (first >> 2 & 3) : 4;
  if ((first & 0x02) == 0) return refusal(asked, service_unknown);  // nothing here is longer than a frame
  if ((first & 0x01) != 0 && size != size_of(entry.object.type)) return refusal(asked, other_length);
  std::int64_t value = number_of(entry.object.type, asked.bytes.data() + 4);
  if (value > entry.most) return refusal(asked, too_high);
  if (value < entry.least) return refusal(asked, too_low);
  if (const std::uint32_t why = entry.refuses ? entry.refuses(value) : 0; why != 0)
    return refusal(asked, why);
  if (entry.takes) value = entry.takes(value);
  entry.value = value;
  Frame frame{access_answer_id(id_), Frame::most_bytes, asked.bytes};
  frame.bytes[0] = 0x60;
  std::fill(frame.bytes.begin() + 4, frame.bytes.end(), std::uint8_t{0});
  return frame;
}

std::optional<Frame> DeviceObjects::answer(const Frame& frame) {
  if (frame.id != access_request_id(id_) || frame.size != Frame::most_bytes) return std::nullopt;
  const int specifier = frame.bytes[0] >> 5;
  if (specifier == 4) {  // whoever asks has given up
    says_segments_ = false;
    return std::nullopt;
  }
  if (specifier == 3) return next_segment((frame.bytes[0] & 0x10) != 0);
  if (specifier != 1 && specifier != 2) return refusal(frame, service_unknown);
  const auto index = static_cast<std::uint16_t>(frame.bytes[1] | frame.bytes[2] << 8);
  const auto found = entries_.find({index, frame.bytes[3]});
  if (found == entries_.end()) {
    const bool has_others = std::any_of(entries_.begin(), entries_.end(),
                                        [&](const auto& each) { return each.first.first == index; });
    return refusal(frame, has_others ? no_part : no_object);
  }
  return specifier == 2 ? told(frame, found->second) : written(frame, found->second);
}

}  // namespace cogstride
