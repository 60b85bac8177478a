// Levels and duties that are still ahead, in the order of time. A chip keeps a few of them: what is far ahead
// waits here.
#pragma once

#include <cstddef>
#include <cstdint>
#include <functional>
#include <optional>
#include <vector>

#include "cogstride/lines/events.hpp"
#include "cogstride/link/link_talk.hpp"

namespace cogstride {

class LinkLevels {
 public:
  /// @param most_there  that the chip is given at a time
  explicit LinkLevels(std::size_t most_there) : most_there_(most_there) {}

  /// @param code  of its line
  void put(Tick at, LineId line, std::uint8_t code, bool high) {
    add({at, line, static_cast<std::uint8_t>(code | (high ? 0x80 : 0)), {}, false});
  }
  /// @param on  counts of its timer, or ticks of a pulse in a frame
  void put_duty(Tick at, LineId line, std::uint8_t code, std::uint16_t on) {
    add({at, line, code, on, false});
  }
  /// Orders what comes up to an instant, as far as the chip has room.
  void feed(LinkTalk& talk, Tick now, Tick until);
  /// What was to come to some lines from an instant on does not.
  void keep(LinkTalk& talk, Tick from, const std::function<bool(LineId)>& is_one);
  void clear() { all_.clear(); }
  /// The first line that something is on its way to.
  [[nodiscard]] std::optional<LineId> first_sent() const;

 private:
  struct Ahead {
    Tick at = 0;
    LineId line{};
    std::uint8_t code = 0;  // 0x80: high
    std::optional<std::uint16_t> duty{};
    bool is_sent = false;
  };
  void add(Ahead ahead);

  std::size_t most_there_;
  std::vector<Ahead> all_{};
};

}  // namespace cogstride
