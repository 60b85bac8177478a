#include "cogstride/port/bell.hpp"

#include <fmt/format.h>
#include <poll.h>
#include <sys/eventfd.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <ctime>

#include "cogstride/port/descriptor.hpp"
#include "cogstride/quantity/error.hpp"

namespace cogstride {

std::int64_t monotonic_ns() {
  timespec time{};
  clock_gettime(CLOCK_MONOTONIC, &time);
  return static_cast<std::int64_t>(time.tv_sec) * 1'000'000'000 + time.tv_nsec;
}

Bell::Bell() : fd_(above_standard(eventfd(0, EFD_CLOEXEC | EFD_NONBLOCK))) {
  if (fd_ < 0) throw Error(fmt::format("the kernel gives no event descriptor: {}", std::strerror(errno)));
}

Bell::~Bell() {
  close(fd_);
}

void Bell::ring() const noexcept {
  const std::uint64_t one = 1;
  [[maybe_unused]] const auto done = write(fd_, &one, sizeof one);
}

void Bell::take() const noexcept {
  std::uint64_t count = 0;
  [[maybe_unused]] const auto done = read(fd_, &count, sizeof count);
}

void Bell::wait(std::int64_t ns) const noexcept {
  ns = std::max<std::int64_t>(0, ns);
  pollfd waited{fd_, POLLIN, 0};
  const timespec time{ns / 1'000'000'000, ns % 1'000'000'000};
  if (ppoll(&waited, 1, &time, nullptr) > 0) take();
}

}  // namespace cogstride
