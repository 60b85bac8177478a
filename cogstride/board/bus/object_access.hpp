// Objects of a device on a CANopen bus, read and written one after another: CiA 301, "service data objects".
//
//   ObjectAccess access(11, ticks_of_100_ms);
//   access.read(objects::status_word);
//   if (const auto frame = access.send(now)) lines.put(at, bus, *frame, owner);
//   access.hear(frame, now);                      // all that comes in; what is of others is passed over
//   access.take();                                // what it has come to
//
// Numbers go in one frame each way. What a device answers in segments (names) is read as well, up to 64
// bytes.
#pragma once

#include <cstdint>
#include <deque>
#include <optional>
#include <string>

#include "cogstride/lines/events.hpp"

namespace cogstride {

/// A whole number as it stands in frames, the lowest byte first; or text.
enum class ObjectType : std::uint8_t { i8, i16, i32, u8, u16, u32, text };
/// Bytes; 0 of text.
[[nodiscard]] int size_of(ObjectType type);
[[nodiscard]] bool is_signed(ObjectType type);

struct BusObject {
  std::uint16_t index = 0;
  std::uint8_t sub = 0;
  ObjectType type = ObjectType::u32;
  const char* name = "";
};
/// "6083:00 profile acceleration".
[[nodiscard]] std::string to_text(const BusObject& object);
/// A number as its bytes. @throws RangeError when the object's type does not hold it
void put_number(const BusObject& object, std::int64_t value, std::uint8_t* bytes);
/// And back. @param bytes  as many as the type has
[[nodiscard]] std::int64_t number_of(ObjectType type, const std::uint8_t* bytes);

/// What a device means that has refused (CiA 301, table of abort codes).
[[nodiscard]] std::string abort_words(std::uint32_t code);

class ObjectAccess {
 public:
  struct Result {
    enum class Kind : std::uint8_t { read, written, refused, silent, garbled };
    Kind kind = Kind::read;
    BusObject object{};
    std::int64_t value = 0;  ///< read, or that was to be written
    std::string text{};      ///< read
    std::uint32_t abort = 0;
    /// In words, where it is not as wanted.
    [[nodiscard]] std::string words(int id) const;
  };

  /// @param id  of the device, 1 to 127 @param patience  ticks until a question is put again
  ObjectAccess(int id, Tick patience);

  void read(const BusObject& object);
  /// @throws RangeError when the object's type does not hold it
  void write(const BusObject& object, std::int64_t value);
  [[nodiscard]] bool is_idle() const { return asked_.empty(); }
  /// All that was asked is forgotten.
  void clear();

  /// What is to go out now. @return nothing: it waits for an answer, or has nothing to ask
  [[nodiscard]] std::optional<Frame> send(Tick now);
  /// When it asks again.
  [[nodiscard]] Tick next() const;
  void hear(const Frame& frame);
  /// The first result that has not been taken.
  [[nodiscard]] std::optional<Result> take();

  static constexpr int most_tries = 3;
  static constexpr std::size_t most_text = 64;

 private:
  struct Asked {
    BusObject object{};
    bool writes = false;
    std::int64_t value = 0;
  };
  void ended(Result::Kind kind, std::int64_t value = 0, std::uint32_t abort = 0);
  void segment(const Frame& frame);
  [[nodiscard]] Frame question() const;
  [[nodiscard]] Frame refusal(std::uint32_t code) const;

  int id_;
  Tick patience_;
  std::deque<Asked> asked_{};  // the first one is being asked
  std::deque<Result> results_{};
  std::optional<Tick> sent_at_{};
  int tries_ = 0;
  bool in_segments_ = false;
  bool toggle_ = false;
  std::string text_{};
  std::optional<std::uint32_t> refuses_{};
};

}  // namespace cogstride
