#include "terminal_view.hpp"

#include <fmt/format.h>
#include <ncurses.h>
#include <poll.h>
#include <termios.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <chrono>
#include <cmath>
#include <csignal>
#include <cstdint>
#include <cstring>
#include <deque>
#include <map>
#include <mutex>
#include <thread>
#include <utility>

#include "cogstride/hands/state_line.hpp"
#include "cogstride/quantity/text.hpp"

using namespace cogstride;

extern "C" char* tigetstr(const char* name);  // <term.h> has it, and a macro for every word

namespace {

using Clock = std::chrono::steady_clock;

// ---- the terminal is restored, whatever happens

termios terminal_before{};
std::atomic<bool> terminal_is_taken{false};
char leaves_screen[64] = "";

void restore_terminal() {
  if (!terminal_is_taken.exchange(false)) return;
  tcsetattr(STDIN_FILENO, TCSANOW, &terminal_before);
  if (leaves_screen[0] != 0) {
    const ssize_t ignored = write(STDOUT_FILENO, leaves_screen, std::strlen(leaves_screen));
    (void)ignored;
  }
}

constexpr std::array<int, 5> ways_to_crash{SIGSEGV, SIGABRT, SIGBUS, SIGFPE, SIGILL};

void crashed(int signal) {
  restore_terminal();
  std::signal(signal, SIG_DFL);
  raise(signal);
}

// ---- what is drawn

constexpr int least_rows = 20;
constexpr int least_columns = 72;
constexpr std::array<double, 5> nudge_shares{0.1, 0.2, 0.5, 1.0, 2.0};

std::string fitted(const std::string& text, std::size_t width) {
  if (text.size() <= width) return text + std::string(width - text.size(), ' ');
  return width < 2 ? text.substr(0, width) : text.substr(0, width - 1) + "~";
}

/// "[=====|          ]": where it stands in its travel.
std::string bar(const MovedState& moved, std::size_t width) {
  if (!moved.from || !moved.to || width < 4) return std::string(width, ' ');
  std::string inside(width - 2, '-');
  if (moved.place && moved.knows_zero) {
    const double share = std::clamp((*moved.place - *moved.from) / (*moved.to - *moved.from), 0.0, 1.0);
    inside[static_cast<std::size_t>(std::lround(share * static_cast<double>(width - 3)))] = '#';
  }
  return "[" + inside + "]";
}

std::string place_of(const MovedState& moved) {
  if (!moved.knows_zero) return "not homed";
  if (moved.place) return fmt::format("{:.2f} {}", *moved.place, moved.place_unit);
  if (moved.share) return fmt::format("{:.1f} %", *moved.share);
  return "-";
}

std::string speed_of(const MovedState& moved) {
  if (moved.speed)
    return fmt::format("{:.1f} {}", std::abs(*moved.speed) < 0.05 ? 0.0 : *moved.speed, moved.speed_unit);
  if (moved.share && moved.place) return fmt::format("{:.1f} %", *moved.share);
  return {};
}

struct Help {
  const char* key;
  const char* does;
};
constexpr std::array<Help, 17> helps{{
    {"SPACE", "stop everything, at once; then `c` takes orders again"},
    {"c", "clear: orders are taken again, and nothing moves by it"},
    {"up, down, 1-9", "choose a mechanism"},
    {"left, right", "a press nudges it back or on; held down, it goes until let go"},
    {"n", "how far a press nudges: five amounts, one after the other"},
    {"+ -", "faster, slower by a tenth; what is on as well"},
    {"] [", "its acceleration, by a tenth"},
    {"t", "type a target: 40 mm, station 5, 300 rpm, 40 %"},
    {"o", "home it"},
    {"s", "stop it, on its ramp"},
    {"z", "zero here: of one that has nothing to home to"},
    {":", "type any order: `play first.moves`, `switch lamp on`"},
    {"k", "keep what was set in the rig"},
    {"p", "pause the script that is played, or let it go on"},
    {"?", "this help"},
    {"q", "end: what is on its way comes to its end"},
    {"other keys", "as the rig binds them: see the line `keys`"},
}};

}  // namespace

struct TerminalView::Inside {
  OrderDesk& desk;
  const Rig& rig;
  const LastLevels& levels;
  Shown shown;
  std::shared_ptr<OrderDesk::Way> way{};
  std::mutex mutex{};  // of the next two
  OperationState state{};
  std::deque<std::string> answers{};

