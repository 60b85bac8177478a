// The keys of a remote, out of the marks and gaps that its infrared receiver puts on a line.
//
//   RemoteReceiver receiver(remote, 48e6);              // of the rig, and ticks in a second
//   receiver.take(at, true, heard);                     // a mark begins
//   receiver.take(at, false, heard);                    // and ends
//   wakes = receiver.settle(now, heard);                // heard: the key, pressed or let go
//
// Pulse distance: a leading mark of 9 ms and a gap of 4.5 ms; then 32 bits, each a mark of 0.5625 ms and a
// gap of as much (0) or three times as much (1), the first one the lowest; a closing mark. Bits 24 to 31 are
// bits 16 to 23 inverted. A key that is held on says a leading mark, a gap of 2.25 ms and a mark, 108 ms
// after what was said before; or, with some remotes, its code again.
//
// A key is held from its frame on, for as long as it is said again in time: a frame that is no key of the
// remote, or is garbled, ends it, since what is held from then on is another one. The same frame within the
// time that holds a key is the same press: its reflection, or its repeat.
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "cogstride/lines/events.hpp"
#include "cogstride/mechanism/devices.hpp"

namespace cogstride {

/// A frame, as it came.
struct RemoteFrame {
  std::vector<double> us{};             ///< marks and gaps in turn, from the first mark to the last
  std::optional<std::uint32_t> code{};  ///< by pulse distance
  bool is_held = false;                 ///< the short one that says that a key is held on
};
/// By pulse distance. @param us  marks and gaps in turn
[[nodiscard]] RemoteFrame remote_frame(std::vector<double> us);
/// A code as its remote says it, in us: marks and gaps in turn.
[[nodiscard]] std::vector<std::int64_t> timing_of(std::uint32_t code);
/// Of a key that is held on, in us.
[[nodiscard]] std::vector<std::int64_t> held_timing();
/// How far a frame is from a timing: rms of what its durations are off, as shares of what they may be off, 0
/// to 1; nothing: it is another one.
[[nodiscard]] std::optional<double> distance(const std::vector<double>& us,
                                             const std::vector<std::int64_t>& timing);

class RemoteReceiver {
 public:
  static constexpr double ends_after = 0.0105;  ///< s of a gap that no frame has inside
  static constexpr double between = 0.108;      ///< s from one frame of a held key to the next

  /// Frames so far.
  struct Counts {
    std::int64_t good = 0;     ///< of a key, the first and its repeats
    std::int64_t unknown = 0;  ///< of another key, or of another remote
    std::int64_t garbled = 0;
  };
  /// Told of a key, when it is pressed and when it is let go.
  using Hear = std::function<void(const RemoteKey& key, bool on)>;

  /// @param remote  must outlive it
  RemoteReceiver(const Remote& remote, double ticks_per_second);

  /// An edge of its line. @param mark  whether a mark begins
  void take(Tick at, bool mark, const Hear& heard);
  /// What has come to its end by now. @return when it is to be asked again at the latest
  Tick settle(Tick now, const Hear& heard);
  /// Told of every frame, for one who learns.
  void on_frame(std::function<void(const RemoteFrame&)> listener) { listener_ = std::move(listener); }

  [[nodiscard]] const Counts& counts() const { return counts_; }
  [[nodiscard]] bool is_held() const { return held_ != nullptr; }

 private:
  void end_frame(const Hear& heard);
  void let_go(const Hear& heard);
  [[nodiscard]] Tick ticks(double seconds) const;
  [[nodiscard]] const RemoteKey* key_of(const RemoteFrame& frame) const;

  const Remote& remote_;
  double ticks_per_second_;
  std::function<void(const RemoteFrame&)> listener_{};
  std::vector<double> us_{};  // of the frame that is on
  bool is_mark_ = false;
  bool is_overlong_ = false;
  Tick changed_ = 0;  // the last edge
  const RemoteKey* held_ = nullptr;
  Tick said_ = 0;  // when something of it ended last
  Counts counts_{};
};

}  // namespace cogstride
