#include "chip/chip.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cstdarg>
#include <cstring>
#include <stdexcept>
#include <utility>

extern "C" {
#include <simavr/avr_adc.h>
#include <simavr/avr_extint.h>
#include <simavr/avr_ioport.h>
#include <simavr/avr_timer.h>
#include <simavr/avr_uart.h>
#include <simavr/sim_avr.h>
#include <simavr/sim_elf.h>
}

namespace cogstride::chip_bench {
namespace {

constexpr std::uint32_t frequency = 16'000'000;
// Data addresses of the registers that matter here.
constexpr int pin_of[3] = {0x23, 0x26, 0x29};
constexpr int ddr_of[3] = {0x24, 0x27, 0x2a};
constexpr int port_of[3] = {0x25, 0x28, 0x2b};
constexpr int general_of[3] = {0x3e, 0x4a, 0x4b};
constexpr int tccr1a = 0x80;
constexpr int tccr1b = 0x81;
constexpr int tccr1c = 0x82;
constexpr int timsk1 = 0x6f;
constexpr int tifr1 = 0x36;
constexpr int overflow_vector = 13;
constexpr int entry_cycles = 4;

int port_index(char port) {
  return port - 'B';
}

/// The timers of the emulator, by their name.
avr_timer_t* timer_of(avr_t* avr, char name) {
  for (avr_io_t* io = avr->io_port; io != nullptr; io = io->next)
    if (std::strcmp(io->kind, "timer") == 0 && reinterpret_cast<avr_timer_t*>(io)->name == name)
      return reinterpret_cast<avr_timer_t*>(io);
  throw std::runtime_error("the emulator has no such timer");
}

avr_uart_t* serial_line_of(avr_t* avr) {
  for (avr_io_t* io = avr->io_port; io != nullptr; io = io->next)
    if (std::strcmp(io->kind, "uart") == 0) return reinterpret_cast<avr_uart_t*>(io);
  throw std::runtime_error("the emulator has no serial line");
}

}  // namespace

/// A compare channel of the 16-bit timer as its data sheet has it: the emulator turns outputs over late,
/// forces none, and loses a match now and then.
struct Chip::Compare {
  avr_t* avr;
  avr_timer_t* timer;
  int channel;
  int bit;  // of port B
  bool level = false;
  bool is_due = false;  // matched, and the emulator has not said so
  std::int64_t due_at = 0;
  bool said_early = false;
  std::int64_t said_at = 0;

