// A drive's end of the bus against the controller's: brought up, driven, told, and left alone.
#include "cogstride/plant/bus/drive_node.hpp"

#include <gtest/gtest.h>

#include <array>
#include <cmath>
#include <functional>
#include <map>
#include <random>

#include "cogstride/board/bus/drive_setup.hpp"
#include "cogstride/quantity/quantity.hpp"

namespace cogstride::drive_node_test {
namespace {

constexpr double ticks_per_second = 1e6;
constexpr Tick millisecond = 1'000;

DriveMotor beams_motor() {
  DriveMotor motor;
  motor.torque_constant = 0.075;
  motor.resistance = 0.34;
  motor.inertia = 5e-4;
  motor.rad_per_count = 2.0 * 3.141592653589793 / 4096.0;
  motor.highest_supply = 36.0;
  return motor;
}

/// A node that is asked directly, without a bus between, once a millisecond; its shaft turns as its loops
/// say.
struct Bench {
  explicit Bench(int id = 11) : node(setup(id), loops) {
    motor.lowest_supply = 18.0;
    node.power(0, true);
  }
  static DriveNode::Setup setup(int id) {
    BusDrive board;
    board.vendor = 901;
    board.product = 24;
    board.supply_current_set_at = DriveAmount<Current>{{0x2010, 1, false, 16}, Current(0.01, units::A)};
    return {id, board, 4096, 0.075, 8.0, ticks_per_second};
  }
  DriveSense sense() const { return {place, speed, supply, celsius}; }

  /// A millisecond: what it says is kept, and `hears` is given each frame.
  void pass() {
    constexpr int parts = 4;
    for (int i = 0; i < parts; ++i) {
      const double seconds = 1e-3 / parts;
      const double current = loops.step(node.orders(), motor, sense(), seconds);
      const double pull =
          motor.torque_constant * current - load - (speed == 0.0 ? 0.0 : std::copysign(friction, speed));
      if (!is_jammed) speed += pull / motor.inertia / motor.rad_per_count * seconds;
      if (is_jammed) speed = 0.0;
      place += speed * seconds;
    }
    now += millisecond;
    node.pass(now, sense());
    for (int i = 0; i < 50 && node.next() <= now; ++i) said.push_back(node.say(now));
  }
  void hear(const Frame& frame) {
    node.pass(now, sense());
    node.hear(now, frame);
  }
  /// All that setup wants, until it has ended.
  void bring_up(DriveSetup& wanted) {
    for (int i = 0; i < 8'000 && !wanted.has_ended(); ++i) {
      while (const auto frame = wanted.send(now)) hear(*frame);
      said.clear();
      pass();
      for (const Frame& frame : said) wanted.hear(frame, now);
    }
  }
  /// A cycle of 10 ms: orders, the common instant, and what comes back.
  std::map<std::uint32_t, Frame> cycle(std::uint16_t word, std::int64_t to,
                                       DriveMode mode = DriveMode::cyclic_position) {
    const ProcessData data{false, 1, {objects::control_word, objects::mode, objects::position_wanted}};
    const std::array<std::int64_t, 3> values{word, static_cast<std::int64_t>(mode), to};
    hear(pack(data, 11, values));
    said.clear();
    hear(sync_frame());
    for (int i = 0; i < 10; ++i) pass();
    std::map<std::uint32_t, Frame> by_id;
    for (const Frame& frame : said) by_id[frame.id] = frame;
    return by_id;
  }

