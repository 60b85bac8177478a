// A stop in which an allocation or a write fails, at each place where it may: the lines come to rest all the
// same.
#include <gtest/gtest.h>

#include <array>
#include <atomic>
#include <cstdlib>
#include <functional>
#include <mutex>
#include <new>

#include "cogstride/bench/live/live_bench.hpp"
#include "cogstride/port/null_port.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/busy_computer.hpp"
#include "support/demo_rig.hpp"
#include "support/level_port.hpp"
#include "support/trials.hpp"

namespace {
constexpr std::int64_t never_fails = -1;
std::atomic<std::int64_t> allocations_left{never_fails};  // the last of them fails
}  // namespace

#ifndef COGSTRIDE_ALLOCATION_IS_TAKEN
// NOLINTBEGIN(cppcoreguidelines-no-malloc): these are what others allocate with
[[gnu::noinline]] void* operator new(std::size_t size) {
  if (allocations_left.load() > 0 && allocations_left.fetch_sub(1) == 1) throw std::bad_alloc();
  void* const memory = std::malloc(size == 0 ? 1 : size);
  if (memory == nullptr) throw std::bad_alloc();
  return memory;
}
[[gnu::noinline]] void* operator new(std::size_t size, const std::nothrow_t&) noexcept {
  try {
    return operator new(size);
  } catch (const std::bad_alloc&) {
    return nullptr;
  }
}
[[gnu::noinline]] void operator delete(void* memory) noexcept {
  std::free(memory);
}
[[gnu::noinline]] void operator delete(void* memory, std::size_t) noexcept {
  std::free(memory);
}
// NOLINTEND
#endif

namespace cogstride::failing_stop_test {
namespace {

using namespace literals;
using testing_support::comes_to;
using testing_support::demo_rig;
using testing_support::LevelPort;
using testing_support::one_in;

constexpr LineId step{0};
constexpr LineId dir{1};
constexpr LineId enable{2};
constexpr LineId up{5};
constexpr LineId halt{38};

/// Fails at a write when it is told to.
class FailingPort final : public LevelPort {
 public:
  FailingPort() : LevelPort({enable, up}) {}
  void write(std::span<const Level> levels) override {
    const std::lock_guard lock(mutex_);
    if (writes_left > 0 && --writes_left == 0) throw PortGone("gpiochip0 (bench) was taken away");
    for (const Level& written : levels) {
      bool& now = level(written.line);
      pulses += written.line == step && written.high && !now ? 1 : 0;
      now = written.high;
    }
  }
  RestOutcome rest() noexcept override {
    const std::lock_guard lock(mutex_);
    level(step) = level(dir) = false;
    level(enable) = true;
    return {};
  }
  [[nodiscard]] bool is_at_rest() { return !read(step) && !read(dir) && read(enable); }

  std::atomic<std::int64_t> writes_left{0};  // 0: none fails
  std::atomic<std::int64_t> pulses{0};
};

/// The traverse without its homing: it moves at once.
Rig moving_rig() {
  Rig rig = only_with(demo_rig(), {"traverse"});
  rig.controller.chips = {{"bench", "gpiochip0", 0, 64}};
  rig.controller.edge_lateness = Time(200.0, units::ms);
  rig.mechanisms[0].homing.reset();
  rig.mechanisms[0].sensors.clear();
  return rig;
}

enum class By : std::uint8_t { emergency_stop, ramp, destruction };

/// One stop by `by`, prepared to fail by `arm`. @return whether the failure came
bool stop_once(By by, const std::function<void(FailingPort&)>& arm,
               const std::function<bool(FailingPort&)>& has_failed) {
  FailingPort port;
  bool failed = false;
  {
    LiveBench bench(moving_rig(), {.asks_for_real_time = false, .port = &port});
    auto traverse = bench.stepper("traverse");
    auto move = traverse.move({.to = 100_mm, .speed = 20_mm_per_s});
    EXPECT_TRUE(comes_to(bench, [&] { return port.pulses > 5; }));
    arm(port);
    try {
      if (by == By::emergency_stop) {
        port.press(halt, true);
        (void)move.result();
      } else if (by == By::ramp) {
        bench.stop(StopBy::steepest_ramp, "told to end");
        bench.wait_for_all();
      }
      if (by != By::destruction) bench.close();
    } catch (const std::exception&) {  // what came of it is told; what counts is below
    }
    if (by != By::destruction) failed = has_failed(port);
  }
  if (by == By::destruction) failed = has_failed(port);
  allocations_left = never_fails;
  port.writes_left = 0;
  EXPECT_TRUE(port.is_at_rest());
  return failed;
}

#ifndef COGSTRIDE_ALLOCATION_IS_TAKEN
TEST(FailingStop, ComesToRestWhicheverAllocationFails) {
  for (const By by : {By::emergency_stop, By::ramp, By::destruction}) {
    int failed = 0;
    for (std::int64_t n = 1; n < 20'000; n += one_in(11)) {
      SCOPED_TRACE(testing::Message() << "allocation " << n << " of a stop by " << static_cast<int>(by));
      const bool came = stop_once(
          by, [&](FailingPort&) { allocations_left = n; },
          [](FailingPort&) { return allocations_left == 0; });
      if (HasFailure()) return;
      if (!came) break;
      ++failed;
    }
    EXPECT_GT(failed, 0) << static_cast<int>(by);
  }
}

#endif

TEST(FailingStop, ComesToRestWhicheverWriteFails) {
  for (const By by : {By::emergency_stop, By::ramp, By::destruction}) {
    int failed = 0;
    for (std::int64_t n = 1; n < 200; n += by == By::ramp ? one_in(17) : 1) {
      SCOPED_TRACE(testing::Message() << "write " << n << " of a stop by " << static_cast<int>(by));
      const bool came = stop_once(
          by, [&](FailingPort& port) { port.writes_left = n; },
          [](FailingPort& port) { return port.writes_left == 0; });
      if (HasFailure()) return;
      if (!came) break;
      ++failed;
    }
    EXPECT_GT(failed, 0) << static_cast<int>(by);
  }
}

}  // namespace
}  // namespace cogstride::failing_stop_test
