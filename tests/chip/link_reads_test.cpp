// What a chip behind a link counts and switches by a timer: encoders, followers that go by them, duties.
#include <gtest/gtest.h>

#include "chip/linked_chip.hpp"
#include "chip/random_rigs.hpp"
#include "cogstride/bench/live/live_obstacles.hpp"
#include "cogstride/chip/follower.hpp"
#include "cogstride/link/link_duties.hpp"
#include "cogstride/plan/motor_estimates.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "support/linked_rig.hpp"

namespace cogstride::chip_bench {
namespace {

constexpr double baud = 250e3;
constexpr std::int64_t counts_of_turn = 1000;

Rig rig_with_wheel() {
  return testing_support::linked_axis("carriage", ChipLink{}.delay);
}

/// Turns the wheel as the chip's time passes: counts by instant, and what was counted when.
class Turning {
 public:
  /// @param place  counts at a time in s, from 0
  Turning(Chip& chip, std::function<double(double)> place) : chip_(chip), place_(std::move(place)) {}
  void run(std::int64_t cycles) {
    constexpr std::int64_t slice = 400;
    for (const std::int64_t until = chip_.now() + cycles; chip_.now() < until;) {
      chip_.run(std::min(slice, until - chip_.now()));
      const auto wanted = static_cast<std::int64_t>(std::floor(place_(seconds())));
      if (wanted == count_) continue;
      count_ += wanted > count_ ? 1 : -1;
      const auto quarter = static_cast<int>(((count_ % 4) + 4) % 4);
      chip_.drive('C', 4, quarter == 1 || quarter == 2);
      chip_.drive('C', 5, quarter == 2 || quarter == 3);
    }
  }
  [[nodiscard]] double seconds() const { return static_cast<double>(chip_.now()) / 16e6; }
  [[nodiscard]] std::int64_t count() const { return count_; }

