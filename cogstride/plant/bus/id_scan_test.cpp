// Who is on a bus, and what id it has, against drives that answer as the standards say.
#include "cogstride/board/bus/id_scan.hpp"

#include <gtest/gtest.h>

#include <deque>
#include <functional>
#include <memory>

#include "cogstride/board/bus/id_change.hpp"
#include "cogstride/plant/bus/drive_node.hpp"

namespace cogstride::id_scan_test {
namespace {

constexpr Tick ms = 1000;

struct Drive {
  Drive(int id, std::int64_t serial, std::int64_t product = 24) : node(setup(id, serial, product), loops) {
    node.power(0, true);
  }
  static DriveNode::Setup setup(int id, std::int64_t serial, std::int64_t product) {
    DriveNode::Setup setup;
    setup.id = id;
    setup.board.vendor = 901;
    setup.board.product = product;
    setup.serial_number = serial;
    return setup;
  }
  DriveLoops loops{};
  DriveNode node;
};

/// Their bus: what one says all others hear at once.
struct Bus {
  void add(int id, std::int64_t serial) { drives.push_back(std::make_unique<Drive>(id, serial)); }
  /// Until it has ended, or a minute has passed.
  template <class Talk>
  void have(Talk& talk) {
    for (const Tick until = now + 60'000 * ms; now < until && !talk.has_ended(); now += ms) {
      while (const std::optional<Frame> frame = talk.send(now)) {
        sent.push_back(*frame);
        for (const auto& drive : drives) drive->node.hear(now, *frame);
      }
      for (const auto& drive : drives) {
        drive->node.pass(now, {});
        for (int i = 0; i < 10 && drive->node.next() <= now; ++i) talk.hear(drive->node.say(now));
      }
    }
  }
  std::vector<IdScan::Found> look() {
    IdScan scan(50 * ms, ms);
    have(scan);
    EXPECT_TRUE(scan.has_ended());
    return scan.found();
  }

  std::vector<std::unique_ptr<Drive>> drives{};
  std::vector<Frame> sent{};
  Tick now = 100 * ms;
};

TEST(IdScan, FindsEachByItsIdAndSaysWhoItIs) {
  Bus bus;
  bus.add(127, 3);
  bus.add(1, 1);
  bus.add(11, 2);
  (void)bus.look();  // they are there by then
  bus.sent.clear();
  const std::vector<IdScan::Found> found = bus.look();
  ASSERT_EQ(found.size(), 3U);
  EXPECT_EQ(found[0].id, 1);
  EXPECT_EQ(found[1].id, 11);
  EXPECT_EQ(found[2].id, 127);
  for (const IdScan::Found& each : found) {
    EXPECT_TRUE(each.is_drive());
    EXPECT_FALSE(each.is_twice);
    EXPECT_EQ(each.device_type, 0x00020192U) << "profile 402, a servo drive";
    EXPECT_EQ(each.vendor, 901);
    EXPECT_EQ(each.product, 24);
  }
  EXPECT_EQ(found[1].serial_number, 2);
  EXPECT_EQ(bus.sent[10], (Frame{0x60b, 8, {0x40, 0x00, 0x10, 0x00}})) << "by hand: CiA 301, initiate upload";
  EXPECT_EQ(bus.sent.size(), 127U + 3 * 4);
}

TEST(IdScan, SaysWhichIdTwoHave) {
  Bus bus;
  bus.add(11, 1);
  bus.add(12, 2);
  bus.add(11, 3);
  (void)bus.look();
  const std::vector<IdScan::Found> found = bus.look();
  ASSERT_EQ(found.size(), 2U);
  EXPECT_TRUE(found[0].is_twice);
  EXPECT_FALSE(found[1].is_twice);
}

TEST(IdScan, OfNobodyFindsNobody) {
  Bus bus;
  EXPECT_TRUE(bus.look().empty());
  EXPECT_EQ(bus.sent.size(), 127U);
}

TEST(IdChange, IsTakenKeptAndInForceOnceItIsBegunAnew) {
  Bus bus;
  bus.add(11, 7);
  (void)bus.look();
  bus.sent.clear();
  IdChange change(11, 42, {100 * ms, 3000 * ms});
  bus.have(change);
  EXPECT_EQ(change.fault(), "");
  // By hand: CiA 305.
  const std::vector<Frame> by_hand{{0x7e5, 8, {0x04, 1}},
                                   {0x7e5, 8, {0x11, 42}},
                                   {0x7e5, 8, {0x17}},
                                   {0x7e5, 8, {0x04, 0}},
                                   {0x000, 2, {0x81, 11}}};
  EXPECT_EQ(bus.sent, by_hand);
  const std::vector<IdScan::Found> found = bus.look();
  ASSERT_EQ(found.size(), 1U);
  EXPECT_EQ(found[0].id, 42);
  EXPECT_EQ(found[0].serial_number, 7) << "the same drive";
  // It stays so over its next power-up.
  bus.drives[0]->node.power(bus.now, false);
  bus.drives[0]->node.power(bus.now, true);
  (void)bus.look();
  EXPECT_EQ(bus.look().at(0).id, 42);
}

TEST(IdChange, OfNobodySaysThatItDoesNotAnswer) {
  Bus bus;
  IdChange change(11, 42, {100 * ms, 3000 * ms});
  bus.have(change);
  EXPECT_NE(change.fault().find("11 does not answer"), std::string::npos) << change.fault();
  EXPECT_EQ(bus.sent.back(), (Frame{0x7e5, 8, {0x04, 0}})) << "whoever listens is let go";
}

TEST(IdChange, RefusesIdsThatAreNone) {
  EXPECT_THROW(IdChange(11, 0, {}), RangeError);
  EXPECT_THROW(IdChange(11, 128, {}), RangeError);
  EXPECT_THROW(IdChange(11, 11, {}), RangeError);
}

}  // namespace
}  // namespace cogstride::id_scan_test