  [[nodiscard]] std::uint16_t value() const {
    const auto cycles = timer->comp[channel].comp_cycles;
    return static_cast<std::uint16_t>(cycles == 0 ? 0 : cycles - 1);
  }
  [[nodiscard]] int mode() const { return (avr->data[tccr1a] >> (6 - 2 * channel)) & 3; }
  [[nodiscard]] bool interrupts() const { return (avr->data[timsk1] >> (1 + channel) & 1) != 0; }
};

Chip::Chip(const std::string& program) {
  avr_global_logger_set([](avr_t*, int, const char*, va_list) {});
  elf_firmware_t firmware{};
  if (elf_read_firmware(program.c_str(), &firmware) != 0) throw std::runtime_error("cannot load " + program);
  std::strcpy(firmware.mmcu, "atmega328p");
  firmware.frequency = frequency;
  avr_ = avr_make_mcu_by_name(firmware.mmcu);
  if (avr_ == nullptr) throw std::runtime_error("the emulator has no such chip");
  avr_init(avr_);
  avr_->log = LOG_ERROR;
  avr_load_firmware(avr_, &firmware);
  avr_->log = LOG_ERROR;
  for (std::uint32_t i = 0; i < firmware.symbolcount; ++i)
    symbols_[firmware.symbol[i]->symbol] = firmware.symbol[i]->addr;
  avr_->vcc = avr_->avcc = avr_->aref = 5000;
  // No program here has interrupts by a level: the emulator would look for one in each cycle.
  for (std::uint8_t which = 0; which < 2; ++which) avr_extint_set_strict_lvl_trig(avr_, which, 0);
  serial_ = serial_line_of(avr_);
  hook();
}

/// Two are kept until the program takes them, and one is in the register that they come into.
void Chip::hear(std::uint8_t byte) {
  constexpr std::size_t most_unread = 3;
  const bool has_one = serial_->input.read != serial_->input.write;
  if (heard_.size() + (has_one ? 1 : 0) >= most_unread) {
    ++overruns_;
    return;
  }
  heard_.push_back(byte);
}

/// The emulator is given one when the one before it has been taken: it would keep 64, and bring each so late
/// as a byte takes.
void Chip::bring_byte() {
  if (serial_->input.read != serial_->input.write) return;
  const auto takes = std::exchange(serial_->cycles_per_byte, 1);
  avr_raise_irq(avr_io_getirq(avr_, AVR_IOCTL_UART_GETIRQ('0'), UART_IRQ_INPUT), heard_.front());
  serial_->cycles_per_byte = takes;
  heard_.pop_front();
}

Chip::~Chip() {
  avr_terminate(avr_);
  std::free(avr_);
}

void Chip::hook() {
  avr_timer_t* const timer = timer_of(avr_, '1');
  compares_ = {{avr_, timer, 0, 1}, {avr_, timer, 1, 2}};
  // A forced match turns the output as a match would, and raises no interrupt.
  static const auto forced = [](avr_t* avr, avr_io_addr_t, std::uint8_t value, void* chip) {
    Chip& self = *static_cast<Chip*>(chip);
    for (Compare& compare : self.compares_) {
      if ((value & (0x80 >> compare.channel)) == 0) continue;
      const int mode = compare.mode();
      if (mode == 0) continue;
      const bool level = mode == 1 ? !compare.level : mode == 3;
      if (level == compare.level) continue;
      compare.level = level;
      self.changed('B', compare.bit, level, static_cast<std::int64_t>(avr->cycle) + 1);
    }
  };
  avr_register_io_write(
      avr_, tccr1c,
      [](avr_t* avr, avr_io_addr_t at, std::uint8_t value, void* chip) { forced(avr, at, value, chip); },
      this);
  // The emulator writes a compare's output into the port's register, where only the program writes.
  avr_register_io_write(
      avr_, port_of[0],
      [](avr_t* avr, avr_io_addr_t, std::uint8_t value, void* chip) {
        (void)avr;
        static_cast<Chip*>(chip)->port_b_ = value;
      },
      this);
  // Output pins read as they are, compare outputs among them.
  avr_->io[AVR_DATA_TO_IO(pin_of[0])].r.param = this;
  avr_->io[AVR_DATA_TO_IO(pin_of[0])].r.c = [](avr_t* avr, avr_io_addr_t at, void* chip) -> std::uint8_t {
    // What drives inputs has put them into the register.
    const std::uint8_t outputs = avr->data[ddr_of[0]];
    auto value = static_cast<std::uint8_t>((avr->data[port_of[0]] & outputs) | (avr->data[at] & ~outputs));
    for (const Compare& compare : static_cast<Chip*>(chip)->compares_)
      if (compare.mode() != 0)
        value =
            static_cast<std::uint8_t>((value & ~(1 << compare.bit)) | (compare.level ? 1 << compare.bit : 0));
    return value;
  };
  for (Compare& compare : compares_) {
    avr_irq_t* const irq = avr_get_interrupt_irq(avr_, compare.timer->comp[compare.channel].interrupt.vector);
    avr_irq_register_notify(
        irq + AVR_INT_IRQ_PENDING,
        [](avr_irq_t*, std::uint32_t value, void* one) {
          Compare& self = *static_cast<Compare*>(one);
          if (value == 0) return;
          if (self.is_due) {
            self.is_due = false;
          } else {
            self.said_early = true;
            self.said_at = static_cast<std::int64_t>(self.avr->cycle);
          }
        },
        &compare);
  }
  std::uint32_t uart = 0;
  avr_ioctl(avr_, AVR_IOCTL_UART_GET_FLAGS('0'), &uart);
  uart &= ~std::uint32_t{AVR_UART_FLAG_STDIO | AVR_UART_FLAG_POLL_SLEEP};
  avr_ioctl(avr_, AVR_IOCTL_UART_SET_FLAGS('0'), &uart);
  avr_irq_register_notify(
      avr_io_getirq(avr_, AVR_IOCTL_UART_GETIRQ('0'), UART_IRQ_OUTPUT),
      [](avr_irq_t*, std::uint32_t letter, void* chip) {
        Chip& self = *static_cast<Chip*>(chip);
        self.said_ += static_cast<char>(letter);
        if (self.on_said) self.on_said(static_cast<std::uint8_t>(letter));
      },
      this);
  for (int vector = 1; vector < 26; ++vector) {
    avr_irq_t* const irq = avr_get_interrupt_irq(avr_, static_cast<std::uint8_t>(vector));
    if (irq == nullptr) continue;
    avr_irq_register_notify(
        irq + AVR_INT_IRQ_RUNNING,
        [](avr_irq_t* which, std::uint32_t value, void* chip) {
          if (value == 0) return;
          Chip& self = *static_cast<Chip*>(chip);
          (void)which;
          self.avr_->cycle += entry_cycles;
          self.entered_ = true;
        },
        this);
  }
}

std::uint32_t Chip::address(const std::string& name) const {
  const auto found = symbols_.find(name);
  if (found == symbols_.end()) throw std::runtime_error("the program has no '" + name + "'");
  return found->second;
}

void Chip::put_into_flash(const std::string& name, const void* bytes, std::size_t size) {
  std::memcpy(avr_->flash + address(name), bytes, size);
}
void Chip::read_ram(const std::string& name, void* bytes, std::size_t size) {
  std::memcpy(bytes, avr_->data + (address(name) & 0xffff), size);
}
void Chip::write_ram(const std::string& name, const void* bytes, std::size_t size) {
  std::memcpy(avr_->data + (address(name) & 0xffff), bytes, size);
}

std::int64_t Chip::now() const {
  return static_cast<std::int64_t>(avr_->cycle);
}
std::uint8_t Chip::general(int which) const {
  return avr_->data[general_of[which]];
}
void Chip::set_general(int which, std::uint8_t value) {
  avr_->data[general_of[which]] = value;
}

std::uint8_t Chip::reg(int address) const {
  return avr_->data[address];
}

void Chip::drive(char port, int bit, bool high) {
  // It is stronger than the chip's own pull-up.
  Driven& driven = driven_[port_index(port)];
  const auto mask = static_cast<std::uint8_t>(1 << bit);
  driven.pins |= mask;
  driven.high = static_cast<std::uint8_t>(high ? driven.high | mask : driven.high & ~mask);
  avr_ioport_external_t external{};
  external.name = static_cast<unsigned char>(port) & 0x7fU;
  external.mask = driven.pins;
  external.value = driven.high;
  avr_ioctl(avr_, AVR_IOCTL_IOPORT_SET_EXTERNAL(port), &external);
  avr_raise_irq(avr_io_getirq(avr_, AVR_IOCTL_IOPORT_GETIRQ(port), bit), high ? 1 : 0);
}

bool Chip::level(char port, int bit) const {
  if (port == 'B')
    for (const Compare& compare : compares_)
      if (compare.bit == bit && compare.mode() != 0) return compare.level;
  return (outputs_[port_index(port)] >> bit & 1) != 0;
}

const std::vector<PinEdge>& Chip::edges(char port, int bit) {
  return edges_[port_index(port) * 8 + bit];
}

void Chip::analogue(int channel, double volts) {
  avr_raise_irq(avr_io_getirq(avr_, AVR_IOCTL_ADC_GETIRQ, ADC_IRQ_ADC0 + channel),
                static_cast<std::uint32_t>(volts * 1000.0));
}

void Chip::changed(char port, int bit, bool high, std::int64_t at) {
  edges_[port_index(port) * 8 + bit].push_back({at, high});
  if (on_edge) on_edge(port, bit, high);
}

void Chip::look_at_ports() {
  for (int port = 0; port < 3; ++port) {
    const auto seen = static_cast<std::uint8_t>(avr_->data[port_of[port]] & avr_->data[ddr_of[port]]);
    const auto differs = static_cast<std::uint8_t>(seen ^ outputs_[port]);
    if (differs == 0) continue;
    outputs_[port] = seen;
    for (int bit = 0; bit < 8; ++bit) {
      if ((differs >> bit & 1) == 0) continue;
      const bool taken =
          port == 0 && std::any_of(compares_.begin(), compares_.end(), [&](const Compare& compare) {
            return compare.bit == bit && compare.mode() != 0;
          });
      if (!taken) changed(static_cast<char>('B' + port), bit, (seen >> bit & 1) != 0, now());
    }
  }
}

void Chip::look_at_compares(std::int64_t before) {
  const std::int64_t after = now();
  for (std::size_t i = 0; i < compares_.size(); ++i) {
    Compare& compare = compares_[i];
    // The timer counts each cycle from its base on.
    const auto base = static_cast<std::int64_t>(compare.timer->tov_base);
    const auto counted = static_cast<std::uint16_t>(before - base);
    const auto away = static_cast<std::uint16_t>(values_[i] - counted);  // 0: matched at `before` already
    if (away != 0 && before + away <= after) {
      const std::int64_t at = before + away;
      if (compare.interrupts()) matches_[i].push_back(at);
      const int mode = modes_[i];
      const bool level = mode == 1 ? !compare.level : mode == 2 ? false : mode == 3 ? true : compare.level;
      if (level != compare.level) {
        compare.level = level;
        changed('B', compare.bit, level, at);
      }
      if (compare.said_early && at - compare.said_at < 12) {
        compare.said_early = false;
      } else if (compare.interrupts()) {
        compare.is_due = true;
        compare.due_at = at;
      }
    }
    if (compare.is_due && after - compare.due_at > 12) {
      compare.is_due = false;
      avr_raise_interrupt(avr_, &compare.timer->comp[compare.channel].interrupt);
      compare.said_early = false;
    }
  }
}

/// A converter whose conversions timer 0's compare A begins: the emulator knows only those that a program
/// begins.
void Chip::look_at_converter(std::int64_t before, bool was_flagged) {
  constexpr int adcsra = 0x7a;
  constexpr int adcsrb = 0x7b;
  constexpr int ocr0a = 0x47;
  const std::uint8_t control = avr_->data[adcsra];
  const bool triggered = (control & 0x20) != 0 && (avr_->data[adcsrb] & 7) == 3;
  if (!triggered || (control & 0x40) != 0 || was_flagged) return;
  const auto base = static_cast<std::int64_t>(timer_of(avr_, '0')->tov_base);
  const auto away = static_cast<std::uint8_t>(avr_->data[ocr0a] - static_cast<std::uint8_t>(before - base));
  if (away == 0 || before + away > now()) return;
  const auto& write = avr_->io[AVR_DATA_TO_IO(adcsra)].w;
  write.c(avr_, adcsra, static_cast<std::uint8_t>((control & ~0x20) | 0x40), write.param);
  avr_->data[adcsra] |= 0x20;
}

void Chip::step() {
  while (!happens_.empty() && happens_.begin()->first <= now()) {
    const auto happens = happens_.extract(happens_.begin());
    happens.mapped()();
  }
  if (!heard_.empty()) bring_byte();
  const std::int64_t before = now();
  const bool counts = (avr_->data[tccr1b] & 7) == 1;
  for (std::size_t i = 0; i < compares_.size(); ++i) {
    values_[i] = compares_[i].value();
    modes_[i] = compares_[i].mode();
  }
  entered_ = false;
  const bool was_flagged = (avr_->data[0x35] & 2) != 0;
  const bool was_over = (avr_->data[tifr1] & 1) != 0;
  const auto stack = [this] { return static_cast<int>(avr_->data[R_SPL] | avr_->data[R_SPH] << 8); };
  avr_run(avr_);
  if (const int now_at = stack(); now_at >= 0x100 && now_at < lowest_stack_) lowest_stack_ = now_at;
  if (avr_->state == cpu_Done || avr_->state == cpu_Crashed)
    throw std::runtime_error("the program has crashed");
  constexpr std::uint8_t compare_pins = 6;
  avr_->data[port_of[0]] =
      static_cast<std::uint8_t>((avr_->data[port_of[0]] & ~compare_pins) | (port_b_ & compare_pins));
  // To clear one flag of the timer clears all of them in the emulator, and it is no overflow that is left out
  // by a program of ours.
  if (was_over && (avr_->data[tifr1] & 1) == 0 && !(entered_ && avr_->pc / 4 == overflow_vector))
    avr_raise_interrupt(avr_, &compares_[0].timer->overflow);
  if (counts) look_at_compares(before);
  look_at_converter(before, was_flagged);
  look_at_ports();
  while (!active_.empty() && stack() > active_.back().stack) {
    const Active ended = active_.back();
    active_.pop_back();
    InterruptTimes& times = interrupts_[static_cast<std::size_t>(ended.vector)];
    const std::int64_t took = now() - ended.began;
    ++times.count;
    times.sum += took;
    times.longest = std::max(times.longest, took);
    times.least = std::min(times.least, took);
  }
  if (entered_) active_.push_back({static_cast<int>(avr_->pc / 4), stack(), now() - entry_cycles});
}

void Chip::run(std::int64_t cycles) {
  const std::int64_t end = now() + cycles;
  while (now() < end) step();
}

bool Chip::run_to_mark(std::uint8_t mark, std::int64_t most_cycles) {
  const std::int64_t end = now() + most_cycles;
  while (general(0) != mark) {
    if (now() >= end) return false;
    step();
  }
  return true;
}

void Chip::brown_out() {
  avr_reset(avr_);
  port_b_ = 0;
  for (Compare& compare : compares_) {
    compare.level = false;
    compare.is_due = compare.said_early = false;
  }
  active_.clear();
  look_at_ports();
}

}  // namespace cogstride::chip_bench
