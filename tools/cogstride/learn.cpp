#include <fmt/format.h>
#include <poll.h>
#include <unistd.h>

#include <atomic>
#include <cctype>
#include <chrono>
#include <cmath>
#include <filesystem>
#include <iostream>
#include <list>
#include <mutex>
#include <thread>

#include "cogstride/bench/live/live_bench.hpp"
#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/files/output_file.hpp"
#include "cogstride/hands/device_ways.hpp"
#include "cogstride/hands/learning.hpp"
#include "cogstride/motion/devices/watches.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "commands.hpp"
#include "playing.hpp"

using namespace cogstride;
using namespace cogstride::literals;

namespace {

std::int64_t now_ns() {
  return std::chrono::duration_cast<std::chrono::nanoseconds>(
             std::chrono::steady_clock::now().time_since_epoch())
      .count();
}

/// "/dev/ttyUSB0" or "/dev/ttyUSB0:19200", as a device that says nothing yet.
Device device_on(const std::string& port, const Rig& rig) {
  Device device;
  const std::size_t colon = port.rfind(':');
  const bool has_baud = colon != std::string::npos && colon + 1 < port.size() &&
                        port.find_first_not_of("0123456789", colon + 1) == std::string::npos &&
                        port.size() - colon < 9;
  device.port = port.substr(0, has_baud ? colon : std::string::npos);
  if (has_baud) device.baud = std::stoll(port.substr(colon + 1));
  for (const char c : std::filesystem::path(device.port).filename().string()) {
    const auto small = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    device.name += std::isalnum(static_cast<unsigned char>(small)) != 0 ? small : '_';
  }
  for (const Device& known : rig.devices)
    if (known.name == device.name || known.port == device.port)
      throw Error(fmt::format("--port: {} is the rig's {} already: it is listened to", port, known.name));
  device.ends_after = 20_ms;
  device.messages.push_back({.name = "nothing", .text = std::string(1, '\0')});
  return device;
}

/// Everything is heard by whoever learns, from the threads of ports and of the bench.
class Listening {
 public:
  explicit Listening(const OperateOptions& options, const Rig& rig)
      : learning_(rig, [](const std::string& words) { fmt::print("{}\n", words); }) {
    Rig& listened = listened_.emplace_back(rig);
    listened.input_devices.clear();
    for (const std::string& port : options.ports) {
      listened.devices.push_back(device_on(port, rig));
      const Device& device = listened.devices.back();
      learning_.add_port(device.name, device.port, device.baud);
    }
    listen_to(listened);
    look_for_input_devices();
  }
  /// Those that have come since it was asked last.
  void look_for_input_devices() {
    for (const InputDevicePort::Found& found : InputDevicePort::all()) {
      if (std::find(called_.begin(), called_.end(), found.called) != called_.end()) continue;
      called_.push_back(found.called);
      show(fmt::format("input device \"{}\" ({})", found.called, found.path));
      Rig& one = listened_.emplace_back();
      one.input_devices.push_back({.name = found.called, .called = found.called});
      listen_to(one);
    }
  }
  void frame(const std::string& remote, const RemoteFrame& frame, std::int64_t now) {
    const std::lock_guard lock(mutex_);
    learning_.frame(remote, frame, now);
    std::fflush(stdout);
  }
  void show(const std::string& words) {
    const std::lock_guard lock(mutex_);
    fmt::print("{}\n", words);
    std::fflush(stdout);
  }
  void settle() {
    const std::lock_guard lock(mutex_);
    learning_.settle(now_ns());
    std::fflush(stdout);
  }
  std::string end() {
    ways_.clear();
    learning_.settle(now_ns() + 1'000'000'000);
    return learning_.proposal();
  }

 private:
  void listen_to(const Rig& rig) {
    DeviceEars ears;
    // An input device was shown when it was found.
    if (rig.input_devices.empty()) ears.tell = [this](const std::string& words) { show(words); };
    ears.raw = [this](const std::string& device, const std::string& bytes) {
      const std::lock_guard lock(mutex_);
      learning_.bytes(device, bytes, now_ns());
      std::fflush(stdout);
    };
    ears.event = [this](const std::string& called, const InputDevicePort::Event& event,
                        const InputDevicePort::Range& range) {
      const std::lock_guard lock(mutex_);
      learning_.input(called, event.what, event.value, range);
      std::fflush(stdout);
    };
    ways_.push_back(std::make_unique<DeviceWays>(rig, std::move(ears)));
  }

  std::mutex mutex_{};
  Learning learning_;
  std::list<Rig> listened_{};
  std::vector<std::string> called_{};  // input devices that are listened to
  std::vector<std::unique_ptr<DeviceWays>> ways_{};
};

/// What comes in at lines: the receivers of the rig's remotes, and its keys, pedals and knobs.
class AtLines final : public Participant {
 public:
  AtLines(Bench& bench, Listening& listening, bool live) : bench_(bench), listening_(listening) {
    const Rig& rig = bench.rig();
    const ExactFrequency clock = rig.controller.timer_clock;
    between_ = std::llround(0.05 * clock.base().to_double());
    for (const HandControl& hand : rig.hands)
      if (hand.channel && rig.controller.analogue && (!live || rig.controller.analogue->chip))
        knobs_.push_back({&bench.knob(hand.name), {}});
    for (const Remote& remote : rig.remotes) {
      auto watch = std::make_unique<RemoteWatch>(remote, clock, [](const std::string&) {});
      watch->receiver().on_frame(
          [this, &remote, &listening, hz = clock.base().to_double()](const RemoteFrame& frame) {
            listening.frame(remote.name, frame, std::llround(1e9 * static_cast<double>(now_) / hz));
          });
      watches_.push_back(std::move(watch));
    }
  }
  [[nodiscard]] Tick next_act() const override {
    Tick next = looks_at_;
    for (const auto& watch : watches_) next = std::min(next, watch->next_act());
    return next;
  }
  void act(Lines& lines, std::span<const Reading> readings) override {
    now_ = lines.now();
    for (const auto& watch : watches_) watch->act(lines, readings);
    look();
  }

