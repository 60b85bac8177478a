// What is found on a bus against what the rig says.
#include "cogstride/session/bus_look.hpp"

#include <gtest/gtest.h>

#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/session/drive_stand_in.hpp"

namespace cogstride::bus_look_test {
namespace {

Rig beams() {
  return read_rig(COGSTRIDE_SOURCE_DIR "/demo/beams.rig.toml");
}
IdScan::Found drive(int id) {
  IdScan::Found found;
  found.id = id;
  found.device_type = 2 << 16 | 402;
  found.vendor = 901;
  found.product = 24;
  return found;
}

TEST(BusLook, SaysEverythingThatDoesNotFitTheRig) {
  EXPECT_TRUE(wrong_on_bus(beams(), {drive(11), drive(12)}).empty());
  EXPECT_TRUE(wrong_on_bus(beams(), {drive(3), drive(11), drive(12)}).empty()) << "others may be there";
  EXPECT_EQ(wrong_on_bus(beams(), {drive(12)}), std::vector<std::string>{"warp_beam: nobody has its id 11"});
  std::vector<IdScan::Found> found{drive(11), drive(12)};
  found[0].is_twice = true;
  found[1].product = 25;
  EXPECT_EQ(wrong_on_bus(beams(), found),
            (std::vector<std::string>{
                "warp_beam: two have its id 11: leave one on the bus, and give it another one",
                "cloth_beam: the product of 12 is 25, and the rig says 24"}));
  found = {drive(11), drive(12)};
  found[0].device_type = 401;
  found[1].vendor.reset();
  EXPECT_EQ(wrong_on_bus(beams(), found),
            (std::vector<std::string>{"warp_beam: what has its id 11 is no drive of the profile",
                                      "cloth_beam: the vendor of 12 is unknown, and the rig says 901"}));
}

TEST(BusLook, RefusesARigWithoutABusAndOneThatThisComputerHasNot) {
  Rig rig = beams();
  rig.controller.bus->interface_name = "nocan9";
  const auto why = [](const auto& act) {
    try {
      act();
    } catch (const Error& error) {
      return std::string(error.what());
    }
    return std::string();
  };
  EXPECT_NE(why([&] { (void)look_at_bus(rig); }).find("controller.bus: nocan9: "), std::string::npos);
  EXPECT_NE(why([&] { change_only_id(rig, 12); }).find("controller.bus: nocan9: "), std::string::npos);
  EXPECT_NE(why([&] { DriveStandIn(rig, {}, {}); }).find("controller.bus: nocan9: "), std::string::npos);
  EXPECT_EQ(why([&] { DriveStandIn(rig, {"reel"}, {}); }),
            "reel: no drive on the bus has that name; there are warp_beam, cloth_beam");
  rig.controller.bus.reset();
  EXPECT_EQ(why([&] { (void)look_at_bus(rig); }), "the rig has no bus (controller.bus)");
}

}  // namespace
}  // namespace cogstride::bus_look_test
