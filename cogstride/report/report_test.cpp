#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>
#include <map>
#include <nlohmann/json.hpp>
#include <sstream>

#include "cogstride/report/csv_writer.hpp"
#include "cogstride/report/figure.hpp"
#include "cogstride/report/panel_figure.hpp"
#include "cogstride/report/reports.hpp"
#include "cogstride/report/vcd_writer.hpp"
#include "cogstride/rig/diagnostic.hpp"
#include "cogstride/trace/thinned.hpp"

namespace cogstride::report_test {
namespace {

class ReportTest : public testing::Test {
 protected:
  ReportTest() {
    folder = std::filesystem::temp_directory_path() /
             ("cogstride-" + std::string(testing::UnitTest::GetInstance()->current_test_info()->name()));
    std::filesystem::create_directories(folder);
    layout.rig = "bench";
    layout.ticks_per_second_numerator = 48'000'000;
    layout.lines = {{LineId{4}, "traverse.step", false},
                    {LineId{1}, "traverse.enable", true},
                    {LineId{9}, "creel.reed", false}};
    layout.signals = {{"traverse.asked", "mm"}, {"traverse.speed", "mm/s"}};
    layout.sample_period = 4800;
  }
  ~ReportTest() override { std::filesystem::remove_all(folder); }
  [[nodiscard]] std::string path(const std::string& name) const { return (folder / name).string(); }