  // From here on all is the view's own thread's.
  OperationState seen{};
  std::size_t chosen = 0;
  std::size_t nudge = 3;
  std::map<std::string, double> speeds{};  // set here, in the state's unit
  std::map<std::string, double> accelerations{};
  std::string typed{};
  std::string prompt{};  // what is typed for; empty: nothing is typed
  bool helps_now = false;
  int last_key = ERR;
  Clock::time_point last_at{};
  int repeats = 0;
  std::atomic<bool> ends{false};
  std::atomic<bool> is_over{false};
  SCREEN* screen = nullptr;
  std::thread thread{};

  Inside(OrderDesk& at, const Rig& of, const LastLevels& of_lines, Shown what)
      : desk(at), rig(of), levels(of_lines), shown(std::move(what)) {}

  void say(const std::string& order) { desk.line(way, order); }
  void heard(std::string line);
  void run();
  void draw();
  void draw_help();
  void put(int row, const std::string& text, int attributes = A_NORMAL);
  void put_wrapped(int& row, const std::string& text, int last_row);
  void key(int pressed);
  void typing(int pressed);
  void arrow(int way_of_it, const std::string& name);
  void set(int per_time, double by);
  [[nodiscard]] const Mechanism* mechanism_of(const std::string& name) const;
  [[nodiscard]] std::string nudge_text(const Mechanism& mechanism) const;
};

const Mechanism* TerminalView::Inside::mechanism_of(const std::string& name) const {
  for (const Mechanism& mechanism : rig.mechanisms)
    if (mechanism.name == name) return &mechanism;
  return nullptr;
}

/// Of its own, of a hundredth of its travel or of a degree, by what was chosen.
std::string TerminalView::Inside::nudge_text(const Mechanism& mechanism) const {
  const OutputKind kind = output_kind(mechanism.train);
  const double unit = display_units_per_base(kind);
  double usual = kind == OutputKind::linear ? 1.0 : 5.0;
  if (mechanism.by_hand.nudge) usual = mechanism.by_hand.nudge->base.to_double() * unit;
  return fmt::format("{:.4g} {}", usual * nudge_shares[nudge], display_unit(kind, 0));
}

void TerminalView::Inside::heard(std::string line) {
  const std::lock_guard lock(mutex);
  // A hold is said again and again: that it goes on is seen.
  if (line.starts_with("done: jog ")) return;
  answers.push_back(std::move(line));
  if (answers.size() > 100) answers.pop_front();
}

void TerminalView::Inside::put(int row, const std::string& text, int attributes) {
  if (row < 0 || row >= LINES) return;
  attrset(static_cast<attr_t>(attributes));
  move(row, 0);
  addnstr(text.c_str(), std::max(0, COLS - 1));
  attrset(A_NORMAL);
  clrtoeol();
}

/// Over as many rows as it takes, broken at blanks and indented.
void TerminalView::Inside::put_wrapped(int& row, const std::string& text, int last_row) {
  const auto width = static_cast<std::size_t>(std::max(20, COLS - 1));
  std::string rest = text;
  while (row <= last_row) {
    if (rest.size() <= width) {
      put(row++, rest);
      return;
    }
    std::size_t end = rest.rfind(' ', width);
    if (end == std::string::npos || end < 8) end = width;
    put(row++, rest.substr(0, end));
    const std::size_t next = rest.find_first_not_of(' ', end);
    rest = next == std::string::npos ? std::string() : "    " + rest.substr(next);
  }
}

void TerminalView::Inside::draw_help() {
  erase();
  put(0, " Keys", A_BOLD);
  int row = 2;
  for (const Help& help : helps) put(row++, fmt::format("  {:<14} {}", help.key, help.does));
  put(row + 1, " any key: back");
  refresh();
}

