// A small chip that is not there: its program in the emulator, as fast as the clock, behind a
// pseudo-terminal, with the rig's switches where its axes meet them.
//
//   chip_behind_terminal RIG PROGRAM [--delay MS] [--at MECHANISM=AMOUNT] ...
//
// It prints the terminal's name; for each line of its standard input, and at its end (a signal, or that input
// is closed), where its axes stand and whether all of its outputs rest.
#include <fcntl.h>
#include <fmt/format.h>
#include <poll.h>
#include <signal.h>
#include <termios.h>
#include <unistd.h>

#include <chrono>
#include <cmath>
#include <cstdlib>
#include <deque>
#include <map>
#include <string>
#include <thread>

#include "chip/chip.hpp"
#include "chip/made_chip.hpp"
#include "cogstride/plan/move.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/rig/files/read_rig.hpp"

using namespace cogstride;
using namespace cogstride::chip_bench;

namespace {

volatile sig_atomic_t has_to_end = 0;

/// An axis, and the switches that it meets.
struct Axis {
  const Mechanism* mechanism = nullptr;
  StepCount count;
  double start = 0.0;  // steps, from the rig's zero
  double per_base = 1.0;
};

class Workshop {
 public:
  Workshop(const Rig& rig, Chip& chip, const std::map<std::string, OutputPosition>& at)
      : rig_(rig), chip_(chip) {
    for (const Mechanism& mechanism : rig.mechanisms) {
      if (!mechanism.is_movable()) continue;
      Axis axis{&mechanism, StepCount(mechanism), 0.0, steps_per_base(mechanism).to_double()};
      if (const auto found = at.find(mechanism.name); found != at.end())
        axis.start = found->second.base.to_double() * axis.per_base;
      axes_.push_back(std::move(axis));
      for (const RigLine& line : rig_lines(rig))
        if (line.owner == mechanism.name && line.is_output)
          for (std::size_t i = 0; i < axes_.back().count.names().size(); ++i)
            if (axes_.back().count.names()[i] == line.use)
              lines_[name(*pin_of(line.number))] = {axes_.size() - 1, i};
    }
    for (const HandControl& hand : rig.hands)
      if (hand.line) drive(*hand.line, hand.active == ActiveLevel::low);  // not pressed
    look();
    chip.on_edge = [this](char port, int bit, bool high) {
      const auto found = lines_.find(name(Pin{port, bit}));
      if (found == lines_.end()) return;
      if (axes_[found->second.first].count.change(found->second.second, high, chip_.now())) look();
    };
  }
  [[nodiscard]] double place(const Axis& axis) const {
    return (axis.start + static_cast<double>(axis.count.count())) / axis.per_base;
  }
  [[nodiscard]] std::string where() const {
    std::string all;
    for (const Axis& axis : axes_)
      all += fmt::format("{}{} {:.2f} {}", all.empty() ? "" : ", ", axis.mechanism->name,
                         place(axis) * display_units_per_base(output_kind(axis.mechanism->train)),
                         display_unit(output_kind(axis.mechanism->train), 0));
    return all;
  }
  [[nodiscard]] bool rests() const {
    for (const RigLine& line : rig_lines(rig_)) {
      if (!line.is_output || (line.mechanism != nullptr && (line.use == "step" || line.use == "dir")))
        continue;
      const Pin pin = *pin_of(line.number);
      if (chip_.level(pin.port, pin.bit) != (line.driven.active == ActiveLevel::low)) return false;
    }
    return true;
  }

 private:
  static std::string name(const Pin& pin) { return fmt::format("{}{}", pin.port, pin.bit); }
  void drive(std::int64_t line, bool high) {
    const Pin pin = *pin_of(line);
    chip_.drive(pin.port, pin.bit, high);
  }
  void look() {
    for (const Axis& axis : axes_)
      for (const Sensor& sensor : axis.mechanism->sensors) {
        const auto* const place = std::get_if<PlaceSwitch>(&sensor);
        if (place == nullptr) continue;
        const bool acts = is_in(*place, this->place(axis), output_kind(axis.mechanism->train));
        drive(place->line, acts == (place->active == ActiveLevel::high));
      }
  }
  bool is_in(const PlaceSwitch& place, double at, OutputKind kind) {
    bool& was = acted_[&place];
    if (place.is_window) {
      // Round and round.
      const double from = place.window_from.base.to_double();
      const double to = place.window_to.base.to_double();
      const double round = kind == OutputKind::rotary ? 1.0 : 1e9;
      const double out = std::abs(std::remainder(at - (from + to) / 2.0, round)) - (to - from) / 2.0;
      return was = out <= (was ? place.hysteresis.base.to_double() : 0.0);
    }
    const double acts_at = place.acts_at.base.to_double();
    const double releases_at = place.releases_at.base.to_double();
    const bool is_low_end = acts_at < releases_at;
    if (is_low_end ? at <= acts_at : at >= acts_at) was = true;
    if (is_low_end ? at >= releases_at : at <= releases_at) was = false;
    return was;
  }

