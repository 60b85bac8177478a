#include "cogstride/report/bus_report.hpp"

#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "cogstride/rig/files/read_rig.hpp"

namespace cogstride::bus_report_test {
namespace {

TEST(BusReport, ShowsEachWithWhoItIsAndWhatIsWrong) {
  const Rig rig = read_rig(COGSTRIDE_SOURCE_DIR "/demo/beams.rig.toml");
  IdScan::Found drive;
  drive.id = 11;
  drive.device_type = 2 << 16 | 402;
  drive.vendor = 901;
  drive.product = 24;
  drive.serial_number = 1011;
  IdScan::Found other;
  other.id = 3;
  other.device_type = 401;
  other.is_twice = true;
  EXPECT_EQ(bus_text(rig, {other, drive}, {"cloth_beam: nobody has its id 12"}),
            "can0: 2 answer on it\n\n"
            "    id  is                             vendor    product     serial  of the rig\n"
            "     3  of profile 401, TWICE         unknown    unknown    unknown  nobody's\n"
            "    11  a drive of the profile            901         24       1011  warp_beam\n\n"
            "cloth_beam: nobody has its id 12\n");
  EXPECT_EQ(bus_text(rig, {}, {}),
            "can0: nobody is on it\n\nall drives of the rig are there, each as it says\n");
  const auto json = nlohmann::json::parse(bus_json(rig, {other, drive}, {"one"}));
  EXPECT_EQ(json["found"][0]["is_twice"], true);
  EXPECT_FALSE(json["found"][0].contains("vendor"));
  EXPECT_EQ(json["found"][1]["mechanism"], "warp_beam");
  EXPECT_EQ(json["found"][1]["serial_number"], 1011);
  EXPECT_EQ(json["wrong"], nlohmann::json::array({"one"}));
}

}  // namespace
}  // namespace cogstride::bus_report_test
