// Bytes to and from a chip: over a pseudo-terminal as over a serial port, and over a connection.
#include "cogstride/port/byte_stream.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <netinet/in.h>
#include <poll.h>
#include <stdlib.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <termios.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <functional>
#include <numeric>
#include <string>
#include <thread>
#include <vector>

namespace cogstride::byte_stream_test {
namespace {

constexpr std::int64_t ms = 1'000'000;

/// The other end of one: an open file.
class OtherEnd {
 public:
  explicit OtherEnd(int file) : file_(file) {}
  ~OtherEnd() { close(); }
  OtherEnd(const OtherEnd&) = delete;
  OtherEnd& operator=(const OtherEnd&) = delete;
  void close() {
    if (file_ >= 0) ::close(file_);
    file_ = -1;
  }
  void say(const std::vector<std::uint8_t>& bytes) const {
    ASSERT_EQ(::write(file_, bytes.data(), bytes.size()), static_cast<ssize_t>(bytes.size()));
  }
  [[nodiscard]] std::vector<std::uint8_t> hear(std::size_t count) const {
    std::vector<std::uint8_t> all;
    while (all.size() < count) {
      pollfd each{file_, POLLIN, 0};
      if (poll(&each, 1, 2000) <= 0) break;
      std::array<std::uint8_t, 256> some{};
      const ssize_t came = ::read(file_, some.data(), some.size());
      if (came <= 0) break;
      all.insert(all.end(), some.begin(), some.begin() + came);
    }
    return all;
  }
  [[nodiscard]] int file() const { return file_; }

