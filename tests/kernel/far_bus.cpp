// The far side of a CAN interface in the kernel bench.
//
//   far_bus INTERFACE record FILE        every frame with its time, as a capture file; until it is told to
//   end far_bus INTERFACE send ID BYTES...   one frame, all in hex far_bus INTERFACE bus-off            what
//   the kernel says of a controller that has switched itself off
#include <linux/can.h>
#include <linux/can/error.h>
#include <linux/can/raw.h>
#include <net/if.h>
#include <sys/ioctl.h>
#include <sys/socket.h>
#include <time.h>
#include <unistd.h>

#include <arpa/inet.h>

#include <csignal>
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <string>

namespace {

volatile sig_atomic_t is_over = 0;

int open_bus(const char* name) {
  const int fd = socket(PF_CAN, SOCK_RAW, CAN_RAW);
  ifreq asked{};
  std::strncpy(asked.ifr_name, name, sizeof asked.ifr_name - 1);
  sockaddr_can address{};
  address.can_family = AF_CAN;
  if (fd < 0 || ioctl(fd, SIOCGIFINDEX, &asked) != 0) return -1;
  address.can_ifindex = asked.ifr_ifindex;
  return bind(fd, reinterpret_cast<sockaddr*>(&address), sizeof address) == 0 ? fd : -1;
}

int send(int fd, const can_frame& frame) {
  return write(fd, &frame, sizeof frame) == static_cast<ssize_t>(sizeof frame) ? 0 : 1;
}

void put(FILE* file, std::uint32_t value) {
  std::fwrite(&value, sizeof value, 1, file);
}

int record(int fd, const char* path) {
  FILE* const file = std::fopen(path, "w");
  if (file == nullptr) return 1;
  // Capture file format, link type 227 (CAN by SocketCAN: the id in network order).
  constexpr std::uint32_t head[] = {0xa1b2c3d4, 2 | 4 << 16, 0, 0, 65535, 227};
  std::fwrite(head, sizeof head, 1, file);
  can_frame frame{};
  while (is_over == 0 && read(fd, &frame, sizeof frame) == static_cast<ssize_t>(sizeof frame)) {
    timespec now{};
    clock_gettime(CLOCK_MONOTONIC, &now);
    put(file, static_cast<std::uint32_t>(now.tv_sec));
    put(file, static_cast<std::uint32_t>(now.tv_nsec / 1000));
    put(file, sizeof frame);
    put(file, sizeof frame);
    frame.can_id = htonl(frame.can_id);
    std::fwrite(&frame, sizeof frame, 1, file);
  }
  return std::fclose(file);
}

}  // namespace

int main(int count, char** words) {
  if (count < 3) return 2;
  const int fd = open_bus(words[1]);
  if (fd < 0) return 1;
  const std::string what = words[2];
  can_frame frame{};
  if (what == "record" && count == 4) {
    struct sigaction ends {};
    ends.sa_handler = [](int) { is_over = 1; };
    sigaction(SIGINT, &ends, nullptr);
    sigaction(SIGTERM, &ends, nullptr);
    return record(fd, words[3]);
  }
  if (what == "send" && count >= 4 && count <= 12) {
    frame.can_id = static_cast<canid_t>(std::strtoul(words[3], nullptr, 16));
    for (int i = 4; i < count; ++i)
      frame.data[frame.can_dlc++] = static_cast<__u8>(std::strtoul(words[i], nullptr, 16));
    return send(fd, frame);
  }
  if (what == "bus-off") {
    frame.can_id = CAN_ERR_FLAG | CAN_ERR_BUSOFF;
    frame.can_dlc = CAN_ERR_DLC;
    return send(fd, frame);
  }
  return 2;
}
