// The line between this computer and the chip that stands in for one (HostChip): bytes come at once, and time
// is the chip's, which passes while somebody waits.
#pragma once

#include <algorithm>
#include <cmath>
#include <vector>

#include "cogstride/lines/events.hpp"
#include "cogstride/mechanism/line_name.hpp"
#include "cogstride/port/byte_stream.hpp"
#include "support/host_chip.hpp"

namespace cogstride::testing_support {

/// The line that a pin of a chip is.
constexpr LineId pin_line(char port, int bit) {
  return static_cast<LineId>(line_of(Pin{port, bit}));
}

class HostChipStream final : public ByteStream {
 public:
  /// @param chip  must outlive it
  explicit HostChipStream(HostChip& chip) : chip_(chip) {}

  [[nodiscard]] std::int64_t now_ns() const override {
    return std::llround(static_cast<double>(HostChip::now()) * ns_per_tick);
  }
  std::size_t write(std::span<const std::uint8_t> bytes) override {
    for (const std::uint8_t byte : bytes) chip_.hear(byte);
    return bytes.size();
  }
  std::size_t read(std::span<std::uint8_t> bytes) override {
    const std::vector<std::uint8_t> said = chip_.take_said();
    came_.insert(came_.end(), said.begin(), said.end());
    const std::size_t count = std::min(bytes.size(), came_.size());
    std::copy(came_.begin(), came_.begin() + static_cast<std::ptrdiff_t>(count), bytes.begin());
    came_.erase(came_.begin(), came_.begin() + static_cast<std::ptrdiff_t>(count));
    return count;
  }
  void wait_until(std::int64_t ns) override {
    const std::int64_t until =
        std::max(HostChip::now() + HostChip::turn,
                 static_cast<std::int64_t>(std::ceil(static_cast<double>(ns) / ns_per_tick)));
    while (HostChip::now() < until) {
      chip_.run_to(std::min(until, HostChip::now() + HostChip::turn));
      const std::vector<std::uint8_t> said = chip_.take_said();
      came_.insert(came_.end(), said.begin(), said.end());
      if (!came_.empty()) return;
    }
  }
  void wake() noexcept override {}

 private:
  static constexpr double ns_per_tick = 1e9 / HostChip::ticks_per_second;
  HostChip& chip_;
  std::vector<std::uint8_t> came_{};
};

}  // namespace cogstride::testing_support
