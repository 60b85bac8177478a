// How soon a hand is followed, and how soon a hold ends whose sender is stopped: wall time, on live lines of
// a port that keeps when each edge was written. The figures of docs/by-hand.md.
#include <gtest/gtest.h>

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <csignal>
#include <cstdlib>
#include <functional>
#include <future>
#include <optional>
#include <thread>

#include "cogstride/bench/live/live_bench.hpp"
#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/hands/order_desk.hpp"
#include "cogstride/port/bell.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/busy_computer.hpp"
#include "support/demo_rig.hpp"
#include "support/level_port.hpp"

namespace cogstride::live_holds_test {
namespace {

using namespace literals;
using std::chrono::milliseconds;

constexpr LineId step{0};

/// Keeps when STEP rose.
class NotingPort final : public testing_support::LevelPort {
 public:
  NotingPort() : LevelPort({LineId{2}, LineId{5}}) {}
  void write(std::span<const Level> levels) override {
    const std::lock_guard lock(mutex_);
    for (const Level& each : levels) {
      if (each.line == step && each.high && !level(step)) rises_.push_back(monotonic_ns());
      level(each.line) = each.high;
    }
  }
  /// Those since it was asked last, ns.
  std::vector<std::int64_t> rises() {
    const std::lock_guard lock(mutex_);
    return std::exchange(rises_, {});
  }

 private:
  std::vector<std::int64_t> rises_{};
};

/// A process that says a line each 50 ms, by a pipe.
class Sender {
 public:
  explicit Sender(const std::string& line) {
    int ends[2];
    if (pipe(ends) != 0) std::abort();
    child_ = fork();
    if (child_ == 0) {
      dup2(ends[1], STDOUT_FILENO);
      const std::string loop = "while :; do echo '" + line + "'; sleep 0.05; done";
      execl("/bin/sh", "sh", "-c", loop.c_str(), nullptr);
      _exit(127);
    }
    close(ends[1]);
    out_ = ends[0];
  }
  ~Sender() {
    kill(child_, SIGKILL);
    waitpid(child_, nullptr, 0);
    close(out_);
  }
  Sender(const Sender&) = delete;
  Sender& operator=(const Sender&) = delete;
  void stop() const { kill(child_, SIGSTOP); }
  [[nodiscard]] int out() const { return out_; }

