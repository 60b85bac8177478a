// Everyone who reads frames of a bus, from both ends: a computer that brings a drive up, scans ids and
// changes one, what is told cycle by cycle, and a drive. Frames of eleven bytes: id (two, the lower one
// first), length, data. Whatever comes: nobody fails or hangs, a setup ends, and a drive that was told
// nothing sound is off.
#include <algorithm>
#include <cstdint>
#include <cstdlib>

#include "cogstride/board/bus/drive_wants.hpp"
#include "cogstride/board/bus/id_change.hpp"
#include "cogstride/board/bus/id_scan.hpp"
#include "cogstride/plant/bus/drive_node.hpp"
#include "cogstride/rig/files/read_rig.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size);

namespace {

using namespace cogstride;
constexpr std::size_t bytes_of_a_frame = 11;
constexpr Tick ms = 1000;

const Rig& beams() {
  static const Rig rig = read_rig(COGSTRIDE_SOURCE_DIR "/demo/beams.rig.toml");
  return rig;
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const Mechanism& mechanism = beams().mechanisms.front();
  const DriveWants wants = drive_wants(mechanism, beams().controller);
  DriveSetup setup(wants, {50 * ms, 3000 * ms});
  IdScan scan(20 * ms, ms);
  IdChange change(11, 12, {50 * ms, 300 * ms});
  DriveLoops loops;
  DriveNode::Setup its;
  its.id = 11;
  its.board = std::get<BusDrive>(mechanism.board);
  DriveNode node(its, loops);
  node.power(0, true);
  Tick now = 0;
  const auto pass = [&] {
    now += ms;
    node.pass(now, {});
    for (int i = 0; i < 64 && node.next() <= now; ++i) (void)node.say(now);
    for (int i = 0; i < 64 && setup.send(now); ++i) {
    }
    for (int i = 0; i < 64 && scan.send(now); ++i) {
    }
    for (int i = 0; i < 8 && change.send(now); ++i) {
    }
  };
  for (int i = 0; i < 60; ++i) pass();  // it is there
  for (; size >= bytes_of_a_frame; data += bytes_of_a_frame, size -= bytes_of_a_frame) {
    Frame frame;
    frame.id = static_cast<std::uint32_t>(data[0] | (data[1] & 0x07) << 8);
    frame.size = std::min<std::uint8_t>(data[2] & 0x0f, Frame::most_bytes);
    std::copy_n(data + 3, frame.size, frame.bytes.begin());
    node.hear(now, frame);
    setup.hear(frame, now);
    scan.hear(frame);
    change.hear(frame);
    std::array<std::int64_t, 8> values{};
    for (const ProcessData& each : wants.data) (void)unpack(each, wants.id, frame, values);
    pass();
  }
  for (int i = 0; i < 30'000 && !(setup.has_ended() && scan.has_ended() && change.has_ended()); ++i) pass();
  if (!setup.has_ended() || !scan.has_ended() || !change.has_ended()) std::abort();
  if (setup.stage() == DriveSetup::Stage::failed && setup.fault().empty()) std::abort();
  return 0;
}
