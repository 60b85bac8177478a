#include "cogstride/hands/learning.hpp"

#include <gtest/gtest.h>

#include <random>

#include "cogstride/files/output_file.hpp"
#include "cogstride/hands/device_replies.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "support/demo_rig.hpp"
#include "support/panel.hpp"

namespace cogstride::learning_test {
namespace {

constexpr std::int64_t ms = 1'000'000;

struct Learner {
  explicit Learner(Rig of = testing_support::demo_rig()) : rig(std::move(of)) {}
  Rig rig;
  std::string shown;
  Learning learning{rig, [this](const std::string& words) { shown += words + "\n"; }};
};

InputCode code(const char* name) {
  return *input_code(name);
}

/// The proposal stands in a rig, and its devices are as declared.
Rig with(const std::string& proposal) {
  return parse_rig(read_text_file(testing_support::demo_rig_path) + "\n" + proposal, "x.rig.toml");
}

TEST(Learning, AnInputDeviceIsDeclaredByWhatItSays) {
  Learner at;
  at.learning.input("Pad of the workshop", code("BTN_SOUTH"), 1, {});
  at.learning.input("Pad of the workshop", code("BTN_SOUTH"), 0, {});
  at.learning.input("Pad of the workshop", code("ABS_Y"), 126, {0, 255, 15});
  for (int i = 0; i < 100; ++i)
    at.learning.input("Pad of the workshop", code("ABS_Y"), 126 + i, {0, 255, 15});
  at.learning.input("Pad of the workshop", code("ABS_Z"), 0, {0, 255, 0});
  at.learning.input("Pad of the workshop", code("REL_DIAL"), -1, {});
  EXPECT_EQ(at.shown,
            "\"Pad of the workshop\" BTN_SOUTH 1\n\"Pad of the workshop\" BTN_SOUTH 0\n"
            "\"Pad of the workshop\" ABS_Y 126\n\"Pad of the workshop\" ABS_Z 0\n\"Pad of the workshop\" "
            "REL_DIAL -1\n");
  const std::string proposal = at.learning.proposal();
  EXPECT_EQ(proposal,
            "[input_device.pad_of_the_workshop]\ncalled = \"Pad of the workshop\"\n\n"
            "[input_device.pad_of_the_workshop.key.south]\ncode = \"BTN_SOUTH\"\n\n"
            "[input_device.pad_of_the_workshop.axis.y]\ncode = \"ABS_Y\"\n\n"
            "[input_device.pad_of_the_workshop.axis.z]\ncode = \"ABS_Z\"\ncentred = false\n\n"
            "[input_device.pad_of_the_workshop.wheel.dial]\ncode = \"REL_DIAL\"\n");
  Learner again(with(proposal));
  again.learning.input("Pad of the workshop", code("BTN_SOUTH"), 1, {});
  EXPECT_EQ(again.learning.proposal(), "") << "the rig says it already";
  again.learning.input("Pad of the workshop", code("BTN_EAST"), 1, {});
  EXPECT_EQ(again.learning.proposal(), "[input_device.pad_of_the_workshop.key.east]\ncode = \"BTN_EAST\"\n");
}

TEST(Learning, TextsThatDifferByTheirDigitsAreOneMessage) {
  Learner at;
  at.learning.add_port("ttys0", "/dev/ttyS0", 19'200);
  std::int64_t t = 0;
  for (const char* const text : {"@5", "@3", "=137", "=5", "~", "~", "~", "~", "ready"}) {
    at.learning.bytes("ttys0", text, t);
    t += *text == '~' ? 150 * ms : 1000 * ms;
  }
  at.learning.settle(t);
  EXPECT_EQ(
      at.learning.proposal(),
      "[device.ttys0]\nport = \"/dev/ttyS0\"\nbaud = 19200\nends_after = \"20 ms\"\n\n"
      "[device.ttys0.message.number]\ntext = \"@NUMBER\"\nfewest_digits = 1\nmost_digits = 1\nlowest = 0  # "
      "as it "
      "was seen: its range may be wider\nhighest = 5\n\n"
      "[device.ttys0.message.number_2]\ntext = \"=NUMBER\"\nfewest_digits = 1\nmost_digits = 3\nlowest = 0  "
      "# as "
      "it was seen: its range may be wider\nhighest = 137\n\n"
      "[device.ttys0.message.text]\ntext = \"~\"\n# it came again each 150 ms: said while it is held\n\n"
      "[device.ttys0.message.ready]\ntext = \"ready\"\n");
  const Rig rig = with(at.learning.proposal());
  ASSERT_EQ(rig.devices.size(), 1u);
  EXPECT_EQ(rig.devices[0].messages.size(), 4u);
}

// Bytes that are no letters come back from the rig as they were.
TEST(Learning, WritesAnyByte) {
  Learner at;
  at.learning.add_port("ttys0", "/dev/ttyS0", {});
  std::string all;
  for (int byte = 0; byte < 256; ++byte)
    if (byte < '0' || byte > '9') all += static_cast<char>(byte);
  for (std::size_t i = 0; i < all.size(); i += 50) {
    at.learning.bytes("ttys0", all.substr(i, 50), static_cast<std::int64_t>(i) * 100 * ms);
  }
  at.learning.settle(1'000'000 * ms);
  const Rig rig = with(at.learning.proposal());
  std::string back;
  for (const DeviceMessage& message : rig.devices[0].messages) back += message.text;
  EXPECT_EQ(back, all);
}

Rig with_remote(Remote::Coding coding) {
  Rig rig = testing_support::demo_rig();
  rig.remotes.push_back({.name = "remote", .line = 52, .coding = coding});
  return rig;
}

std::vector<double> noisy(const std::vector<std::int64_t>& timing, std::mt19937& dice) {
  std::uniform_real_distribution<double> off(-60.0, 60.0);
  std::vector<double> us;
  for (const std::int64_t each : timing) us.push_back(static_cast<double>(each) + off(dice));
  return us;
}

TEST(Learning, ACodeIsLearnedByOnePress) {
  Learner at(with_remote(Remote::Coding::pulse_distance));
  std::mt19937 dice(1);
  at.learning.frame("remote", remote_frame(noisy(timing_of(0xe916fb04), dice)), 1000 * ms);
  at.learning.frame("remote", remote_frame(noisy(held_timing(), dice)), 1108 * ms);
  at.learning.frame("remote", remote_frame(noisy(timing_of(0xe817fb04), dice)), 3000 * ms);
  EXPECT_EQ(at.shown, "remote 0xe916fb04\nremote 0xe817fb04\n");
  EXPECT_EQ(at.learning.proposal(),
            "[remote.remote.key.key]\ncode = 0xe916fb04\n\n[remote.remote.key.key_2]\ncode = 0xe817fb04\n");
}

TEST(Learning, AnyOtherIsLearnedByThreePresses) {
  Learner at(with_remote(Remote::Coding::learned));
  std::mt19937 dice(2);
  const std::vector<std::int64_t> one{2400, 600, 1200, 600, 600, 600, 1200, 600, 600};
  const std::vector<std::int64_t> other{2400, 600, 600, 600, 1200, 600, 1200, 600, 600};
  std::int64_t t = 0;
  const auto press = [&](const std::vector<std::int64_t>& timing) {
    at.learning.frame("remote", remote_frame(noisy(timing, dice)), t += 1000 * ms);
    at.learning.frame("remote", remote_frame(noisy(timing, dice)), t += 45 * ms);
  };
  for (int i = 0; i < 3; ++i) press(one);
  press(one);
  press(other);
  press(other);
  EXPECT_TRUE(
      at.shown.ends_with("remote: three presses that differ: press one key three times, a little apart\n"));
  for (int i = 0; i < 3; ++i) press(one);
  EXPECT_TRUE(at.shown.ends_with("remote: this key is known\n"));
  // One that says it in two ways, in turn.
  press(other);
  press({2400, 600, 600, 1200, 600, 600, 1200, 600, 600});
  press(other);
  const std::string proposal =
      "[remote.remote]\nline = 47\ncoding = \"learned\"\n\n" + at.learning.proposal();
  const Rig learned = with(proposal);
  ASSERT_EQ(learned.remotes[0].keys.size(), 2u) << proposal;
  EXPECT_TRUE(distance(noisy(one, dice), learned.remotes[0].keys[0].timing).has_value());
  EXPECT_TRUE(learned.remotes[0].keys[0].other_timing.empty());
  EXPECT_TRUE(distance(noisy(other, dice), learned.remotes[0].keys[1].timing).has_value());
  EXPECT_EQ(learned.remotes[0].keys[1].other_timing.size(), 9u);
}

TEST(DeviceReplies, AreInTheDevicesOwnForm) {
  OperationState state;
  state.moved.push_back({.name = "traverse", .doing = "move to 40 mm", .place = 41.237, .place_unit = "mm"});
  state.moved[0].speed = -12.5;
  state.moved[0].speed_unit = "mm/s";
  DeviceReply reply{.name = "x", .text = "p=NUMBER\xff", .of = "traverse", .each = "0.01 mm"};
  EXPECT_EQ(reply_text(reply, state), "p=4124\xff");
  reply.fewest_digits = 6;
  EXPECT_EQ(reply_text(reply, state), "p=004124\xff");
  reply.says = DeviceReply::Says::speed;
  reply.each = "0.1 mm/s";
  EXPECT_EQ(reply_text(reply, state), "p=-000125\xff");
  state.moved[0].knows_zero = false;
  reply.says = DeviceReply::Says::place;
  reply.each = "0.01 mm";
  EXPECT_EQ(reply_text(reply, state), std::nullopt) << "nobody knows";
  DeviceReply words{.name = "y", .text = "STATE\r\n", .of = "traverse", .says = DeviceReply::Says::state};
  EXPECT_EQ(reply_text(words, state), "moving\r\n");
  state.moved[0].doing.clear();
  EXPECT_EQ(reply_text(words, state), "resting\r\n");
  state.is_stopped = true;
  words.stopped = "S";
  EXPECT_EQ(reply_text(words, state), "S\r\n");
}

}  // namespace
}  // namespace cogstride::learning_test
