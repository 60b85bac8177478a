// A device on a pseudo-terminal, heard by the bindings of a rig that goes as fast as a clock.
#include "cogstride/hands/device_ways.hpp"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <pty.h>
#include <unistd.h>

#include <atomic>
#include <chrono>
#include <filesystem>
#include <mutex>
#include <thread>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/hands/bindings.hpp"
#include "cogstride/hands/heard_devices.hpp"
#include "cogstride/hands/order_desk.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/script/script_player.hpp"
#include "support/demo_rig.hpp"
#include "support/refusal.hpp"

namespace cogstride::live_device_ways_test {
namespace {

using namespace literals;
using std::chrono::milliseconds;
using testing_support::has;

/// The device's own end of its wire, and a name for the other one.
class Wire {
 public:
  explicit Wire(std::string name) : name_(std::move(name)) { plug_in(); }
  ~Wire() { pull_out(); }
  Wire(const Wire&) = delete;
  Wire& operator=(const Wire&) = delete;
  void plug_in() {
    int other = -1;
    if (openpty(&device_, &other, nullptr, nullptr, nullptr) != 0) throw Error("no pseudo-terminal");
    std::filesystem::remove(name_);
    std::filesystem::create_symlink(ttyname(other), name_);
    other_ = other;
  }
  void pull_out() {
    std::filesystem::remove(name_);
    if (other_ >= 0) close(std::exchange(other_, -1));
    if (device_ >= 0) close(std::exchange(device_, -1));
  }
  void say(const std::string& bytes) const {
    ASSERT_EQ(write(device_, bytes.data(), bytes.size()), static_cast<ssize_t>(bytes.size()));
  }

 private:
  std::string name_;
  int device_ = -1;
  int other_ = -1;
};

DeviceMessage text(const char* name, const char* says) {
  DeviceMessage message;
  message.name = name;
  message.text = says;
  return message;
}

Rig panel_rig(const std::string& port) {
  Rig rig = only_with(testing_support::demo_rig_without_gate(), {"traverse"});
  rig.bindings.clear();
  Device panel;
  panel.name = "panel";
  panel.port = port;
  panel.ends_after = 20_ms;
  panel.messages = {text("pitch", "=NUMBER"), text("hold", "~"), text("down", "d"), text("up", "u")};
  panel.messages[0].most_digits = 3;
  panel.messages[2].held_at_most = 1.5_s;
  panel.messages[3].releases = "down";
  rig.devices.push_back(panel);
  const auto bind = [&](const char* name, const char* control) -> Binding& {
    Binding binding;
    binding.name = name;
    binding.control = control;
    rig.bindings.push_back(binding);
    return rig.bindings.back();
  };
  Binding& nudge = bind("nudge", "panel.pitch");
  nudge.value = "nudge traverse by VALUE";
  nudge.each = "0.01 mm";
  bind("go", "panel.hold").on = "jog traverse on at 10 mm/s";
  bind("run", "panel.down").on = "jog traverse on at 20 mm/s";
  return rig;
}

struct Operated {
  explicit Operated(const std::string& port) : wire(port), bench(panel_rig(port), paced()) {
    thread = std::thread([this] { bench.run(both, [this] { return operation.has_ended(); }); });
    DeviceEars ears;
    ears.came = [this](const std::string& device) { panel = desk.open(device, {}, false); };
    ears.heard = [this](const std::string&, const std::string& words) { desk.line(panel, "heard " + words); };
    ears.gone = [this](const std::string&) { desk.close(panel); };
    ears.tell = [this](const std::string& words) { note(words); };
    serial = std::make_unique<DeviceWays>(bench.rig(), std::move(ears));
    EXPECT_TRUE(was_told("panel is heard on"));
  }
  ~Operated() {
    serial.reset();
    desk.line(hand, "end");
    thread.join();
  }
  static SimulatedBench::Options paced() {
    SimulatedBench::Options options;
    options.at_wall_clock = true;
    return options;
  }
  struct Both final : Participant {
    explicit Both(Operated& all) : of(all) {}
    [[nodiscard]] Tick next_act() const override {
      return std::min(of.bindings.next_act(), of.operation.next_act());
    }
    void act(Lines& lines, std::span<const Reading> readings) override {
      of.bindings.act(lines, readings);
      of.operation.act(lines, readings);
    }
    Operated& of;
  };
  void note(const std::string& words) {
    const std::lock_guard lock(mutex);
    told.push_back(words);
  }
  [[nodiscard]] bool was_told(const std::string& words) {
    for (int tries = 0; tries < 500; ++tries) {
      {
        const std::lock_guard lock(mutex);
        for (const std::string& each : told)
          if (has(each, words.c_str())) {
            told.clear();
            return true;
          }
      }
      std::this_thread::sleep_for(milliseconds(10));
    }
    return false;
  }
  /// Texts so far, good or not.
  [[nodiscard]] std::int64_t heard() const {
    const MessageReader::Counts counts = serial->counts("panel");
    return counts.good + counts.ignored();
  }
  /// mm, once it stands.
  double stands_at() {
    for (int tries = 0; tries < 500; ++tries) {
      OperationState state;
      bench.post("look", [&] { state = operation.state(); }).wait();
      const auto& traverse = state.moved.front();
      if (traverse.doing.empty() && traverse.held_by.empty()) return traverse.place.value_or(-1.0);
      std::this_thread::sleep_for(milliseconds(10));
    }
    return -2.0;
  }