 private:
  Chip& chip_;
  std::function<double(double)> place_;
  std::int64_t count_ = 0;
};

TEST(ChipLink, CountsAWheelAndFollowsIt) {
  const Rig rig = rig_with_wheel();
  MadeChip made(rig, {}, built_link(rig, "wheel"));
  EmulatedLine line(made.chip(), {baud});
  // From rest to a turn a second, two turns on, and back by a quarter.
  const auto place = [](double t) {
    t -= 0.3;
    const double turns = t < 0.0   ? 0.0
                         : t < 0.2 ? 2.5 * t * t
                         : t < 1.0 ? 0.1 + (t - 0.2)
                         : t < 1.2 ? 0.9 + (t - 1.0) - 2.5 * (t - 1.0) * (t - 1.0)
                         : t < 1.4 ? 1.0
                         : t < 1.6 ? 1.0 - 3.125 * (t - 1.4) * (t - 1.4)
                         : t < 1.8 ? 0.75 + 3.125 * (1.8 - t) * (1.8 - t)
                                   : 0.75;
    return turns * static_cast<double>(counts_of_turn) + 0.5;
  };
  Turning wheel(made.chip(), place);
  double worst = 0.0;  // steps by which it is behind
  line.on_run = [&](std::int64_t cycles) {
    wheel.run(cycles);
    const double belongs = static_cast<double>(wheel.count()) * 0.224;
    worst = std::max(worst, std::abs(belongs - static_cast<double>(made.count(0))));
  };
  const Script script = parse_script(
      "gear carriage to wheel by 1.4 mm for each turn\nwait 2.2 s\nlet carriage go\n", "x.moves", rig);
  const Linked linked = play(rig, script, line);
  EXPECT_EQ(linked.fault, "");
  EXPECT_EQ(wheel.count(), 750);
  EXPECT_EQ(made.count(0), 168) << "0.75 turns by 1.4 mm, 160 steps a mm";
  EXPECT_EQ(linked.asked, 168);
  fmt::print("behind its wheel by {:.1f} steps at the most, at 224 steps/s\n", worst);
  EXPECT_LT(worst, 4.5) << "the chip follows by itself";
}

/// A wheel that nobody chose how it is turned: from rest to rest in a few pieces of even acceleration.
std::function<double(double)> some_course(Chance& chance) {
  struct Piece {
    double from, place, speed, change;
  };
  std::vector<Piece> pieces{{0.0, 0.5, 0.0, 0.0}};
  double at = 0.6;  // it stands yet when the gear comes to the chip: what went before is not owed
  double place = 0.5;
  double speed = 0.0;
  for (int i = 0; i < 4; ++i) {
    const double to = i == 3 ? 0.0 : 0.01 * chance.whole(-120, 120);  // turns/s
    const double ramp = 0.01 * chance.whole(15, 40);
    const double even = 0.01 * chance.whole(5, 40);
    const double change = (to - speed) / ramp;
    pieces.push_back({at, place, speed, change});
    place += counts_of_turn * (speed * ramp + 0.5 * change * ramp * ramp);
    at += ramp;
    pieces.push_back({at, place, to, 0.0});
    place += counts_of_turn * to * even;
    at += even;
    speed = to;
  }
  return [pieces](double t) {
    const Piece* now = &pieces.front();
    for (const Piece& each : pieces)
      if (each.from <= t) now = &each;
    const double since = t - now->from;
    return now->place + counts_of_turn * (now->speed * since + 0.5 * now->change * since * since);
  };
}

TEST(ChipLink, OfRandomWheelsStandsOnTheStepOfTheRatio) {
  const bool is_slow = std::getenv("COGSTRIDE_SLOW") != nullptr;
  constexpr unsigned brakes_late = 12;  // a wheel that brakes while its counts are long on their way
  for (unsigned seed = is_slow ? 1 : brakes_late; seed <= (is_slow ? 30 : brakes_late); ++seed) {
    Chance chance(seed);
    Rig rig = rig_with_wheel();
    rig.mechanisms[0].limits.travel_from.reset();
    rig.mechanisms[0].limits.travel_to.reset();
    const std::int64_t rate = chance.one_of(std::vector<std::int64_t>{115'200, 250'000, 500'000});
    rig.controller.small_chip->serial_baud = rate;
    const int delay_ms = chance.whole(1, 60);
    rig.controller.link->delay = Time(delay_ms, units::ms);
    rig.controller.link->silence = Time(250, units::ms);
    const int adds_ms = chance.whole(0, delay_ms);
    const int hundredths = chance.whole(-300, 300);  // mm a turn
    SCOPED_TRACE(fmt::format("seed {}, {} baud, {} of {} ms, {} um a turn", seed, rate, adds_ms, delay_ms,
                             10 * hundredths));
    MadeChip made(rig, {}, built_link(rig, "wheels"));
    EmulatedLine line(made.chip(), {static_cast<double>(rate), adds_ms * std::int64_t{1'000'000}});
    Turning wheel(made.chip(), some_course(chance));
    chip::GearedPlace exact;
    exact.set_grain(100'000);
    std::int64_t counted = 0;
    double worst = 0.0;
    line.on_run = [&](std::int64_t cycles) {
      wheel.run(cycles);
      // 160 steps a mm, 1000 counts a turn.
      (void)exact.go_on((wheel.count() - counted) * hundredths * 160);
      counted = wheel.count();
      worst = std::max(worst, std::abs(static_cast<double>(exact.position() - made.count(0))));
    };
    const Script script = parse_script(
        fmt::format("gear carriage to wheel by {} um for each turn\nwait 3.8 s\nlet carriage go\n",
                    10 * hundredths),
        "x.moves", rig);
    const Linked linked = play(rig, script, line);
    EXPECT_EQ(linked.fault, "");
    EXPECT_EQ(made.count(0), exact.position());
    EXPECT_EQ(linked.asked, exact.position());
    EXPECT_LT(worst, 24.0) << "where its leader changes its speed faster than its limits let it";
    EXPECT_EQ(made.chip().overruns(), 0);
  }
}

constexpr int ocr0a = 0x47;
constexpr int ocr0b = 0x48;
constexpr int tccr0a = 0x44;
constexpr int both_outputs_make = 0xa0;

/// The carriage, the bench's feeder on the two outputs of the 8-bit timer, and its snips.
Rig rig_with_duties() {
  Rig rig = rig_with_wheel();
  rig.shafts.clear();
  const Rig bench = read_rig(COGSTRIDE_SOURCE_DIR "/demo/bobbin.rig.toml");
  testing_support::slow_down_fast_timer(rig);
  for (const Mechanism& mechanism : bench.mechanisms) {
    if (mechanism.name != "feeder" && mechanism.name != "snips") continue;
    Mechanism own = mechanism;
    own.sensors.clear();
    if (std::holds_alternative<BridgeWiring>(own.wiring)) {
      testing_support::put_on_chip(own);
      own.limits.current.reset();
    } else {
      std::get<PulseWidthWiring>(own.wiring).pulse.number = cogstride::line_of(Pin{'C', 4});
      own.common.timer.reset();
    }
    rig.mechanisms.push_back(own);
  }
  return rig;
}

TEST(ChipLink, MakesDutiesAndPulsesBesideSteps) {
  const Rig rig = rig_with_duties();
  MadeChip made(rig, {}, built_link(rig, "duties"));
  Chip& chip = made.chip();
  EmulatedLine line(chip, {baud});
  // What its registers are set to, by the millisecond: counts on of 256, A forwards and B backwards.
  std::map<int, int> forwards;
  int backwards = 0;
  std::int64_t next = 0;
  line.on_run = [&](std::int64_t cycles) {
    for (const std::int64_t until = chip.now() + cycles; chip.now() < until;) {
      chip.run(std::min<std::int64_t>(1600, until - chip.now()));
      if (chip.now() < next) continue;
      next = chip.now() + 16'000;
      const bool makes_a = (chip.reg(tccr0a) & 0x80) != 0;
      forwards[makes_a ? chip.reg(ocr0a) + 1 : chip.level('D', 6) ? 256 : 0] += 1;
      if ((chip.reg(tccr0a) & 0x20) != 0) ++backwards;
    }
  };
  const Script script = parse_script(
      "start together\n  move carriage to 8 mm\n  swing snips to 30 deg\n  spin feeder at 40 % for 0.4 "
      "s\nend\n"
      "spin feeder at 100 % in 0.2 s for 0.2 s\nswing snips to 60 deg\ncoast feeder\n",
      "x.moves", rig);
  const Linked linked = play(rig, script, line);
  EXPECT_EQ(linked.fault, "");
  EXPECT_TRUE(linked.played.is_sound) << linked.fault;
  EXPECT_EQ(made.count(0), 1280) << "8 mm, 160 steps a mm";
  EXPECT_EQ(chip.overruns(), 0);
  EXPECT_GT(forwards[102], 300) << "40 % of 256 counts";
  EXPECT_GT(forwards[256], 150) << "all of it, without a gap";
  EXPECT_GT(forwards[0], 10);
  EXPECT_EQ(backwards, 0);
  EXPECT_EQ(chip.reg(tccr0a) & both_outputs_make, 0) << "at rest";
  EXPECT_FALSE(chip.level('D', 6));
  EXPECT_FALSE(chip.level('C', 1)) << "its enable";
  // Pulses of the snips: 0.92 ms to 2.06 ms for 168 degrees, a frame of 20 ms.
  const auto width_of = [](double degrees) { return 0.92e-3 + degrees / 168.0 * 1.14e-3; };
  std::map<int, int> widths;  // of 30, 60 degrees and others
  const std::vector<PinEdge>& edges = chip.edges('C', 4);
  double last_rise = 0.0;
  for (std::size_t i = 0; i + 1 < edges.size(); ++i) {
    if (!edges[i].high) continue;
    const double width = static_cast<double>(edges[i + 1].at - edges[i].at) / clock_rate;
    const double rise = static_cast<double>(edges[i].at) / clock_rate;
    if (last_rise > 0.0) {
      EXPECT_NEAR(rise - last_rise, 0.02, 60e-6);
    }
    last_rise = rise;
    for (const int degrees : {30, 60})
      if (std::abs(width - width_of(degrees)) < 12e-6) ++widths[degrees];
    EXPECT_GT(width, 0.9e-3);
    EXPECT_LT(width, 2.1e-3);
  }
  EXPECT_GT(widths[30], 10);
  EXPECT_GT(widths[60], 2);
}

/// What the feeder's motor does with the chip's duty, and its encoder with the chip's pins.
class TurningMotor {
 public:
  TurningMotor(Chip& chip, const Mechanism& mechanism)
      : chip_(chip), model_(model_of(mechanism)), counts_per_turn_(12 * 4) {}
  void run(std::int64_t cycles) {
    constexpr std::int64_t slice = 400;
    for (const std::int64_t until = chip_.now() + cycles; chip_.now() < until;) {
      const std::int64_t part = std::min(slice, until - chip_.now());
      chip_.run(part);
      const double volts = model_.supply * (on(0x80, ocr0a, 6) - on(0x20, ocr0b, 5));
      const double time = static_cast<double>(part) / clock_rate;
      const double amperes = (volts - model_.emf * speed_) / model_.resistance;
      const double way = speed_ > 0.0 ? 1.0 : speed_ < 0.0 ? -1.0 : 0.0;
      const double driving = model_.torque_per_ampere * amperes - (speed_ > 0.1 ? model_.steady : 0.0);
      const double holds = model_.coulomb;
      double torque = driving - way * holds - model_.viscous * speed_;
      if (speed_ == 0.0) torque = std::abs(driving) <= holds ? 0.0 : driving - std::copysign(holds, driving);
      const double after = speed_ + torque / model_.inertia * time;
      speed_ = after * speed_ < 0.0 ? 0.0 : after;
      turns_ += speed_ * time / (2.0 * pi);
      const auto wanted = static_cast<std::int64_t>(std::floor(turns_ * counts_per_turn_));
      if (wanted == count_) continue;
      count_ += wanted > count_ ? 1 : -1;
      const auto quarter = static_cast<int>(((count_ % 4) + 4) % 4);
      chip_.drive('C', 4, quarter == 1 || quarter == 2);
      chip_.drive('C', 5, quarter == 2 || quarter == 3);
    }
  }
  [[nodiscard]] double turns() const { return turns_; }
  [[nodiscard]] double rpm() const { return 60.0 * speed_ / (2.0 * pi); }

 private:
  static constexpr double pi = 3.14159265358979323846;
  [[nodiscard]] double on(int makes, int compare, int bit) const {
    if ((chip_.reg(tccr0a) & makes) != 0) return (chip_.reg(compare) + 1) / 256.0;
    return chip_.level('D', bit) ? 1.0 : 0.0;
  }
  Chip& chip_;
  RotaryMotorModel model_;
  double counts_per_turn_;
  double speed_ = 0.0;
  double turns_ = 0.0;
  std::int64_t count_ = 0;
};

/// The carriage, and the feeder with the encoder on its motor, at C4 and C5.
Rig rig_with_held_feeder(Time delay) {
  Rig rig = rig_with_duties();
  std::erase_if(rig.mechanisms, [](const Mechanism& each) { return each.name == "snips"; });
  const Rig bench = read_rig(COGSTRIDE_SOURCE_DIR "/demo/bobbin.rig.toml");
  for (const Mechanism& mechanism : bench.mechanisms)
    if (mechanism.name == "feeder") {
      Encoder encoder = *sensor_of<Encoder>(mechanism);
      testing_support::put_on_chip(encoder);
      rig.mechanisms[1].sensors = {encoder};
      rig.mechanisms[1].limits = mechanism.limits;
    }
  rig.controller.link->delay = delay;
  return rig;
}

TEST(ChipLink, HoldsASpeedByALoopOfItsOwn) {
  constexpr int first_free = 0x100 + 1840;
  constexpr int end_of_ram = 0x900;
  for (const double delay : {1e-3, 20e-3, 80e-3}) {
    const Rig rig = rig_with_held_feeder(Time(delay, units::s));
    MadeChip made(rig, {}, built_link(rig, "held"));
    EmulatedLine line(made.chip(), {baud, static_cast<std::int64_t>(1e9 * delay)});
    TurningMotor motor(made.chip(), rig.mechanisms[1]);
    const auto seconds = [&] { return static_cast<double>(made.chip().now()) / clock_rate; };
    std::vector<std::pair<double, double>> speeds;  // by time, of the output
    line.on_run = [&](std::int64_t cycles) {
      motor.run(cycles);
      speeds.emplace_back(seconds(), motor.rpm() * 4.0 / 19.0);
    };
    const Script script = parse_script(
        "spin feeder at 300 rpm until stopped\nmove carriage to 8 mm\nwait 0.5 s\nstop feeder\nmove feeder "
        "by 1 turn\nwait 0.3 s\n",
        "x.moves", rig);
    const Linked linked = play(rig, script, line);
    EXPECT_EQ(linked.fault, "") << delay;
    EXPECT_EQ(made.count(0), 1280) << "8 mm, 160 steps a mm";
    double worst = 0.0;
    double from = 0.0;
    for (const auto& [at, rpm] : speeds) {
      if (from == 0.0 && rpm > 299.0) from = at + 0.15;
      if (from > 0.0 && at > from && at < from + 0.3) worst = std::max(worst, std::abs(rpm - 300.0));
    }
    // What the stack has not come to stays as it was at first.
    int lowest = first_free;
    while (lowest < end_of_ram && made.chip().reg(lowest) == 0) ++lowest;
    EXPECT_LT(end_of_ram - lowest, 180) << "bytes of stack: findings reckon with 180";
    fmt::print("{:.0f} ms: 300 rpm held within {:.2f} rpm; at the end {:.3f} turns, {:.2f} rpm\n",
               1e3 * delay, worst, motor.turns() * 4.0 / 19.0, motor.rpm());
    EXPECT_GT(from, 0.0);
    EXPECT_LT(worst, 3.0);
    EXPECT_NEAR(motor.rpm(), 0.0, 1.0);
  }
}

TEST(ChipLink, SaysWhichDutiesItsChipDoesNotMake) {
  const Rig sound = rig_with_duties();
  EXPECT_TRUE(link_duties(sound).refused.empty());
  const auto why = [&](const std::function<void(Rig&)>& change) {
    Rig rig = sound;
    change(rig);
    std::string all;
    for (const auto& [owner, words] : link_duties(rig).refused) all += owner + ": " + words + "\n";
    return all;
  };
  const auto bridge = [](Rig& rig) -> BridgeWiring& {
    return std::get<BridgeWiring>(rig.mechanisms[1].wiring);
  };
  EXPECT_EQ(why([&](Rig& rig) {
              bridge(rig).input_a->number = cogstride::line_of(Pin{'C', 2});
            }),
            "feeder: its duty is on C2, and the chip's 8-bit timer has outputs at D6 and D5\n");
  EXPECT_EQ(why([&](Rig& rig) { bridge(rig).pwm_frequency = ExactFrequency(10, units::kHz); }),
            "feeder: the chip's 8-bit timer makes no 10000 Hz there: 7812.5 Hz by this prescaler\n");
  EXPECT_EQ(why([&](Rig& rig) { bridge(rig).alignment = Alignment::centre; }),
            "feeder: the chip's timer makes periods that begin with the drive, not centred ones\n");
  EXPECT_EQ(why([&](Rig& rig) {
              Mechanism second = rig.mechanisms[0];
              second.name = "second";
              rig.mechanisms.push_back(second);
            }),
            "snips: its pulses take a compare of the 16-bit timer, and two axes of steps have both\n");
  EXPECT_EQ(live_obstacles(sound, false).size(), 0U);
  // A lamp that is dimmed has no pulse in a frame, however slow its timer is.
  Rig dimmed = sound;
  dimmed.outputs = {{"lamp",
                     {cogstride::line_of(Pin{'B', 4})},
                     Current(8.0, units::mA),
                     "fast",
                     ExactFrequency(100, units::Hz)}};
  EXPECT_EQ(why_no_live_fade(dimmed, dimmed.outputs[0]),
            "its duty is on B4, and the chip's 8-bit timer has outputs at D6 and D5");
  const Making making = make_link_program(dimmed);
  ASSERT_EQ(making.findings.size(), 1U);
  EXPECT_EQ(making.findings[0].code, "chip-left-out");
}

}  // namespace
}  // namespace cogstride::chip_bench
