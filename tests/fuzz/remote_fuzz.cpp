// Any edges at the line of a remote: each key that is pressed is let go, and nothing is held for longer than
// it is said. Two bytes are the time from one edge to the next, in us.
#include <cstdint>
#include <cstdlib>

#include "cogstride/motion/devices/remote.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size);

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace cogstride;
  if (size < 2) return 0;
  Remote remote{.name = "remote", .line = 3};
  RemoteKey key{.name = "a"};
  if (data[0] % 2 == 0) {
    key.code = 0xe916fb04;
  } else {
    remote.coding = Remote::Coding::learned;
    key.timing = {2400, 600, 1200, 600, 600};
    key.other_timing = {2400, 600, 600, 600, 1200};
    remote.held_timing = {2400, 600, 600};
  }
  remote.keys = {key};
  RemoteReceiver receiver(remote, 1e6);
  int held = 0;
  const RemoteReceiver::Hear heard = [&](const RemoteKey&, bool on) {
    held += on ? 1 : -1;
    if (held < 0 || held > 1) std::abort();
  };
  Tick at = 0;
  bool mark = false;
  for (std::size_t i = 1; i + 1 < size; i += 2) {
    at += data[i] + 256 * data[i + 1];
    mark = !mark;
    receiver.take(at, mark, heard);
    (void)receiver.settle(at, heard);
  }
  (void)receiver.settle(at + 2'000'000, heard);
  (void)receiver.settle(at + 4'000'000, heard);
  if (!mark && held != 0) std::abort();
  return 0;
}
