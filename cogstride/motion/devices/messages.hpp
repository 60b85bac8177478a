// The texts of a device, out of its bytes.
//
//   MessageReader reader(panel);                        // of the rig; its texts end with a silence of 20 ms
//   reader.take("@5", now, heard);                      // nothing yet: it may go on
//   reader.settle(now + 20'000'000, heard);             // heard: station, 5
//
// What comes in is cut into frames, by the bytes that end one or by a silence, and a frame is a message or is
// none: it is never taken in part. Frames that are no message are counted and forgotten, and the next good
// one is as good as if they had not been. Time is in ns, of any clock that does not go back.
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "cogstride/mechanism/devices.hpp"

namespace cogstride {

class MessageReader {
 public:
  /// Frames so far.
  struct Counts {
    std::int64_t good = 0;
    std::int64_t unknown = 0;       ///< no message: garbled, half, two in one
    std::int64_t out_of_range = 0;  ///< a message, with a number that it does not have
    std::int64_t overlong = 0;
    std::int64_t doubled = 0;
    [[nodiscard]] std::int64_t ignored() const { return unknown + out_of_range + overlong + doubled; }
  };
  using Hear = std::function<void(const DeviceMessage& message, std::optional<std::int64_t> number)>;

  /// @param device  must outlive it @throws RangeError as require_readable
  explicit MessageReader(const Device& device);

  /// Told of frames that are none, and why.
  void on_ignored(std::function<void(std::string_view frame, const char* why)> listener) {
    ignored_ = std::move(listener);
  }
  /// Bytes as they come. @param heard  told of each message, in its turn
  void take(std::string_view bytes, std::int64_t now, const Hear& heard);
  /// A silence may end a frame. @return when it is to be asked again at the latest; nothing: after more bytes
  std::optional<std::int64_t> settle(std::int64_t now, const Hear& heard);
  /// The device is gone: half a frame is none.
  void forget();

  [[nodiscard]] const Counts& counts() const { return counts_; }

 private:
  struct Last {
    std::optional<std::int64_t> number{};
    std::optional<std::int64_t> at{};
  };
  void end_frame(std::int64_t now, const Hear& heard);
  void ignore(std::string_view frame, std::int64_t& count, const char* why);

  const Device& device_;
  std::string ends_with_;
  std::int64_t silence_;    // ns; 0: by its bytes
  std::vector<Last> last_;  // by message
  std::string frame_{};
  bool is_overlong_ = false;
  std::int64_t last_byte_ = 0;
  Counts counts_{};
  std::function<void(std::string_view, const char*)> ignored_{};
};

}  // namespace cogstride
