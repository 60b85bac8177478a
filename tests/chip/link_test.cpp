// The chip as the bench's hands, in the emulator: what the computer plans comes out at its pins as it was
// planned, whatever the line does.
#include <gtest/gtest.h>

#include <random>

#include "chip/linked_chip.hpp"
#include "chip/made_chip.hpp"
#include "cogstride/bench/live/link_lines.hpp"
#include "cogstride/bench/live/live_bench.hpp"
#include "cogstride/plan/move.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/report/compare_report.hpp"
#include "cogstride/report/rate_report.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/study/measure_link.hpp"

namespace cogstride::chip_bench {
namespace {

constexpr double baud = 250e3;

bool is_slow() {
  return std::getenv("COGSTRIDE_SLOW") != nullptr;
}

Rig linked_rig() {
  Rig rig = read_rig(COGSTRIDE_SOURCE_DIR "/demo/lace.rig.toml");
  rig.controller.link.emplace();
  rig.controller.link->port = "emulated";
  rig.controller.small_chip->serial_baud = static_cast<std::int64_t>(baud);
  return rig;
}

/// A rig of its own, and no part of another one.
Rig with_carriage_alone(const Rig& rig) {
  Rig alone = only_with(rig, {"carriage"});
  alone.whole.reset();
  return alone;
}

/// The carriage alone, which stands at 0 at the start.
Rig linked_carriage() {
  Rig rig = with_carriage_alone(linked_rig());
  rig.mechanisms[0].sensors.clear();
  rig.mechanisms[0].homing.reset();
  return rig;
}

RecordedTrace only(RecordedTrace trace, const std::string& name) {
  std::erase_if(trace.lines, [&](const RecordedLine& line) { return !line.name.starts_with(name); });
  return trace;
}

TEST(ChipLink, PlaysWhatIsRehearsed) {
  Rig rig = linked_rig();
  if (!is_slow()) rig = with_carriage_alone(rig);
  const std::string words =
      is_slow() ? "switch lamp on\nhome carriage\nhome ring\nstart together\nturn ring to 20 deg\n"
                  "move carriage to 20 mm\nend\nmove carriage to 3 mm at 30 mm/s\nwait 0.2 s\n"
                  "turn ring to 14 deg\nswitch lamp off\nwait 0.3 s\n"
                : "switch lamp on\nhome carriage\nmove carriage to 5 mm\nwait 0.3 s\n";
  const Script script = parse_script(words, "short.moves", rig);
  std::map<std::string, OutputPosition> from{{"carriage", parse_output<0>("2 mm")}};
  if (is_slow()) from["ring"] = parse_output<0>("-12 deg");
  const Rehearsal rehearsal = rehearsed(rig, script, from);
  EXPECT_TRUE(rehearsal.verdict.is_sound());
  MadeChip made(rig, rehearsal.trace, built_link(rig, "lace"));
  EmulatedLine line(made.chip(), {baud});
  const Linked linked = play(rig, script, line);
  EXPECT_TRUE(linked.played.is_sound) << linked.fault;
  EXPECT_EQ(linked.fault, "");
  const RecordedTrace a = of_steps(before_its_end(rehearsal.trace));
  const RecordedTrace b = of_steps(before_its_end(made.trace()));
  const TraceComparison comparison = compare_traces(a, b, 0.1);
  EXPECT_TRUE(comparison.same_edges()) << compare_text(comparison);
  EXPECT_EQ(comparison.stretches_a, comparison.stretches_b);
  // The chip has the tick of an edge some microseconds late. What is planned from there is the same ramp, but
  // may be fitted otherwise: within two microseconds of its exact time, here and there.
  EXPECT_LT(compare_traces(only(a, "carriage.step"), only(b, "carriage.step"), 0.1).worst(), 8e-6);
  fmt::print("stack down to {:#x}\n", made.chip().lowest_stack());
  fmt::print("{}\n{}", linked.conditions, is_slow() ? compare_text(comparison) : "");
}

TEST(ChipLink, PlaysAPartOfItsRig) {
  Rig whole = linked_rig();
  for (Mechanism& mechanism : whole.mechanisms) {
    mechanism.sensors.clear();
    mechanism.homing.reset();
  }
  const std::string program = built_link(whole, "whole");
  for (const char* const name : {"ring", "carriage"}) {
    const Rig part = only_with(whole, {name});
    const bool is_ring = std::string(name) == "ring";
    const Script script =
        parse_script(is_ring ? "turn ring to 5 deg\n" : "move carriage to 1 mm\n", "part.moves", part);
    MadeChip made(whole, {}, program);
    EmulatedLine line(made.chip(), {baud});
    const Linked linked = play(part, script, line);
    EXPECT_EQ(linked.fault, "") << name;
    EXPECT_EQ(made.count(0), is_ring ? 0 : 160);
    // Coils that are switched off one by one may count as a step.
    EXPECT_NEAR(static_cast<double>(made.count(1)), static_cast<double>(is_ring ? *linked.asked : 0), 1.0);
  }
}

TEST(ChipLink, IsMeasured) {
  Rig rig = linked_carriage();
  const std::string program = built_link(rig, "measured");
  for (const std::int64_t delay : {0, 20}) {
    MadeChip made(rig, {}, program);
    EmulatedLine line(made.chip(), {baud, delay * 1'000'000});
    const LinkResult result = measure_link(line, rig.controller, link_map(rig), Time(0.2, units::s));
    EXPECT_NEAR(result.added, 1e-3 * static_cast<double>(delay), 2e-3);
    EXPECT_EQ(result.holds(), delay == 0);
    EXPECT_GE(result.proposed, result.added);
    EXPECT_GT(result.answers, 10);
    // It keeps up with the line; where that delays, orders that have not been heard of are bounded.
    EXPECT_GT(result.carried_bytes_per_second, (delay == 0 ? 0.8 : 0.65) * result.nominal_bytes_per_second);
    EXPECT_LE(result.carried_bytes_per_second, 1.02 * result.nominal_bytes_per_second);
    EXPECT_EQ(made.chip().overruns(), 0);
    EXPECT_EQ(result.spoiled, 0);
    EXPECT_EQ(made.count(0), 0);
    EXPECT_TRUE(made.chip().level('B', 0)) << "no current";
    if (delay == 0) fmt::print("{}", link_text(result));
  }
  rig.mechanisms[0].limits.acceleration = parse_output<2>("700 mm/s2");
  MadeChip made(rig, {}, program);
  EmulatedLine line(made.chip(), {baud});
  EXPECT_THROW((void)measure_link(line, rig.controller, link_map(rig), Time(0.5, units::s)), Error);
}

TEST(ChipLink, PlaysTheSameWhateverTheLineDelays) {
  Rig rig = linked_carriage();
  rig.controller.link->delay = Time(80.0, units::ms);
  const Script script =
      parse_script("move carriage to 6 mm\nmove carriage to 2 mm at 20 mm/s\nwait 0.3 s\n", "x.moves", rig);
  const Rehearsal rehearsal = rehearsed(rig, script, {});
  const RecordedTrace a = only(of_steps(before_its_end(rehearsal.trace)), "carriage.step");
  const std::string program = built_link(rig, "delays");
  for (const std::int64_t delay : {1, 20, 80}) {
    MadeChip made(rig, rehearsal.trace, program);
    EmulatedLine line(made.chip(), {baud, delay * 1'000'000});
    const Linked linked = play(rig, script, line);
    EXPECT_EQ(linked.fault, "") << delay;
    EXPECT_EQ(made.count(0), 320) << delay;
    const TraceComparison comparison =
        compare_traces(a, only(of_steps(before_its_end(made.trace())), "carriage.step"), 0.1);
    EXPECT_TRUE(comparison.same_edges()) << delay << "\n" << compare_text(comparison);
    EXPECT_LT(comparison.worst(), 1e-9) << delay;
  }
}

TEST(ChipLink, FollowsWhatIsRehearsed) {
  Rig rig = linked_rig();
  for (Mechanism& mechanism : rig.mechanisms) {
    mechanism.sensors.clear();
    mechanism.homing.reset();
  }
  const Script script = parse_script(
      "gear carriage to ring by 60 mm for each turn\nturn ring to 30 deg\nturn ring to 10 deg\nwait 0.3 s\n"
      "stop carriage\nmove carriage to 1 mm\nwait 0.2 s\n",
      "x.moves", rig);
  const Rehearsal rehearsal = rehearsed(rig, script, {});
  EXPECT_TRUE(rehearsal.verdict.is_sound());
  MadeChip made(rig, rehearsal.trace, built_link(rig, "geared"));
  EmulatedLine line(made.chip(), {baud});
  const Linked linked = play(rig, script, line);
  EXPECT_EQ(linked.fault, "") << linked.conditions;
  fmt::print("{}\n", linked.conditions);
  EXPECT_EQ(made.chip().overruns(), 0);
  EXPECT_EQ(made.count(0), 160);
  const RecordedTrace a = of_steps(before_its_end(rehearsal.trace));
  const RecordedTrace b = of_steps(before_its_end(made.trace()));
  const TraceComparison comparison = compare_traces(a, b, 0.1);
  EXPECT_TRUE(comparison.same_edges()) << compare_text(comparison);
  EXPECT_LT(compare_traces(only(a, "carriage.step"), only(b, "carriage.step"), 0.1).worst(), 1e-9);
}

TEST(ChipLink, PlaysOnAChipOfALowClock) {
  Rig rig = linked_rig();
  rig.controller.timer_clock = ExactFrequency::from_base(4'000'000);
  rig.controller.small_chip->serial_baud = 62'500;
  rig.mechanisms[0].limits.speed = parse_output<1>("5 mm/s");
  if (!is_slow()) rig = with_carriage_alone(rig);
  for (Mechanism& mechanism : rig.mechanisms) {
    mechanism.sensors.clear();
    mechanism.homing.reset();
  }
  const Script script =
      parse_script("move carriage to 8 mm\nmove carriage to 7 mm\nwait 0.3 s\n", "x.moves", rig);
  MadeChip made(rig, {}, built_link(rig, "low"));
  EmulatedLine line(made.chip(), {62'500.0, 0, 0.0, 4e6});
  const Linked linked = play(rig, script, line);
  EXPECT_EQ(linked.fault, "") << linked.conditions;
  EXPECT_EQ(made.count(0), 7 * 160);
}

TEST(ChipLink, SpoiledBytesMoveNothingWrong) {
  const Rig rig = linked_carriage();
  std::string words;
  for (int i = 0; i < 3; ++i) words += "move carriage to 8 mm\nmove carriage to 1 mm at 20 mm/s\n";
  const Script script = parse_script(words + "wait 0.3 s\n", "x.moves", rig);
  const std::string program = built_link(rig, "spoiled");
  std::mt19937 random(11);
  int whole = 0;
  for (int i = 0; i < (is_slow() ? 200 : 4); ++i) {
    MadeChip made(rig, {}, program);
    EmulatedLine line(made.chip(), {baud, 2'000'000});
    const double share = i % 2 == 0 ? 2e-5 : 2e-3;
    const auto spoil = [&](std::vector<std::uint8_t>& bytes) {
      std::uniform_real_distribution<double> chance(0.0, 1.0);
      for (std::size_t k = 0; k < bytes.size(); ++k) {
        if (chance(random) > share) continue;
        const auto at = bytes.begin() + static_cast<std::ptrdiff_t>(k);
        switch (random() % 4) {
          case 0:
            bytes.erase(at);
            break;
          case 1:
            bytes.insert(at, *at);
            break;
          case 2:
            *at = static_cast<std::uint8_t>(*at ^ (1U << random() % 8));
            break;
          default:
            if (k > 0) std::swap(*at, bytes[k - 1]);
        }
      }
    };
    line.on_its_way = spoil;
    line.on_its_way_back = spoil;
    const Linked linked = play(rig, script, line);
    // As ordered, or with its fault named; and in both cases it is known where it stands.
    if (linked.fault.empty()) ++whole;
    EXPECT_EQ(linked.asked, made.count(0)) << linked.fault << "; " << linked.conditions;
    if (linked.fault.empty()) {
      EXPECT_EQ(made.count(0), 160) << linked.conditions;
    }
    fmt::print("{}: {}\n", linked.fault.empty() ? "as ordered" : linked.fault, linked.conditions);
    EXPECT_TRUE(made.chip().level('B', 0)) << "no current";
  }
  EXPECT_GT(whole, 0);
}

TEST(ChipLink, StopsOnItsRampWhenItIsToldTo) {
  Rig rig = linked_carriage();
  rig.controller.timer_clock = ExactFrequency::from_base(4'000'000);
  rig.controller.small_chip->serial_baud = 62'500;
  rig.controller.link->delay = Time(80.0, units::ms);
  rig.mechanisms[0].limits.speed = parse_output<1>("25 mm/s");
  const Script script = parse_script("move carriage to 80 mm\n", "x.moves", rig);
  const std::string program = built_link(rig, "told");
  for (int i = 0; i < (is_slow() ? 60 : 4); ++i) {
    MadeChip made(rig, {}, program);
    EmulatedLine line(made.chip(), {62'500.0, 0, 0.0, 4e6});
    LiveBench::Options options;
    options.stream = &line;
    LiveBench bench(rig, options);
    ScriptPlayer player(script, bench.rig(), bench.cast());
    const std::int64_t stops_at = line.now_ns() + 320'000'000 + 29'300'000 * i;
    bool was_stopped = false;
    (void)play_script(bench, player, [&] {
      if (was_stopped || line.now_ns() < stops_at) return;
      was_stopped = true;
      bench.stop(StopBy::steepest_ramp, "enough");
    });
    EXPECT_TRUE(was_stopped);
    bench.serve(Time(500.0, units::ms));
    EXPECT_EQ(steps_of(bench), made.count(0)) << i;
    bench.close();
    EXPECT_EQ(bench.verdict().fault, "") << i;
    EXPECT_TRUE(made.chip().level('B', 0)) << "no current";
  }
}

TEST(ChipLink, BrakesAndRestsWhenTheComputerIsSilent) {
  const Rig rig = linked_carriage();
  const Script script = parse_script("move carriage to 80 mm\n", "x.moves", rig);
  const std::string program = built_link(rig, "silent");
  for (int i = 0; i < (is_slow() ? 50 : 3); ++i) {
    MadeChip made(rig, {}, program);
    EmulatedLine line(made.chip(), {baud});
    LiveBench::Options options;
    options.stream = &line;
    LiveBench bench(rig, options);
    ScriptPlayer player(script, bench.rig(), bench.cast());
    // The computer hangs in mid-move, for longer than the chip bears.
    const std::int64_t hangs_at = line.now_ns() + 600'000'000 + 37'000'000 * (i % 28) + 3'000'000 * (i / 28);
    bool has_hung = false;
    std::int64_t before = 0;
    (void)play_script(bench, player, [&] {
      if (has_hung || line.now_ns() < hangs_at) return;
      has_hung = true;
      before = made.count(0);
      line.pass_all(line.now_ns() + 600'000'000);
    });
    EXPECT_TRUE(has_hung);
    EXPECT_EQ(steps_of(bench), made.count(0));
    // From 8000 steps/s: what 100 ms and a ramp of 128 000 steps/s2 come to.
    EXPECT_LT(made.count(0) - before, 8000 / 10 + 8000 * 8000 / 2 / 128'000 + 260);
    EXPECT_TRUE(made.chip().level('B', 0)) << "no current";
    bench.close();
    // A computer that comes back as all should be over learns it of where the chip says that it stands.
    const std::string& fault = bench.verdict().fault;
    EXPECT_TRUE(fault.find("too long") != std::string::npos ||
                fault.find("were ordered") != std::string::npos)
        << i << ": " << fault;
  }
}

TEST(ChipLink, IsNoticedWhenItBeginsAnew) {
  const Rig rig = linked_carriage();
  const Script script = parse_script("move carriage to 80 mm\n", "x.moves", rig);
  MadeChip made(rig, {}, built_link(rig, "anew"));
  EmulatedLine line(made.chip(), {baud});
  made.chip().at(9'000'000, [&] { made.chip().brown_out(); });
  const Linked linked = play(rig, script, line);
  EXPECT_NE(linked.fault.find("begun anew"), std::string::npos) << linked.fault;
  EXPECT_FALSE(made.chip().level('B', 1));
}

TEST(ChipLink, ComesToRestWhenItIsUnplugged) {
  const Rig rig = linked_carriage();
  const Script script = parse_script("move carriage to 80 mm\n", "x.moves", rig);
  MadeChip made(rig, {}, built_link(rig, "unplugged"));
  EmulatedLine line(made.chip(), {baud});
  made.chip().at(11'000'000, [&] { line.is_unplugged = true; });
  const Linked linked = play(rig, script, line);
  EXPECT_NE(linked.fault.find("unplugged"), std::string::npos) << linked.fault;
  line.pass_all(line.now_ns() + 800'000'000);
  const std::int64_t then = made.count(0);
  EXPECT_GT(then, 0);
  EXPECT_TRUE(made.chip().level('B', 0)) << "no current";
  line.pass_all(line.now_ns() + 500'000'000);
  EXPECT_EQ(made.count(0), then);
}

TEST(ChipLink, RefusesTheProgramOfAnotherRig) {
  const Rig rig = linked_carriage();
  MadeChip made(rig, {}, built_link(rig, "other"));
  EmulatedLine line(made.chip(), {baud});
  Rig other = rig;
  other.mechanisms[0].limits.acceleration = parse_output<2>("400 mm/s2");
  LiveBench::Options options;
  options.stream = &line;
  try {
    LiveBench bench(other, options);
    FAIL();
  } catch (const Error& error) {
    EXPECT_NE(std::string(error.what()).find("made from other lines or figures"), std::string::npos)
        << error.what();
  }
}

}  // namespace
}  // namespace cogstride::chip_bench
