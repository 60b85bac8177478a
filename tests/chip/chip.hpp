// An 8-bit chip that runs a program of ours, cycle by cycle: what its pins do and when, and pins that a test
// drives.
#pragma once

#include <array>
#include <cstdint>
#include <deque>
#include <functional>
#include <map>
#include <string>
#include <vector>

struct avr_t;
struct avr_timer_t;
struct avr_uart_t;

namespace cogstride::chip_bench {

struct PinEdge {
  std::int64_t at;  ///< cycles since the chip began
  bool high;
};

class Chip {
 public:
  /// @param program  ELF file @throws std::runtime_error when it cannot be loaded
  explicit Chip(const std::string& program);
  ~Chip();
  Chip(const Chip&) = delete;
  Chip& operator=(const Chip&) = delete;

  /// Puts bytes over a variable in flash. @throws std::runtime_error when there is none of that name
  void put_into_flash(const std::string& name, const void* bytes, std::size_t size);
  template <class T>
  [[nodiscard]] T variable(const std::string& name) {
    T value{};
    read_ram(name, &value, sizeof value);
    return value;
  }
  void read_ram(const std::string& name, void* bytes, std::size_t size);
  void write_ram(const std::string& name, const void* bytes, std::size_t size);

  /// Until the program writes `mark` to its general register 0. @return whether it did within so many cycles
  bool run_to_mark(std::uint8_t mark, std::int64_t most_cycles);
  void run(std::int64_t cycles);
  [[nodiscard]] std::int64_t now() const;
  /// Of the program's general registers.
  [[nodiscard]] std::uint8_t general(int which) const;
  void set_general(int which, std::uint8_t value);

  /// A register, by its data address.
  [[nodiscard]] std::uint8_t reg(int address) const;

  /// Drives an input pin: 'D', 2.
  void drive(char port, int bit, bool high);
  /// The level of an output pin, those of compare outputs included.
  [[nodiscard]] bool level(char port, int bit) const;
  /// All changes of a pin so far. Compare outputs change on their tick, others when the write is done.
  [[nodiscard]] const std::vector<PinEdge>& edges(char port, int bit);
  /// When a compare matched: 0 is A, 1 is B.
  [[nodiscard]] const std::vector<std::int64_t>& matches(int compare) const { return matches_[compare]; }
  /// Carried out between two instructions, once so many cycles have gone by.
  void at(std::int64_t cycle, std::function<void()> happens) { happens_.emplace(cycle, std::move(happens)); }
  /// Called after each instruction that changed an output pin.
  std::function<void(char port, int bit, bool high)> on_edge{};
  /// What it has said over its serial line.
  [[nodiscard]] const std::string& said() const { return said_; }
  /// A byte that has come in over it.
  void hear(std::uint8_t byte);
  /// Bytes that were lost, for the program had not taken those before them.
  [[nodiscard]] std::int64_t overruns() const { return overruns_; }
  /// Called with each byte that it says.
  std::function<void(std::uint8_t)> on_said{};
  /// Voltage at an analogue input, of 5 V.
  void analogue(int channel, double volts);

  /// Cycles from an interrupt's first instruction to its last, longest and all of them; the entry's four are
  /// in.
  struct InterruptTimes {
    std::int64_t count = 0;
    std::int64_t longest = 0;
    std::int64_t least = INT64_MAX;
    std::int64_t sum = 0;
  };
  [[nodiscard]] const InterruptTimes& interrupt(int vector) const { return interrupts_.at(vector); }

  /// The lowest that its stack has come to.
  [[nodiscard]] int lowest_stack() const { return lowest_stack_; }

  /// The supply dips: all registers and the program begin anew, and RAM keeps what it held.
  void brown_out();

 private:
  struct Compare;
  void step();
  void bring_byte();
  void look_at_compares(std::int64_t before);
  void look_at_ports();
  void look_at_converter(std::int64_t before, bool was_flagged);
  void changed(char port, int bit, bool high, std::int64_t at);
  void hook();
  [[nodiscard]] std::uint32_t address(const std::string& name) const;

  avr_t* avr_ = nullptr;
  std::map<std::string, std::uint32_t> symbols_;
  std::array<std::uint8_t, 3> outputs_{};  // B, C, D as last seen
  struct Driven {
    std::uint8_t pins = 0;
    std::uint8_t high = 0;
  };
  std::multimap<std::int64_t, std::function<void()>> happens_{};
  std::array<Driven, 3> driven_{};  // from outside
  std::map<int, std::vector<PinEdge>> edges_;
  std::array<InterruptTimes, 32> interrupts_{};
  struct Active {
    int vector;
    int stack;  // at its first instruction
    std::int64_t began;
  };
  std::vector<Active> active_{};  // interrupts that have begun and not ended
  bool entered_ = false;
  int lowest_stack_ = 0xffff;
  std::uint8_t port_b_ = 0;  // as the program wrote it
  std::array<std::vector<std::int64_t>, 2> matches_{};
  std::array<std::uint16_t, 2> values_{};  // of the compares before an instruction
  std::array<int, 2> modes_{};
  std::vector<Compare> compares_;
  std::string said_{};
  avr_uart_t* serial_ = nullptr;
  std::deque<std::uint8_t> heard_{};  // and not given to the emulator
  std::int64_t overruns_ = 0;
};

}  // namespace cogstride::chip_bench
