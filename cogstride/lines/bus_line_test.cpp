#include "cogstride/lines/bus_line.hpp"

#include <gtest/gtest.h>

#include <deque>

namespace cogstride::bus_line_test {
namespace {

constexpr MechanismId own{1};

/// Sends what it is given, each when it is.
class Talker final : public BusNode {
 public:
  void hear(Tick at, const Frame& frame) override { heard.emplace_back(at, frame.id); }
  [[nodiscard]] Tick next() const override { return says.empty() ? never : says.front().first; }
  [[nodiscard]] std::uint32_t next_id() const override { return says.front().second.id; }
  Frame say(Tick) override {
    const Frame frame = says.front().second;
    says.pop_front();
    return frame;
  }
  std::deque<std::pair<Tick, Frame>> says{};
  std::vector<std::pair<Tick, std::uint32_t>> heard{};
};

void run(BusLine& line, Tick until, std::vector<std::pair<Tick, std::uint32_t>>& came_in) {
  while (line.next() <= until) {
    const Tick now = line.next();
    std::vector<Frame> frames;
    line.happen(now, frames);
    for (const Frame& frame : frames) came_in.emplace_back(now, frame.id);
  }
}

TEST(BusLine, AFrameTakesItsBits) {
  using Kind = BusSetup::Kind;
  // ISO 11898-1: 44 bits and 8 a byte with an id of 11 bits, 64 with one of 29, 3 between frames; of the part
  // from start to check sum each fifth bit may be stuffed, the first of a run of five counted once.
  EXPECT_EQ(bits_of(Kind::bus, {0x7ff, 0, {}}), 44 + 3 + 8);
  EXPECT_EQ(bits_of(Kind::bus, {0x7ff, 8, {}}), 44 + 64 + 3 + 24);
  EXPECT_EQ(bits_of(Kind::bus, {0x800, 8, {}}), 64 + 64 + 3 + 29);
  EXPECT_EQ(bits_of(Kind::serial, {0, 4, {}}), 40);
}

TEST(BusLine, TheLowestIdGoesFirstAndNobodyIsCutShort) {
  BusLine line({BusId{0}, "bus", BusSetup::Kind::bus, 1.0});
  Talker a;
  Talker b;
  line.attach(a);
  line.attach(b);
  line.put(100, {0x300, 0, {}}, own);
  line.put(100, {0x100, 0, {}}, own);
  a.says.emplace_back(100, Frame{0x200, 0, {}});
  b.says.emplace_back(110, Frame{0x050, 0, {}});
  std::vector<std::pair<Tick, std::uint32_t>> came_in;
  run(line, 10'000, came_in);
  using Heard = std::vector<std::pair<Tick, std::uint32_t>>;
  EXPECT_EQ(a.heard, (Heard{{155, 0x100}, {210, 0x050}, {320, 0x300}}));
  EXPECT_EQ(b.heard, (Heard{{155, 0x100}, {265, 0x200}, {320, 0x300}}));
  EXPECT_EQ(came_in, (Heard{{210, 0x050}, {265, 0x200}}));
}

TEST(BusLine, ASerialPortGoesBothWaysAtOnceInItsOrder) {
  BusLine line({BusId{0}, "panel", BusSetup::Kind::serial, 10.0});
  Talker panel;
  line.attach(panel);
  line.put(0, {0, 2, {}}, own);
  line.put(0, {0, 1, {}}, own);
  panel.says.emplace_back(50, Frame{0, 1, {}});
  std::vector<std::pair<Tick, std::uint32_t>> came_in;
  run(line, 10'000, came_in);
  ASSERT_EQ(panel.heard.size(), 2u);
  EXPECT_EQ(panel.heard[0].first, 200);
  EXPECT_EQ(panel.heard[1].first, 300);
  ASSERT_EQ(came_in.size(), 1u);
  EXPECT_EQ(came_in[0].first, 150);
}

TEST(BusLine, WhatHasBegunIsEndedWhateverIsTakenBack) {
  BusLine line({BusId{0}, "bus", BusSetup::Kind::bus, 1.0, {Frame{1, 0, {}}}});
  Talker drive;
  line.attach(drive);
  for (const std::uint32_t id : {5U, 6U, 7U}) line.put(100, {id, 0, {}}, own);
  line.put(100, {8, 0, {}}, MechanismId{2});
  std::vector<std::pair<Tick, std::uint32_t>> came_in;
  run(line, 120, came_in);
  line.withdraw(own, 0);
  run(line, 10'000, came_in);
  using Heard = std::vector<std::pair<Tick, std::uint32_t>>;
  EXPECT_EQ(drive.heard, (Heard{{155, 5}, {210, 8}})) << "another's is left";
  line.put(20'000, {9, 0, {}}, own);
  line.come_to_rest(12'000);
  run(line, 100'000, came_in);
  EXPECT_EQ(drive.heard.size(), 3u);
  EXPECT_EQ(drive.heard.back(), (std::pair<Tick, std::uint32_t>{12'055, 1}));
}

}  // namespace
}  // namespace cogstride::bus_line_test