  const Rig& rig_;
  Chip& chip_;
  std::vector<Axis> axes_{};
  std::map<std::string, std::pair<std::size_t, std::size_t>> lines_{};
  std::map<const PlaceSwitch*, bool> acted_{};
};

struct Late {
  std::int64_t ns;
  std::uint8_t byte;
};

int opened_terminal() {
  const int terminal = posix_openpt(O_RDWR | O_NOCTTY | O_NONBLOCK);
  if (terminal < 0 || grantpt(terminal) != 0 || unlockpt(terminal) != 0)
    throw std::runtime_error("no pseudo-terminal is to be had");
  termios raw{};
  tcgetattr(terminal, &raw);
  cfmakeraw(&raw);
  tcsetattr(terminal, TCSANOW, &raw);
  return terminal;
}

int run(int count, char** words) {
  if (count < 3)
    throw std::runtime_error("chip_behind_terminal RIG PROGRAM [--delay MS] [--at MECHANISM=AMOUNT] ...");
  const Rig rig = read_rig(words[1]);
  std::int64_t delay_ns = 0;
  std::map<std::string, OutputPosition> at;
  for (int i = 3; i + 1 < count; i += 2) {
    const std::string option = words[i];
    const std::string value = words[i + 1];
    if (option == "--delay") {
      delay_ns = std::llround(1e6 * std::stod(value));
    } else if (option == "--at") {
      const std::size_t equals = value.find('=');
      at[value.substr(0, equals)] = parse_output<0>(value.substr(equals + 1));
    } else {
      throw std::runtime_error(option + ": what is known is --delay and --at");
    }
  }
  Chip chip(words[2]);
  Workshop workshop(rig, chip, at);
  const int terminal = opened_terminal();
  // One end of ours stays open: who comes and goes hangs up nothing.
  const int kept = open(ptsname(terminal), O_RDWR | O_NOCTTY);
  fmt::print("{}\n", ptsname(terminal));
  std::fflush(stdout);
  std::deque<Late> to_chip;
  std::deque<Late> to_computer;
  const auto clock = [] {
    return std::chrono::duration_cast<std::chrono::nanoseconds>(
               std::chrono::steady_clock::now().time_since_epoch())
        .count();
  };
  const std::int64_t began = clock();
  chip.on_said = [&](std::uint8_t byte) { to_computer.push_back({clock() + delay_ns, byte}); };
  const double baud = static_cast<double>(rig.controller.small_chip->serial_baud);
  const double cycles_per_ns = 1e-9 * rig.controller.timer_clock.base().to_double();
  const auto byte_ns = static_cast<std::int64_t>(1e10 / baud);
  std::int64_t free_ns = began;
  std::int64_t looked = began;
  std::int64_t longest_turn = 0;
  const auto tell = [&] {
    fmt::print("{}; {}\n", workshop.where(), workshop.rests() ? "all at rest" : "not at rest");
    std::fflush(stdout);
  };
  while (has_to_end == 0) {
    const std::int64_t now = clock();
    longest_turn = std::max(longest_turn, now - std::exchange(looked, now));
    std::array<std::uint8_t, 256> bytes{};
    const ssize_t got = read(terminal, bytes.data(), bytes.size());
    for (ssize_t i = 0; i < got; ++i) {
      free_ns = std::max(free_ns, now) + byte_ns;
      to_chip.push_back({free_ns + delay_ns, bytes[static_cast<std::size_t>(i)]});
    }
    // As far as the clock is, byte by byte.
    for (;;) {
      const std::int64_t next = to_chip.empty() ? now : std::min(now, to_chip.front().ns);
      const std::int64_t cycles =
          std::llround(static_cast<double>(next - began) * cycles_per_ns) - chip.now();
      if (cycles > 0) chip.run(cycles);
      if (to_chip.empty() || to_chip.front().ns > now) break;
      chip.hear(to_chip.front().byte);
      to_chip.pop_front();
    }
    while (!to_computer.empty() && to_computer.front().ns <= clock()) {
      if (write(terminal, &to_computer.front().byte, 1) == 1)
        to_computer.pop_front();
      else
        break;
    }
    pollfd input{STDIN_FILENO, POLLIN, 0};
    char letter = 0;
    if (poll(&input, 1, 0) > 0) {
      if (read(STDIN_FILENO, &letter, 1) == 0) break;
      if (letter == '\n') tell();
    }
    std::this_thread::sleep_for(std::chrono::microseconds(300));
  }
  // An emulator that stands still is no chip.
  tell();
  fmt::print("stood still for {} ms at most\n", longest_turn / 1'000'000);
  close(kept);
  close(terminal);
  return 0;
}

}  // namespace

int main(int count, char** words) {
  signal(SIGTERM, [](int) { has_to_end = 1; });
  signal(SIGINT, [](int) { has_to_end = 1; });
  try {
    return run(count, words);
  } catch (const std::exception& error) {
    fmt::print(stderr, "{}\n", error.what());
    return 1;
  }
}
