// The player of live lines against a clock of its own making, with delays put in wherever a computer may have
// them.
#include "cogstride/bench/live/edge_player.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <random>

#include "support/trials.hpp"

namespace cogstride::edge_player_test {
namespace {

using testing_support::trials;
using Use = LineSetup::Use;

constexpr LineId step{0};
constexpr LineId dir{1};
constexpr LineId gate{2};
constexpr MechanismId owner{3};
constexpr double ticks_per_second = 1e6;  // a tick is a microsecond
constexpr Tick width = 4;
constexpr Tick after_step = 6;
constexpr Tick after_dir = 20;

/// Time goes on by a little with every look at it, and by more where a test says so.
class FakePort final : public LinePort {
 public:
  struct Written {
    std::int64_t at_ns;
    LineId line;
    bool high;
  };

  [[nodiscard]] std::int64_t now_ns() override { return ns += 50; }
  void write(std::span<const Level> levels) override {
    ns += 300;
    if (!delays_in_writing.empty() && ns >= delays_in_writing.back().first) {
      ns += delays_in_writing.back().second;
      delays_in_writing.pop_back();
    }
    for (const Level& level : levels) written.push_back({ns, level.line, level.high});
    ++writes;
  }
  RestOutcome rest() noexcept override { return {}; }
  [[nodiscard]] bool read(LineId) override { return gate_high; }
  void take_edges(std::vector<PortEdge>& edges) override {
    ns += 400;
    while (!coming.empty() && coming.back().at_ns <= ns) {
      edges.push_back(coming.back());
      gate_high = coming.back().high;
      coming.pop_back();
    }
  }
  void sleep_until(std::int64_t until) override {
    if (!coming.empty()) until = std::min(until, coming.back().at_ns);
    ns = std::max(ns, until) + 1'000;
    if (!oversleeps.empty() && ns >= oversleeps.back().first) {
      ns += oversleeps.back().second;
      oversleeps.pop_back();
    }
  }
  void wake() noexcept override {}