  std::filesystem::path folder;
  TraceLayout layout;
};

TEST_F(ReportTest, VcdIsWhatTheStandardSays) {
  VcdWriter vcd(path("a.vcd"));
  vcd.begin(layout);
  vcd.edge(480, LineId{4}, true);   // 10 us
  vcd.edge(586, LineId{4}, false);  // 12.208 us
  vcd.edge(4800, LineId{1}, false);
  vcd.edge(4800, LineId{77}, true);  // no line of the layout
  EXPECT_FALSE(std::filesystem::exists(path("a.vcd"))) << "whole or not at all";
  vcd.end(48'000);
  EXPECT_EQ(
      read_text_file(path("a.vcd")),
      "$version Cog Stride $end\n$timescale 1 ns $end\n"
      "$scope module traverse $end\n$var wire 1 ! step $end\n$var wire 1 \" enable $end\n$upscope $end\n"
      "$scope module creel $end\n$var wire 1 # reed $end\n$upscope $end\n$enddefinitions $end\n"
      "#0\n$dumpvars\n0!\n1\"\n0#\n$end\n"
      "#10000\n1!\n#12208\n0!\n#100000\n0\"\n#1000000\n");
}

TEST_F(ReportTest, VcdNeverMergesOrReordersEdgesOfALine) {
  VcdWriter vcd(path("a.vcd"));
  vcd.begin(layout);
  bool high = false;
  for (Tick at = 1; at < 40; ++at) vcd.edge(at, LineId{4}, high = !high);  // far finer than the time unit
  vcd.edge(40, LineId{9}, true);
  vcd.end(41);
  std::istringstream lines(read_text_file(path("a.vcd")));
  std::string line;
  std::int64_t stamp = -1;
  int changes = 0;
  std::map<std::int64_t, int> of_step;
  while (std::getline(lines, line)) {
    if (line[0] == '#') {
      const std::int64_t next = std::stoll(line.substr(1));
      EXPECT_GT(next, stamp);
      stamp = next;
    } else if (stamp > 0 && line.back() == '!') {
      ++changes;
      EXPECT_EQ(++of_step[stamp], 1) << "two edges of a line at one stamp";
      EXPECT_EQ(line[0], changes % 2 == 1 ? '1' : '0');
    }
  }
  EXPECT_EQ(changes, 39);
}

TEST_F(ReportTest, CsvLeavesEmptyWhatIsNotKnown) {
  CsvWriter csv(path("a.csv"));
  csv.begin(layout);
  csv.sample(0, std::array{std::nan(""), 0.0});
  csv.edge(100, LineId{4}, true);
  csv.sample(4800, std::array{12.5, -40.25});
  csv.end(4800);
  EXPECT_EQ(read_text_file(path("a.csv")),
            "tick,time_s,traverse.asked_mm,traverse.speed_mm_per_s,traverse.step,traverse.enable,creel.reed\n"
            "0,0.000000,,0,0,1,0\n"
            "4800,0.000100,12.5,-40.25,1,1,0\n");
}

TEST_F(ReportTest, AFileThatIsNotFinishedLeavesNothing) {
  { CsvWriter csv(path("a.csv")); }
  EXPECT_TRUE(std::filesystem::is_empty(folder));
  EXPECT_THROW(CsvWriter("/nowhere/at/all.csv"), Error);
}

TEST_F(ReportTest, FiguresComeAsPngAndSvg) {
  ThinnedTrace trace("traverse.speed", LineId{4});
  trace.begin(layout);
  for (Tick at = 0; at < 480'000; at += 4800) {
    trace.sample(at, std::array{1e-4 * static_cast<double>(at), 40.0});
    trace.edge(at + 100, LineId{4}, true);
    trace.edge(at + 206, LineId{4}, false);
  }
  trace.end(480'000);
  const FigureContent content{"a \"quoted\" title",
                              "traverse",
                              {{"traverse.asked", "asked", "#2a5c9a"}},
                              {{"traverse.speed", "speed", "#2a5c9a"}},
                              "mm",
                              "mm/s"};
  write_figure(path("a.png"), trace, content);
  write_figure(path("a.svg"), trace, content);
  const std::string png = read_text_file(path("a.png"));
  EXPECT_EQ(png.substr(1, 3), "PNG");
  const auto big_endian = [&](std::size_t at) {
    return (static_cast<unsigned char>(png[at + 2]) << 8) + static_cast<unsigned char>(png[at + 3]);
  };
  EXPECT_EQ(big_endian(16), 1280);
  EXPECT_EQ(big_endian(20), 800);
  EXPECT_NE(read_text_file(path("a.svg")).find("<svg"), std::string::npos);
  EXPECT_THROW(write_figure(path("a.pdf"), trace, content), Error);
  EXPECT_THROW((void)points_of(trace, "traverse.made"), RangeError);
}

TEST(ThinnedSignal, KeepsEveryPeakInBoundedMemory) {
  ThinnedSignal signal;
  for (Tick at = 0; at < 1'000'000; ++at)
    signal.add(at, at == 654'321 ? 99.0 : (at == 123'456 ? -99.0 : 0.0));
  EXPECT_LE(signal.stretches().size(), 4096u);
  double low = 0.0;
  double high = 0.0;
  for (const auto& stretch : signal.stretches()) {
    low = std::min(low, stretch.low);
    high = std::max(high, stretch.high);
  }
  EXPECT_EQ(low, -99.0);
  EXPECT_EQ(high, 99.0);
}

TEST(ThinnedTrace, ShowsTheFastestMoveCloseUp) {
  TraceLayout layout;
  layout.ticks_per_second_numerator = 1'000'000;
  layout.lines = {{LineId{0}, "x.step", false}};
  layout.signals = {{"x.speed", "mm/s"}};
  ThinnedTrace trace("x.speed", LineId{0});
  trace.begin(layout);
  for (const auto& [start, speed] : {std::pair{0, 10.0}, {500'000, 60.0}, {900'000, 20.0}}) {
    for (int i = 0; i < 500; ++i) {
      trace.edge(start + 100 * i + 1, LineId{0}, true);
      trace.edge(start + 100 * i + 4, LineId{0}, false);
      trace.sample(start + 100 * i + 5, std::array{speed});
    }
  }
  trace.end(1'000'000);
  ASSERT_FALSE(trace.close_up().empty());
  EXPECT_EQ(trace.close_up().front().at, 500'001);
  EXPECT_LE(trace.close_up().size(), 120u);
  EXPECT_EQ(trace.bursts()[0].size(), 3u);
}

// A run in which the output is never as fast as while it springs into place, before any pulse.
TEST(ThinnedTrace, BeginsItsCloseUpWithAPulse) {
  TraceLayout layout;
  layout.ticks_per_second_numerator = 1'000'000;
  layout.lines = {{LineId{0}, "x.step", false}, {LineId{1}, "x.enable", true}};
  layout.signals = {{"x.speed", "mm/s"}};
  ThinnedTrace trace("x.speed", LineId{0});
  trace.begin(layout);
  trace.edge(10, LineId{1}, false);
  trace.sample(100, std::array{50.0});
  for (int i = 0; i < 10; ++i) {
    trace.edge(200'000 + 100 * i, LineId{0}, true);
    trace.edge(200'003 + 100 * i, LineId{0}, false);
    trace.sample(200'005 + 100 * i, std::array{0.0});
  }
  trace.end(300'000);
  ASSERT_EQ(trace.close_up().size(), 20u);
  EXPECT_EQ(trace.close_up().front().line, LineId{0});
  EXPECT_EQ(trace.levels_before(), (std::vector<bool>{false, false})) << "ENABLE has been put low by then";
}

TEST(ThinnedTrace, OfARunWithoutPulsesHasNoCloseUp) {
  TraceLayout layout;
  layout.lines = {{LineId{0}, "x.step", false}};
  layout.signals = {{"x.speed", "mm/s"}};
  ThinnedTrace trace("x.speed", LineId{0});
  trace.begin(layout);
  trace.sample(1, std::array{1.0});
  trace.end(2);
  EXPECT_TRUE(trace.close_up().empty());
}

TEST(Reports, SayWhatWasFoundAndWhatWasNotJudged) {
  MoverVerdict moved;
  moved.name = "traverse";
  moved.kind = "bipolar stepper";
  moved.has_moved = true;
  moved.sum = "asked to stand at 40 mm, stands at 39.985 mm";
  moved.rows = {{"pulses", "100 put out, none missed"}};
  moved.add("made", 39.985, "mm");
  moved.add("lost_microsteps", std::numeric_limits<double>::quiet_NaN());
  moved.moments = {{4'800'000, "steps lost", {{"rate", 12'345.0, "steps/s"}}}};
  moved.complaints = {"it stands beside its place"};
  moved.not_looked_at = {"steps lost: its zero was not found"};
  MoverVerdict rests;
  rests.name = "creel";
  RehearsalReport report{"Bench", "x.moves", {1.5, "", {moved, rests}}, {}};
  EventLog log;
  TraceLayout layout;
  layout.ticks_per_second_numerator = 48'000'000;
  log.begin(layout);
  const std::string text = rehearsal_text(report, log);
  for (const char* const part :
       {"SOMETHING IS WRONG, after 1.500 s", "traverse: asked to stand at 40 mm, stands at 39.985 mm",
        "pulses        100 put out", "  ! it stands beside its place", "not judged    steps lost: its zero",
        "not moved: creel"})
    EXPECT_NE(text.find(part), std::string::npos) << part << "\n" << text;
  const std::string json = rehearsal_json(report, log);
  for (const char* const part : {"\"ok\": false", "\"made_mm\": 39.985", "\"lost_microsteps\": null",
                                 "\"at_s\": 0.1", "\"rate_steps_per_s\": 12345"})
    EXPECT_NE(json.find(part), std::string::npos) << part << "\n" << json;
  report.verdict.movers[0].complaints.clear();
  EXPECT_NE(rehearsal_text(report, log).find("all as asked,"), std::string::npos);
}

}  // namespace
}  // namespace cogstride::report_test
