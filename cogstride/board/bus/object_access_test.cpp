// Frames worked out by hand from the tables of CiA 301.
#include "cogstride/board/bus/object_access.hpp"

#include <gtest/gtest.h>

#include <random>

#include "cogstride/board/bus/bus_services.hpp"
#include "cogstride/board/bus/drive_profile.hpp"
#include "cogstride/quantity/error.hpp"

namespace cogstride::object_access_test {
namespace {

using Kind = ObjectAccess::Result::Kind;
constexpr Tick patience = 1000;

Frame answer(std::array<std::uint8_t, 8> bytes, int id = 11) {
  return {access_answer_id(id), 8, bytes};
}
void expect_frame(const std::optional<Frame>& frame, std::uint32_t id, std::array<std::uint8_t, 8> bytes) {
  ASSERT_TRUE(frame);
  EXPECT_EQ(frame->id, id);
  EXPECT_EQ(frame->size, 8);
  EXPECT_EQ(frame->bytes, bytes);
}

TEST(ObjectAccess, WritesAndReadsNumbersInAFrameEachWay) {
  ObjectAccess access(11, patience);
  access.write(objects::profile_acceleration, 100'000);
  access.read(objects::status_word);
  access.read(objects::velocity_now);
  access.write(objects::mode, -1);
  expect_frame(access.send(0), 0x60b, {0x23, 0x83, 0x60, 0x00, 0xa0, 0x86, 0x01, 0x00});
  EXPECT_FALSE(access.send(1)) << "it waits for the answer";
  access.hear(answer({0x60, 0x83, 0x60, 0x00, 0, 0, 0, 0}));
  expect_frame(access.send(2), 0x60b, {0x40, 0x41, 0x60, 0x00, 0, 0, 0, 0});
  access.hear(answer({0x4b, 0x41, 0x60, 0x00, 0x37, 0x06, 0, 0}));
  expect_frame(access.send(3), 0x60b, {0x40, 0x6c, 0x60, 0x00, 0, 0, 0, 0});
  access.hear(answer({0x43, 0x6c, 0x60, 0x00, 0x18, 0xfc, 0xff, 0xff}));
  expect_frame(access.send(4), 0x60b, {0x2f, 0x60, 0x60, 0x00, 0xff, 0, 0, 0});
  access.hear(answer({0x60, 0x60, 0x60, 0x00, 0, 0, 0, 0}));
  EXPECT_TRUE(access.is_idle());
  EXPECT_EQ(access.take()->kind, Kind::written);
  const auto status = access.take();
  EXPECT_EQ(status->kind, Kind::read);
  EXPECT_EQ(status->value, 0x0637);
  EXPECT_EQ(access.take()->value, -1000);
  EXPECT_EQ(access.take()->value, -1);
  EXPECT_FALSE(access.take());
}

TEST(ObjectAccess, SaysWhoRefusesWhatAndWhy) {
  ObjectAccess access(12, patience);
  access.write(objects::most_current, 1200);
  (void)access.send(0);
  access.hear(answer({0x80, 0x73, 0x60, 0x00, 0x31, 0x00, 0x09, 0x06}, 12));
  const auto result = access.take();
  ASSERT_TRUE(result);
  EXPECT_EQ(result->kind, Kind::refused);
  EXPECT_EQ(result->words(12),
            "drive 12 refuses 6073:00 most current: the value is above what it takes (06090031)");
  access.read(objects::lag_now);
  (void)access.send(0);
  access.hear(answer({0x4b, 0xf4, 0x60, 0x00, 1, 0, 0, 0}, 12));
  EXPECT_EQ(access.take()->words(12), "drive 12 answers with another length than 60F4:00 lag has");
}

TEST(ObjectAccess, ReadsANameInSegments) {
  ObjectAccess access(11, patience);
  access.read(objects::device_name);
  expect_frame(access.send(0), 0x60b, {0x40, 0x08, 0x10, 0x00, 0, 0, 0, 0});
  access.hear(answer({0x41, 0x08, 0x10, 0x00, 9, 0, 0, 0}));
  expect_frame(access.send(1), 0x60b, {0x60, 0, 0, 0, 0, 0, 0, 0});
  access.hear(answer({0x00, 'b', 'e', 'a', 'm', ' ', 'd', 'r'}));
  expect_frame(access.send(2), 0x60b, {0x70, 0, 0, 0, 0, 0, 0, 0});
  access.hear(answer({0x1b, 'i', 'v', 0, 0, 0, 0, 0}));  // toggled, five unused, the last
  const auto result = access.take();
  ASSERT_TRUE(result);
  EXPECT_EQ(result->kind, Kind::read);
  EXPECT_EQ(result->text, "beam driv");
}

TEST(ObjectAccess, AsksAgainAndGivesUp) {
  ObjectAccess access(11, patience);
  access.read(objects::status_word);
  ASSERT_TRUE(access.send(0));
  EXPECT_EQ(access.next(), patience);
  EXPECT_FALSE(access.send(patience - 1));
  EXPECT_TRUE(access.send(patience));
  // What is of others, or of what was asked before, is none.
  access.hear(answer({0x4b, 0x41, 0x60, 0x00, 1, 0, 0, 0}, 12));
  access.hear(answer({0x4b, 0x40, 0x60, 0x00, 1, 0, 0, 0}));
  EXPECT_FALSE(access.take());
  EXPECT_TRUE(access.send(2 * patience));
  EXPECT_FALSE(access.send(3 * patience));
  const auto result = access.take();
  ASSERT_TRUE(result);
  EXPECT_EQ(result->words(11), "drive 11 does not answer when it is asked for 6041:00 status word");
  EXPECT_TRUE(access.is_idle());
}

TEST(ObjectAccess, RefusesWhatATypeDoesNotHold) {
  ObjectAccess access(11, patience);
  EXPECT_THROW(access.write(objects::most_torque, 65'536), RangeError);
  EXPECT_THROW(access.write(objects::most_torque, -1), RangeError);
  EXPECT_THROW(access.write(objects::mode, 128), RangeError);
  EXPECT_THROW(access.write(objects::device_name, 1), RangeError);
  EXPECT_THROW(ObjectAccess(0, patience), RangeError);
  EXPECT_THROW(ObjectAccess(128, patience), RangeError);
  EXPECT_TRUE(access.is_idle());
}

/// Whatever comes in, each question comes to an end, and what is read fits its type.
TEST(ObjectAccess, ComesToAnEndWhateverComesIn) {
  std::mt19937 random(3);
  const auto byte = [&] { return static_cast<std::uint8_t>(random()); };
  for (int i = 0; i < 2'000; ++i) {
    ObjectAccess access(11, patience);
    const BusObject asked = i % 3 == 0   ? objects::device_name
                            : i % 3 == 1 ? objects::torque_now
                                         : objects::mode;
    if (i % 3 == 2)
      access.write(asked, 3);
    else
      access.read(asked);
    Tick now = 0;
    int sent = 0;
    for (; !access.is_idle() && sent < 200; now += patience / 2) {
      if (access.send(now)) ++sent;
      Frame frame = answer({byte(), static_cast<std::uint8_t>(asked.index),
                            static_cast<std::uint8_t>(asked.index >> 8), 0, byte(), byte(), byte(), byte()});
      if (i % 5 == 0) frame.bytes[1] = byte();
      if (i % 7 == 0) frame.size = static_cast<std::uint8_t>(random() % 9);
      access.hear(frame);
    }
    EXPECT_TRUE(access.is_idle()) << i;
    const auto result = access.take();
    ASSERT_TRUE(result) << i;
    EXPECT_LE(result->text.size(), ObjectAccess::most_text + 7);
  }
}

TEST(BusServices, AreAsTheTablesHaveThem) {
  EXPECT_EQ(node_control(NodeCommand::start, 0), (Frame{0, 2, {0x01, 0x00}}));
  EXPECT_EQ(node_control(NodeCommand::reset, 12), (Frame{0, 2, {0x81, 0x0c}}));
  EXPECT_EQ(sync_frame(), (Frame{0x80, 0, {}}));
  EXPECT_EQ(heartbeat_frame(127, NodeState::operational), (Frame{0x77f, 1, {0x05}}));
  EXPECT_EQ(heartbeat_of({0x70b, 1, {0x7f}})->id, 11);
  EXPECT_EQ(heartbeat_of({0x70b, 1, {0x7f}})->state, NodeState::prepared);
  EXPECT_FALSE(heartbeat_of({0x70b, 1, {0x06}}));
  EXPECT_FALSE(heartbeat_of({0x700, 1, {0x05}}));
  EXPECT_FALSE(heartbeat_of({0x70b, 2, {0x05}}));
  const auto emergency = emergency_of({0x8c, 8, {0x20, 0x32, 0x05, 1, 2, 3, 4, 5}});
  ASSERT_TRUE(emergency);
  EXPECT_EQ(emergency->id, 12);
  EXPECT_EQ(emergency->code, 0x3220);
  EXPECT_EQ(emergency->errors, 5);
  EXPECT_EQ(emergency->own[4], 5);
  EXPECT_FALSE(emergency_of({0x80, 8, {}})) << "the synchronous instant";
  EXPECT_EQ(told_data_id(1, 11), 0x18bU);
  EXPECT_EQ(ordered_data_id(4, 11), 0x50bU);
}

}  // namespace
}  // namespace cogstride::object_access_test
