// Lines that are not this computer's: a port of one's own in the place of the kernel's. Here it is a register
// of 64 bits, which a driver of yours would hand on to a bus or a card; the rig's own GPIO chips are not
// opened.
#include <cogstride/cogstride.hpp>
#include <cogstride/port/line_port.hpp>

#include <atomic>
#include <chrono>
#include <condition_variable>
#include <cstdio>
#include <mutex>

using namespace cogstride::literals;

class Register final : public cogstride::LinePort {
 public:
  explicit Register(std::uint64_t inputs) : bits_(inputs) {}

  std::int64_t now_ns() override {
    return std::chrono::duration_cast<std::chrono::nanoseconds>(Clock::now().time_since_epoch()).count();
  }
  void write(std::span<const cogstride::Level> levels) override {
    std::uint64_t bits = bits_;
    for (const auto& [line, high] : levels) {
      const std::uint64_t bit = std::uint64_t{1} << static_cast<int>(line);
      bits = high ? bits | bit : bits & ~bit;
    }
    pulses += (bits & 1) > (bits_ & 1) ? 1 : 0;  // line 0 is STEP
    bits_ = bits;                                // all of them together: your driver would write it out here
  }
  cogstride::RestOutcome rest() noexcept override {
    bits_ = at_rest;  // where your lines have to stand when all is off
    return {};
  }
  bool read(cogstride::LineId line) override { return (bits_ >> static_cast<int>(line) & 1) != 0; }
  void take_edges(std::vector<cogstride::PortEdge>&) override {}  // nothing changes its inputs here
  void sleep_until(std::int64_t ns) override {
    std::unique_lock lock(mutex_);
    const auto until =
        Clock::time_point(std::chrono::duration_cast<Clock::duration>(std::chrono::nanoseconds(ns)));
    woken_by_.wait_until(lock, until, [this] { return is_woken_; });
    is_woken_ = false;
  }
  void wake() noexcept override {
    const std::lock_guard lock(mutex_);
    is_woken_ = true;
    woken_by_.notify_one();
  }

  std::uint64_t at_rest = 0;
  std::atomic<int> pulses{0};

 private:
  using Clock = std::chrono::steady_clock;
  std::atomic<std::uint64_t> bits_;
  std::mutex mutex_;
  std::condition_variable woken_by_;
  bool is_woken_ = false;
};

int main(int count, char** words) try {
  cogstride::Rig rig =
      cogstride::only_with(cogstride::read_rig(count > 1 ? words[1] : "demo/bobbin.rig.toml"), {"traverse"});
  rig.mechanisms[0].sensors.clear();  // this register has no switches: it counts from where it stands
  rig.mechanisms[0].homing.reset();
  rig.controller.edge_lateness = cogstride::Time(0.2, cogstride::units::s);

  constexpr std::uint64_t enable = 1 << 2;      // low is on
  constexpr std::uint64_t power_good = 1 << 5;  // its supply is up
  Register port(enable | power_good);
  port.at_rest = enable | power_good;
  cogstride::LiveBench bench(rig, {.asks_for_real_time = false, .port = &port});
  auto traverse = bench.stepper("traverse");
  traverse.move({.to = 6_mm, .speed = 15_mm_per_s}).wait();
  std::printf("stands at %s\n", to_text(*traverse.position()).c_str());
  bench.close();
  std::printf("%d pulses went out\n", port.pulses.load());
} catch (const std::exception& error) {
  std::fprintf(stderr, "%s\n", error.what());
  return 1;
}