  DriveLoops loops{};
  DriveMotor motor = beams_motor();
  DriveNode node;
  Tick now = 0;
  double place = 0.0;
  double speed = 0.0;
  double supply = 24.0;
  double celsius = 25.0;
  double load = 0.0;
  double friction = 0.0;
  bool is_jammed = false;
  std::vector<Frame> said{};
};

DriveWants wants() {
  DriveWants wants;
  wants.id = 11;
  wants.vendor = 901;
  wants.product = 24;
  wants.settings = {{objects::most_profile_velocity, 188'000},
                    {objects::profile_acceleration, 100'000},
                    {objects::profile_deceleration, 100'000},
                    {objects::quick_stop_deceleration, 400'000},
                    {objects::most_current, 1500},
                    {objects::most_torque, 1500},
                    {objects::cycle_time, 10},
                    {objects::own_heartbeat, 100},
                    {objects::watched_heartbeat, 127 << 16 | 300},
                    {objects::when_heartbeat_ends, 3}};
  wants.data = {{true, 1, {objects::status_word, objects::position_now, objects::current_now}},
                {false, 1, {objects::control_word, objects::mode, objects::position_wanted}}};
  return wants;
}
constexpr DriveSetup::Times times{50 * millisecond, 3'000 * millisecond};

std::uint16_t status_of(const std::map<std::uint32_t, Frame>& told) {
  const Frame& frame = told.at(0x18b);
  return static_cast<std::uint16_t>(frame.bytes[0] | frame.bytes[1] << 8);
}

TEST(ProcessData, LiesInAFrameAndIsToldToADeviceAsTheTablesSay) {
  const ProcessData data{true, 2, {objects::velocity_now, objects::torque_now}};
  const std::array<std::int64_t, 2> values{-2, 0x1234};
  EXPECT_EQ(pack(data, 11, values), (Frame{0x28b, 6, {0xfe, 0xff, 0xff, 0xff, 0x34, 0x12}}));
  std::array<std::int64_t, 2> back{};
  EXPECT_TRUE(unpack(data, 11, {0x28b, 6, {0xfe, 0xff, 0xff, 0xff, 0x34, 0x12}}, back));
  EXPECT_EQ(back, values);
  EXPECT_FALSE(unpack(data, 12, {0x28b, 6, {}}, back));
  EXPECT_FALSE(unpack(data, 11, {0x28b, 5, {}}, back)) << "another length";
  const auto settings = settings_of(data, 11);
  ASSERT_EQ(settings.size(), 7U);
  const auto is = [&](std::size_t i, int index, int sub, std::int64_t value) {
    EXPECT_EQ(settings[i].first.index, index);
    EXPECT_EQ(settings[i].first.sub, sub);
    EXPECT_EQ(settings[i].second, value);
  };
  is(0, 0x1801, 1, 0x8000028b);
  is(1, 0x1a01, 0, 0);
  is(2, 0x1a01, 1, 0x606c0020);
  is(3, 0x1a01, 2, 0x60770010);
  is(4, 0x1a01, 0, 2);
  is(5, 0x1801, 2, 1);
  is(6, 0x1801, 1, 0x28b);
  EXPECT_EQ(settings_of({false, 1, {objects::control_word}}, 11)[2].first.index, 0x1600);
  EXPECT_THROW((void)bits_of({true, 1, {objects::supply_now, objects::lag_now, objects::mode}}), RangeError);
}

TEST(DriveSetup, BringsADriveUpAndReadsAllOfItBack) {
  Bench bench;
  DriveSetup setup(wants(), times);
  bench.bring_up(setup);
  ASSERT_EQ(setup.fault(), "");
  EXPECT_TRUE(setup.is_up());
  EXPECT_EQ(bench.node.node_state(), NodeState::operational);
  EXPECT_EQ(bench.node.objects().value(objects::profile_acceleration), 100'000);
  EXPECT_EQ(bench.node.objects().value({0x1800, 1, ObjectType::u32, ""}), 0x18b);
  EXPECT_TRUE(setup.rounded().empty());
}

TEST(DriveSetup, NamesWhatIsNotAsTheRigSays) {
  const auto fault_of_setup = [](Bench& bench, DriveWants wanted) {
    DriveSetup setup(std::move(wanted), times);
    bench.bring_up(setup);
    return setup.fault();
  };
  Bench other;
  DriveWants another = wants();
  another.product = 25;
  EXPECT_EQ(fault_of_setup(other, another),
            "drive 11 is not the one that the rig means: its product is 24, and the rig says 25");
  Bench refuses;
  DriveWants too_much = wants();
  too_much.settings.emplace_back(objects::most_current, 4001);
  EXPECT_EQ(fault_of_setup(refuses, too_much),
            "drive 11 refuses 6073:00 most current: the value is above what it takes (06090031); it was told "
            "4001, and has 1500");
  Bench missing(12);
  EXPECT_EQ(fault_of_setup(missing, wants()),
            "drive 11 does not answer when it is asked for 1000:00 device type");
  Bench silent;
  silent.node.wire(false);
  EXPECT_NE(fault_of_setup(silent, wants()), "");
}

TEST(DriveNode, GoesWhereItIsToldCycleByCycle) {
  Bench bench;
  bench.friction = 0.05;
  DriveSetup setup(wants(), times);
  bench.bring_up(setup);
  ASSERT_TRUE(setup.is_up()) << setup.fault();
  EXPECT_EQ(bench.node.state(), DriveState::switch_on_disabled);
  EXPECT_EQ(state_of(status_of(bench.cycle(0x06, 0))), DriveState::ready);
  EXPECT_EQ(state_of(status_of(bench.cycle(0x07, 0))), DriveState::switched_on);
  EXPECT_EQ(state_of(status_of(bench.cycle(0x0f, 0))), DriveState::enabled);
  // 20 000 counts/s for half a second, evenly up to it in a tenth.
  double speed = 0.0;
  double to = 0.0;
  double worst = 0.0;
  for (int i = 0; i < 60; ++i) {
    speed = std::min(20'000.0, speed + 2'000.0);
    bench.hear(heartbeat_frame(127, NodeState::operational));
    worst = std::max(worst, std::abs(bench.place - to));
    to += 0.01 * speed;
    (void)bench.cycle(0x0f, std::llround(to));
  }
  EXPECT_LT(worst, 100.0) << "5 ms of its way";
  for (int i = 0; i < 40; ++i) {
    bench.hear(heartbeat_frame(127, NodeState::operational));
    (void)bench.cycle(0x0f, std::llround(to));
  }
  EXPECT_NEAR(bench.place, to, 3.0);
}

TEST(DriveNode, MakesRampsOfItsOwnToAPlaceAndToASpeed) {
  Bench bench;
  DriveWants wanted = wants();
  wanted.settings.emplace_back(objects::profile_velocity, 30'000);
  DriveSetup setup(wanted, times);
  bench.bring_up(setup);
  ASSERT_TRUE(setup.is_up()) << setup.fault();
  const auto on = [&](int word, std::int64_t to, DriveMode mode, int cycles) {
    std::uint16_t status = 0;
    for (int i = 0; i < cycles; ++i) {
      bench.hear(heartbeat_frame(127, NodeState::operational));
      status = status_of(bench.cycle(static_cast<std::uint16_t>(word), to, mode));
    }
    return status;
  };
  for (const int word : {0x06, 0x07, 0x0f}) on(word, 0, DriveMode::profile_position, 1);
  // 20 000 counts at 30 000 counts/s and 100 000 counts/s2: 0.3 + 0.667 s.
  on(0x1f, 20'000, DriveMode::profile_position, 1);
  EXPECT_EQ(on(0x0f, 20'000, DriveMode::profile_position, 90) & StatusBits::reached, 0);
  EXPECT_NE(on(0x0f, 20'000, DriveMode::profile_position, 20) & StatusBits::reached, 0);
  EXPECT_NEAR(bench.place, 20'000.0, 4.0);
  // To -25 000 counts/s in a quarter of a second, by its objects one by one.
  Frame speed{access_request_id(11), 8, {0x23, 0xff, 0x60, 0x00}};
  put_number(objects::velocity_wanted, -25'000, speed.bytes.data() + 4);
  bench.hear(speed);
  on(0x0f, 20'000, DriveMode::profile_velocity, 40);
  EXPECT_NEAR(bench.speed, -25'000.0, 100.0);
  on(0x010f, 20'000, DriveMode::profile_velocity, 40);
  EXPECT_NEAR(bench.speed, 0.0, 60.0) << "halted";
}

TEST(DriveNode, BrakesByItselfWhenItHearsNothingMore) {
  Bench bench;
  DriveSetup setup(wants(), times);
  bench.bring_up(setup);
  ASSERT_TRUE(setup.is_up()) << setup.fault();
  bench.hear(heartbeat_frame(127, NodeState::operational));
  for (const int word : {0x06, 0x07, 0x0f, 0x0f}) (void)bench.cycle(static_cast<std::uint16_t>(word), 0);
  for (int i = 1; i <= 20; ++i) (void)bench.cycle(0x0f, 200 * i);
  ASSERT_GT(bench.speed, 15'000.0);
  for (int i = 0; i < 500; ++i) bench.pass();
  EXPECT_EQ(bench.node.state(), DriveState::switch_on_disabled);
  EXPECT_LT(std::abs(bench.speed), 60.0);
}

TEST(DriveNode, TellsItsFaultsAndIsResetOnOrderAlone) {
  const auto code_of = [](const std::function<void(Bench&)>& befalls) {
    Bench bench;
    DriveWants wanted = wants();
    wanted.settings.emplace_back(objects::lag_window, 2'000);
    wanted.settings.emplace_back(objects::lag_time, 100);
    wanted.settings.pop_back();
    DriveSetup setup(wanted, times);
    bench.bring_up(setup);
    EXPECT_TRUE(setup.is_up()) << setup.fault();
    for (const int word : {0x06, 0x07, 0x0f, 0x0f}) (void)bench.cycle(static_cast<std::uint16_t>(word), 0);
    befalls(bench);
    std::uint16_t code = 0;
    for (int i = 1; i <= 120; ++i) {
      bench.hear(heartbeat_frame(127, NodeState::operational));
      for (const auto& [id, frame] : bench.cycle(0x0f, 100 * i))
        if (const auto told = emergency_of(frame); told && code == 0) code = told->code;
    }
    bench.is_jammed = false;
    bench.supply = 24.0;
    bench.celsius = 25.0;
    EXPECT_EQ(bench.node.state(), DriveState::fault);
    (void)bench.cycle(0x06, 0);
    EXPECT_EQ(bench.node.state(), DriveState::fault) << "it stays there";
    (void)bench.cycle(0x80, 0);
    EXPECT_EQ(bench.node.state(), DriveState::switch_on_disabled);
    return code;
  };
  EXPECT_EQ(code_of([](Bench& bench) { bench.is_jammed = true; }), 0x7121);
  EXPECT_EQ(code_of([](Bench& bench) { bench.supply = 12.0; }), 0x3220);
  EXPECT_EQ(code_of([](Bench& bench) { bench.supply = 40.0; }), 0x3210);
  EXPECT_EQ(code_of([](Bench& bench) { bench.celsius = 95.0; }), 0x4210);
}

/// Frames that get lost, and others that come twice: it is brought up all the same, or says what did not
/// answer; never as something else than it was told.
TEST(DriveSetup, ComesUpOrSaysWhatIsMissingWhateverGetsLost) {
  int up = 0;
  int doubled = 0;
  for (unsigned seed = 1; seed <= 200; ++seed) {
    std::mt19937 random(seed);
    const double lost = std::uniform_real_distribution(0.0, 0.4)(random);
    const auto times_of = [&] {
      const double at = std::uniform_real_distribution(0.0, 1.0)(random);
      return at < lost ? 0 : at > 0.9 ? 2 : 1;
    };
    Bench bench;
    DriveSetup wanted(wants(), times);
    for (int i = 0; i < 20'000 && !wanted.has_ended(); ++i) {
      while (const auto frame = wanted.send(bench.now))
        for (int times_heard = times_of(); times_heard > 0; --times_heard) bench.hear(*frame);
      bench.said.clear();
      bench.pass();
      for (const Frame& frame : bench.said) {
        const int heard = times_of();
        doubled += heard == 2;
        for (int j = 0; j < heard; ++j) wanted.hear(frame, bench.now);
      }
    }
    ASSERT_TRUE(wanted.has_ended()) << seed;
    if (!wanted.is_up()) {
      EXPECT_TRUE(wanted.fault().starts_with("drive 11 does not") ||
                  wanted.fault().starts_with("two drives answer with the id 11"))
          << seed << ": " << wanted.fault();
      continue;
    }
    ++up;
    for (const auto& [object, value] : wants().settings)
      ASSERT_EQ(bench.node.objects().value(object), value) << seed << ": " << to_text(object);
  }
  EXPECT_GT(up, 40);
  EXPECT_LT(up, 200);
  EXPECT_GT(doubled, 300);
}

/// Common instants that come a twentieth of a millisecond early or late: it goes evenly all the same.
TEST(DriveLoops, GoEvenlyWhereTheCommonInstantsAreNot) {
  const auto highest_of = [](int jitter) {
    std::mt19937 random(5);
    DriveLoops loops;
    DriveOrders orders;
    orders.is_driven = true;
    orders.mode = DriveMode::cyclic_position;
    orders.most_current = 100.0;
    DriveMotor motor = beams_motor();
    motor.highest_supply = 360.0;
    DriveSense sense;
    sense.supply = 240.0;
    loops.begin(sense);
    double highest = 0.0;
    for (int cycle = 0; cycle < 400; ++cycle) {
      // 100000 counts/s after a second, at 100000 counts/s2.
      const double at = 0.01 * (cycle + 1);
      loops.take_place(at < 1.0 ? 5e4 * at * at : 5e4 + 1e5 * (at - 1.0), 0.01);
      const int parts = 1000 + std::uniform_int_distribution(-jitter, jitter)(random);
      for (int i = 0; i < parts; ++i) {
        const double current = loops.step(orders, motor, sense, 1e-5);
        sense.speed += motor.torque_constant * current / motor.inertia / motor.rad_per_count * 1e-5;
        sense.place += sense.speed * 1e-5;
        highest = std::max(highest, std::abs(current));
      }
      EXPECT_LT(std::abs(loops.lag()), 60.0) << cycle;
    }
    return highest;
  };
  const double even = highest_of(0);
  EXPECT_GE(even, 5e-4 * 1e5 * 2.0 * 3.141592653589793 / 4096.0 / 0.075);
  EXPECT_LT(highest_of(5), 1.6 * even);
}

TEST(DriveLoops, KeepWithinTheCurrentsOfMotorAndSupply) {
  DriveLoops loops;
  DriveOrders orders;
  orders.is_driven = true;
  orders.mode = DriveMode::torque;
  orders.torque = 10.0;
  orders.most_current = 12.0;
  const DriveMotor motor = beams_motor();
  DriveSense sense;
  sense.supply = 24.0;
  EXPECT_NEAR(loops.step(orders, motor, sense, 1e-3), 12.0, 1e-9);
  // At 200 rad/s: 15 V of back-EMF leave 9 V, and 26 A: more than its limit; 280 rad/s leave 3 V, 8.8 A.
  sense.speed = 280.0 / motor.rad_per_count;
  EXPECT_NEAR(loops.step(orders, motor, sense, 1e-3), 3.0 / 0.34, 1e-9);
  // Of the supply 6 A: R i^2 + e i = 144 W.
  orders.supply_current = 6.0;
  sense.speed = 200.0 / motor.rad_per_count;
  const double current = loops.step(orders, motor, sense, 1e-3);
  EXPECT_NEAR(0.34 * current * current + 15.0 * current, 144.0, 1e-6);
  EXPECT_TRUE(loops.is_limited());
}

}  // namespace
}  // namespace cogstride::drive_node_test
