#include <fmt/format.h>
#include <poll.h>
#include <unistd.h>

#include <cmath>
#include <condition_variable>
#include <cstdio>
#include <deque>
#include <filesystem>
#include <map>
#include <mutex>
#include <thread>
#include <utility>

#include "cogstride/bench/live/black_box.hpp"
#include "cogstride/bench/live/live_bench.hpp"
#include "cogstride/bench/live/recorded_lines.hpp"
#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/hands/bindings.hpp"
#include "cogstride/hands/device_replies.hpp"
#include "cogstride/hands/device_ways.hpp"
#include "cogstride/hands/order_desk.hpp"
#include "cogstride/hands/socket_ways.hpp"
#include "cogstride/mechanism/line_name.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/session/kept_settings.hpp"
#include "cogstride/session/live_run.hpp"
#include "cogstride/session/operation.hpp"
#include "cogstride/trace/event_log.hpp"
#include "cogstride/trace/last_levels.hpp"
#include "cogstride/trace/run_window.hpp"
#include "cogstride/trace/thinned.hpp"
#include "cogstride/trace/writer_thread.hpp"
#include "commands.hpp"
#include "live_opening.hpp"
#include "outputs.hpp"
#include "page_out.hpp"
#include "playing.hpp"
#include "report_file.hpp"
#include "terminal_view.hpp"

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

/// Lines of standard input, read in a thread of their own; and whether the program is told to end.
class StandardInput {
 public:
  /// @param way  null: nothing is read @param is_alone  nobody else can order anything
  StandardInput(OrderDesk& desk, std::shared_ptr<OrderDesk::Way> way, bool is_alone)
      : desk_(desk),
        way_(std::move(way)),
        is_alone_(is_alone),
        thread_([this](const std::stop_token& ends) { run(ends); }) {}
  /// Nothing is read any more; what has been posted may still be carried out.
  void end() {
    thread_.request_stop();
    thread_.join();
  }

 private:
  void run(const std::stop_token& ends) {
    const auto order = [this](const std::string& text) { desk_.line(way_, text); };
    LineSplitter lines;
    bool reads = way_ != nullptr;
    bool is_told_to_end = false;
    while (!ends.stop_requested()) {
      // Everything is being stopped by then.
      if (was_interrupted() && !std::exchange(is_told_to_end, true))
        desk_.line(desk_.open("a signal", {}, false), "end");
      pollfd in{reads ? STDIN_FILENO : -1, POLLIN, 0};
      if (poll(&in, 1, 50) <= 0) continue;
      char buffer[4096];
      const ssize_t count = read(STDIN_FILENO, buffer, sizeof buffer);
      if (count > 0) {
        lines.take({buffer, static_cast<std::size_t>(count)}, order);
        continue;
      }
      lines.finish(order);
      reads = false;
      if (is_alone_)
        desk_.line(desk_.open(way_->name(), {}, false), "end");
      else
        desk_.close(way_);
    }
  }

  OrderDesk& desk_;
  std::shared_ptr<OrderDesk::Way> way_;
  bool is_alone_;
  std::jthread thread_;
};

/// Orders by hand, and the rig's own controls.
struct Attended final : Participant {
  Attended(Operation& of_hands, Bindings& of_controls) : operation(of_hands), bindings(of_controls) {}
  [[nodiscard]] Tick next_act() const override { return std::min(bindings.next_act(), operation.next_act()); }
  void act(Lines& lines, std::span<const Reading> readings) override {
    bindings.act(lines, readings);
    operation.act(lines, readings);
  }
  Operation& operation;
  Bindings& bindings;
};

/// Writes what was set into the rig, beside the bench.
class Keeper {
 public:
  Keeper(Bench& bench, std::string rig_file) : bench_(bench), rig_file_(std::move(rig_file)) {}
  void keep(const std::vector<SetByHand>& all, const Operation::Told& said) {
    threads_.emplace_back([this, all, said] {
      Operation::Answer answer;
      try {
        answer.words = keep_settings(rig_file_, bench_.rig(), all);
      } catch (const Error& error) {
        answer = {Operation::Answer::Kind::refused, error.what(), 0};
      }
      bench_.post("settings are kept", [said, answer] {
        if (said) said(answer);
      });
    });
  }

 private:
  Bench& bench_;
  std::string rig_file_;
  std::vector<std::jthread> threads_{};
};