void TerminalView::Inside::draw() {
  std::deque<std::string> said;
  {
    const std::lock_guard lock(mutex);
    seen = state;
    said = answers;
  }
  const OperationState& now = seen;
  if (helps_now) return draw_help();
  erase();
  if (LINES < least_rows || COLS < least_columns) {
    put(0, fmt::format("{} columns and {} rows at least", least_columns, least_rows));
    put(1, "SPACE stops everything, q ends");
    refresh();
    return;
  }
  const auto width = static_cast<std::size_t>(COLS - 1);
  std::string title = fmt::format(" {}   {}   {:.1f} s", shown.rig, shown.where, now.at);
  if (!shown.listens.empty()) title += "   " + shown.listens;
  title = fitted(title, width > 10 ? width - 8 : width) + " ? help";
  put(0, title, A_REVERSE);
  if (now.is_stopped)
    put(1, " EVERYTHING IS STOPPED: c takes orders again", A_BOLD | A_REVERSE);
  else if (!now.fault.empty())
    put(1, " fault: " + now.fault, A_BOLD);
  const std::size_t bar_width = width > 100 ? width - 85 : 14;
  put(2,
      fmt::format("   {:<10} {:>12} {:<{}} {:>12}  {}", "", "place, share", " travel", bar_width, "speed",
                  "does (held by)"),
      A_BOLD);
  int row = 3;
  chosen = now.moved.empty() ? 0 : std::min(chosen, now.moved.size() - 1);
  for (std::size_t i = 0; i < now.moved.size() && row < LINES - 12; ++i) {
    const MovedState& moved = now.moved[i];
    std::string does = moved.doing.empty() && moved.is_driven ? "driven" : moved.doing;
    if (!moved.held_by.empty()) does += fmt::format(" ({})", moved.held_by);
    put(row++,
        fmt::format(" {} {} {:>12} {} {:>12}  {}", i == chosen ? '>' : ' ', fitted(moved.name, 10),
                    place_of(moved), bar(moved, bar_width), speed_of(moved), does),
        i == chosen ? A_BOLD : A_NORMAL);
  }
  ++row;
  if (!now.moved.empty()) {
    const MovedState& moved = now.moved[chosen];
    const Mechanism* const mechanism = mechanism_of(moved.name);
    std::string does = moved.doing.empty() ? (moved.is_driven ? "driven" : "stands") : moved.doing;
    if (!moved.asked.empty() && !moved.doing.empty()) does += "   asked: " + moved.asked;
    if (moved.lag) does += fmt::format("   lag {:.3g} {}", *moved.lag, moved.place_unit);
    if (!moved.obstacle.empty()) does = "in its way: " + moved.obstacle;
    put(row++, fmt::format(" {}: {}", moved.name, does));
    std::string sets = fmt::format("   counted {}", moved.counted ? std::to_string(*moved.counted) : "-");
    if (mechanism != nullptr) {
      const OutputKind kind = output_kind(mechanism->train);
      sets += "   nudge " + nudge_text(*mechanism);
      if (const auto set = speeds.find(moved.name); set != speeds.end())
        sets += fmt::format("   speed {:.4g} {}", set->second, display_unit(kind, 1));
      if (const auto set = accelerations.find(moved.name); set != accelerations.end())
        sets += fmt::format("   acceleration {:.4g} {}", set->second, display_unit(kind, 2));
    }
    put(row++, sets);
    std::string line = "   lines  ";
    for (const LastLevels::Level& level : levels.of(moved.name))
      line += fmt::format(" {} {} ", level.name, level.is_high ? 1 : 0);
    put_wrapped(row, line, LINES - 2);
  }
  std::string acting;
  for (const NamedState& input : now.inputs) {
    const bool is_value = input.share || input.said;
    const std::string says = input_words(input);
    if (is_value)
      acting += fmt::format(" {} ", says.empty() ? input.name + " 0 %" : says);
    else
      acting += fmt::format(" {}{} ", input.name, !input.acts ? "?" : *input.acts ? "*" : "");
  }
  put_wrapped(row, " inputs " + acting, LINES - 2);
  std::string outputs;
  for (const NamedState& output : now.outputs)
    outputs += fmt::format(" {} {:.0f} % ", output.name, 100.0 * output.share.value_or(0.0));
  std::string bound;
  for (const Binding& binding : rig.bindings)
    if (binding.control.starts_with("key "))
      bound += fmt::format(" {} {} ", binding.control.substr(4), binding.name);
  if (!outputs.empty() || !bound.empty())
    put(row++, " outputs" + outputs + (bound.empty() ? "" : "   keys" + bound));
  if (!now.script.empty())
    put(row++, fmt::format(" {}{}: {}", now.script, now.script_is_paused ? " (paused)" : "", now.statement));
  put(row++, std::string(width, '-'));
  // The last answers that find room, the newest at the bottom.
  const auto rows_of = [&](const std::string& text) {
    return static_cast<int>(1 + text.size() / (width > 12 ? width - 8 : 1));
  };
  std::size_t from = said.size();
  for (int room = LINES - 1 - row; from > 0 && room >= rows_of(said[from - 1]); --from)
    room -= rows_of(said[from - 1]);
  for (std::size_t i = from; i < said.size(); ++i) put_wrapped(row, " " + said[i], LINES - 2);
  put(LINES - 1,
      prompt.empty() ? " SPACE stop everything  arrows choose, nudge, hold  t target  : order  q end"
                     : fmt::format(" {}{}_", prompt, typed),
      prompt.empty() ? A_REVERSE : A_BOLD);
  refresh();
}

