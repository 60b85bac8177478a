// What a live run was told, kept and played again.
#include "cogstride/bench/live/black_box.hpp"

#include <gtest/gtest.h>

#include <chrono>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <random>
#include <thread>

#include "cogstride/bench/live/live_bench.hpp"
#include "cogstride/bench/live/recorded_lines.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/busy_computer.hpp"
#include "support/demo_rig.hpp"
#include "support/level_port.hpp"

namespace cogstride::black_box_test {
namespace {

using namespace literals;
using testing_support::demo_rig_without_gate;
using testing_support::is_of_a_busy_computer;
using testing_support::unless_busy;

constexpr LineId halt{38};

Rig rig() {
  Rig rig = only_with(demo_rig_without_gate(), {"traverse"});
  rig.controller.edge_lateness = Time(20.0, units::ms);
  return rig;
}

/// All that a record says, but the edges.
struct Told final : TraceSink {
  void begin(const TraceLayout&) override {}
  void edge(Tick, LineId, bool) override {}
  void sample(Tick at, std::span<const double> values) override {
    for (const double value : values) samples.emplace_back(at, std::isnan(value) ? -1.0 : value);
  }
  void event(const TraceEvent& event) override {
    events.push_back(std::to_string(event.at) + " " + event.who + ": " + event.text);
  }
  void end(Tick at) override { ended = at; }
  std::vector<std::pair<Tick, double>> samples;
  std::vector<std::string> events;
  Tick ended = 0;
};

class BlackBoxes : public testing::Test {
 protected:
  BlackBoxes() { std::filesystem::create_directories(folder_); }
  ~BlackBoxes() override { std::filesystem::remove_all(folder_); }
  [[nodiscard]] std::string path(const char* name) const { return (folder_ / name).string(); }

