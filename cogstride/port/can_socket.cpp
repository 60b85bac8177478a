#include "cogstride/port/can_socket.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <linux/can.h>
#include <linux/can/error.h>
#include <linux/can/raw.h>
#include <net/if.h>
#include <sys/ioctl.h>
#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <utility>

#include "cogstride/port/bell.hpp"

namespace cogstride {
namespace {

constexpr std::uint32_t largest_short_id = 0x7ff;

can_frame kernel_frame(const Frame& frame) {
  can_frame own{};
  own.can_id = frame.id > largest_short_id ? frame.id | CAN_EFF_FLAG : frame.id;
  own.can_dlc = frame.size;
  std::copy_n(frame.bytes.begin(), frame.size, own.data);
  return own;
}

}  // namespace

CanSocket::CanSocket(BusId bus, const std::string& interface_name, std::vector<Frame> rest,
                     bool has_controller)
    : bus_(bus),
      name_(interface_name),
      rest_(std::move(rest)),
      fd_(above_standard(socket(PF_CAN, SOCK_RAW | SOCK_CLOEXEC | SOCK_NONBLOCK, CAN_RAW))) {
  const auto refuse = [&](const std::string& why) {
    throw Error(fmt::format("controller.bus: {}: {}", interface_name, why));
  };
  if (fd_.get() < 0)
    refuse(fmt::format("this kernel has no CAN sockets ({}): load its modules can and can_raw",
                       std::strerror(errno)));
  ifreq asked{};
  if (interface_name.size() >= sizeof asked.ifr_name) refuse("no interface has so long a name");
  std::copy(interface_name.begin(), interface_name.end(), asked.ifr_name);
  if (ioctl(fd_.get(), SIOCGIFINDEX, &asked) != 0)
    refuse("this machine has no such interface: `ip link` lists those that it has");
  sockaddr_can address{};
  address.can_family = AF_CAN;
  address.can_ifindex = asked.ifr_ifindex;
  if (ioctl(fd_.get(), SIOCGIFFLAGS, &asked) == 0 && (asked.ifr_flags & IFF_UP) == 0)
    refuse(fmt::format("is down: set its bit rate and bring it up (ip link set {} up type can bitrate ...)",
                       interface_name));
  const can_err_mask_t errors = has_controller ? CAN_ERR_BUSOFF | CAN_ERR_RESTARTED : 0;
  (void)setsockopt(fd_.get(), SOL_CAN_RAW, CAN_RAW_ERR_FILTER, &errors, sizeof errors);
  if (bind(fd_.get(), reinterpret_cast<const sockaddr*>(&address), sizeof address) != 0)
    refuse(std::strerror(errno));
}

void CanSocket::send(const Frame& frame) {
  const can_frame own = kernel_frame(frame);
  if (write(fd_.get(), &own, sizeof own) == static_cast<ssize_t>(sizeof own)) return;
  const int why = errno;
  if (why == ENOBUFS || why == EAGAIN)
    throw PortGone(
        fmt::format("{}: takes no more frames: nobody on the bus acknowledges them; look at its "
                    "wires, its terminators and the bit rates",
                    name_));
  throw PortGone(fmt::format("{}: {}", name_, std::strerror(why)));
}

void CanSocket::take(std::vector<PortFrame>& frames) {
  for (;;) {
    can_frame own{};
    const ssize_t got = read(fd_.get(), &own, sizeof own);
    if (got < 0 && (errno == EAGAIN || errno == EINTR)) return;
    if (got != static_cast<ssize_t>(sizeof own)) throw PortGone(fmt::format("{} was taken away", name_));
    if ((own.can_id & CAN_ERR_FLAG) != 0) {
      if ((own.can_id & CAN_ERR_BUSOFF) != 0)
        throw PortGone(
            fmt::format("{}: its end of the bus has switched itself off (bus-off): look at the "
                        "wires, the terminators and the bit rates",
                        name_));
      continue;
    }
    if ((own.can_id & CAN_RTR_FLAG) != 0 || own.can_dlc > Frame::most_bytes) continue;
    Frame frame;
    frame.id = own.can_id & ((own.can_id & CAN_EFF_FLAG) != 0 ? CAN_EFF_MASK : CAN_SFF_MASK);
    frame.size = own.can_dlc;
    std::copy_n(own.data, frame.size, frame.bytes.begin());
    frames.push_back({monotonic_ns(), bus_, frame});
  }
}

void CanSocket::rest(RestOutcome& outcome) noexcept {
  bool done = true;
  for (const Frame& frame : rest_) {
    const can_frame own = kernel_frame(frame);
    done = write(fd_.get(), &own, sizeof own) == static_cast<ssize_t>(sizeof own) && done;
  }
  if (!done) outcome.add_silent(name_.c_str());
}

std::vector<RestWrite> CanSocket::rest_writes() const {
  std::vector<RestWrite> writes;
  for (const Frame& frame : rest_) {
    const can_frame own = kernel_frame(frame);
    RestWrite rest;
    static_assert(sizeof own <= sizeof rest.text);
    rest.fd = fd_.get();
    rest.is_stream = true;
    rest.text_size = sizeof own;
    std::memcpy(rest.text.data(), &own, sizeof own);
    writes.push_back(rest);
  }
  return writes;
}

}  // namespace cogstride
