// A device's answers: against frames worked out by hand, and both ends against each other.
#include "cogstride/plant/bus/device_objects.hpp"

#include <gtest/gtest.h>

#include "cogstride/board/bus/bus_services.hpp"
#include "cogstride/board/bus/drive_profile.hpp"

namespace cogstride::device_objects_test {
namespace {

using Access = DeviceObjects::Access;
using Kind = ObjectAccess::Result::Kind;
constexpr Tick patience = 1000;

DeviceObjects device() {
  DeviceObjects all(11);
  all.add({objects::status_word, Access::read, 0x0250});
  all.add({objects::control_word, Access::write});
  all.add({objects::velocity_now, Access::read, -1000});
  all.add({objects::profile_acceleration, Access::both, 1, 1, 1'000'000});
  all.add({objects::vendor, Access::read, 7});
  // In tens, and never 500.
  all.add({.object = objects::profile_velocity,
           .value = 100,
           .least = 0,
           .most = 100'000,
           .refuses = [](std::int64_t value) -> std::uint32_t { return value == 500 ? 0x08000022 : 0; },
           .takes = [](std::int64_t value) { return value / 10 * 10; }});
  all.add({.object = objects::device_name, .access = Access::read, .text = "beam drive of a test"});
  return all;
}

/// Until all that was asked has come to an end.
std::vector<ObjectAccess::Result> carried_out(ObjectAccess& access, DeviceObjects& all) {
  std::vector<ObjectAccess::Result> results;
  for (Tick now = 0; !access.is_idle(); now += 10) {
    if (const auto frame = access.send(now))
      if (const auto answer = all.answer(*frame)) access.hear(*answer);
    while (auto result = access.take()) results.push_back(std::move(*result));
  }
  return results;
}

TEST(DeviceObjects, AnswersAsTheTablesHaveIt) {
  DeviceObjects all = device();
  const auto asked = [&](std::array<std::uint8_t, 8> bytes) {
    return all.answer({0x60b, 8, bytes}).value_or(Frame{}).bytes;
  };
  using Bytes = std::array<std::uint8_t, 8>;
  EXPECT_EQ(asked({0x40, 0x41, 0x60, 0, 0, 0, 0, 0}), (Bytes{0x4b, 0x41, 0x60, 0, 0x50, 0x02, 0, 0}));
  EXPECT_EQ(asked({0x40, 0x6c, 0x60, 0, 0, 0, 0, 0}), (Bytes{0x43, 0x6c, 0x60, 0, 0x18, 0xfc, 0xff, 0xff}));
  EXPECT_EQ(asked({0x23, 0x83, 0x60, 0, 0xa0, 0x86, 1, 0}), (Bytes{0x60, 0x83, 0x60, 0, 0, 0, 0, 0}));
  EXPECT_EQ(all.value(objects::profile_acceleration), 100'000);
  EXPECT_EQ(asked({0x2b, 0x83, 0x60, 0, 1, 0, 0, 0}), (Bytes{0x80, 0x83, 0x60, 0, 0x10, 0, 0x07, 0x06}));
  EXPECT_EQ(asked({0x23, 0x83, 0x60, 0, 0, 0, 0, 1}), (Bytes{0x80, 0x83, 0x60, 0, 0x31, 0, 0x09, 0x06}));
  EXPECT_EQ(asked({0x40, 0x18, 0x10, 9, 0, 0, 0, 0}), (Bytes{0x80, 0x18, 0x10, 9, 0x11, 0, 0x09, 0x06}));
  EXPECT_EQ(asked({0x40, 0x99, 0x20, 0, 0, 0, 0, 0}), (Bytes{0x80, 0x99, 0x20, 0, 0, 0, 0x02, 0x06}));
  EXPECT_FALSE(all.answer({0x60c, 8, {0x40, 0x41, 0x60}})) << "another's";
  EXPECT_FALSE(all.answer({0x60b, 4, {0x40, 0x41, 0x60}}));
}

TEST(DeviceObjects, BothEndsUnderstandEachOther) {
  DeviceObjects all = device();
  ObjectAccess access(11, patience);
  access.read(objects::device_name);
  access.write(objects::profile_velocity, 1234);
  access.read(objects::profile_velocity);
  access.write(objects::status_word, 1);
  access.read(objects::control_word);
  access.write(objects::profile_velocity, 100'010);
  access.read(objects::lag_now);
  access.write(objects::profile_velocity, 500);
  const auto results = carried_out(access, all);
  ASSERT_EQ(results.size(), 8u);
  EXPECT_EQ(results[0].text, "beam drive of a test");
  EXPECT_EQ(results[1].kind, Kind::written);
  EXPECT_EQ(results[2].value, 1230) << "what it made of it";
  EXPECT_NE(results[3].words(11).find("can only be read"), std::string::npos);
  EXPECT_NE(results[4].words(11).find("can only be written"), std::string::npos);
  EXPECT_NE(results[5].words(11).find("above what it takes"), std::string::npos);
  EXPECT_NE(results[6].words(11).find("no such object"), std::string::npos);
  EXPECT_NE(results[7].words(11).find("not in the state that it is in"), std::string::npos);
  all.restore();
  EXPECT_EQ(all.value(objects::profile_velocity), 100);
}

}  // namespace
}  // namespace cogstride::device_objects_test