/// The hands of one bench: what is the same whether they are there or played again.
struct Hands {
  Hands(Bench& bench, const std::string& rig_file, std::function<void(const std::string&)> tell)
      : keeper(bench, rig_file),
        operation(bench, {std::filesystem::absolute(rig_file).parent_path(),
                          [this](const std::vector<SetByHand>& all, const Operation::Told& said) {
                            keeper.keep(all, said);
                          }}),
        bindings(bench, operation, std::move(tell)),
        desk(bench, operation),
        attended(operation, bindings) {
    desk.on_press([this](char key, const std::string& by) { bindings.press(key, by); });
  }
  Keeper keeper;
  Operation operation;
  Bindings bindings;
  OrderDesk desk;
  Attended attended;
};

/// The devices of the rig, each a way in of its own.
class DevicesIn {
 public:
  DevicesIn(Bench& bench, OrderDesk& desk, Operation& operation,
            const std::function<void(const std::string&)>& tell) {
    if (!DeviceWays::are_of(bench.rig())) return;
    DeviceEars ears;
    ears.came = [this, &desk](const std::string& device) { ways_in_[device] = desk.open(device, {}, false); };
    ears.heard = [this, &desk](const std::string& device, const std::string& words) {
      if (const auto& way = ways_in_[device]) desk.line(way, "heard " + words);
    };
    ears.gone = [this, &desk](const std::string& device) {
      desk.close(std::exchange(ways_in_[device], nullptr));
    };
    ears.tell = tell;
    ways_ = std::make_unique<DeviceWays>(bench.rig(), std::move(ears));
    interrupted_ =
        std::make_shared<Bench::Interrupted>([this](std::size_t sensor) { ways_->interrupted(sensor); });
    bench.on_interrupt(interrupted_);
    for (const Device& device : bench.rig().devices)
      for (const DeviceReply& reply : device.replies) reply_by(bench, operation, device, reply);
  }
  void end() {
    interrupted_.reset();
    ways_.reset();
  }

 private:
  /// As an order, so that a run that is played again looks as often.
  void reply_by(Bench& bench, Operation& operation, const Device& device, const DeviceReply& reply) {
    const std::string who = fmt::format("{}'s {}", device.name, reply.name);
    const auto every = ExactTime::from_base({std::llround(1e6 * reply.every.in(units::s)), 1'000'000});
    (void)bench.post(fmt::format("{}: watch every {}", who, to_text(every, "ms")),
                     [this, &operation, &device, &reply, who, every, last = std::make_shared<std::string>()] {
                       operation.show(who, every, [this, &device, &reply, last](const OperationState& state) {
                         const std::optional<std::string> text = reply_text(reply, state);
                         if (!ways_ || !text || *text == *last) return;
                         *last = *text;
                         ways_->say(device.name, *text);
                       });
                     });
  }

  std::map<std::string, std::shared_ptr<OrderDesk::Way>> ways_in_{};  // of the devices' thread
  std::unique_ptr<DeviceWays> ways_{};
  std::shared_ptr<Bench::Interrupted> interrupted_{};
};

/// What is kept of the run for those who look on, now or later.
struct Watched {
  LastLevels levels{};
  RunWindow window{};  // of the page
  ThinnedTrace thinned{"", LineId{}};
  EventLog log{};
  TraceFork fork{};
  explicit Watched(const OperateOptions& options) {
    fork.add(levels);
    if (options.page) fork.add(window);
    if (options.report.empty()) return;
    fork.add(thinned);
    fork.add(log);
  }
};

/// How often signals are sampled.
ExactTime sample_period(const OperateOptions& options) {
  return options.page || !options.report.empty() ? ExactTime::from_base({1, 20}) : ExactTime::from_base({1});
}

void keep_report(const OperateOptions& options, const Rig& rig, const Verdict& verdict,
                 const Watched& watched) {
  if (options.report.empty()) return;
  const std::string where = options.live ? "live lines" : "the simulated bench";
  ReportPage page(rig.name + ", by hand", verdict.is_sound(),
                  fmt::format("{}, after {:.3f} s on {}",
                              verdict.is_sound()      ? "all as asked"
                              : verdict.fault.empty() ? "something is wrong"
                                                      : verdict.fault,
                              verdict.seconds, where));
  page.add_verdict(verdict);
  std::vector<Drawn> figures;
  for (const MoverVerdict& mover : verdict.movers) {
    if (!mover.has_moved) continue;
    figures.push_back(
        drawn_signals(mover.name + ", drawn", watched.thinned, mover.name, "by hand on " + where));
  }
  add_drawn(page, figures);
  page.add_events(watched.log);
  finish_report(page, rig, {options.event, options.rig}, {{"bench", where}}, options.report,
                options.overwrite);
}

/// Words beside the answers: where somebody looks at the screen, on that. From any thread.
class Teller {
 public:
  void operator()(const std::string& words) {
    const std::lock_guard lock(mutex_);
    if (shows_)
      shows_(words);
    else
      fmt::print(stderr, "{}\n", words);
  }
  /// @param shows  empty: nothing does any more
  void show_by(std::function<void(const std::string&)> shows) {
    const std::lock_guard lock(mutex_);
    shows_ = std::move(shows);
  }

