#include "cogstride/board/bus/object_access.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <utility>

#include "cogstride/board/bus/bus_services.hpp"
#include "cogstride/quantity/error.hpp"

namespace cogstride {
namespace {

// Command specifiers, in the upper three bits of the first byte.
constexpr int specifier_at = 5;
constexpr std::uint8_t ask_write = 1;
constexpr std::uint8_t ask_read = 2;
constexpr std::uint8_t ask_segment = 3;
constexpr std::uint8_t aborts = 4;
constexpr std::uint8_t answers_segment = 0;
constexpr std::uint8_t answers_read = 2;
constexpr std::uint8_t answers_write = 3;
constexpr std::uint8_t in_one_frame = 0x02;
constexpr std::uint8_t says_size = 0x01;
constexpr std::uint8_t toggled = 0x10;
constexpr std::uint8_t last_segment = 0x01;

constexpr std::uint32_t toggle_wrong = 0x05030000;
constexpr std::uint32_t too_long = 0x05040005;

struct Abort {
  std::uint32_t code;
  const char* words;
};
constexpr std::array<Abort, 29> aborts_known{{
    {0x05030000, "a segment came twice or not at all"},
    {0x05040000, "it waited too long for the next frame"},
    {0x05040001, "it does not know this service"},
    {0x05040002, "the size of blocks is not one that it takes"},
    {0x05040003, "a block's number is wrong"},
    {0x05040004, "a block's check sum is wrong"},
    {0x05040005, "it has no memory for that"},
    {0x06010000, "this object cannot be accessed like that"},
    {0x06010001, "this object can only be written"},
    {0x06010002, "this object can only be read"},
    {0x06020000, "it has no such object"},
    {0x06040041, "this object cannot be mapped into process data"},
    {0x06040042, "more objects than one frame of process data carries"},
    {0x06040043, "this does not go with its other parameters"},
    {0x06040047, "this does not go with something inside it"},
    {0x06060000, "its hardware failed"},
    {0x06070010, "this object has another type or length"},
    {0x06070012, "this object is shorter"},
    {0x06070013, "this object is longer"},
    {0x06090011, "it has no such part of this object"},
    {0x06090030, "the value is outside what it takes"},
    {0x06090031, "the value is above what it takes"},
    {0x06090032, "the value is below what it takes"},
    {0x06090036, "the largest would be below the smallest"},
    {0x08000000, "it does not say why"},
    {0x08000020, "it cannot take or store that"},
    {0x08000021, "it is controlled locally just now"},
    {0x08000022, "not in the state that it is in"},
    {0x08000024, "it has no data for that"},
}};

}  // namespace

int size_of(ObjectType type) {
  switch (type) {
    case ObjectType::i8:
    case ObjectType::u8:
      return 1;
    case ObjectType::i16:
    case ObjectType::u16:
      return 2;
    case ObjectType::i32:
    case ObjectType::u32:
      return 4;
    case ObjectType::text:
      break;
  }
  return 0;
}

bool is_signed(ObjectType type) {
  return type == ObjectType::i8 || type == ObjectType::i16 || type == ObjectType::i32;
}

std::string to_text(const BusObject& object) {
  return fmt::format("{:04X}:{:02X} {}", object.index, object.sub, object.name);
}

void put_number(const BusObject& object, std::int64_t value, std::uint8_t* bytes) {
  const int size = size_of(object.type);
  if (size == 0) throw RangeError(fmt::format("{} is text, and no number", to_text(object)));
  const std::int64_t range = std::int64_t{1} << (8 * size);
  const std::int64_t least = is_signed(object.type) ? -range / 2 : 0;
  const std::int64_t most = least + range - 1;
  if (value < least || value > most)
    throw RangeError(fmt::format("{}: {} is outside {} to {}", to_text(object), value, least, most));
  for (int i = 0; i < size; ++i)
    bytes[i] = static_cast<std::uint8_t>(static_cast<std::uint64_t>(value) >> (8 * i));
}

std::int64_t number_of(ObjectType type, const std::uint8_t* bytes) {
  const int size = size_of(type);
  std::uint64_t value = 0;
  for (int i = 0; i < size; ++i) value |= std::uint64_t{bytes[i]} << (8 * i);
  const std::uint64_t sign = size == 0 ? 0 : std::uint64_t{1} << (8 * size - 1);
  if (is_signed(type) && (value & sign) != 0)
    return static_cast<std::int64_t>(value) - (std::int64_t{1} << (8 * size));
  return static_cast<std::int64_t>(value);
}

std::string abort_words(std::uint32_t code) {
  const auto known = std::find_if(aborts_known.begin(), aborts_known.end(),
                                  [&](const Abort& each) { return each.code == code; });
  return known == aborts_known.end() ? fmt::format("{:08X}, a reason of its own", code)
                                     : fmt::format("{} ({:08X})", known->words, code);
}

std::string ObjectAccess::Result::words(int id) const {
  switch (kind) {
    case Kind::refused:
      return fmt::format("drive {} refuses {}: {}", id, to_text(object), abort_words(abort));
    case Kind::silent:
      return fmt::format("drive {} does not answer when it is asked for {}", id, to_text(object));
    case Kind::garbled:
      return fmt::format("drive {} answers with another length than {} has", id, to_text(object));
    case Kind::read:
    case Kind::written:
      break;
  }
  return "";
}

ObjectAccess::ObjectAccess(int id, Tick patience) : id_(id), patience_(patience) {
  require_node_id(id);
}

void ObjectAccess::read(const BusObject& object) {
  asked_.push_back({object, false, 0});
}

void ObjectAccess::write(const BusObject& object, std::int64_t value) {
  std::array<std::uint8_t, 4> bytes{};
  put_number(object, value, bytes.data());
  asked_.push_back({object, true, value});
}

void ObjectAccess::clear() {
  asked_.clear();
  results_.clear();
  sent_at_.reset();
  refuses_.reset();
  in_segments_ = false;
  tries_ = 0;
}

Frame ObjectAccess::question() const {
  Frame frame{access_request_id(id_), Frame::most_bytes, {}};
  if (in_segments_) {
    frame.bytes[0] = static_cast<std::uint8_t>(ask_segment << specifier_at | (toggle_ ? toggled : 0));
    return frame;
  }
  const Asked& asked = asked_.front();
  frame.bytes[1] = static_cast<std::uint8_t>(asked.object.index);
  frame.bytes[2] = static_cast<std::uint8_t>(asked.object.index >> 8);
  frame.bytes[3] = asked.object.sub;
  if (!asked.writes) {
    frame.bytes[0] = ask_read << specifier_at;
    return frame;
  }
  const int unused = 4 - size_of(asked.object.type);
  frame.bytes[0] =
      static_cast<std::uint8_t>(ask_write << specifier_at | unused << 2 | in_one_frame | says_size);
  put_number(asked.object, asked.value, frame.bytes.data() + 4);
  return frame;
}

Frame ObjectAccess::refusal(std::uint32_t code) const {
  Frame frame{access_request_id(id_), Frame::most_bytes, {}};
  const BusObject& object = asked_.front().object;
  frame.bytes[0] = aborts << specifier_at;
  frame.bytes[1] = static_cast<std::uint8_t>(object.index);
  frame.bytes[2] = static_cast<std::uint8_t>(object.index >> 8);
  frame.bytes[3] = object.sub;
  for (int i = 0; i < 4; ++i) frame.bytes[4 + i] = static_cast<std::uint8_t>(code >> (8 * i));
  return frame;
}

std::optional<Frame> ObjectAccess::send(Tick now) {
  if (asked_.empty()) return std::nullopt;
  if (refuses_) {
    const Frame frame = refusal(*std::exchange(refuses_, std::nullopt));
    ended(Result::Kind::garbled);
    return frame;
  }
  if (sent_at_ && now < *sent_at_ + patience_) return std::nullopt;
  if (tries_ == most_tries) {
    ended(Result::Kind::silent);
    return send(now);
  }
  // What was lost in the middle of segments is read from its begin again.
  if (sent_at_ && in_segments_) in_segments_ = false;
  sent_at_ = now;
  ++tries_;
  return question();
}

Tick ObjectAccess::next() const {
  if (asked_.empty()) return never;
  return sent_at_ && !refuses_ ? *sent_at_ + patience_ : 0;
}

void ObjectAccess::ended(Result::Kind kind, std::int64_t value, std::uint32_t abort) {
  const Asked asked = asked_.front();
  asked_.pop_front();
  results_.push_back(
      {kind, asked.object, asked.writes ? asked.value : value, std::exchange(text_, {}), abort});
  sent_at_.reset();
  in_segments_ = false;
  tries_ = 0;
}

void ObjectAccess::segment(const Frame& frame) {
  const std::uint8_t first = frame.bytes[0];
  if (first >> specifier_at != answers_segment) return;
  if (((first & toggled) != 0) != toggle_) {  // one that was said twice
    refuses_ = toggle_wrong;
    return;
  }
  const int unused = first >> 1 & 7;
  text_.append(reinterpret_cast<const char*>(frame.bytes.data()) + 1, static_cast<std::size_t>(7 - unused));
  if (text_.size() > most_text) {
    refuses_ = too_long;
    return;
  }
  if ((first & last_segment) != 0) return ended(Result::Kind::read);
  toggle_ = !toggle_;
  sent_at_.reset();
  tries_ = 0;
}

void ObjectAccess::hear(const Frame& frame) {
  if (asked_.empty() || !sent_at_ || refuses_ || frame.id != access_answer_id(id_) ||
      frame.size != Frame::most_bytes)
    return;
  const Asked& asked = asked_.front();
  const std::uint8_t first = frame.bytes[0];
  const std::uint8_t specifier = first >> specifier_at;
  if (in_segments_ && specifier != aborts) return segment(frame);
  const bool is_its = frame.bytes[1] == (asked.object.index & 0xff) &&
                      frame.bytes[2] == asked.object.index >> 8 && frame.bytes[3] == asked.object.sub;
  if (!is_its) return;  // an answer that came after patience had ended
  if (specifier == aborts) {
    const auto code = static_cast<std::uint32_t>(number_of(ObjectType::u32, frame.bytes.data() + 4));
    return ended(Result::Kind::refused, asked.value, code);
  }
  if (asked.writes) {
    if (specifier == answers_write) ended(Result::Kind::written);
    return;
  }
  if (specifier != answers_read) return;
  if ((first & in_one_frame) == 0) {
    if (asked.object.type != ObjectType::text) {
      refuses_ = too_long;
      return;
    }
    in_segments_ = true;
    toggle_ = false;
    text_.clear();
    sent_at_.reset();
    tries_ = 0;
    return;
  }
  const int size = (first & says_size) != 0 ? 4 - (first >> 2 & 3) : 4;
  if (asked.object.type == ObjectType::text) {
    text_.assign(reinterpret_cast<const char*>(frame.bytes.data()) + 4, static_cast<std::size_t>(size));
    return ended(Result::Kind::read);
  }
  if ((first & says_size) != 0 && size != size_of(asked.object.type)) return ended(Result::Kind::garbled);
  ended(Result::Kind::read, number_of(asked.object.type, frame.bytes.data() + 4));
}

std::optional<ObjectAccess::Result> ObjectAccess::take() {
  if (results_.empty()) return std::nullopt;
  Result result = std::move(results_.front());
  results_.pop_front();
  return result;
}

}  // namespace cogstride
