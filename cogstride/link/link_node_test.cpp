// Both ends of a link on this computer: what is put comes out as it was put, whatever happens to the bytes.
#include <gtest/gtest.h>

#include <random>

#include "cogstride/link/link_axis.hpp"
#include "cogstride/link/link_talk.hpp"
#include "cogstride/link/tick_clock.hpp"
#include "support/host_chip.hpp"

namespace cogstride::link_node_test {
namespace {

using testing_support::HostChip;

constexpr double ns_per_tick = 62.5;

/// The two, and the line between them.
class Pair {
 public:
  explicit Pair(std::uint32_t seed = 1) : random_(seed) { talk_.greet(HostChip::Machine::mark, 77, 100); }

  [[nodiscard]] std::int64_t now_ns() const {
    return std::llround(static_cast<double>(HostChip::now()) * ns_per_tick);
  }
  /// Time passes: what is on the line goes on.
  void run_for(std::int64_t ticks) {
    for (const std::int64_t until = HostChip::now() + ticks; HostChip::now() < until;) {
      if (speaks)
        for (const std::uint8_t byte : spoiled(talk_.send(now_ns()))) chip_.hear(byte);
      chip_.run_to(std::min(until, HostChip::now() + 16'000));
      std::vector<LinkMessage> messages;
      const std::vector<std::uint8_t> said = chip_.take_said();
      talk_.hear(spoiled(said), now_ns(), messages);
      for (LinkMessage& each : messages) heard.push_back(std::move(each));
    }
  }
  [[nodiscard]] LinkTalk& talk() { return talk_; }
  [[nodiscard]] HostChip& chip() { return chip_; }
  bool speaks = true;
  double spoils = 0.0;  ///< share of the bytes that something happens to
  std::vector<LinkMessage> heard{};

 private:
  std::vector<std::uint8_t> spoiled(std::span<const std::uint8_t> bytes) {
    std::vector<std::uint8_t> all;
    std::uniform_real_distribution<double> share(0.0, 1.0);
    for (const std::uint8_t byte : bytes) {
      if (share(random_) >= spoils) {
        all.push_back(byte);
        continue;
      }
      switch (random_() % 4) {
        case 0:
          break;  // lost
        case 1:
          all.insert(all.end(), {byte, byte});
          break;
        case 2:
          all.push_back(static_cast<std::uint8_t>(byte ^ (1U << random_() % 8)));
          break;
        default:
          all.push_back(byte);
          if (all.size() > 1) std::swap(all.back(), all[all.size() - 2]);
      }
    }
    return all;
  }

  std::mt19937 random_;
  HostChip chip_{};
  LinkTalk talk_{1e-9 * 11'520.0};
};

LinkBytes runs_order(std::uint8_t axis, std::int64_t start, const std::vector<chip::NarrowPulseRun>& runs,
                     std::uint8_t bridge = 0, std::uint8_t stop = 0) {
  LinkBytes bytes(LinkOrder::runs);
  bytes.byte(axis).word(static_cast<std::uint32_t>(start)).half(0).byte(bridge).byte(stop);
  for (const chip::NarrowPulseRun& run : runs)
    bytes.word(run.gap)
        .word(static_cast<std::uint32_t>(run.change))
        .half(static_cast<std::uint16_t>(run.bend))
        .byte(run.steps)
        .byte(run.flags);
  return bytes;
}

TEST(LinkNode, IsGreetedAndTellsWhatItIs) {
  Pair pair;
  pair.run_for(160'000);
  ASSERT_FALSE(pair.heard.empty());
  EXPECT_EQ(pair.heard[0].what, LinkReading::hail);
  EXPECT_EQ(pair.heard[0].session, 77);
  EXPECT_EQ(pair.heard[0].mark, HostChip::Machine::mark);
  EXPECT_EQ(pair.heard[0].words, std::vector<std::uint32_t>{26});
  EXPECT_TRUE(std::any_of(pair.heard.begin(), pair.heard.end(), [](const LinkMessage& each) {
    return each.what == LinkReading::told && each.asked_ns != 0 &&
           each.room == std::vector<std::uint8_t>{15, 15};
  }));
}

TEST(LinkNode, PlaysRunsOnTheirTicks) {
  Pair pair;
  pair.run_for(160'000);
  const std::int64_t start = HostChip::now() + 320'000;
  pair.talk().order(runs_order(0, start, {{8'000U << 16, 0, 0, 100, 0}, {48'000U << 16, 0, 0, 50, 0}}), 0, 2);
  pair.talk().order(
      runs_order(1, start + 5, {{40'000U << 12, 0, 0, 3, chip::run_slow | chip::run_backwards}}), 1, 1);
  pair.run_for(4'000'000);
  const auto& steps = pair.chip().steps(0);
  ASSERT_EQ(steps.size(), 150U);
  for (std::size_t i = 0; i < 150; ++i) {
    const std::int64_t at = i < 100 ? 8'000 * static_cast<std::int64_t>(i + 1)
                                    : 800'000 + 48'000 * static_cast<std::int64_t>(i - 99);
    ASSERT_EQ(steps[i].at, start + at) << i;
  }
  ASSERT_EQ(pair.chip().steps(1).size(), 3U);
  EXPECT_TRUE(pair.chip().steps(1)[0].backwards);
  EXPECT_EQ(pair.chip().steps(1)[2].at, start + 5 + 3 * 40'000);
  EXPECT_EQ(pair.chip().place(0), 150);
  const auto stood = std::find_if(pair.heard.begin(), pair.heard.end(), [](const LinkMessage& each) {
    return each.what == LinkReading::stood && each.which == 0;
  });
  ASSERT_NE(stood, pair.heard.end());
  EXPECT_EQ(stood->value, 150);
}

TEST(LinkNode, PutsDutiesOnTheirTicksAndTakesThemBack) {
  Pair pair;
  pair.run_for(160'000);
  const std::int64_t start = HostChip::now() + 320'000;
  const auto tick = [&](std::int64_t after) { return static_cast<std::uint32_t>(start + after); };
  pair.talk().order(LinkBytes(LinkOrder::duties).word(tick(0)).byte(29).half(200).byte(30).half(0));
  pair.talk().order(LinkBytes(LinkOrder::duties).word(tick(160'000)).byte(29).half(40'000));
  pair.talk().order(LinkBytes(LinkOrder::levels).word(tick(160'000)).byte(0x80 | 9));
  pair.talk().order(LinkBytes(LinkOrder::duties).word(tick(320'000)).byte(29).half(7).byte(30).half(8));
  pair.talk().order(LinkBytes(LinkOrder::keep_levels).word(tick(160'001)).byte(29));
  pair.run_for(800'000);
  const auto& duties = pair.chip().duties();
  ASSERT_EQ(duties.size(), 4U);
  const std::vector<std::pair<int, int>> wanted{{29, 200}, {30, 0}, {29, 40'000}, {30, 8}};
  const std::vector<std::int64_t> at{0, 0, 160'000, 320'000};
  for (std::size_t i = 0; i < wanted.size(); ++i) {
    EXPECT_EQ(std::pair(int{duties[i].line}, int{duties[i].on}), wanted[i]) << i;
    EXPECT_GE(duties[i].at, start + at[i]) << i;
    EXPECT_LT(duties[i].at, start + at[i] + 2 * HostChip::turn) << i;
  }
  ASSERT_EQ(pair.chip().puts().size(), 1U);
  EXPECT_TRUE(pair.chip().puts()[0].high);
  EXPECT_EQ(pair.chip().puts()[0].line, 9);
}

TEST(LinkNode, TellsCountsAsOftenAsItIsAsked) {
  Pair pair;
  pair.run_for(160'000);
  const std::int64_t first = HostChip::now() + 160'000;
  pair.talk().order(
      LinkBytes(LinkOrder::sample).byte(0x80).word(static_cast<std::uint32_t>(first)).word(160'000));
  // Backwards through zero, an edge each 32 000 ticks; then it stands for longer than can be told.
  constexpr std::array<std::uint8_t, 4> backwards{2, 3, 1, 0};
  std::int64_t last_edge = 0;
  for (int i = 0; i < 30; ++i) {
    pair.run_for(32'000);
    pair.chip().turn_to(backwards[static_cast<std::size_t>(i % 4)]);
    last_edge = HostChip::now();
  }
  pair.run_for(2'000'000);
  std::vector<LinkMessage> counts;
  for (const LinkMessage& each : pair.heard)
    if (each.what == LinkReading::count) counts.push_back(each);
  ASSERT_GT(counts.size(), 12U);
  for (std::size_t i = 0; i < counts.size(); ++i) {
    const std::int64_t at = first + 160'000 * static_cast<std::int64_t>(i);
    const auto late = static_cast<std::int32_t>(counts[i].tick - static_cast<std::uint32_t>(at));
    EXPECT_GE(late, 0) << i;
    EXPECT_LT(late, 2 * HostChip::turn) << i;
    const auto told = static_cast<std::uint32_t>(counts[i].value);
    const std::uint32_t ago = told >> 16;
    const auto tick = static_cast<std::uint32_t>(counts[i].tick);
    const auto since = static_cast<std::uint32_t>(tick - static_cast<std::uint32_t>(last_edge));
    if (static_cast<std::int32_t>(since) > 0) {
      EXPECT_EQ(static_cast<std::int16_t>(told & 0xffff), -30);
      EXPECT_EQ(ago, std::min<std::uint32_t>(since / 16, 0xffff));
    } else {
      EXPECT_LE(ago * 16, 32'000U);
    }
  }
  // No more of them.
  pair.heard.clear();
  pair.talk().order(LinkBytes(LinkOrder::sample).byte(0x80).word(0).word(0xffffffff));
  pair.run_for(160'000);
  pair.heard.clear();
  pair.run_for(800'000);
  for (const LinkMessage& each : pair.heard) EXPECT_NE(each.what, LinkReading::count);
}

/// A loop of an encoder of its own: half the duty goes to line 30 forwards, to line 29 backwards; line 9 is
/// its enable.
LinkBytes made_loop(std::uint8_t flags) {
  LinkBytes loop(LinkOrder::loop);
  loop.byte(0).byte(0).word(32'000).word(0).word(0).half(32'767).half(32'767).word(6554).byte(flags);
  loop.byte(30).byte(2 | 0 << 2 | 0 << 4).half(256);
  loop.byte(29).byte(0 | 2 << 2 | 0 << 4).half(256);
  loop.byte(9).byte(1 | 1 << 2 | 1 << 4).half(0);
  return loop;
}
/// @param speed  counts a period
LinkBytes held_at(std::int64_t tick, std::int32_t speed, std::int16_t base, std::uint8_t flags) {
  LinkBytes hold(LinkOrder::hold);
  hold.byte(0).byte(flags).word(static_cast<std::uint32_t>(tick)).word(0);
  hold.word(static_cast<std::uint32_t>(speed) << 16).word(0).half(0);
  hold.half(static_cast<std::uint16_t>(base)).word(0).word(1'048'576);
  return hold.byte(chip::LoopWanted::lets_all);
}

TEST(LinkNode, ClosesALoopFromItsCountToItsDuties) {
  Pair pair;
  pair.run_for(160'000);
  pair.talk().order(made_loop(chip::LoopFlags::can_brake));
  const std::int64_t start = HostChip::now() + 320'000;
  pair.talk().order(held_at(start, 0, 16'384, 0));
  pair.talk().order(held_at(start + 3'200'000, 0, -8192, 0));
  pair.talk().order(held_at(start + 6'400'000, 0, 0, chip::LoopWanted::off));
  pair.talk().order(
      LinkBytes(LinkOrder::sample).byte(0xc0).word(static_cast<std::uint32_t>(start + 100)).word(160'000));
  pair.run_for(8'000'000);
  const std::vector<HostChip::Duty>& duties = pair.chip().duties();
  ASSERT_EQ(duties.size(), 2U * 201U) << "two lines, 100 periods each way, and its end";
  for (std::size_t i = 0; i < duties.size(); ++i) {
    const auto turn = static_cast<std::int64_t>(i / 2);
    EXPECT_GE(duties[i].at, start + 32'000 * turn) << i;
    EXPECT_LT(duties[i].at, start + 32'000 * turn + 2 * HostChip::turn) << i;
    const bool forwards = turn < 100;
    const bool is_over = turn == 200;
    const int wanted = is_over ? 0 : i % 2 == 0 ? (forwards ? 128 : 0) : (forwards ? 0 : 64);
    EXPECT_EQ(duties[i].line, i % 2 == 0 ? 30 : 29) << i;
    EXPECT_EQ(duties[i].on, wanted) << i;
  }
  for (const HostChip::Put& put : pair.chip().puts()) EXPECT_TRUE(put.line == 9 && put.high);
  std::vector<int> told;
  for (const LinkMessage& each : pair.heard)
    if (each.what == LinkReading::held) told.push_back(each.value >> 16);
  ASSERT_GT(told.size(), 40U);
  EXPECT_EQ(told[5], 16'384);
  EXPECT_EQ(told[30], -8192);
  EXPECT_EQ(told[45], 0);
}

TEST(LinkNode, BringsALoopToRestWhenItsComputerIsSilentAndClosesNoneThatIsNotMade) {
  Pair pair;
  pair.run_for(160'000);
  pair.talk().order(held_at(HostChip::now() + 320'000, 2, 16'384, 0));
  pair.run_for(1'600'000);
  EXPECT_TRUE(pair.chip().duties().empty()) << "nobody has said how it is made";
  LinkBytes other = made_loop(0);
  pair.talk().order(std::move(other));
  pair.talk().order(held_at(HostChip::now() + 320'000, 2, 16'384, chip::LoopWanted::yields));
  pair.run_for(1'600'000);
  EXPECT_GT(pair.chip().duties().size(), 60U);
  const std::int64_t rested = pair.chip().rested();
  // 100 ms of silence; then 2 counts a period, a tenth of one less each period: 20 of them.
  pair.speaks = false;
  const std::int64_t silent = HostChip::now();
  pair.run_for(6'400'000);
  EXPECT_EQ(pair.chip().rested(), rested + 1);
  const std::int64_t last = pair.chip().duties().back().at;
  // It had been heard of up to 20 ms before.
  EXPECT_GT(static_cast<double>(last - silent) / 16'000.0, 80.0 + 36.0) << "ms";
  EXPECT_LT(static_cast<double>(last - silent) / 16'000.0, 100.0 + 46.0) << "ms";
  EXPECT_EQ(pair.chip().duties().back().on, 0);
}

/// @param speed  1 count for so many ticks
void turn(Pair& pair, int counts, std::int64_t each, int& count) {
  constexpr std::array<std::uint8_t, 4> tracks{0, 1, 3, 2};
  for (int i = 0; i < std::abs(counts); ++i) {
    pair.run_for(each);
    count += counts > 0 ? 1 : -1;
    pair.chip().turn_to(tracks[static_cast<std::size_t>(((count % 4) + 4) % 4)]);
  }
}
LinkBytes geared(std::uint8_t axis, std::int64_t tick, std::int32_t steps, std::int32_t counts,
                 std::int32_t at) {
  LinkBytes gear(LinkOrder::gear);
  gear.byte(axis).byte(0).word(static_cast<std::uint32_t>(tick)).word(static_cast<std::uint32_t>(steps));
  gear.word(static_cast<std::uint32_t>(counts)).half(0).word(static_cast<std::uint32_t>(at)).word(0);
  return gear.half(8000).half(400).word(40'000);
}

TEST(LinkNode, GearsAnAxisToItsCountUntilItIsLetGo) {
  Pair pair;
  pair.run_for(160'000);
  int count = 0;
  pair.talk().order(geared(0, HostChip::now() + 320'000, -1, 2, 0));
  pair.talk().order(LinkBytes(LinkOrder::sample)
                        .byte(0xa0)
                        .word(static_cast<std::uint32_t>(HostChip::now()))
                        .word(320'000));
  pair.run_for(480'000);
  turn(pair, 400, 16'000, count);
  pair.run_for(6'400'000);
  EXPECT_EQ(pair.chip().place(0), -200) << "past it, as its leader stood at once, and back";
  turn(pair, -101, 16'000, count);
  pair.run_for(6'400'000);
  EXPECT_EQ(pair.chip().place(0), -150) << "a step back is made on reaching the one below";
  // Another axis has to wait for the encoder; this one comes to rest where its ramp ends.
  turn(pair, 200, 8000, count);
  pair.talk().order(LinkBytes(LinkOrder::let_go).byte(0).word(static_cast<std::uint32_t>(HostChip::now())));
  turn(pair, 400, 8000, count);
  pair.run_for(6'400'000);
  const std::int64_t stands = pair.chip().place(0);
  EXPECT_LT(stands, -230);
  EXPECT_GT(stands, -300) << "v^2 / 2a behind where it was let go, at 1000 steps/s";
  std::vector<LinkMessage> places;
  std::vector<LinkMessage> stood;
  for (const LinkMessage& each : pair.heard) {
    if (each.what == LinkReading::place) places.push_back(each);
    if (each.what == LinkReading::stood) stood.push_back(each);
  }
  ASSERT_EQ(stood.size(), 1U);
  EXPECT_EQ(stood[0].value, stands);
  EXPECT_EQ(stood[0].how, chip::LinkStood::at_end);
  ASSERT_GT(places.size(), 20U);
  pair.talk().order(geared(1, HostChip::now() + 32'000, 1, 1, 0));
  pair.run_for(320'000);
  EXPECT_FALSE(pair.chip().is_playing(0));
}

TEST(LinkNode, BrakesWhatIsGearedWhenItsComputerIsSilentAndCutsItAtOnce) {
  for (const bool is_cut : {false, true}) {
    Pair pair;
    pair.run_for(160'000);
    int count = 0;
    pair.talk().order(geared(0, HostChip::now() + 32'000, 1, 1, 0));
    turn(pair, 600, 8000, count);
    ASSERT_TRUE(pair.chip().is_playing(0));
    if (is_cut) {
      pair.talk().cut(1);
      pair.run_for(32'000);
      EXPECT_FALSE(pair.chip().is_playing(0));
    } else {
      pair.speaks = false;
    }
    const std::int64_t rested = pair.chip().rested();
    turn(pair, 1000, 8000, count);
    EXPECT_FALSE(pair.chip().is_playing(0));
    EXPECT_EQ(pair.chip().rested(), rested + (is_cut ? 0 : 1));
    // Nothing of what its leader does reaches it any more.
    const std::int64_t stands = pair.chip().place(0);
    turn(pair, 200, 8000, count);
    EXPECT_EQ(pair.chip().place(0), stands);
  }
}

TEST(LinkNode, ReadsAVoltageOnceWhenThatIsAsked) {
  Pair pair;
  pair.run_for(160'000);
  pair.talk().order(LinkBytes(LinkOrder::sample)
                        .byte(3)
                        .word(static_cast<std::uint32_t>(HostChip::now() + 80'000))
                        .word(0));
  pair.run_for(1'600'000);
  EXPECT_EQ(std::count_if(pair.heard.begin(), pair.heard.end(),
                          [](const LinkMessage& each) { return each.what == LinkReading::code; }),
            1);
}

TEST(LinkNode, BrakesWhenNothingFollowsInTime) {
  Pair pair;
  pair.run_for(160'000);
  // 8000 steps/s, and then nothing.
  pair.talk().order(runs_order(0, HostChip::now() + 320'000, {{2'000U << 16, 0, 0, 200, 0}}), 0, 1);
  pair.run_for(16'000'000);
  const auto& steps = pair.chip().steps(0);
  // v^2 / 2a = (8000^2 - 400^2) / 80000: the ramp's steps.
  EXPECT_NEAR(static_cast<double>(steps.size()), 200.0 + 798.0, 10.0);
  for (std::size_t i = 201; i < steps.size(); ++i)
    ASSERT_GE(steps[i].at - steps[i - 1].at + 20, steps[i - 1].at - steps[i - 2].at) << i;
  const LinkMessage& stood = *std::find_if(pair.heard.begin(), pair.heard.end(), [](const LinkMessage& each) {
    return each.what == LinkReading::stood;
  });
  EXPECT_EQ(stood.how, chip::LinkStood::braked);
  EXPECT_EQ(stood.value, static_cast<std::int64_t>(steps.size()));
}

TEST(LinkNode, ComesToRestWhenTheComputerIsSilent) {
  Pair pair;
  pair.run_for(160'000);
  for (int i = 0; i < 4; ++i)
    pair.talk().order(
        runs_order(
            0, HostChip::now() + 320'000,
            {{2'000U << 16, 0, 0, 250, 0}, {2'000U << 16, 0, 0, 250, 0}, {2'000U << 16, 0, 0, 250, 0}}),
        0, 3);
  pair.run_for(1'600'000);  // 100 ms
  ASSERT_TRUE(pair.chip().is_playing(0));
  const std::int64_t silent_from = HostChip::now();
  const std::int64_t rested = pair.chip().rested();
  pair.speaks = false;
  pair.run_for(16'000'000);
  EXPECT_FALSE(pair.chip().is_playing(0));
  EXPECT_EQ(pair.chip().rested(), rested + 1);
  const auto& steps = pair.chip().steps(0);
  // It was heard for the last time up to 20 ms before; 100 ms later it brakes, for 0.19 s.
  EXPECT_LT(static_cast<double>(steps.back().at - silent_from) / 16e6, 0.1 + 0.02 + 0.2);
  EXPECT_EQ(pair.chip().place(0), static_cast<std::int64_t>(steps.size()));
  // It obeys nothing until all is cut.
  pair.speaks = true;
  pair.talk().order(runs_order(0, HostChip::now() + 640'000, {{2'000U << 16, 0, 0, 10, 0}}), 0, 1);
  pair.run_for(3'200'000);
  EXPECT_EQ(pair.chip().place(0), static_cast<std::int64_t>(pair.chip().steps(0).size()));
  EXPECT_EQ(pair.heard.back().how & chip::LinkState::silent, chip::LinkState::silent);
  const std::size_t before = steps.size();
  pair.talk().cut(1);
  pair.run_for(800'000);
  EXPECT_FALSE(pair.talk().is_cutting());
  pair.talk().order(runs_order(0, HostChip::now() + 640'000, {{48'000U << 16, 0, 0, 10, 0}}), 0, 1);
  pair.run_for(3'200'000);
  EXPECT_EQ(pair.chip().steps(0).size(), before + 10);
}

TEST(LinkNode, LeavesOutCodesThatNobodyListensTo) {
  Pair pair;
  pair.run_for(160'000);
  pair.talk().order(
      LinkBytes(LinkOrder::sample).byte(4).word(static_cast<std::uint32_t>(HostChip::now())).word(16'000));
  pair.run_for(800'000);
  const auto codes = [&] {
    return std::count_if(pair.heard.begin(), pair.heard.end(),
                         [](const LinkMessage& each) { return each.what == LinkReading::code; });
  };
  EXPECT_GT(codes(), 40);
  // The computer is busy for a while, and a switch is touched.
  pair.speaks = false;
  pair.run_for(960'000);
  pair.chip().edge(26, true);
  pair.chip().edge(26, false);
  pair.speaks = true;
  pair.heard.clear();
  pair.run_for(1'600'000);
  EXPECT_EQ(std::count_if(pair.heard.begin(), pair.heard.end(),
                          [](const LinkMessage& each) { return each.what == LinkReading::edge; }),
            2);
  EXPECT_GT(codes(), 40);
  EXPECT_TRUE(std::all_of(pair.heard.begin(), pair.heard.end(), [](const LinkMessage& each) {
    return each.what != LinkReading::told || (each.how & chip::LinkState::flooded) == 0;
  }));
}

TEST(LinkNode, AnEdgeEndsRunsThatAreToEnd) {
  Pair pair;
  pair.run_for(160'000);
  pair.talk().order(runs_order(0, HostChip::now() + 320'000, {{16'000U << 16, 0, 0, 200, chip::run_stops}}, 0,
                               26 + 1 + 0x80),
                    0, 1);
  pair.run_for(1'600'000);
  pair.chip().edge(26, false);
  pair.run_for(16'000);
  ASSERT_TRUE(pair.chip().is_playing(0)) << "the other edge";
  pair.chip().edge(26, true);
  EXPECT_FALSE(pair.chip().is_playing(0));
  const std::int64_t place = pair.chip().place(0);
  pair.run_for(3'200'000);
  EXPECT_EQ(pair.chip().place(0), place);
  const auto edge = std::find_if(pair.heard.begin(), pair.heard.end(), [](const LinkMessage& each) {
    return each.what == LinkReading::edge && each.high;
  });
  ASSERT_NE(edge, pair.heard.end());
  EXPECT_EQ(edge->ended, 1);
  EXPECT_EQ(std::next(edge)->what, LinkReading::stood);
}

TEST(LinkNode, AnEmergencyStopNeedsNoComputer) {
  for (const std::uint16_t waits : {std::uint16_t{0}, std::uint16_t{50}}) {
    Pair pair;
    pair.run_for(160'000);
    pair.talk().order(LinkBytes(LinkOrder::react).byte(31 + 0x80).byte(0xff).half(5).half(20).half(waits));
    for (int i = 0; i < 4; ++i)
      pair.talk().order(runs_order(0, HostChip::now() + 320'000,
                                   {{2'000U << 16, 0, 0, 250, 0}, {2'000U << 16, 0, 0, 250, 0}}),
                        0, 2);
    pair.run_for(1'600'000);
    ASSERT_TRUE(pair.chip().is_playing(0));
    // What does not stand for long enough is none.
    pair.chip().edge(31, true);
    pair.run_for(48'000);
    pair.chip().edge(31, false);
    pair.run_for(160'000);
    ASSERT_TRUE(pair.chip().is_playing(0));
    const std::int64_t rested = pair.chip().rested();
    pair.chip().edge(31, true);
    const std::int64_t pressed = HostChip::now();
    while (pair.chip().is_playing(0) && HostChip::now() < pressed + 3'200'000) pair.run_for(1600);
    EXPECT_NEAR(static_cast<double>(HostChip::now() - pressed) / 16e3, 5.0 + waits, 2.0) << "ms";
    EXPECT_EQ(pair.chip().rested(), rested + 1);
    pair.run_for(480'000);
    EXPECT_EQ(pair.heard.back().how, waits == 0 ? chip::LinkState::acted : chip::LinkState::unanswered);
    // Nothing goes on, whatever is said, until all is cut.
    pair.talk().order(runs_order(0, HostChip::now() + 320'000, {{48'000U << 16, 0, 0, 5, 0}}), 0, 1);
    const std::size_t steps = pair.chip().steps(0).size();
    pair.run_for(1'600'000);
    EXPECT_EQ(pair.chip().steps(0).size(), steps);
  }
}

TEST(LinkNode, AnAnswerKeepsAStopWaiting) {
  Pair pair;
  pair.run_for(160'000);
  pair.talk().order(LinkBytes(LinkOrder::react).byte(31 + 0x80).byte(0xff).half(0).half(20).half(50));
  pair.talk().order(runs_order(0, HostChip::now() + 320'000, {{20'000U << 16, 0, 0, 250, 0}}), 0, 1);
  pair.run_for(800'000);
  const std::int64_t rested = pair.chip().rested();
  pair.chip().edge(31, true);
  pair.run_for(320'000);
  pair.talk().order(LinkBytes(LinkOrder::answered));
  pair.run_for(1'600'000);
  EXPECT_EQ(pair.chip().rested(), rested);
  EXPECT_TRUE(pair.chip().is_playing(0));
}

/// Motions of one axis as LinkAxis hands them out, taken back here and there.
TEST(LinkNode, PlaysWhatItsMirrorSaysWhateverHappensToTheBytes) {
  // Frames, both ways.
  const std::int64_t most = std::getenv("COGSTRIDE_SLOW") != nullptr ? 500'000 : 5'000;
  for (const double spoils : {0.0, 0.002}) {
    Pair pair(7);
    pair.spoils = spoils;
    std::mt19937 random(2);
    while (pair.heard.empty()) pair.run_for(160'000);
    LinkAxis axis(16e6);
    std::size_t made_of = 0;
    const auto feed = [&] {
      std::size_t room = 15;
      for (const LinkMessage& each : pair.heard) {
        if (each.what == LinkReading::told && !each.room.empty()) room = each.room[0];
        if (each.what == LinkReading::stood) {
          axis.stands();
          ASSERT_EQ(each.how, chip::LinkStood::at_end);
        }
        ASSERT_NE(each.what, LinkReading::late);
      }
      pair.heard.clear();
      while (pair.talk().waiting() < LinkTalk::most_orders) {
        const std::size_t taken = pair.talk().runs_on_their_way(0);
        const auto order = axis.next(room > taken ? room - taken : 0);
        if (!order) return;
        pair.talk().order(runs_order(0, order->start.tick, order->runs, order->bridge, order->stop), 0,
                          static_cast<std::uint8_t>(order->runs.size()));
      }
    };
    const LinkTalk::Counts& counts = pair.talk().counts();
    while (counts.frames_sent + counts.frames_heard < most) {
      const auto gap = static_cast<std::uint64_t>(1000 + random() % 40'000);
      const std::int64_t start = std::max(axis.end().tick, HostChip::now() + 1'600'000) +
                                 static_cast<std::int64_t>(random() % 3'000'000);
      std::vector<chip::PulseRun> runs;
      for (unsigned i = 0; i < 1 + random() % 6; ++i)
        runs.push_back({gap << 16, 0, 0, static_cast<std::uint16_t>(20 + random() % 200),
                        static_cast<std::uint8_t>(random() % 5 == 0 ? chip::run_backwards : 0), 0});
      // It ends slowly enough.
      for (int i = 0; i < 2; ++i) runs.push_back({42'000U << 16, 0, 0, 60, 0, 0});
      axis.put({start, 0}, runs, 0);
      const std::int64_t until = start + static_cast<std::int64_t>(random() % 4'000'000);
      while (HostChip::now() < until) {
        feed();
        pair.run_for(16'000);
      }
      if (random() % 3 == 0 && axis.plays(HostChip::now() + 2'400'000)) {
        std::optional<std::uint32_t> stays;
        const std::int64_t from = HostChip::now() + 1'600'000;
        (void)axis.take_back(from, stays);
        if (stays) pair.talk().order(LinkBytes(LinkOrder::take_back).byte(0).word(*stays));
        // Slower, and to its end.
        const chip::PulseRun slow{42'000U << 16, 0, 0, 40, 0, 0};
        axis.put({std::max(from, axis.end().tick), 0}, std::array{slow}, 0);
      }
    }
    while (axis.waits() || pair.chip().is_playing(0) || axis.end().tick > HostChip::now()) {
      feed();
      pair.run_for(16'000);
    }
    pair.run_for(1'600'000);
    EXPECT_EQ(pair.chip().place(0), axis.leads_to());
    EXPECT_EQ(pair.chip().place(0), axis.steps_before(HostChip::now(), nullptr));
    made_of = pair.chip().steps(0).size();
    EXPECT_GT(made_of, 1000U);
    if (spoils > 0.0) {
      EXPECT_GT(pair.talk().counts().sent_again, 0);
    }
  }
}

}  // namespace
}  // namespace cogstride::link_node_test
