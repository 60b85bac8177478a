// How outputs come to rest when the program that drove them is gone: prepared before, made by a process that
// may call nothing but write and ioctl.
#pragma once

#include <array>
#include <cstddef>
#include <cstdint>

namespace cogstride {

struct RestWrite {
  int fd = -1;
  std::uint64_t mask = 0;  ///< of a GPIO request: its outputs, and their levels
  std::uint64_t bits = 0;
  std::array<char, 24> text{};  ///< of a PWM channel: what is written to its file; of a bus: a frame
  std::size_t text_size = 0;    ///< 0: a GPIO request
  bool is_stream = false;       ///< a frame for a socket: it has no place to be written to
};

/// @return whether the kernel took it; async-signal-safe
bool write_at_rest(const RestWrite& rest) noexcept;

}  // namespace cogstride