  std::int64_t ns = 0;
  std::vector<Written> written;
  int writes = 0;
  bool gate_high = false;
  std::vector<PortEdge> coming;                                   // the next one last
  std::vector<std::pair<std::int64_t, std::int64_t>> oversleeps;  // from when, by how much; the next one last
  std::vector<std::pair<std::int64_t, std::int64_t>> delays_in_writing;
};

chip::PulseRun steady(Tick gap, std::uint16_t steps) {
  return {static_cast<std::uint64_t>(gap) << 16, 0, 0, steps, 0, 0};
}

class EdgePlayerTest : public testing::Test {
 protected:
  EdgePlayerTest() : commands(512), reports(65'536), player(setup(), port, commands, reports) {}

  static EdgePlayer::Setup setup() {
    EdgePlayer::Setup setup;
    setup.lines = {{step, "x.step", owner, Use::pulses, false, width, {}, after_step},
                   {dir, "x.dir", owner, Use::level, true, 0, {}, after_dir},
                   {gate, "x.gate", owner, Use::input, false, 0, SourceId{2}}};
    setup.ticks_per_second = ticks_per_second;
    setup.bound = 100;
    setup.spin_ns = 10'000;
    return setup;
  }

  void put(Tick start, const chip::PulseRun& run, std::optional<StopOn> stop = {}) {
    LiveCommand command;
    command.kind = LiveCommand::Kind::run;
    command.line = step;
    command.start = {start, 0};
    command.run = run;
    command.has_stop = stop.has_value();
    if (stop) command.stop = *stop;
    ASSERT_TRUE(commands.push(command));
  }
  void put_dir(Tick at, bool high) {
    LiveCommand command;
    command.kind = LiveCommand::Kind::levels;
    command.at = at;
    command.level_count = 1;
    command.levels[0] = {dir, high};
    ASSERT_TRUE(commands.push(command));
  }
  void run_until(Tick until) {
    while (player.now() < until) player.turn();
  }
  [[nodiscard]] std::vector<PlayerReport> told(PlayerReport::Kind kind) {
    PlayerReport report;
    while (reports.pop(report)) all.push_back(report);
    std::vector<PlayerReport> some;
    std::copy_if(all.begin(), all.end(), std::back_inserter(some),
                 [&](const PlayerReport& r) { return r.kind == kind; });
    return some;
  }
  /// When the line's edges in that direction were written, us.
  [[nodiscard]] std::vector<double> edges(LineId line, bool high) const {
    std::vector<double> at;
    for (const FakePort::Written& each : port.written)
      if (each.line == line && each.high == high) at.push_back(1e-3 * static_cast<double>(each.at_ns));
    return at;
  }
  /// Closest two changes of STEP and DIR, us.
  [[nodiscard]] double closest() const {
    double least = 1e9;
    for (std::size_t i = 1; i < port.written.size(); ++i)
      least = std::min(least, 1e-3 * static_cast<double>(port.written[i].at_ns - port.written[i - 1].at_ns));
    return least;
  }

  FakePort port;
  EdgePlayer::Commands commands;
  EdgePlayer::Reports reports;
  EdgePlayer player;
  std::vector<PlayerReport> all;
};

TEST_F(EdgePlayerTest, PlaysATrainOnTime) {
  put(1000, steady(60, 200));
  run_until(20'000);
  const std::vector<double> ups = edges(step, true);
  ASSERT_EQ(ups.size(), 200u);
  EXPECT_EQ(edges(step, false).size(), 200u);
  for (std::size_t i = 0; i < ups.size(); ++i)
    EXPECT_NEAR(ups[i], 1000.0 + 60.0 * static_cast<double>(i + 1), 1.5) << i;
  EXPECT_GE(closest(), static_cast<double>(width));
  EXPECT_EQ(player.lateness().edges(), 400);
  EXPECT_LE(player.lateness().worst(), 2);
  EXPECT_EQ(player.lateness().beyond(), 0);
  EXPECT_EQ(told(PlayerReport::Kind::written).size(), 400u);
}

TEST_F(EdgePlayerTest, ALateEdgeIsNotSqueezedAgainstTheNext) {
  port.oversleeps = {{3'000'000, 90'000}};  // 90 us, at 3 ms: within the bound
  put(1000, steady(60, 200));
  run_until(20'000);
  const std::vector<double> ups = edges(step, true);
  ASSERT_EQ(ups.size(), 200u) << "none is left out";
  EXPECT_GE(closest(), static_cast<double>(width));
  for (std::size_t i = 1; i < ups.size(); ++i)
    EXPECT_GE(ups[i] - ups[i - 1], static_cast<double>(width + after_step)) << i;
  EXPECT_NEAR(ups.back(), 1000.0 + 60.0 * 200, 1.5) << "caught up again";
  EXPECT_GT(player.lateness().worst(), 60);
  EXPECT_EQ(player.lateness().beyond(), 0);
  EXPECT_TRUE(told(PlayerReport::Kind::too_late).empty());
}

TEST_F(EdgePlayerTest, PastTheBoundTimeStandsStillForAllLines) {
  port.oversleeps = {{3'000'000, 5'000'000}};  // 5 ms
  put(1000, steady(60, 200));
  run_until(20'000);
  const std::vector<double> ups = edges(step, true);
  ASSERT_EQ(ups.size(), 200u);
  double longest = 0.0;
  for (std::size_t i = 1; i < ups.size(); ++i) {
    EXPECT_GE(ups[i] - ups[i - 1], 58.0) << "at their planned distance, before and after: " << i;
    longest = std::max(longest, ups[i] - ups[i - 1]);
  }
  EXPECT_NEAR(longest, 5060.0, 70.0);
  EXPECT_NEAR(static_cast<double>(player.stood_still()), 5000.0, 70.0);
  const std::vector<PlayerReport> late = told(PlayerReport::Kind::too_late);
  ASSERT_EQ(late.size(), 1u);
  EXPECT_EQ(late[0].late, player.stood_still());
  EXPECT_EQ(player.lateness().beyond(), 1);
}

TEST_F(EdgePlayerTest, KeepsDirSteadyAroundSteps) {
  port.delays_in_writing = {{2'000'000, 80'000}};
  put(1000, steady(100, 10));  // the last at 2000, over at 2004
  put_dir(2012, false);        // 8 after the pulse
  put(2012, steady(25, 1));    // 25 after DIR
  put(2037, steady(100, 5));
  run_until(5000);
  const std::vector<double> ups = edges(step, true);
  const std::vector<double> downs = edges(step, false);
  const std::vector<double> turned = edges(dir, false);
  ASSERT_EQ(ups.size(), 16u);
  ASSERT_EQ(turned.size(), 1u);
  EXPECT_GT(ups[9], 2075.0) << "late";
  EXPECT_GE(turned[0] - downs[9], static_cast<double>(after_step));
  EXPECT_GE(ups[10] - turned[0], static_cast<double>(after_dir));
  EXPECT_GE(closest(), static_cast<double>(width));
}

TEST_F(EdgePlayerTest, WithdrawnStepsNeverGoOutAndAllOthersDo) {
  put(1000, steady(60, 200));
  run_until(5000);
  LiveCommand command;
  command.kind = LiveCommand::Kind::withdraw;
  command.mechanism = owner;
  command.at = 7000;
  ASSERT_TRUE(commands.push(command));
  run_until(20'000);
  const std::vector<PlayerReport> answers = told(PlayerReport::Kind::withdrawn);
  ASSERT_EQ(answers.size(), 1u);
  EXPECT_EQ(answers[0].left.steps, 99) << "1060, 1120, ... 6940";
  EXPECT_EQ(answers[0].left.last_pulse, 6940);
  EXPECT_EQ(edges(step, true).size(), 99u);
  EXPECT_EQ(edges(step, false).size(), 99u);
}

TEST_F(EdgePlayerTest, AnEdgeEndsARunAndIsTold) {
  port.coming = {{4'000'500, gate, false}, {3'010'000, gate, true}};
  put(1000, steady(60, 200), StopOn{gate, Edge::rising});
  run_until(20'000);
  EXPECT_EQ(edges(step, true).size(), 33u) << "the last at 2980";
  EXPECT_EQ(edges(step, false).size(), 33u);
  const std::vector<PlayerReport> readings = told(PlayerReport::Kind::reading);
  ASSERT_EQ(readings.size(), 2u);
  EXPECT_EQ(readings[0].at, 3010) << "by the port's own stamp";
  EXPECT_TRUE(readings[0].high);
  EXPECT_FALSE(readings[1].high);
}

TEST_F(EdgePlayerTest, SamplesALineWhenItIsAskedFor) {
  port.gate_high = true;
  LiveCommand command;
  command.kind = LiveCommand::Kind::sample;
  command.line = gate;
  command.source = SourceId{2};
  command.at = 500;
  ASSERT_TRUE(commands.push(command));
  run_until(3000);
  const std::vector<PlayerReport> readings = told(PlayerReport::Kind::reading);
  ASSERT_EQ(readings.size(), 1u);
  EXPECT_TRUE(readings[0].high);
  EXPECT_FALSE(readings[0].is_edge);
  EXPECT_NEAR(static_cast<double>(readings[0].at), 500.0, 15.0);
}

TEST_F(EdgePlayerTest, CutBringsEveryLineToRestThroughAllQueues) {
  put_dir(900, false);
  put(1000, steady(60, 200));
  run_until(3001);
  player.cut();
  put(13'000, steady(60, 3));  // on its way when the cut came: dropped as well
  player.turn();
  ASSERT_EQ(told(PlayerReport::Kind::cut).size(), 1u);
  const std::size_t written = port.written.size();
  EXPECT_EQ(port.written[written - 2].line, step);
  EXPECT_FALSE(port.written[written - 2].high);
  EXPECT_TRUE(port.written[written - 1].high) << "DIR rests high";
  run_until(20'000);
  EXPECT_EQ(port.written.size(), written);
}

/// Whatever runs come and wherever the computer is busy: every step goes out, and what its board needs is
/// kept.
TEST(EdgePlayer, RandomDelaysLoseNoStepAndKeepTheDistances) {
  std::mt19937 random(4);
  const auto any = [&](int low, int high) { return std::uniform_int_distribution<int>(low, high)(random); };
  for (int round = 0, rounds = trials(60, 600); round < rounds; ++round) {
    FakePort port;
    EdgePlayer::Commands commands(512);
    EdgePlayer::Reports reports(65'536);
    EdgePlayer::Setup setup;
    setup.lines = {{step, "x.step", owner, Use::pulses, false, width, {}, after_step},
                   {dir, "x.dir", owner, Use::level, true, 0, {}, after_dir}};
    setup.ticks_per_second = ticks_per_second;
    setup.bound = 100;
    setup.spin_ns = 10'000;
    EdgePlayer player(setup, port, commands, reports);
    std::size_t planned = 0;
    Tick at = 1000;
    bool forwards = true;
    for (int i = 0; i < 12; ++i) {
      const auto steps = static_cast<std::uint16_t>(any(1, 60));
      const Tick gap = any(30, 200);
      if (any(0, 1) == 1) {
        forwards = !forwards;
        LiveCommand turned;
        turned.kind = LiveCommand::Kind::levels;
        turned.at = at + width + after_step;
        turned.level_count = 1;
        turned.levels[0] = {dir, forwards};
        ASSERT_TRUE(commands.push(turned));
        at += width + after_step;
      }
      LiveCommand command;
      command.kind = LiveCommand::Kind::run;
      command.line = step;
      command.start = {at, 0};
      command.run = steady(gap, steps);
      ASSERT_TRUE(commands.push(command));
      at += gap * steps;
      planned += steps;
    }
    for (int i = 0; i < 6; ++i) {
      port.oversleeps.emplace_back(1000LL * any(0, static_cast<int>(at)), 1000LL * any(5, 3000));
      port.delays_in_writing.emplace_back(1000LL * any(0, static_cast<int>(at)), 1000LL * any(1, 300));
    }
    const auto by_time = [](const auto& a, const auto& b) { return a.first > b.first; };
    std::sort(port.oversleeps.begin(), port.oversleeps.end(), by_time);
    std::sort(port.delays_in_writing.begin(), port.delays_in_writing.end(), by_time);
    while (player.now() < at + 1000) player.turn();
    std::size_t ups = 0;
    for (std::size_t i = 0; i < port.written.size(); ++i) {
      const FakePort::Written& each = port.written[i];
      if (each.line == step && each.high) ++ups;
      if (i == 0) continue;
      const FakePort::Written& before = port.written[i - 1];
      const std::int64_t apart = each.at_ns - before.at_ns;
      const Tick needed = before.line == dir ? after_dir : before.high ? width : after_step;
      EXPECT_GE(apart, 1000 * needed) << "round " << round << " edge " << i;
      if (each.line == step && each.high) {
        EXPECT_FALSE(before.line == step && before.high);
      }
    }
    EXPECT_EQ(ups, planned) << "round " << round;
    EXPECT_EQ(player.lateness().edges(), static_cast<std::int64_t>(port.written.size()));
  }
}

TEST(LatenessRecord, SaysAShareToAQuarter) {
  LatenessRecord record;
  for (Tick late = 1; late <= 10'000; ++late) record.add(late);
  EXPECT_EQ(record.edges(), 10'000);
  EXPECT_EQ(record.worst(), 10'000);
  for (const double share : {0.01, 0.5, 0.9, 0.99}) {
    const auto exact = static_cast<Tick>(share * 10'000);
    EXPECT_GE(record.at_share(share), exact);
    EXPECT_LE(record.at_share(share), exact + exact / 4 + 1);
  }
  EXPECT_EQ(LatenessRecord().at_share(0.99), 0);
}

class ReactingPlayer : public EdgePlayerTest {
 protected:
  /// A player that acts on `gate` by itself.
  void react(CutOn cut, std::int64_t silence_ns = 0) {
    EdgePlayer::Setup reacting = setup();
    cut.line = gate;
    reacting.cuts = {cut};
    reacting.silence_ns = silence_ns;
    reacting_.emplace(std::move(reacting), port, commands, reports);
  }
  void run_until(Tick until) {
    while (reacting_->now() < until) reacting_->turn();
  }
  void gate_at(Tick at, bool high) { port.coming.insert(port.coming.begin(), {at * 1000, gate, high}); }
  [[nodiscard]] std::vector<CutBy> cuts() {
    std::vector<CutBy> why;
    for (const PlayerReport& report : told(PlayerReport::Kind::cut)) why.push_back(report.cut_by);
    return why;
  }
  [[nodiscard]] double last_step() const { return edges(step, true).back(); }
  void send(LiveCommand::Kind kind, bool is_watched = true) {
    LiveCommand command;
    command.kind = kind;
    command.mechanism = owner;
    command.is_watched = is_watched;
    ASSERT_TRUE(commands.push(command));
  }

  std::optional<EdgePlayer> reacting_;
};

TEST_F(ReactingPlayer, CutsByItselfAndPlaysNothingUntilPlanningCuts) {
  react({});
  put(1000, steady(100, 1000));
  gate_at(20'000, true);
  run_until(30'000);
  EXPECT_EQ(cuts(), std::vector{CutBy::reaction});
  EXPECT_NEAR(last_step(), 20'000, 300);
  // What planning had handed over before it knew.
  put(31'000, steady(100, 100));
  run_until(50'000);
  EXPECT_NEAR(last_step(), 20'000, 300);
  send(LiveCommand::Kind::withdraw);
  run_until(51'000);
  ASSERT_EQ(told(PlayerReport::Kind::withdrawn).size(), 1u) << "planning asks what was made, and is answered";
  EXPECT_NEAR(static_cast<double>(told(PlayerReport::Kind::withdrawn)[0].left.steps), 190, 3);
  reacting_->cut();
  run_until(52'000);
  put(60'000, steady(100, 10));
  run_until(70'000);
  EXPECT_NEAR(last_step(), 61'000, 300) << "then it plays again";
}

TEST_F(ReactingPlayer, GivesPlanningItsTimeToBrake) {
  react({.waits = 5000});
  put(1000, steady(100, 1000));
  gate_at(20'000, true);
  run_until(40'000);
  EXPECT_EQ(cuts(), std::vector{CutBy::no_answer});
  EXPECT_NEAR(last_step(), 25'000, 300);
}

TEST_F(ReactingPlayer, LeavesItToPlanningThatAnswers) {
  react({.waits = 5000});
  put(1000, steady(100, 1000));
  gate_at(20'000, true);
  run_until(22'000);
  send(LiveCommand::Kind::answered);
  run_until(120'000);
  EXPECT_TRUE(cuts().empty());
  EXPECT_EQ(edges(step, true).size(), 1000u);
}

TEST_F(ReactingPlayer, TakesNoBounceForAStop) {
  react({.steady_for = 2000});
  put(1000, steady(100, 500));
  for (Tick at = 10'000; at < 14'000; at += 1000) gate_at(at, at % 2000 == 0);
  run_until(20'000);
  EXPECT_TRUE(cuts().empty());
  gate_at(20'000, true);
  run_until(40'000);
  EXPECT_EQ(cuts(), std::vector{CutBy::reaction});
  EXPECT_NEAR(last_step(), 22'000, 300);
}

TEST_F(ReactingPlayer, WatchesSwitchesOfWhatMovesAlone) {
  react({.while_runs = owner});
  gate_at(5000, true);
  gate_at(6000, false);
  run_until(8000);
  EXPECT_TRUE(cuts().empty()) << "nothing moves";
  send(LiveCommand::Kind::watch, false);
  put(10'000, steady(100, 200));
  gate_at(15'000, true);
  gate_at(16'000, false);
  run_until(20'000);
  EXPECT_TRUE(cuts().empty()) << "it is being homed";
  send(LiveCommand::Kind::watch, true);
  gate_at(25'000, true);
  run_until(40'000);
  EXPECT_EQ(cuts(), std::vector{CutBy::reaction});
  EXPECT_NEAR(last_step(), 25'000, 300);
}

TEST_F(ReactingPlayer, CutsWhatMovesWithoutPlanning) {
  react({}, 50'000'000);
  run_until(200'000);
  EXPECT_TRUE(cuts().empty()) << "nothing moves";
  const Tick from = reacting_->now();
  reacting_->planning_lives();
  put(from + 1000, steady(100, 2000));
  run_until(from + 40'000);
  EXPECT_TRUE(reacting_->is_looked_after());
  reacting_->planning_lives();
  run_until(from + 80'000);
  EXPECT_TRUE(cuts().empty());
  run_until(from + 120'000);
  EXPECT_EQ(cuts(), std::vector{CutBy::silence});
  EXPECT_NEAR(last_step(), static_cast<double>(from + 90'000), 1000);
  EXPECT_TRUE(reacting_->is_looked_after()) << "nothing moves any more";
}

TEST(PulseQueue, EndsARunWhereWalkingItEnds) {
  std::mt19937_64 random(9);
  for (int i = 0; i < 2000; ++i) {
    const chip::PulseRun run{random() % (std::uint64_t{1} << 40),
                             static_cast<std::int64_t>(random() % 20'000),
                             static_cast<std::int32_t>(random() % 200) - 100,
                             static_cast<std::uint16_t>(random() % 3000),
                             0,
                             0};
    const FineTick start{static_cast<Tick>(random() % 1'000'000), static_cast<std::uint16_t>(random())};
    chip::PulsePlayer<chip::PulseRun> walked(start);
    walked.load(run);
    while (walked.left() > 0) walked.advance();
    const FineTick end = end_of_run(start, run);
    EXPECT_EQ(end.tick, walked.time().tick);
    EXPECT_EQ(end.fraction, walked.time().fraction);
  }
}

}  // namespace
}  // namespace cogstride::edge_player_test
