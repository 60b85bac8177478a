// Bytes to and from a chip: a serial port, a pseudo-terminal, a TCP connection; or a test's.
#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <span>
#include <string>

#include "cogstride/quantity/error.hpp"

namespace cogstride {

class ByteStream {
 public:
  virtual ~ByteStream() = default;
  /// Nanoseconds of a clock that never goes back.
  [[nodiscard]] virtual std::int64_t now_ns() const = 0;
  /// @return how many of them it has taken; the others have to wait. @throws Error when it is gone
  virtual std::size_t write(std::span<const std::uint8_t> bytes) = 0;
  /// What has come. @return how many @throws Error when it is gone
  virtual std::size_t read(std::span<std::uint8_t> bytes) = 0;
  /// Until something has come, it is woken, or that time.
  virtual void wait_until(std::int64_t ns) = 0;
  /// From any thread or signal handler.
  virtual void wake() noexcept = 0;
};

/// A serial port ("/dev/ttyS0", 8 bits, no parity, one stop bit), or "tcp:HOST:PORT".
/// @param patience_ns  for an address to answer
/// @throws Error when it cannot be opened, or somebody else has it
[[nodiscard]] std::unique_ptr<ByteStream> open_byte_stream(const std::string& name, std::int64_t baud,
                                                           std::int64_t patience_ns = 5'000'000'000);

}  // namespace cogstride