 private:
  struct Turned {
    const Knob* knob;
    std::optional<double> shown;
  };
  /// What has changed of what the rig has already.
  void look() {
    const std::vector<Inputs::Input>& inputs = bench_.inputs().all();
    acted_.resize(inputs.size());
    for (std::size_t i = 0; i < inputs.size(); ++i) {
      const std::optional<bool> acts = bench_.inputs().acts(inputs[i].line);
      const bool is_remote = std::any_of(bench_.rig().remotes.begin(), bench_.rig().remotes.end(),
                                         [&](const Remote& each) { return each.name == inputs[i].name; });
      if (!acts || is_remote || std::exchange(acted_[i], acts) == acts) continue;
      if (*acts || now_ > between_)
        listening_.show(fmt::format("{} {}", inputs[i].name, *acts ? "on" : "off"));
    }
    if (now_ < looks_at_) return;
    looks_at_ = now_ + between_;
    for (Turned& each : knobs_) {
      if (!each.knob->is_known()) continue;
      const double share = each.knob->share().base();
      if (each.shown && std::abs(share - *each.shown) < 0.05) continue;
      each.shown = share;
      listening_.show(fmt::format("{} {:.0f} %", each.knob->hand().name, 100.0 * share));
    }
  }

  Bench& bench_;
  Listening& listening_;
  std::vector<std::unique_ptr<RemoteWatch>> watches_{};
  std::vector<std::optional<bool>> acted_{};
  std::vector<Turned> knobs_{};
  Tick between_ = 0;
  Tick looks_at_ = 0;
  Tick now_ = 0;
};

/// Until it is told to end: a line on its input, the end of it, or a signal.
void listen(Bench& bench, Listening& listening, bool live) {
  AtLines lines(bench, listening, live);
  const InterruptsNoted noted(bench);
  std::atomic<bool> ends{false};
  std::thread waits([&] {
    bool reads = true;
    int looks = 0;
    while (!ends.load() && !was_interrupted()) {
      pollfd in{reads ? STDIN_FILENO : -1, POLLIN, 0};
      if (poll(&in, 1, 50) > 0) {
        char byte = 0;
        const ssize_t count = read(STDIN_FILENO, &byte, 1);
        if (count <= 0 || byte == '\n') break;
      }
      listening.settle();
      if (++looks % 10 == 0) listening.look_for_input_devices();
    }
    ends.store(true);
    (void)bench.post("it ends", [] {});
  });
  try {
    bench.run(lines, [&] { return ends.load(); });
  } catch (...) {
    ends.store(true);
    waits.join();
    throw;
  }
  waits.join();
}

bool is_wanted(const std::string& rig) {
  if (isatty(STDIN_FILENO) == 0) return false;
  fmt::print("\nwrite this into {}? 'yes' does: ", rig);
  std::fflush(stdout);
  std::string answer;
  std::getline(std::cin, answer);
  return answer == "yes";
}

void write_into(const std::string& rig_file, const std::string& proposal) {
  ChangedFile file(rig_file);
  std::string text = file.text();
  if (!text.ends_with('\n')) text += '\n';
  text += "\n" + proposal;
  (void)parse_rig(text, rig_file + ", with what was learned");
  file.replace(text);
}

}  // namespace

ExitStatus run_learning(const OperateOptions& options) {
  const Rig rig = read_rig(options.rig);
  // Nothing is driven: no mechanism, and no output.
  Rig lines = only_with(rig, {});
  lines.outputs.clear();
  lines.bindings.clear();
  fmt::print("listening to {}: press, turn and say one thing after the other; the return key ends it\n",
             options.rig);
  if (!rig.remotes.empty() && !options.live && options.event.empty())
    fmt::print("{} is heard at a line: --live takes it\n", rig.remotes.front().name);
  std::fflush(stdout);
  Listening listening(options, rig);
  if (options.live) {
    LiveBench bench(lines);
    listen(bench, listening, true);
    bench.close();
  } else {
    SimulatedBench::Options opened;
    opened.at_wall_clock = true;
    if (!options.event.empty()) opened.events = read_events(options.event, lines);
    SimulatedBench bench(lines, std::move(opened));
    listen(bench, listening, false);
    bench.close();
  }
  const std::string proposal = listening.end();
  if (proposal.empty()) {
    fmt::print("nothing was heard that {} does not say already\n", options.rig);
    return ExitStatus::done;
  }
  fmt::print("\nof a rig, it would be:\n\n{}", proposal);
  if (options.yes || is_wanted(options.rig)) {
    write_into(options.rig, proposal);
    fmt::print("\nit is written into {}\n", options.rig);
  } else {
    fmt::print("\nnothing is written: --yes does\n");
  }
  return ExitStatus::done;
}