 private:
  std::mutex mutex_{};
  std::function<void(const std::string&)> shows_{};
};

using Tell = std::function<void(const std::string&)>;

/// Where those come in who are elsewhere.
class Doors {
 public:
  Doors(Bench& bench, Hands& hands, const OperateOptions& options, const RunWindow& window, bool on_screen,
        const Tell& tell) {
    const Operating& operating = bench.rig().operating;
    const auto token = std::make_shared<AccessToken>(operating.token);
    const std::string listen =
        !options.listen.empty() && !options.page ? options.listen : operating.listen.value_or("");
    if (!listen.empty()) {
      sockets_ = std::make_unique<SocketWays>(
          hands.desk, SocketWays::Options{listen, token, operating.look_without_token, options.json, tell});
      tell(fmt::format("orders are taken at {}{}", sockets_->address(),
                       token->is_wanted() ? "; who comes says first: token " + *token->wanted() : ""));
      addresses_ = sockets_->address();
    }
    if (options.page) {
      page_ = serve_page(
          bench, hands.operation, hands.desk,
          {options.listen, token, operating.look_without_token, options.live ? "live lines" : "simulated",
           std::filesystem::absolute(options.rig).parent_path().string(), &window, on_screen, tell});
      addresses_ += (addresses_.empty() ? "" : ", ") + ("page " + page_->address());
    }
    if (are_there())
      hands.desk.on_renewal([this, token] {
        const std::string renewed = token->renew();  // before the link is asked for, which has it
        return "the token is now " + renewed + (page_ ? ", the page at " + page_->link() : "");
      });
  }
  [[nodiscard]] bool are_there() const { return sockets_ || page_; }
  /// "127.0.0.1:7440, page 127.0.0.1:7480"
  [[nodiscard]] const std::string& addresses() const { return addresses_; }
  void close() {
    sockets_.reset();
    page_.reset();
  }

 private:
  std::unique_ptr<SocketWays> sockets_{};
  std::unique_ptr<PageOut> page_{};
  std::string addresses_{};
};

void show_on(TerminalView& view, Bench& bench, Operation& operation) {
  // As an order, so that a run that is played again looks as often.
  bench.post("the screen: watch every 100 ms", [&] {
    operation.show("the screen", ExactTime::from_base({1, 10}),
                   [&](const OperationState& state) { view.update(state); });
  });
}

ExitStatus attend(Bench& bench, const OperateOptions& options, const Watched& watched) {
  Teller teller;
  const Tell tell = std::ref(teller);
  Hands hands(bench, options.rig, tell);
  const bool on_screen =
      !options.plain && !options.json && isatty(STDIN_FILENO) == 1 && isatty(STDOUT_FILENO) == 1;
  const InterruptsNoted noted(bench);
  Doors doors(bench, hands, options, watched.window, on_screen, tell);
  const bool is_alone = !doors.are_there() && !DeviceWays::are_of(bench.rig());
  std::unique_ptr<AnswersOut> out;
  std::unique_ptr<TerminalView> view;
  std::shared_ptr<OrderDesk::Way> lines;
  if (on_screen) {
    view = std::make_unique<TerminalView>(
        hands.desk, bench.rig(), watched.levels,
        TerminalView::Shown{bench.rig().name, options.live ? "live lines" : "simulated", doors.addresses(),
                            is_alone});
    teller.show_by([&](const std::string& words) { view->tell(words); });
    show_on(*view, bench, hands.operation);
  } else {
    out = std::make_unique<AnswersOut>();
    lines = hands.desk.open(
        "standard input", [&](std::string line) { out->put(std::move(line)); }, options.json);
  }
  DevicesIn devices(bench, hands.desk, hands.operation, tell);
  bool has_failed = false;
  bench.on_fault([&](const std::string& why) {
    // One that was ordered has its answer.
    if (why == "a stop was requested" && !was_interrupted()) return;
    has_failed = true;
    hands.desk.tell_fault(why);
  });
  StandardInput in(hands.desk, lines, is_alone);
  bench.run(hands.attended, [&] { return hands.operation.has_ended(); });
  bench.come_to_rest();
  in.end();
  bench.serve(1_ms);  // what came in meanwhile is answered
  doors.close();
  devices.end();
  teller.show_by({});
  view.reset();
  return !has_failed ? ExitStatus::done : ExitStatus::something_is_wrong;
}

