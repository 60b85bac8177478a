// Findings on drives on a bus: each raised by one change to the beams of the workshop.
#include <gtest/gtest.h>

#include <functional>
#include <set>
#include <string>

#include "cogstride/board/bus/bus_figures.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/rig/files/new_rig.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/rig/findings/findings.hpp"
#include "support/inspected.hpp"

namespace cogstride::bus_findings_test {
namespace {

using namespace literals;

Rig beams() {
  return read_rig(COGSTRIDE_SOURCE_DIR "/demo/beams.rig.toml");
}

/// Codes beyond those of the beams as they are.
std::set<std::string> codes_after(const std::function<void(Rig&, Mechanism&)>& change) {
  Rig rig = beams();
  std::set<std::string> before;
  for (const Finding& finding : testing_support::inspected(rig).findings) before.insert(finding.code);
  change(rig, rig.mechanisms[1]);
  std::set<std::string> codes;
  for (const Finding& finding : testing_support::inspected(rig).findings)
    if (!before.contains(finding.code)) codes.insert(finding.code);
  return codes;
}

using Codes = std::set<std::string>;

TEST(BusFindings, TheBeamsHaveNotesAlone) {
  EXPECT_TRUE(testing_support::inspected(beams()).is_sound());
}

TEST(BusFindings, AreRaisedByOneChangeEach) {
  EXPECT_EQ(codes_after([](Rig& rig, Mechanism&) { rig.controller.bus.reset(); }), Codes{"bus-missing"});
  EXPECT_EQ(codes_after([](Rig&, Mechanism& m) { std::get<BusWiring>(m.wiring).id = 11; }),
            Codes{"bus-id-twice"});
  EXPECT_EQ(codes_after([](Rig&, Mechanism& m) { std::get<BusWiring>(m.wiring).id = 127; }),
            Codes{"bus-id-twice"})
      << "this computer's";
  EXPECT_EQ(codes_after([](Rig& rig, Mechanism&) { rig.controller.bus->bit_rate = 250'000; }),
            Codes{"bus-busy"});
  EXPECT_EQ(codes_after([](Rig& rig, Mechanism&) { rig.controller.bus->silence = 150_ms; }),
            Codes{"heartbeat-too-slow"})
      << "less than two heartbeats";
  EXPECT_EQ(codes_after([](Rig& rig, Mechanism&) { rig.controller.bus->silence = 1.2_s; }),
            Codes{"heartbeat-too-slow"})
      << "more than a second";
  EXPECT_EQ(codes_after([](Rig&, Mechanism& m) { m.limits.current = 17_A; }), Codes{"drive-above-motor"});
  EXPECT_TRUE(codes_after([](Rig&, Mechanism& m) {
                m.limits.speed = OutputSpeed(70_rpm);
              }).contains("drive-above-motor"));
  EXPECT_TRUE(codes_after([](Rig&, Mechanism& m) {
                std::get<BusDrive>(m.board).supply_current = 11_A;
              }).contains("drive-above-supply"));
  EXPECT_EQ(codes_after([](Rig& rig, Mechanism& m) {
              m.supply.clamp_resistance = 4_ohm;
              for (Supply& supply : rig.supplies) supply.clamp_resistance = 4_ohm;
              rig.mechanisms[0].supply.clamp_resistance = 4_ohm;
            }),
            Codes{"braking-energy"})
      << "a quick stop pumps the supply up";
}

TEST(BusFindings, ItsLoadIsThatOfItsFramesBitByBit) {
  const Rig rig = beams();
  const BusFigures figures = bus_figures(*rig.controller.bus, drives_of(rig.mechanisms));
  // 500 kbit/s, 10 ms: 5000 bits. A frame of 8 bytes is 135 bits at the most, of 7 125, of 6 115, of 2 75, of
  // 1 65, of none 55. Each drive tells 8, 8, 8 and 7 bytes, and is ordered 7 and 6; a heartbeat each ten
  // cycles.
  EXPECT_NEAR(figures.load, (55.0 + 3.0 * 6.5 + 2.0 * (3.0 * 135.0 + 125.0 + 125.0 + 115.0)) / 5000.0, 1e-9);
  EXPECT_NEAR(figures.orders_take, 2.0 * 240.0 / 500e3, 1e-12);
  EXPECT_NEAR(figures.told_take, (55.0 + 2.0 * 530.0) / 500e3, 1e-12);
  EXPECT_NEAR(figures.cut_within, (135.0 + 2.0 * (530.0 + 75.0)) / 500e3, 1e-12);
  Rig talks_less = rig;
  std::get<BusDrive>(talks_less.mechanisms[0].board).temperature_told.reset();
  EXPECT_LT(bus_figures(*rig.controller.bus, drives_of(talks_less.mechanisms)).load, figures.load);
}

TEST(BusFindings, ANewRigHasADriveOnABus) {
  const Rig rig =
      parse_rig(new_rig_text({"Beam", {{"beam", "brushless", "drive on a bus"}}, {}, {}}), "beam.rig.toml");
  EXPECT_TRUE(rig.mechanisms[0].has_bus_drive());
  EXPECT_TRUE(rig.controller.bus.has_value());
}

}  // namespace
}  // namespace cogstride::bus_findings_test