/// A terminal tells of no releases, and its first repeat is late: one press nudges, and what comes quickly
/// after each other is a key held down.
void TerminalView::Inside::arrow(int way_of_it, const std::string& name) {
  const auto now = Clock::now();
  const int pressed = way_of_it > 0 ? KEY_RIGHT : KEY_LEFT;
  constexpr auto repeats_within = std::chrono::milliseconds(120);
  const bool is_repeat = last_key == pressed && now - last_at < repeats_within;
  repeats = is_repeat ? repeats + 1 : 0;
  last_key = pressed;
  last_at = now;
  const Mechanism* const mechanism = mechanism_of(name);
  if (repeats > 0) {
    const char* const on =
        mechanism != nullptr ? (way_of_it > 0 ? "on" : "back") : (way_of_it > 0 ? "right" : "left");
    std::string order = fmt::format("jog {} {}", name, on);
    if (const auto set = speeds.find(name); set != speeds.end() && mechanism != nullptr)
      order += fmt::format(" at {:.6g} {}", set->second, display_unit(output_kind(mechanism->train), 1));
    say(order);
  } else if (mechanism != nullptr && (mechanism->is_movable() || mechanism->swings())) {
    say(fmt::format("nudge {} by {}{}", name, way_of_it > 0 ? "" : "-", nudge_text(*mechanism)));
  }
}

/// Its speed (1) or acceleration (2), by so much, down to a hundredth of the rig's.
void TerminalView::Inside::set(int per_time, double by) {
  const Mechanism* const mechanism = seen.moved.empty() ? nullptr : mechanism_of(seen.moved[chosen].name);
  if (mechanism == nullptr) return;
  const OutputKind kind = output_kind(mechanism->train);
  const auto base = [&](const auto& of_speed, const auto& of_acceleration) {
    return per_time == 1 ? of_speed.base.to_double() : of_acceleration.base.to_double();
  };
  const double unit = display_units_per_base(kind);
  const Limits& limits = mechanism->limits;
  const ByHand& by_hand = mechanism->by_hand;
  const double top = unit * base(limits.speed, limits.acceleration);
  if (top <= 0.0) return;
  const double usual =
      unit * base(by_hand.speed.value_or(limits.speed), by_hand.acceleration.value_or(limits.acceleration));
  double& value = (per_time == 1 ? speeds : accelerations).try_emplace(mechanism->name, usual).first->second;
  value = std::clamp(value * by, 0.01 * top, top);
  say(fmt::format("set {} {} {:.4g} {}", mechanism->name, per_time == 1 ? "speed" : "acceleration", value,
                  display_unit(kind, per_time)));
}

void TerminalView::Inside::typing(int pressed) {
  if (pressed == 27) {
    prompt.clear();
    typed.clear();
  } else if (pressed == '\n' || pressed == KEY_ENTER) {
    std::string order = typed;
    if (prompt != ": " && !order.empty()) {
      const std::string name = prompt.substr(0, prompt.find(' '));
      const Mechanism* const mechanism = mechanism_of(name);
      const bool spins = mechanism != nullptr && !mechanism->is_movable() && !mechanism->swings();
      const bool turns = mechanism != nullptr && mechanism->is_movable() &&
                         output_kind(mechanism->train) == OutputKind::rotary;
      order = mechanism != nullptr && mechanism->is_throttled()
                  ? fmt::format("throttle {} to {}", name, order)
              : spins ? fmt::format("spin {} at {} until stopped", name, order)
              : mechanism != nullptr && mechanism->swings() ? fmt::format("swing {} to {}", name, order)
              : turns                                       ? fmt::format("turn {} to {}", name, order)
                                                            : fmt::format("move {} to {}", name, order);
    }
    if (!order.empty()) say(order);
    prompt.clear();
    typed.clear();
  } else if (pressed == KEY_BACKSPACE || pressed == 127 || pressed == 8) {
    if (!typed.empty()) typed.pop_back();
  } else if (pressed >= 32 && pressed < 127 && typed.size() < longest_order) {
    typed.push_back(static_cast<char>(pressed));
  }
}