 private:
  std::filesystem::path folder_ =
      std::filesystem::temp_directory_path() /
      (std::string("cogstride_box_") + testing::UnitTest::GetInstance()->current_test_info()->name());
};

/// Moves there and is sent on by others meanwhile, until somebody presses the emergency stop.
void order(LiveBench& bench, double first_mm) {
  bench.stepper("traverse")
      .move({.to = OutputPosition(nearest(first_mm, units::mm, 1_um)), .speed = 20_mm_per_s});
}
void go_on(LiveBench& bench, const std::string& what) {
  if (what == "rather to 30 mm") bench.stepper("traverse").redirect({.to = 30_mm});
  if (what == "on to 60 mm") bench.stepper("traverse").move({.to = 60_mm, .speed = 25_mm_per_s});
  if (what == "too far") bench.stepper("traverse").move({.to = 6000_mm});
}

void live(const std::string& box, Told& told, bool presses) {
  testing_support::LevelPort port({LineId{2}, LineId{5}});
  LiveBench bench(rig(),
                  {.trace = &told, .port = &port, .black_box = box, .labels = {{"rig", "the demo's"}}});
  order(bench, 10.0);
  std::thread others([&] {
    for (const char* const what : {"rather to 30 mm", "too far", "on to 60 mm"}) {
      std::this_thread::sleep_for(std::chrono::milliseconds(200));
      bench.post(what, [&bench, what] { go_on(bench, what); });
    }
    std::this_thread::sleep_for(std::chrono::milliseconds(300));
    presses ? port.press(halt, true) : bench.request_stop();
  });
  try {
    bench.wait_for_all();
    bench.serve(0.3_s);
  } catch (const Error&) {  // it is stopped
  }
  others.join();
  bench.close();
  if (is_of_a_busy_computer(bench.verdict().fault))
    throw MotionFault(bench.verdict().fault, FaultCode::controller);
  EXPECT_NE(bench.verdict().fault.find(presses ? "halt" : "requested"), std::string::npos)
      << bench.verdict().fault;
}

std::string again(const std::string& path, Told& told, double first_mm, std::int64_t* compared = nullptr) {
  BlackBox box(path);
  EXPECT_EQ(box.labels().at("rig"), "the demo's");
  LiveBench* it = nullptr;
  LiveBench bench(rig(), {.trace = &told, .replay = &box, .on_replayed_post = [&](const std::string& what) {
                            go_on(*it, what);
                          }});
  it = &bench;
  std::string ends;
  try {
    order(bench, first_mm);
    bench.wait_for_all();
    bench.serve(0.3_s);
  } catch (const ReplayEnds& error) {
    ends = error.what();
  } catch (const Error&) {
  }
  if (ends.empty()) bench.close();
  if (compared != nullptr) *compared = bench.commands_compared();
  return ends;
}

TEST_F(BlackBoxes, OfARunIsPlayedAgainToTheSameRecord) {
  for (const bool presses : {true, false}) {
    unless_busy([&] {
      Told then;
      live(path("a.box"), then, presses);
      Told now;
      std::int64_t compared = 0;
      EXPECT_EQ(again(path("a.box"), now, 10.0, &compared), "");
      EXPECT_EQ(now.events, then.events);
      EXPECT_EQ(now.samples, then.samples);
      EXPECT_EQ(now.ended, then.ended);
      EXPECT_GT(then.samples.size(), 50u);
      EXPECT_GT(compared, 20);
      Told otherwise;
      EXPECT_NE(again(path("a.box"), otherwise, 10.5).find("other commands are given than in the run"),
                std::string::npos);
    });
  }
}

TEST_F(BlackBoxes, KeepAllKindsOfEvents) {
  using Kind = BoxEvent::Kind;
  std::mt19937_64 random(3);
  const auto any = [&](std::uint64_t most) { return random() % most; };
  std::vector<BoxEvent> events;
  Tick now = 0;
  for (int i = 0; i < 20'000; ++i) {
    BoxEvent event;
    event.kind = static_cast<Kind>(1 + any(9));
    event.now = now += static_cast<Tick>(any(4) == 0 ? any(1ULL << 40) : any(3));
    if (any(2) == 0) event.sum = static_cast<std::uint32_t>(random());
    if (event.kind == Kind::waited)
      for (std::uint64_t n = any(50) == 0 ? any(3000) : any(3); n > 0; --n)
        event.readings.push_back({now - static_cast<Tick>(any(1000)), static_cast<SourceId>(any(65'536)),
                                  static_cast<std::int64_t>(random()),
                                  static_cast<std::uint32_t>(any(1ULL << 29)),
                                  static_cast<std::uint8_t>(any(9))});
    if (event.kind == Kind::withdrawn)
      event.left = {static_cast<std::int64_t>(random() >> 8) - (1LL << 54), now - 7, (random() & 1) != 0};
    if (event.kind == Kind::trouble)
      event.trouble = {static_cast<Tick>(any(99)), LineId{7}, "a chip", CutBy::silence};
    if (event.kind == Kind::guardian) event.number = static_cast<std::uint32_t>(any(3));
    if (event.kind == Kind::posted) event.words = std::string(any(200), 'x');
    if (event.kind == Kind::stood_still) event.ticks = static_cast<Tick>(any(1ULL << 50));
    events.push_back(event);
  }
  {
    BlackBoxWriter box(path("b.box"), {{"script", "first\nmoves"}});
    for (std::size_t i = 0; i < events.size(); ++i) {
      box.add(events[i]);
      if (i % 200 == 0)
        std::this_thread::sleep_for(std::chrono::milliseconds(25));  // its queue has a megabyte
    }
    EXPECT_EQ(box.failure(), "");
  }
  BlackBox box(path("b.box"));
  EXPECT_TRUE(box.is_whole());
  EXPECT_EQ(box.labels().at("script"), "first moves");
  for (const BoxEvent& event : events) {
    const BoxEvent* const kept = box.peek();
    ASSERT_NE(kept, nullptr);
    EXPECT_EQ(kept->kind, event.kind);
    EXPECT_EQ(kept->now, event.now);
    EXPECT_EQ(kept->sum, event.sum);
    ASSERT_EQ(kept->readings.size(), event.readings.size());
    for (std::size_t i = 0; i < event.readings.size(); ++i) {
      const Reading& a = kept->readings[i];
      const Reading& b = event.readings[i];
      EXPECT_TRUE(a.at == b.at && a.source == b.source && a.raw == b.raw && a.id == b.id && a.size == b.size);
    }
    if (event.kind == Kind::withdrawn) {
      EXPECT_EQ(kept->left.steps, event.left.steps);
      EXPECT_EQ(kept->left.last_pulse, event.left.last_pulse);
      EXPECT_EQ(kept->left.brakes, event.left.brakes);
    }
    if (event.kind == Kind::trouble) {
      EXPECT_EQ(kept->trouble.gone, "a chip");
    }
    if (event.kind == Kind::posted) {
      EXPECT_EQ(kept->words, event.words);
    }
    if (event.kind == Kind::stood_still) {
      EXPECT_EQ(kept->ticks, event.ticks);
    }
    box.take();
  }
  EXPECT_EQ(box.peek(), nullptr);
}

TEST_F(BlackBoxes, AFullOneWritesOverItsBeginAndSaysSo) {
  {
    BlackBoxWriter box(path("c.box"), {{"own_port", "yes"}}, 256 << 10);
    for (Tick now = 0; now < 200'000; ++now) {
      box.add(BoxEvent::Kind::caught_up, 1000 * now, {});
      if (now % 20'000 == 0) std::this_thread::sleep_for(std::chrono::milliseconds(30));
    }
    EXPECT_EQ(box.failure(), "");
  }
  EXPECT_EQ(std::filesystem::file_size(path("c.box")), 4096u + 3 * 65'536u);
  BlackBox box(path("c.box"));
  EXPECT_FALSE(box.is_whole());
  EXPECT_GT(box.begins_at(), 0);
  Tick last = 0;
  for (; box.peek() != nullptr; box.take()) {
    EXPECT_GE(box.peek()->now, last);
    last = box.peek()->now;
  }
  EXPECT_EQ(last, 199'999'000) << "its end is there";
  try {
    BlackBox wrapped(path("c.box"));
    LiveBench bench(rig(), {.replay = &wrapped});
    FAIL();
  } catch (const Error& error) {
    EXPECT_NE(std::string(error.what()).find("has been written over in its black box"), std::string::npos);
  }
}

TEST_F(BlackBoxes, AreReadAsFarAsTheyAreSound) {
  EXPECT_THROW(BlackBox(path("none.box")), Error);
  std::ofstream(path("text.box")) << "time_s,position_mm\n";
  EXPECT_THROW(BlackBox(path("text.box")), Error);
  EXPECT_THROW(BlackBoxWriter(path("small.box"), {}, 1000), RangeError);
  EXPECT_THROW(BlackBoxWriter("/no/such/folder/x.box", {}), Error);
  {
    BlackBoxWriter box(path("d.box"), {{"rig", "the demo's"}}, 256 << 10);
    for (Tick now = 0; now < 100; ++now) box.add(BoxEvent::Kind::waited, now, 7U);
  }
  // Damaged in every byte of its events in turn: an error or other events, and never more.
  std::string bytes;
  {
    std::ifstream file(path("d.box"), std::ios::binary);
    bytes.assign(std::istreambuf_iterator<char>(file), {});
  }
  for (std::size_t at = 4096; at < 4096 + 400; at += 3) {
    std::string damaged = bytes;
    damaged[at] = static_cast<char>(damaged[at] ^ 0xff);
    std::ofstream(path("e.box"), std::ios::binary) << damaged;
    try {
      BlackBox box(path("e.box"));
      int events = 0;
      for (; box.peek() != nullptr && events < 10'000; ++events) box.take();
      EXPECT_LT(events, 10'000);
    } catch (const Error&) {
    }
  }
}

}  // namespace
}  // namespace cogstride::black_box_test