 private:
  int file_;
};

std::vector<std::uint8_t> all_bytes() {
  std::vector<std::uint8_t> bytes(256);
  std::iota(bytes.begin(), bytes.end(), std::uint8_t{0});
  return bytes;
}

std::vector<std::uint8_t> read(ByteStream& stream, std::size_t count) {
  std::vector<std::uint8_t> all;
  const std::int64_t until = stream.now_ns() + 2000 * ms;
  while (all.size() < count && stream.now_ns() < until) {
    stream.wait_until(until);
    std::array<std::uint8_t, 100> some{};
    const std::size_t came = stream.read(some);
    all.insert(all.end(), some.begin(), some.begin() + static_cast<std::ptrdiff_t>(came));
  }
  return all;
}

/// Every byte goes through as it is, both ways; who waits is woken; what is closed is gone, with its name.
void goes_through(ByteStream& stream, OtherEnd& other, const std::string& name) {
  EXPECT_EQ(stream.write(all_bytes()), 256u);
  EXPECT_EQ(other.hear(256), all_bytes());
  other.say(all_bytes());
  EXPECT_EQ(read(stream, 256), all_bytes());
  std::array<std::uint8_t, 8> none{};
  EXPECT_EQ(stream.read(none), 0u) << "nothing more has come, and it does not wait";
  const std::int64_t began = stream.now_ns();
  stream.wait_until(began + 20 * ms);
  EXPECT_GE(stream.now_ns(), began + 20 * ms);
  std::thread waker([&] { stream.wake(); });
  stream.wait_until(stream.now_ns() + 60'000 * ms);
  waker.join();
  EXPECT_LT(stream.now_ns(), began + 30'000 * ms);
  other.close();
  std::string why;
  for (int i = 0; i < 50 && why.empty(); ++i) {
    try {
      stream.wait_until(stream.now_ns() + 20 * ms);
      (void)stream.read(none);
      (void)stream.write(all_bytes());
    } catch (const Error& error) {
      why = error.what();
    }
  }
  EXPECT_EQ(why.rfind(name + " is gone: ", 0), 0u) << why;
}

std::string refused(const std::string& name, std::int64_t baud = 115'200) {
  try {
    (void)open_byte_stream(name, baud);
    return {};
  } catch (const Error& error) {
    return error.what();
  }
}

class Terminal {
 public:
  Terminal() : end(posix_openpt(O_RDWR | O_NOCTTY)) {
    EXPECT_EQ(grantpt(end.file()), 0);
    EXPECT_EQ(unlockpt(end.file()), 0);
    name = ptsname(end.file());  // NOLINT(concurrency-mt-unsafe): one thread
  }
  OtherEnd end;
  std::string name{};
};

TEST(ByteStream, CarriesEveryByteOverATerminal) {
  for (const std::int64_t baud : {57'600, 250'000, 1'000'000}) {
    Terminal terminal;
    const std::unique_ptr<ByteStream> stream = open_byte_stream(terminal.name, baud);
    goes_through(*stream, terminal.end, terminal.name);
  }
}

/// Whoever may do everything is let in all the same: somebody else tries.
TEST(ByteStream, IsOneUsersAlone) {
  Terminal terminal;
  const auto opens_for_another = [&] {
    const pid_t child = fork();
    if (child == 0) {
      constexpr uid_t nobody = 65'534;
      if (geteuid() == 0 && setuid(nobody) != 0) _exit(3);
      const int file = open(terminal.name.c_str(), O_RDWR | O_NOCTTY);
      _exit(file >= 0 ? 0 : errno == EBUSY ? 1 : 2);
    }
    int status = 0;
    EXPECT_EQ(waitpid(child, &status, 0), child);
    return WIFEXITED(status) ? WEXITSTATUS(status) : -1;
  };
  ASSERT_EQ(chmod(terminal.name.c_str(), 0666), 0);
  EXPECT_EQ(opens_for_another(), 0);
  const std::unique_ptr<ByteStream> stream = open_byte_stream(terminal.name, 115'200);
  EXPECT_EQ(opens_for_another(), 1) << "busy";
}

/// Somebody who listens at a port of this computer.
class Listener {
 public:
  Listener() : listens_(socket(AF_INET, SOCK_STREAM, 0)) {
    sockaddr_in at{};
    at.sin_family = AF_INET;
    at.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
    EXPECT_EQ(bind(listens_.file(), reinterpret_cast<const sockaddr*>(&at), sizeof at), 0);
    EXPECT_EQ(listen(listens_.file(), 1), 0);
    socklen_t size = sizeof at;
    EXPECT_EQ(getsockname(listens_.file(), reinterpret_cast<sockaddr*>(&at), &size), 0);
    name = fmt::format("tcp:127.0.0.1:{}", ntohs(at.sin_port));
  }
  [[nodiscard]] int accepted() const { return accept(listens_.file(), nullptr, nullptr); }
  void close() { listens_.close(); }
  std::string name{};

 private:
  OtherEnd listens_;
};

TEST(ByteStream, CarriesEveryByteOverAConnection) {
  Listener listener;
  const std::unique_ptr<ByteStream> stream = open_byte_stream(listener.name, 115'200);
  OtherEnd other(listener.accepted());
  goes_through(*stream, other, listener.name);
}

TEST(ByteStream, TakesNoMoreThanTheOtherEndHasRoomFor) {
  Listener listener;
  const std::unique_ptr<ByteStream> stream = open_byte_stream(listener.name, 115'200);
  OtherEnd other(listener.accepted());
  const std::vector<std::uint8_t> much(1 << 20, 0x7e);
  std::size_t taken = 0;
  for (int i = 0; i < 100; ++i) {
    const std::size_t now = stream->write(much);
    taken += now;
    if (now == 0) break;
  }
  EXPECT_LT(taken, 100 * much.size());
  EXPECT_EQ(stream->write(much), 0u) << "it does not wait";
  EXPECT_GE(other.hear(taken).size(), taken);
  EXPECT_GT(stream->write(much), 0u);
}

TEST(ByteStream, SaysWhatCannotBeOpened) {
  EXPECT_EQ(refused("/dev/not-there"), "/dev/not-there cannot be opened: No such file or directory");
  EXPECT_NE(refused("/dev/null").find("/dev/null cannot be opened: "), std::string::npos);
  EXPECT_EQ(refused("tcp:somewhere"), "tcp:somewhere: a connection is \"tcp:HOST:PORT\"");
  Listener listener;
  listener.close();
  EXPECT_EQ(refused(listener.name), listener.name + " cannot be reached: Connection refused");
}

TEST(ByteStream, DoesNotWaitForAnAddressThatNobodyAnswersAt) {
  // A listener whose queue is full lets who comes next wait.
  const int listens = ::socket(AF_INET, SOCK_STREAM, 0);
  ASSERT_GE(listens, 0);
  const OtherEnd listener(listens);
  sockaddr_in address{};
  address.sin_family = AF_INET;
  address.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
  ASSERT_EQ(::bind(listens, reinterpret_cast<const sockaddr*>(&address), sizeof address), 0);
  ASSERT_EQ(::listen(listens, 0), 0);
  socklen_t size = sizeof address;
  ASSERT_EQ(::getsockname(listens, reinterpret_cast<sockaddr*>(&address), &size), 0);
  const std::string name = fmt::format("tcp:127.0.0.1:{}", ntohs(address.sin_port));
  std::vector<std::unique_ptr<ByteStream>> waiting;
  std::string why;
  for (int i = 0; i < 8 && why.empty(); ++i) {
    try {
      waiting.push_back(open_byte_stream(name, 115'200, 100 * ms));
    } catch (const Error& error) {
      why = error.what();
    }
  }
  EXPECT_EQ(why, name + " cannot be reached: nobody has answered for 0.1 s");
}

}  // namespace
}  // namespace cogstride::byte_stream_test