void TerminalView::Inside::key(int pressed) {
  if (helps_now) {
    helps_now = false;
    if (pressed != ' ') return;
  }
  if (!prompt.empty()) return typing(pressed);
  if (pressed == ' ') return say("stop everything");
  const std::string name = seen.moved.empty() ? std::string() : seen.moved[chosen].name;
  // What the rig binds comes before what the view does by itself.
  if (pressed > ' ' && pressed < 127)
    for (const Binding& binding : rig.bindings)
      if (binding.control == fmt::format("key {}", static_cast<char>(pressed)))
        return say(fmt::format("press {}", static_cast<char>(pressed)));
  if (pressed >= '1' && pressed <= '9') {
    chosen = static_cast<std::size_t>(pressed - '1');
    return;
  }
  switch (pressed) {
    case KEY_UP:
      chosen = chosen == 0 ? 0 : chosen - 1;
      return;
    case KEY_DOWN:
      ++chosen;
      return;
    case KEY_LEFT:
      return arrow(-1, name);
    case KEY_RIGHT:
      return arrow(1, name);
    case 'c':
      return say("clear");
    case 'n':
      nudge = (nudge + 1) % nudge_shares.size();
      return;
    case '+':
      return set(1, 1.1);
    case '-':
      return set(1, 1.0 / 1.1);
    case ']':
      return set(2, 1.1);
    case '[':
      return set(2, 1.0 / 1.1);
    case 't':
      prompt = name + " to: ";
      return;
    case ':':
      prompt = ": ";
      return;
    case 'o':
      return say("home " + name);
    case 's':
      return say("stop " + name);
    case 'z':
      return say("zero " + name + " here");
    case 'k':
      return say("keep");
    case 'p':
      return say(seen.script_is_paused ? "resume" : "pause");
    case '?':
      helps_now = true;
      return;
    case 'q':
      return say("end");
    default:
      break;
  }
  for (const Binding& binding : rig.bindings)
    if (binding.control == "anything else" && pressed > ' ' && pressed < 127)
      return say(fmt::format("press {}", static_cast<char>(pressed)));
}

void TerminalView::Inside::run() {
  auto drawn = Clock::now() - std::chrono::seconds(1);
  int empty_looks = 0;
  while (!ends.load()) {
    bool was_pressed = false;
    for (int pressed = getch(); pressed != ERR; pressed = getch()) {
      if (pressed != KEY_RESIZE) key(pressed);
      was_pressed = true;
    }
    const auto now = Clock::now();
    if (was_pressed || now - drawn > std::chrono::milliseconds(100)) {
      drawn = now;
      draw();
    }
    pollfd in{STDIN_FILENO, POLLIN, 0};
    const bool is_ready = poll(&in, 1, 50) > 0;
    // A terminal that is gone is always ready, and gives nothing.
    empty_looks = is_ready && !was_pressed ? empty_looks + 1 : 0;
    if (empty_looks < 20) continue;
    if (shown.is_alone) say("end");
    desk.close(way);
    while (!ends.load()) std::this_thread::sleep_for(std::chrono::milliseconds(20));
  }
  is_over.store(true);
}

TerminalView::TerminalView(OrderDesk& desk, const Rig& rig, const LastLevels& levels, Shown shown)
    : inside_(std::make_unique<Inside>(desk, rig, levels, std::move(shown))) {
  Inside& in = *inside_;
  tcgetattr(STDIN_FILENO, &terminal_before);
  in.screen = newterm(nullptr, stdout, stdin);
  if (in.screen == nullptr) throw Error("this terminal is not known (TERM): --plain takes orders as lines");
  set_term(in.screen);
  // What is no string has the address of nothing, or of the byte before it.
  if (const char* const leaves = tigetstr("rmcup"); reinterpret_cast<std::uintptr_t>(leaves) + 1 > 1)
    std::snprintf(leaves_screen, sizeof leaves_screen, "%s", leaves);
  terminal_is_taken.store(true);
  for (const int signal : ways_to_crash) std::signal(signal, crashed);
  cbreak();
  noecho();
  keypad(stdscr, TRUE);
  nodelay(stdscr, TRUE);
  set_escdelay(50);
  curs_set(0);
  in.way = desk.open(
      "terminal", [&in](std::string line) { in.heard(std::move(line)); }, false);
  in.thread = std::thread([&in] { in.run(); });
}

TerminalView::~TerminalView() {
  Inside& in = *inside_;
  in.ends.store(true);
  for (int tries = 0; tries < 100 && !in.is_over.load(); ++tries)
    std::this_thread::sleep_for(std::chrono::milliseconds(10));
  for (const int signal : ways_to_crash) std::signal(signal, SIG_DFL);
  if (!in.is_over.load()) {  // its terminal takes nothing: it is left alone with what it waits for
    in.thread.detach();
    restore_terminal();
    (void)inside_.release();
    return;
  }
  in.thread.join();
  endwin();
  delscreen(in.screen);
  terminal_is_taken.store(false);
}

void TerminalView::tell(const std::string& words) {
  inside_->heard(words);
}

void TerminalView::update(const OperationState& state) {
  const std::lock_guard lock(inside_->mutex);
  inside_->state = state;
}