 private:
  pid_t child_ = -1;
  int out_ = -1;
};

/// A rig that is operated in a thread of its own.
struct Operated {
  explicit Operated(const Rig& of) : bench(of, {.port = &port}) {
    thread = std::thread([this] { bench.run(operation, [this] { return operation.has_ended(); }); });
  }
  ~Operated() { end(); }
  void end() {
    if (!thread.joinable()) return;
    desk.line(hand, "end");
    thread.join();
    bench.close();
  }
  /// It is over. @throws MotionFault when this computer was busy at a bad moment, which shows nothing
  void finish() {
    end();
    if (testing_support::is_of_a_busy_computer(bench.verdict().fault))
      throw MotionFault(bench.verdict().fault, FaultCode::controller);
  }
  /// Until the last line has its answer.
  void wait_for_answers() const {
    while (hand->waiting() > 0) std::this_thread::sleep_for(milliseconds(1));
  }
  NotingPort port;
  LiveBench bench;
  Operation operation{bench};
  OrderDesk desk{bench, operation};
  std::shared_ptr<OrderDesk::Way> hand = desk.open("hand", {}, false);
  std::thread thread;
};

Rig rig() {
  Rig rig = only_with(testing_support::demo_rig_without_gate(), {"traverse"});
  rig.controller.edge_lateness = Time(40.0, units::ms);
  return rig;
}

double ms_at(const std::vector<double>& sorted, double share) {
  return sorted[static_cast<std::size_t>(share * static_cast<double>(sorted.size() - 1))];
}

/// ms from the last line of each to the first slower step, sorted.
std::vector<double> holds_ended(int holds) {
  Operated at(rig());
  std::vector<double> delays;
  for (int i = 0; i < holds; ++i) {
    at.desk.line(at.hand, "move traverse to 50 mm");
    at.wait_for_answers();
    (void)at.port.rises();
    const auto way = at.desk.open("sender", {}, false);
    Sender sender("jog traverse on at 5 mm/s");
    std::int64_t last = 0;
    LineSplitter lines;
    const auto until = std::chrono::steady_clock::now() + milliseconds(150 + i % 50);
    bool is_stopped = false;
    fcntl(sender.out(), F_SETFL, O_NONBLOCK);
    while (std::chrono::steady_clock::now() < until + milliseconds(450)) {
      if (!is_stopped && std::chrono::steady_clock::now() >= until) {
        sender.stop();
        is_stopped = true;
      }
      char buffer[512];
      const ssize_t count = read(sender.out(), buffer, sizeof buffer);
      if (count > 0)
        lines.take({buffer, static_cast<std::size_t>(count)}, [&](const std::string& line) {
          last = monotonic_ns();
          at.desk.line(way, line);
        });
      std::this_thread::sleep_for(milliseconds(1));
    }
    // 5 mm/s is a step each 0.75 ms, once it goes evenly. An edge may be written late, and the next ones are
    // in time again; the first slower one is that from which on none is in time.
    const std::vector<std::int64_t> rises = at.port.rises();
    if (rises.size() <= 100) {
      at.finish();
      throw Error("it was hardly held");
    }
    const auto even_at = [](std::size_t k) { return static_cast<std::int64_t>(k) * 750'000; };
    std::int64_t begin = rises[40] - even_at(40);
    for (std::size_t k = 40; k < 100; ++k) begin = std::min(begin, rises[k] - even_at(k));
    std::size_t slower = rises.size() - 1;
    while (slower > 0 && rises[slower] - even_at(slower) - begin > 300'000) --slower;
    delays.push_back(1e-6 * static_cast<double>(rises[std::min(slower + 1, rises.size() - 1)] - last));
  }
  at.finish();
  std::sort(delays.begin(), delays.end());
  return delays;
}

/// Many of them, in sessions short enough that this computer is not busy at a bad moment in each.
std::vector<double> in_sessions(int all, int of_a_session,
                                const std::function<std::vector<double>(int)>& session) {
  std::vector<double> delays;
  for (int left = all; left > 0; left -= of_a_session)
    testing_support::unless_busy([&] {
      const std::vector<double> its = session(std::min(left, of_a_session));
      delays.insert(delays.end(), its.begin(), its.end());
    });
  std::sort(delays.begin(), delays.end());
  return delays;
}

TEST(LiveHolds, EndWhenWhoSendsThemIsStopped) {
  const int holds = std::getenv("COGSTRIDE_SLOW") == nullptr ? 4 : 1000;
  const std::vector<double> delays = in_sessions(holds, 5, holds_ended);
  ASSERT_EQ(delays.size(), static_cast<std::size_t>(holds));
  fmt::print(
      "{} holds, their sender stopped: from its last line to the first slower step {:.1f} ms, the worst "
      "{:.1f}; the rig says 300 ms\n",
      holds, ms_at(delays, 0.5), delays.back());
  EXPECT_GT(delays.front(), 250.0);
  EXPECT_LT(ms_at(delays, 0.5), 300.0 + 100.0);
}

/// ms from each line to its first step, sorted.
std::vector<double> nudges_followed(int nudges) {
  Operated at(rig());
  at.desk.line(at.hand, "move traverse to 50 mm");
  at.wait_for_answers();
  std::vector<double> delays;
  for (int i = 0; i < nudges; ++i) {
    (void)at.port.rises();
    const std::int64_t begins = monotonic_ns();
    at.desk.line(at.hand, i % 2 == 0 ? "nudge traverse by 0.1 mm" : "nudge traverse by -0.1 mm");
    at.wait_for_answers();
    const std::vector<std::int64_t> rises = at.port.rises();
    if (rises.empty()) {
      at.finish();
      throw Error("a nudge made no step");
    }
    delays.push_back(1e-6 * static_cast<double>(rises.front() - begins));
    std::this_thread::sleep_for(milliseconds(3 + i % 7));
  }
  at.finish();
  std::sort(delays.begin(), delays.end());
  return delays;
}

TEST(LiveHolds, AreFollowedSoon) {
  const int nudges = std::getenv("COGSTRIDE_SLOW") == nullptr ? 30 : 1000;
  const std::vector<double> delays = in_sessions(nudges, 50, nudges_followed);
  ASSERT_EQ(delays.size(), static_cast<std::size_t>(nudges));
  fmt::print(
      "{} nudges: from the line to its first step {:.2f} ms, 99 of 100 within {:.2f}, the worst {:.2f}\n",
      nudges, ms_at(delays, 0.5), ms_at(delays, 0.99), delays.back());
  EXPECT_LT(ms_at(delays, 0.5), 60.0);
}

/// Keeps when STEP rose, on the simulated bench and by this computer's clock.
class NotingTrace final : public TraceSink {
 public:
  struct Rise {
    Tick tick;
    std::int64_t ns;
  };
  void begin(const TraceLayout&) override {}
  void edge(Tick at, LineId line, bool high) override {
    if (line != step || !high) return;
    const std::lock_guard lock(mutex_);
    if (!first_) first_ = Rise{at, monotonic_ns()};
  }
  void sample(Tick, std::span<const double>) override {}
  void event(const TraceEvent&) override {}
  void end(Tick) override {}
  /// The first since it was asked last.
  std::optional<Rise> first() {
    const std::lock_guard lock(mutex_);
    return std::exchange(first_, std::nullopt);
  }

 private:
  std::mutex mutex_;
  std::optional<Rise> first_{};
};

// The same on the simulated bench at the pace of a clock: the bench's time from taking the line, and wall
// time from saying it.
TEST(SimulatedHolds, AreFollowedSoon) {
  const int nudges = std::getenv("COGSTRIDE_SLOW") == nullptr ? 30 : 1000;
  NotingTrace trace;
  SimulatedBench::Options options;
  options.trace = &trace;
  options.at_wall_clock = true;
  SimulatedBench bench(rig(), std::move(options));
  Operation operation(bench);
  std::thread thread([&] { bench.run(operation, [&] { return operation.has_ended(); }); });
  std::vector<double> by_bench;
  std::vector<double> by_clock;
  const auto say = [&](const std::string& line) {
    std::promise<void> answered;
    double taken_at = 0.0;
    (void)bench.post("hand", [&] {
      taken_at = bench.now().in(units::ms);
      operation.take(line, "hand", [&](const Operation::Answer&) { answered.set_value(); });
    });
    answered.get_future().wait();
    return taken_at;
  };
  (void)say("move traverse to 50 mm");
  const double ticks_per_ms = 1e-3 * rig().controller.timer_clock.base().to_double();
  for (int i = 0; i < nudges; ++i) {
    (void)trace.first();
    const std::int64_t begins = monotonic_ns();
    const double taken = say(i % 2 == 0 ? "nudge traverse by 0.1 mm" : "nudge traverse by -0.1 mm");
    const auto rise = trace.first();
    if (!rise) continue;
    by_bench.push_back(static_cast<double>(rise->tick) / ticks_per_ms - taken);
    by_clock.push_back(1e-6 * static_cast<double>(rise->ns - begins));
    std::this_thread::sleep_for(milliseconds(3 + i % 7));
  }
  (void)bench.post("hand", [&] { operation.take("end", "hand", {}); });
  thread.join();
  ASSERT_EQ(by_bench.size(), static_cast<std::size_t>(nudges));
  std::sort(by_bench.begin(), by_bench.end());
  std::sort(by_clock.begin(), by_clock.end());
  fmt::print(
      "{} nudges: from the line to its first step {:.2f} ms of the bench, 99 of 100 within {:.2f}; by the "
      "clock {:.2f} ms, 99 of 100 within {:.2f}, the worst {:.2f}\n",
      nudges, ms_at(by_bench, 0.5), ms_at(by_bench, 0.99), ms_at(by_clock, 0.5), ms_at(by_clock, 0.99),
      by_clock.back());
  EXPECT_LT(by_bench.back(), 5.0);
  EXPECT_LT(ms_at(by_clock, 0.5), 60.0);
}

}  // namespace
}  // namespace cogstride::live_holds_test
