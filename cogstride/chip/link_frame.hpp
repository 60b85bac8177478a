// Frames on a serial line between a computer and a chip (docs/link.md): framing and check of RFC 1662.
//
//   FrameReader<64> reader;
//   if (reader.take(byte)) obey(reader.bytes(), reader.size());       // a whole frame, sound
//   FrameWriter<Line> writer;                                         // Line: put(byte)
//   writer.begin(); writer.byte(kind); writer.word(ticks); writer.end();
//
// A flag (0x7e) stands before and behind each frame; a flag or an escape (0x7d) within one goes as an escape
// and the byte with its bit 5 turned over. So whoever listens finds its feet at the next flag, whatever came
// before. The last two bytes are the frame check sequence: CRC-16 of x^16 + x^12 + x^5 + 1, bits reflected,
// begun with ones, sent as its complement, the low byte first.
//
// C++14 with <stdint.h> alone.
#pragma once

#include <stdint.h>

#include "tick.hpp"

namespace cogstride {
namespace chip {

enum : uint8_t { link_flag = 0x7e, link_escape = 0x7d, link_turned = 0x20 };

/// One more byte in a check sequence.
COGSTRIDE_IN_INTERRUPT uint16_t link_check(uint16_t check, uint8_t byte) {
  byte = static_cast<uint8_t>(byte ^ check);
  byte = static_cast<uint8_t>(byte ^ (byte << 4));
  return static_cast<uint16_t>(((static_cast<uint16_t>(byte) << 8) | (check >> 8)) ^ (byte >> 4) ^
                               (static_cast<uint16_t>(byte) << 3));
}
enum : uint16_t {
  link_check_begins = 0xffff,
  link_check_is_sound = 0xf0b8  ///< of a whole frame, its check sequence with it
};

/// @tparam room  bytes of the longest frame, its check sequence with them
template <uint8_t room>
class FrameReader {
 public:
  /// @return whether it was the last of a sound frame, which stands until the next byte is taken
  COGSTRIDE_ONCE bool take(uint8_t byte) {
    if (byte == link_flag) {
      const bool is_sound = !is_lost_ && !escapes_ && size_ > 2 && check_ == link_check_is_sound;
      // Two flags one after another are no frame, and no fault.
      if (!is_sound && (size_ != 0 || escapes_)) ++refused_;
      sound_ = is_sound ? static_cast<uint8_t>(size_ - 2) : 0;
      size_ = 0;
      is_lost_ = false;
      escapes_ = false;
      check_ = link_check_begins;
      return is_sound;
    }
    if (is_lost_) return false;
    if (byte == link_escape) {
      if (escapes_) is_lost_ = true;
      escapes_ = true;
      return false;
    }
    if (escapes_) {
      escapes_ = false;
      byte ^= link_turned;
    }
    if (size_ == room) {
      is_lost_ = true;
      return false;
    }
    bytes_[size_++] = byte;
    check_ = link_check(check_, byte);
    return false;
  }
  const uint8_t* bytes() const { return bytes_; }
  /// Of the sound frame, without its check sequence.
  uint8_t size() const { return sound_; }
  /// What was no sound frame, so far; goes round.
  uint16_t refused() const { return refused_; }

 private:
  uint8_t bytes_[room];
  uint8_t size_ = 0;
  uint8_t sound_ = 0;
  uint16_t check_ = link_check_begins;
  uint16_t refused_ = 0;
  bool is_lost_ = true;  // until the first flag
  bool escapes_ = false;
};

/// @tparam Line  has put(byte)
template <class Line>
class FrameWriter {
 public:
  explicit FrameWriter(Line& line) : line_(line) {}

  COGSTRIDE_ONCE void begin() {
    line_.put(link_flag);
    check_ = link_check_begins;
  }
  COGSTRIDE_ONCE void byte(uint8_t byte) {
    check_ = link_check(check_, byte);
    stuffed(byte);
  }
  void half(uint16_t number) {
    byte(static_cast<uint8_t>(number));
    byte(static_cast<uint8_t>(number >> 8));
  }
  /// The low byte first.
  COGSTRIDE_ONCE void word(uint32_t number) {
    half(static_cast<uint16_t>(number));
    half(static_cast<uint16_t>(number >> 16));
  }
  COGSTRIDE_ONCE void end() {
    const uint16_t check = static_cast<uint16_t>(~check_);
    stuffed(static_cast<uint8_t>(check));
    stuffed(static_cast<uint8_t>(check >> 8));
    line_.put(link_flag);
  }

 private:
  COGSTRIDE_ONCE void stuffed(uint8_t byte) {
    if (byte == link_flag || byte == link_escape) {
      line_.put(link_escape);
      byte ^= link_turned;
    }
    line_.put(byte);
  }

  Line& line_;
  uint16_t check_ = link_check_begins;
};

/// Reads numbers out of a frame, the low byte first; beyond its end they are 0.
class FrameFields {
 public:
  FrameFields(const uint8_t* bytes, uint8_t size) : bytes_(bytes), left_(size) {}
  COGSTRIDE_ONCE uint8_t byte() {
    if (left_ == 0) {
      is_short_ = true;
      return 0;
    }
    --left_;
    return *bytes_++;
  }
  uint16_t half() {
    const uint8_t low = byte();
    return static_cast<uint16_t>(low | (byte() << 8));
  }
  COGSTRIDE_ONCE uint32_t word() {
    const uint16_t low = half();
    return low | (static_cast<uint32_t>(half()) << 16);
  }
  uint8_t left() const { return left_; }
  /// More was read than there is.
  bool is_short() const { return is_short_; }

 private:
  const uint8_t* bytes_;
  uint8_t left_;
  bool is_short_ = false;
};

}  // namespace chip
}  // namespace cogstride