  std::mutex mutex;
  std::vector<std::string> told;
  Wire wire;
  SimulatedBench bench;
  Operation operation{bench};
  Bindings bindings{bench, operation, [this](const std::string& words) { note(words); }};
  OrderDesk desk{bench, operation};
  std::shared_ptr<OrderDesk::Way> hand = desk.open("the test", {}, false);
  Both both{*this};
  std::thread thread;
  std::shared_ptr<OrderDesk::Way> panel;  // of the devices' thread
  std::unique_ptr<DeviceWays> serial;
};

std::string port_here() {
  return (std::filesystem::temp_directory_path() /
          fmt::format("cogstride_panel_{}_{}", getpid(),
                      testing::UnitTest::GetInstance()->current_test_info()->name()))
      .string();
}

TEST(DeviceWays, WhatADeviceSaysIsDoneAndWhatItGarblesIsNot) {
  Operated at(port_here());
  for (const char* const bytes : {"=150", "=15 ", "x=150", "=9999", "=1=1", "=", "=50"}) {
    const std::int64_t before = at.heard();
    at.wire.say(bytes);
    for (int tries = 0; tries < 500 && at.heard() == before; ++tries)
      std::this_thread::sleep_for(milliseconds(10));
  }
  std::this_thread::sleep_for(milliseconds(200));
  EXPECT_NEAR(at.stands_at(), 2.0, 0.002) << "1.5 mm, and half a one";
  EXPECT_EQ(at.serial->counts("panel").good, 2);
  EXPECT_EQ(at.serial->counts("panel").unknown, 5);
}

TEST(DeviceWays, AHoldLivesOnItsRepeatsAndEndsWithTheDevice) {
  Operated at(port_here());
  for (int i = 0; i < 6; ++i) {
    at.wire.say("~");
    std::this_thread::sleep_for(milliseconds(150));
  }
  const double stands = at.stands_at();
  EXPECT_GT(stands, 5.0);
  EXPECT_LT(stands, 20.0);
  at.wire.say("~");
  std::this_thread::sleep_for(milliseconds(60));
  at.wire.pull_out();
  EXPECT_TRUE(at.was_told("panel is not heard on"));
  const double left = at.stands_at();
  EXPECT_GT(left, stands);
  at.wire.plug_in();
  EXPECT_TRUE(at.was_told("panel is heard on"));
  at.wire.say("=100");
  std::this_thread::sleep_for(milliseconds(500));
  EXPECT_NEAR(at.stands_at(), left + 1.0, 0.002) << "the next good one works";
}

// Its release may come, or be lost.
TEST(DeviceWays, AHoldThatIsLetGoByAnotherTextEndsByItsTimeOutToo) {
  Operated at(port_here());
  at.wire.say("d");
  std::this_thread::sleep_for(milliseconds(700));
  at.wire.say("u");
  std::this_thread::sleep_for(milliseconds(100));
  const double let_go = at.stands_at();
  EXPECT_GT(let_go, 8.0) << "20 mm/s for 0.7 s, beyond the hold's own 0.3 s";
  EXPECT_LT(let_go, 29.0) << "before its time-out";
  at.wire.say("d");
  EXPECT_TRUE(at.was_told("panel.down: was not let go in 1.5 s"));
  const double lost = at.stands_at();
  EXPECT_NEAR(lost, let_go + 30.0, 6.0);
}

TEST(HeardDevices, AScriptWaitsForThem) {
  Wire wire(port_here());
  const Rig rig = panel_rig(port_here());
  SimulatedBench bench(rig, Operated::paced());
  std::atomic<bool> is_heard{false};
  const HeardDevices devices(bench, [&](const std::string& words) {
    if (has(words, "panel is heard on")) is_heard = true;
  });
  const Script script = parse_script(
      "wait until panel.pitch is heard for at most 60 s\nmove traverse by panel.pitch with panel.pitch each "
      "0.01 mm",
      "x.moves", rig);
  ScriptPlayer player(script, rig, bench.cast());
  const std::jthread hand([&] {
    while (!is_heard) std::this_thread::sleep_for(milliseconds(5));
    wire.say("=150");
  });
  bench.run(player, [&] { return player.has_ended(); });
  EXPECT_EQ(player.fault(), "");
  EXPECT_EQ(bench.stepper("traverse").position()->base, Ratio(15, 10'000));
}

}  // namespace
}  // namespace cogstride::live_device_ways_test
