#include "cogstride/board/bus/bus_figures.hpp"

#include "cogstride/board/bus/bus_services.hpp"
#include "cogstride/board/bus/drive_wants.hpp"
#include "cogstride/lines/bus_line.hpp"

namespace cogstride {
namespace {

double bits(const Frame& frame) {
  return bits_of(BusSetup::Kind::bus, frame);
}

/// Of one with so many bytes.
double frame_bits(int bytes) {
  Frame frame = sync_frame();
  frame.size = static_cast<std::uint8_t>(bytes);
  return bits(frame);
}

}  // namespace

BusFigures bus_figures(const FieldBus& bus, const std::vector<const BusDrive*>& drives) {
  const double beats =
      bus.cycle.base() / bus.heartbeat.base() * bits(heartbeat_frame(1, NodeState::operational));
  double told = 0.0;
  double ordered = 0.0;
  double cut = 0.0;
  for (const BusDrive* const drive : drives)
    for (const ProcessData& data : drive_data(*drive)) {
      const double size = frame_bits(bits_of(data) / 8);
      (data.is_told ? told : data.is_at_once ? cut : ordered) += size;
    }
  BusFigures figures;
  figures.drives = static_cast<int>(drives.size());
  const double each_beats = beats * (1.0 + figures.drives);  // this computer's, too
  const double bit = 1.0 / static_cast<double>(bus.bit_rate);
  const double common = bits(sync_frame());
  figures.load = (common + each_beats + told + ordered) * bit / bus.cycle.base();
  figures.orders_take = ordered * bit;
  figures.told_take = (common + told) * bit;
  // One is on it already, and all that is told goes first by its ids.
  figures.cut_within = (frame_bits(Frame::most_bytes) + told + cut) * bit;
  return figures;
}

std::vector<const BusDrive*> drives_of(const std::vector<Mechanism>& mechanisms) {
  std::vector<const BusDrive*> drives;
  for (const Mechanism& mechanism : mechanisms)
    if (const auto* const drive = std::get_if<BusDrive>(&mechanism.board)) drives.push_back(drive);
  return drives;
}

}  // namespace cogstride
