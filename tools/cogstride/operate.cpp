#include <fmt/format.h>
#include <poll.h>
#include <unistd.h>

#include <condition_variable>
#include <cstdio>
#include <deque>
#include <mutex>
#include <thread>
#include <utility>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/hands/order_line.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/session/operation.hpp"
#include "cogstride/trace/writer_thread.hpp"
#include "commands.hpp"
#include "playing.hpp"

using namespace cogstride;
using namespace cogstride::literals;

namespace {

/// Answers go out in a thread of their own: a reader that takes nothing holds up nothing else.
class AnswersOut {
 public:
  AnswersOut() {
    thread_.start([this] { run(); });
  }
  ~AnswersOut() {
    {
      std::unique_lock lock(mutex_);
      ends_ = true;
      changed_.notify_all();
      // Who does not take what is left within a while does not get it.
      changed_.wait_for(lock, std::chrono::seconds(1), [this] { return is_over_; });
      if (!is_over_) std::_Exit(static_cast<int>(ExitStatus::something_is_wrong));
    }
    thread_.join();
  }
  AnswersOut(const AnswersOut&) = delete;
  AnswersOut& operator=(const AnswersOut&) = delete;

  void put(std::string line) {
    const std::lock_guard lock(mutex_);
    if (lines_.size() >= most_waiting) {
      lines_.pop_front();
      ++not_taken_;
    }
    lines_.push_back(std::move(line) + "\n");
    changed_.notify_all();
  }

 private:
  static constexpr std::size_t most_waiting = 10'000;

  void run() {
    std::unique_lock lock(mutex_);
    for (;;) {
      changed_.wait(lock, [this] { return ends_ || !lines_.empty(); });
      if (lines_.empty()) break;
      const std::string line = std::move(lines_.front());
      lines_.pop_front();
      const std::size_t not_taken = std::exchange(not_taken_, 0);
      lock.unlock();
      if (not_taken > 0)
        fmt::print(stderr, "{} answers are missing here: nobody took them in time\n", not_taken);
      std::fputs(line.c_str(), stdout);
      std::fflush(stdout);
      lock.lock();
    }
    is_over_ = true;
    changed_.notify_all();
  }

  std::mutex mutex_{};
  std::condition_variable changed_{};
  std::deque<std::string> lines_{};
  bool ends_ = false;
  bool is_over_ = false;
  std::size_t not_taken_ = 0;
  WriterThread thread_{};
};

/// Lines of standard input, read in a thread of their own and posted to the bench.
class StandardInput {
 public:
  StandardInput(Bench& bench, Operation& operation, AnswersOut& out, bool json)
      : bench_(bench),
        operation_(operation),
        out_(out),
        json_(json),
        thread_([this](const std::stop_token& ends) { run(ends); }) {}
  /// Nothing is read any more; what has been posted may still be carried out.
  void end() {
    thread_.request_stop();
    thread_.join();
  }

 private:
  void run(const std::stop_token& ends) {
    std::string text;
    while (!ends.stop_requested()) {
      pollfd in{STDIN_FILENO, POLLIN, 0};
      if (poll(&in, 1, 50) <= 0) continue;
      char buffer[4096];
      const ssize_t count = read(STDIN_FILENO, buffer, sizeof buffer);
      if (count <= 0) break;
      text.append(buffer, static_cast<std::size_t>(count));
      for (std::size_t end = text.find('\n'); end != std::string::npos; end = text.find('\n')) {
        order(text.substr(0, end));
        text.erase(0, end + 1);
      }
      if (text.size() > 4 * longest_order) text.resize(4 * longest_order);  // refused when its end comes
    }
    if (!text.empty()) order(text);
    // Nobody can order anything any more.
    if (!ends.stop_requested()) post({"end", {}, false}, [](const Operation::Answer&) {});
  }

  void order(const std::string& line) {
    OrderLine read;
    try {
      read = read_order(line);
    } catch (const Error& error) {
      out_.put(answer_line({line.substr(0, longest_order), {}, false},
                           {Operation::Answer::Kind::refused, error.what(), 0}, 0.0, json_));
      return;
    }
    if (read.order == "stop everything") operation_.stop_everything();
    post(read, [this, read](const Operation::Answer& answer) {
      out_.put(answer_line(read, answer, bench_.now().in(units::s), json_ || read.is_json));
    });
  }

  void post(const OrderLine& read, Operation::Told told) {
    bench_.post(read.order,
                [this, order = read.order, told = std::move(told)] { operation_.take(order, told); });
  }

  Bench& bench_;
  Operation& operation_;
  AnswersOut& out_;
  bool json_;
  std::jthread thread_;
};

/// Of what nobody ordered: a switch, a supply, an emergency stop.
std::string fault_line(const std::string& why, double at_s, bool json) {
  return answer_line({{}, {}, false}, {Operation::Answer::Kind::faulted, why, 0}, at_s, json);
}

ExitStatus attend(Bench& bench, const OperateOptions& options) {
  Operation operation(bench);
  bool has_failed = false;
  AnswersOut out;
  bench.on_fault([&](const std::string& why) {
    // One that was ordered has its answer.
    if (why == "a stop was requested" && operation.is_stopped() && !was_interrupted()) return;
    has_failed = true;
    out.put(fault_line(why, bench.now().in(units::s), options.json));
  });
  {
    const InterruptsNoted noted(bench);
    StandardInput in(bench, operation, out, options.json);
    bool is_told_to_end = false;
    bench.run(operation, [&] {
      if (was_interrupted() && !std::exchange(is_told_to_end, true)) {
        operation.take("stop everything", {});
        operation.take("end", {});
      }
      return operation.has_ended();
    });
    bench.come_to_rest();
    in.end();
    bench.serve(1_ms);  // what came in meanwhile is answered
  }
  return !has_failed ? ExitStatus::done : ExitStatus::something_is_wrong;
}

}  // namespace

ExitStatus run_operate(const OperateOptions& options) {
  Rig rig = read_rig(options.rig);
  if (!options.only.empty()) rig = only_with(std::move(rig), options.only);
  SimulatedBench bench(rig, {.at_wall_clock = true});
  return attend(bench, options);
}