std::string what_may_move(const Rig& rig) {
  std::string words;
  for (const Mechanism& mechanism : rig.mechanisms)
    if (mechanism.moves()) words += fmt::format("  {} moves as it is told by hand\n", mechanism.name);
  for (const PlainOutput& output : rig.outputs)
    words += fmt::format("  {} may be switched on (line {})\n", output.name, line_name(output.line.number));
  return words;
}

ExitStatus operate_live(const OperateOptions& options, const Rig& rig) {
  require_drivable(options.rig, rig);
  const std::vector<std::string> read{options.rig};
  const std::string black_box = black_box_of(options.black_box, "last-operate.box", options.overwrite, read);
  if (!is_agreed(options.rig, options.yes, what_may_move(rig))) {
    fmt::print(stderr, "nothing was moved\n");
    return ExitStatus::something_is_wrong;
  }
  for (const std::string& note : live_notes(rig)) fmt::print(stderr, "note: {}\n", note);
  Watched watched(options);
  LiveBench::Options opened;
  opened.trace = &watched.fork;
  opened.sample_period = sample_period(options);
  opened.black_box = black_box;
  opened.labels = box_labels(options.rig, {}, options.only);
  LiveBench bench(rig, std::move(opened));
  if (!bench.conditions().words.empty()) fmt::print(stderr, "note: {}\n", bench.conditions().words);
  const ExitStatus status = attend(bench, options, watched);
  bench.close();
  keep_report(options, rig, bench.verdict(), watched);
  if (status != ExitStatus::done && !black_box.empty())
    fmt::print(stderr, "what led to it: cogstride operate {} --replay {}\n", options.rig, black_box);
  return status;
}

/// The same planner is told what it was told then, and orders the same.
ExitStatus play_again(const OperateOptions& options) {
  BlackBox box(options.replay);
  require_same_files(box, options.replay, options.rig, {});
  Rig rig = read_rig(options.rig);
  if (const std::vector<std::string> only = only_of(box); !only.empty())
    rig = only_with(std::move(rig), only);
  LiveBench::Options opened;
  opened.replay = &box;
  std::unique_ptr<Hands> hands;
  opened.on_replayed_post = [&](const std::string& posted) {
    fmt::print("{}\n", posted);
    if (hands) hands->desk.play_again(posted);
  };
  LiveBench bench(rig, std::move(opened));
  hands = std::make_unique<Hands>(bench, options.rig, [](const std::string&) {});
  std::string ends;
  bench.on_fault([](const std::string& why) { fmt::print("fault: {}\n", why); });
  try {
    bench.run(hands->attended, [&] { return hands->operation.has_ended(); });
    bench.come_to_rest();
    bench.serve(1_ms);
  } catch (const ReplayEnds& error) {
    ends = error.what();
  }
  bench.close();
  fmt::print("played again as it was on {}: {} times what was ordered was held against what was then\n",
             box.labels().at("began"), bench.commands_compared());
  if (!ends.empty()) fmt::print("it ends before its end: {}\n", ends);
  return ends.empty() ? ExitStatus::done : ExitStatus::something_is_wrong;
}

}  // namespace

ExitStatus run_operate(const OperateOptions& options) {
  if (options.learn) {
    if (!options.replay.empty() || !options.listen.empty() || !options.black_box.empty() ||
        !options.only.empty() || options.json || options.plain || options.page || !options.report.empty())
      throw Error("--learn: goes with --live, --events, --port and --yes");
    return run_learning(options);
  }
  if (!options.ports.empty())
    throw Error("--port: is listened to with --learn; a rig declares it as a [device.NAME]");
  if (options.page) require_page();
  if (!options.replay.empty()) {
    if (options.live || options.page || !options.report.empty() || !options.listen.empty() ||
        !options.black_box.empty() || !options.only.empty())
      throw Error("--replay: goes with the rig alone: all else is in the box");
    return play_again(options);
  }
  check_output_names({.report = options.report, .overwrite = options.overwrite},
                     {options.rig, options.event});
  if (!options.live && !options.black_box.empty()) throw Error("--black-box: is kept of live lines (--live)");
  Rig rig = read_rig(options.rig);
  if (!options.only.empty()) rig = only_with(std::move(rig), options.only);
  if (options.live && !options.event.empty())
    throw Error("--events: is of the simulated bench; on live lines it is hands that press");
  if (options.live) return operate_live(options, rig);
  Watched watched(options);
  SimulatedBench::Options opened;
  opened.at_wall_clock = true;
  if (!options.event.empty()) opened.events = read_events(options.event, rig);
  opened.trace = &watched.fork;
  opened.sample_period = sample_period(options);
  SimulatedBench bench(rig, std::move(opened));
  const ExitStatus status = attend(bench, options, watched);
  const Verdict verdict = bench.verdict();
  bench.close();
  keep_report(options, rig, verdict, watched);
  return status;
}
