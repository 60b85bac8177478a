// Drives on a bus by the live route: what they are is a program of its own, in another language, that shares
// nothing with this one but the standards' tables (tests/bus/minimal_drive.py).
#include <gtest/gtest.h>

#include <fmt/format.h>

#include <cstdlib>
#include <map>

#include "cogstride/bench/live/live_bench.hpp"
#include "cogstride/motion/bus/bus_drive_mover.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "support/busy_computer.hpp"
#include "support/level_port.hpp"
#include "support/line_program.hpp"

namespace cogstride::live_bus_test {
namespace {

using namespace literals;
using testing_support::unless_busy;

std::string hex_of(const Frame& frame) {
  std::string text = fmt::format("{:x} ", frame.id);
  for (std::size_t i = 0; i < frame.size; ++i) text += fmt::format("{:02x}", frame.bytes[i]);
  return text;
}

Frame frame_of_text(const std::string& text) {
  const std::size_t gap = text.find(' ');
  Frame frame;
  frame.id = static_cast<std::uint32_t>(std::stoul(text.substr(0, gap), nullptr, 16));
  for (std::size_t at = gap + 1; at + 1 < text.size(); at += 2)
    frame.bytes[frame.size++] = static_cast<std::uint8_t>(std::stoul(text.substr(at, 2), nullptr, 16));
  return frame;
}

/// A bus with those programs on it, by this computer's clock.
class ProgramsPort final : public testing_support::LevelPort {
 public:
  explicit ProgramsPort(const std::vector<int>& ids) : LevelPort({}) {
    for (const int id : ids)
      programs_.push_back(std::make_unique<testing_support::LineProgram>(std::vector<std::string>{
          "python3", COGSTRIDE_SOURCE_DIR "/tests/bus/minimal_drive.py", std::to_string(id)}));
    ask("");
  }
  void send(BusId, const Frame& frame) override {
    const std::lock_guard lock(mutex_);
    if (!is_whole_) return;
    ++sent_[frame.id];
    ask(" " + hex_of(frame));
  }
  void take_frames(std::vector<PortFrame>& frames) override {
    const std::lock_guard lock(mutex_);
    if (now_ns() - asked_at_ > 2'000'000 && is_whole_) ask("");
    frames.insert(frames.end(), came_.begin(), came_.end());
    came_.clear();
  }
  void sleep_until(std::int64_t ns) override { LevelPort::sleep_until(std::min(ns, now_ns() + 1'000'000)); }
  RestOutcome rest() noexcept override { return {}; }

  void cut_wires() {
    const std::lock_guard lock(mutex_);
    is_whole_ = false;
  }
  [[nodiscard]] int sent(std::uint32_t id) {
    const std::lock_guard lock(mutex_);
    return sent_[id];
  }

 private:
  void ask(const std::string& what) {
    asked_at_ = now_ns();
    for (const auto& program : programs_)
      for (const std::string& answer : program->ask(std::to_string(asked_at_ / 1'000'000) + what))
        came_.push_back({asked_at_, the_bus, frame_of_text(answer)});
  }

  std::vector<std::unique_ptr<testing_support::LineProgram>> programs_{};
  std::vector<PortFrame> came_{};
  std::map<std::uint32_t, int> sent_{};
  std::int64_t asked_at_ = 0;
  bool is_whole_ = true;
};

/// Without what its maker has beyond the profile.
Rig plain_beams() {
  Rig rig = read_rig(COGSTRIDE_SOURCE_DIR "/demo/beams.rig.toml");
  for (Mechanism& each : rig.mechanisms) {
    auto& board = std::get<BusDrive>(each.board);
    board.supply_current_set_at.reset();
    board.supply_current_told.reset();
    board.applied_voltage_told.reset();
    board.temperature_told.reset();
  }
  return rig;
}

struct Live {
  explicit Live(const std::vector<int>& ids) : port(ids), bench(plain_beams(), options()) {}
  LiveBench::Options options() {
    LiveBench::Options options;
    options.port = &port;
    options.asks_for_real_time = false;
    return options;
  }
  BusDriveMover& drive(const std::string& name) { return bench.mover_as<BusDriveMover>(name); }
  Motion move(const std::string& name, const MoveOrder& order) {
    return bench.order(name, [&](Mover& m, Lines& lines) { return m.places()->move(lines, order); });
  }

  ProgramsPort port;
  LiveBench bench;
};

TEST(LiveBus, BringsUpAndMovesADriveThatKnowsTheStandardsAlone) {
  unless_busy([] {
    Live run({11, 12});
    Motion warp = run.move("warp_beam", {.to = 30_deg});
    Motion cloth = run.move("cloth_beam", {.to = -20_deg});
    ASSERT_EQ(testing_support::end_of(warp), "");
    ASSERT_EQ(testing_support::end_of(cloth), "");
    // 50 turns of 4096 counts a turn of the beam: what the programs say that they were told.
    ASSERT_TRUE(testing_support::comes_to(run.bench, [&] {
      return run.drive("warp_beam").link().told().place == std::lround(50.0 * 4096 * 30 / 360) &&
             run.drive("cloth_beam").link().told().place == -std::lround(50.0 * 4096 * 20 / 360);
    })) << run.drive("warp_beam").link().told().place;
    EXPECT_TRUE(run.drive("warp_beam").link().is_driven());
    EXPECT_DOUBLE_EQ(run.drive("cloth_beam").link().told().supply, 24.0);
    run.bench.close();
    EXPECT_GT(run.port.sent(0x400 + 11), 0) << "an end sends each a quick stop";
    EXPECT_GT(run.port.sent(0x400 + 12), 0);
  });
}

TEST(LiveBus, SaysWhichOfThemIsNotThere) {
  unless_busy([] {
    Live run({11});
    Motion cloth = run.move("cloth_beam", {.to = 20_deg});
    const std::string fault = testing_support::end_of(cloth);
    EXPECT_NE(fault.find("drive 12 does not answer"), std::string::npos) << fault;
  });
}

TEST(LiveBus, StopsWhereTheWiresAreCut) {
  unless_busy([] {
    Live run({11, 12});
    Motion warp = run.move("warp_beam", {.to = 3600_deg});
    ASSERT_TRUE(testing_support::comes_to(run.bench,
                                          [&] { return run.drive("warp_beam").link().told().place > 2000; }));
    run.port.cut_wires();
    const std::string fault = testing_support::end_of(warp);
    EXPECT_NE(fault.find("is not heard any more"), std::string::npos) << fault;
  });
}

}  // namespace
}  // namespace cogstride::live_bus_test
