#include "cogstride/mechanism/drive_object.hpp"

#include <gtest/gtest.h>

#include <string>

#include "cogstride/quantity/error.hpp"

namespace cogstride::drive_object_test {
namespace {

TEST(DriveObject, IsReadAsManualsWriteIt) {
  const DriveObject object = parse_drive_object("2010:0a i32");
  EXPECT_EQ(object, (DriveObject{0x2010, 0x0a, true, 32}));
  EXPECT_EQ(to_text(object), "2010:0A i32");
  EXPECT_EQ(parse_drive_object(to_text(object)), object);
  const DriveSetting setting = parse_drive_setting("5fff:00 u8 = 255");
  EXPECT_EQ(setting, (DriveSetting{{0x5fff, 0, false, 8}, 255}));
  EXPECT_EQ(to_text(setting), "5FFF:00 u8 = 255");
}

TEST(DriveObject, SaysWhatIsWrongWithWhatIsWritten) {
  for (const char* const wrong : {"", "2010", "2010:01", "2010:01 u12", "2010:01 f32", "20100:01 u8",
                                  "2010:100 u8", "xyz:01 u8", "2010:0g u8", "2010 01 u8", "-1:01 u8"}) {
    try {
      (void)parse_drive_object(wrong);
      FAIL() << wrong;
    } catch (const TextError& error) {
      EXPECT_NE(std::string(error.what()).find("such as 2010:01 u16"), std::string::npos) << error.what();
    }
  }
  EXPECT_THROW((void)parse_drive_setting("2010:01 u8"), TextError);
  EXPECT_THROW((void)parse_drive_setting("2010:01 u8 = x"), TextError);
  EXPECT_THROW((void)parse_drive_setting("2010:01 u8 = 256"), TextError) << "more than it holds";
  EXPECT_THROW((void)parse_drive_setting("2010:01 i8 = -129"), TextError);
}

}  // namespace
}  // namespace cogstride::drive_object_test
