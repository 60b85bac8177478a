// Pulses, duties, gates and counts against what boards, timers and counters can do.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/rig/figures/derive.hpp"
#include "cogstride/rig/figures/figure_rows.hpp"
#include "cogstride/rig/findings/finding_sheet.hpp"
#include "cogstride/rig/keys/part_keys.hpp"

namespace cogstride {
namespace {

constexpr double highest_audible = 18'000.0;  // Hz
constexpr double coarsest_duty = 1.0 / 256.0;

std::string us(Time time) {
  return fmt::format("{:.4g} us", time.in(units::us));
}
std::string hertz(double frequency) {
  return frequency < 1000.0 ? fmt::format("{:.6g} Hz", frequency)
                            : fmt::format("{:.6g} kHz", frequency / 1000.0);
}

void check_pulses(MechanismSheet& sheet, const StepDirBoard& board, const StepDirWiring& wiring) {
  const bool two_pulse = board.form == StepDirBoard::Form::two_pulse;
  const bool active_high = wiring.step.active == ActiveLevel::high;
  const Time shortest = active_high ? board.shortest_high : board.shortest_low;
  const Time shortest_rest = active_high ? board.shortest_low : board.shortest_high;
  const double steps = steps_per_base(sheet.mechanism).to_double();
  const Ratio rate = sheet.mechanism.limits.speed.base * steps_per_base(sheet.mechanism);
  if (wiring.pulse_width < shortest) {
    sheet.add(
        "pulse-too-short", "lines.pulse_width",
        fmt::format("STEP pulses last {}, and the board needs {}", us(wiring.pulse_width), us(shortest)),
        "leave pulse_width out: the board's own figure is used then");
  }
  const Time rest = Time(1.0 / rate.to_double(), units::s) - wiring.pulse_width;
  if (rest < shortest_rest) {
    sheet.add(
        "pulse-too-short", "limits.speed",
        fmt::format("at {} STEP rests for {} between pulses, and the board needs {}",
                    speed_text(sheet.mechanism, sheet.mechanism.limits.speed), us(rest), us(shortest_rest)),
        fmt::format("at most {} leaves it enough",
                    sheet.output_text(std::min(1.0 / ((wiring.pulse_width + shortest_rest).base() * steps),
                                               speed_to_be_had(sheet.rig, sheet.mechanism)),
                                      1)));
  }
  const auto too_near = [&](const char* key, Time kept, Time needed, const char* side) {
    if (needed <= kept) return;
    sheet.add("dir-too-near", fmt::format("lines.{}", key),
              fmt::format("{} stands {} {} a step, and the board needs {}",
                          two_pulse ? "the other line" : "DIR", us(kept), side, us(needed)),
              fmt::format("leave {} out: the board's own figure is used then", key));
  };
  too_near("dir_steady_before", wiring.dir_steady_before, board.dir_steady_before, "before");
  too_near("dir_steady_after", wiring.dir_steady_after, board.dir_steady_after, "after");
}

/// The longest time between two steps that it is asked for, s: at its start speed, in the first step of a
/// ramp from rest ( 2 = a t^2, or 6 = j t^3 ) and on the slow approach of homing; 0: it does not step.
double longest_interval(const Mechanism& mechanism) {
  const double steps = std::abs(steps_per_base(mechanism).to_double());
  if (steps == 0.0) return 0.0;
  const Limits& limits = mechanism.limits;
  const double start = limits.start_speed.base.to_double() * steps;
  const double acceleration = limits.acceleration.base.to_double() * steps;
  double longest = 1.0 / std::max(1e-9, limits.speed.base.to_double() * steps);
  if (start > 0.0) {
    longest = std::max(longest, 1.0 / start);
  } else if (limits.jerk) {
    longest = std::max(longest, std::cbrt(6.0 / (limits.jerk->base.to_double() * steps)));
  } else if (acceleration > 0.0) {
    longest = std::max(longest, std::sqrt(2.0 / acceleration));
  }
  if (mechanism.homing)
    longest = std::max(longest, 1.0 / (mechanism.homing->slow_speed.base.to_double() * steps));
  return longest;
}

/// A timer that makes its steps has to count as far as the longest of them.
void check_step_timer(MechanismSheet& sheet) {
  const auto& name = sheet.mechanism.common.timer;
  const double longest = longest_interval(sheet.mechanism);
  if (longest == 0.0 || !name) return;
  const TimerUnit& timer = *find_timer(sheet.rig, *name);
  const double clock = sheet.rig.controller.timer_clock.base().to_double();
  const double reach =
      std::ldexp(static_cast<double>(timer.prescaler), static_cast<int>(timer.width)) / clock;
  if (longest <= reach) return;
  const double prescaler = std::ceil(longest * clock / std::ldexp(1.0, static_cast<int>(timer.width)));
  sheet.add(
      "timer-too-narrow", "lines.timer",
      fmt::format("its slowest step lasts {}, and timer {}, {} bits with prescaler {}, comes round after {}",
                  seconds_text(longest), timer.name, timer.width, timer.prescaler, seconds_text(reach)),
      prescaler <= 65'536.0
          ? fmt::format(
                "a prescaler of {:.0f} or more, a wider timer, a higher start_speed, or a program that "
                "counts how often it comes round",
                prescaler)
          : std::string("a wider timer, a higher start_speed, or a program that counts how often it comes "
                        "round"));
}

/// An exact speed, or what the motor and the rest make of it where that is less.
std::string can_be_had(const MechanismSheet& sheet, Ratio exact) {
  const double all = speed_to_be_had(sheet.rig, sheet.mechanism);
  if (exact.to_double() <= all * (1.0 + 1e-9)) return to_text(OutputSpeed(sheet.kind, exact));
  return "about " + sheet.output_text(all, 1);
}

/// Steps of whatever form against what the controller and the part between pass on.
void check_step_rate(MechanismSheet& sheet) {
  const Ratio steps = steps_per_base(sheet.mechanism);
  if (steps == Ratio(0) || sheet.mechanism.has_bus_drive()) return;
  const Ratio rate = sheet.mechanism.limits.speed.base * steps;
  const Ratio most = sheet.rig.controller.top_step_rate.base();
  if (rate > most) {
    sheet.add("pulse-rate-beyond-controller", "limits.speed",
              fmt::format("{} takes {:.6g} steps/s, and this controller makes {:.6g}",
                          speed_text(sheet.mechanism, sheet.mechanism.limits.speed), rate.to_double(),
                          most.to_double()),
              fmt::format("{} can be had; fewer microsteps go faster", can_be_had(sheet, most / steps)));
  }
  const auto& through = sheet.mechanism.common.through;
  const BetweenPart* const part = through ? find_part(sheet.rig, *through) : nullptr;
  if (part == nullptr) return;
  if (!part->top_rate) return sheet.cannot_check("pulse-rate-beyond-controller", "lines.through");
  const Ratio passed = part->top_rate->base() / Ratio(2);  // a pulse is two changes
  if (rate > passed)
    sheet.add("pulse-rate-beyond-controller", "lines.through",
              fmt::format("{} takes {:.6g} steps/s, and {} passes {:.6g} pulses a second",
                          speed_text(sheet.mechanism, sheet.mechanism.limits.speed), rate.to_double(),
                          part->name, passed.to_double()),
              fmt::format("a faster part, or {}", can_be_had(sheet, passed / steps)));
}

std::optional<ExactFrequency> highest_pwm(const Board& board) {
  return std::visit(
      [](const auto& kind) -> std::optional<ExactFrequency> {
        if constexpr (requires { kind.highest_pwm; }) return kind.highest_pwm;
        return std::nullopt;
      },
      board);
}

void check_duty_frequency(MechanismSheet& sheet) {
  const std::optional<WantedFrequency> wanted = wanted_frequency(sheet.mechanism);
  if (!wanted) return;
  const auto* const input = std::get_if<PulseWidthInput>(&sheet.mechanism.board);
  const char* const key = input != nullptr ? "board.frame_rate" : "lines.pwm_frequency";
  const double asked = wanted->frequency.base().to_double();
  if (input == nullptr) {
    const auto most = highest_pwm(sheet.mechanism.board);
    if (asked < highest_audible)
      sheet.add(
          "pwm-audible", key, fmt::format("{} can be heard", hertz(asked)),
          !most ? fmt::format("{} or more, when the board follows", hertz(highest_audible))
          : most->base().to_double() < highest_audible
              ? fmt::format("nothing to do with this board: it follows {}", hertz(most->base().to_double()))
              : fmt::format("{} to {}, which the board follows", hertz(highest_audible),
                            hertz(most->base().to_double())));
    if (!most) {
      sheet.cannot_check("pwm-too-fast", "board.highest_pwm");
    } else if (wanted->frequency > *most) {
      sheet.add("pwm-too-fast", key,
                fmt::format("{} are asked for, and the board follows {}", hertz(asked),
                            hertz(most->base().to_double())),
                fmt::format("at most {}", hertz(most->base().to_double())));
    }
  }
  const auto& through = sheet.mechanism.common.through;
  const BetweenPart* const part = through ? find_part(sheet.rig, *through) : nullptr;
  if (part != nullptr && part->top_rate && 2.0 * asked > part->top_rate->base().to_double())
    sheet.add("pwm-too-fast", "lines.through",
              fmt::format("{} are {:.4g} changes a second, and {} passes {:.4g}", hertz(asked), 2.0 * asked,
                          part->name, part->top_rate->base().to_double()),
              fmt::format("a faster part, or at most {}", hertz(0.5 * part->top_rate->base().to_double())));
  const auto& name = sheet.mechanism.common.timer;
  if (!name) return sheet.cannot_check("timer-off-frequency", "lines.timer");
  const TimerUnit& timer = *find_timer(sheet.rig, *name);
  const TimerChoice choice =
      choose_counts(sheet.rig.controller.timer_clock, timer, wanted->frequency, wanted->alignment);
  if (!choice.fits || std::abs(choice.error) > 0.01) {
    const double clock = sheet.rig.controller.timer_clock.base().to_double();
    const double ways = wanted->alignment == Alignment::centre ? 2.0 : 1.0;
    const double most = std::ldexp(1.0, static_cast<int>(timer.width));
    const double prescaler = std::ceil(clock / (ways * asked * most));
    sheet.add("timer-off-frequency", key,
              fmt::format("timer {}, {} bits with prescaler {}, makes {} for {}", timer.name, timer.width,
                          timer.prescaler, hertz(choice.frequency.to_double()), hertz(asked)),
              prescaler > static_cast<double>(timer.prescaler)
                  ? fmt::format("a prescaler of {:.0f} or more", prescaler)
                  : std::string("a smaller prescaler, or a frequency that it makes"));
    return;
  }
  const double count = 1.0 / (choice.frequency.to_double() * static_cast<double>(choice.counts));
  if (input == nullptr) {
    if (choice.duty_step > coarsest_duty)
      sheet.add(
          "pwm-too-coarse", key,
          fmt::format("the duty goes in steps of {:.3g} %: {} counts a period", 100.0 * choice.duty_step,
                      choice.counts),
          fmt::format("at most {} leaves 256 steps",
                      hertz(choice.frequency.to_double() * static_cast<double>(choice.counts) / 256.0)));
    return;
  }
  const auto* const servo = std::get_if<HobbyServo>(&sheet.mechanism.motor);
  const double finest = servo != nullptr && Time() < servo->dead_band
                            ? servo->dead_band.base()
                            : (input->longest_pulse - input->shortest_pulse).base() * coarsest_duty;
  if (count > finest)
    sheet.add("pwm-too-coarse", key,
              fmt::format(
                  "pulses go in steps of {:.4g} us, and {} {:.4g} us", count * 1e6,
                  servo != nullptr && Time() < servo->dead_band ? "the servo follows" : "256 steps would be",
                  finest * 1e6),
              "a smaller prescaler, or a wider timer");
}

void check_gates(MechanismSheet& sheet) {
  const auto* const board = std::get_if<SixGateInverter>(&sheet.mechanism.board);
  if (board == nullptr) return;
  const auto& wiring = std::get<GateWiring>(sheet.mechanism.wiring);
  if (wiring.dead_time < board->dead_time && !board->locks_legs)
    sheet.add("dead-time-too-short", "lines.dead_time",
              fmt::format("the controller keeps {:.4g} ns, and the board needs {:.4g} ns",
                          wiring.dead_time.in(units::ns), board->dead_time.in(units::ns)),
              "leave dead_time out: the board's own figure is used then, rounded up to a tick");
  const double period = 1.0 / std::max(1e-9, wiring.pwm_frequency.base().to_double());
  const bool is_empty = board->bootstrap_holds && board->bootstrap_holds->base() < period;
  if (board->bootstrap_holds && (is_empty || board->bootstrap_refresh.base() > 0.1 * period))
    sheet.add("bootstrap-empties", is_empty ? "board.bootstrap_holds" : "board.bootstrap_refresh",
              fmt::format(
                  "the capacitors of its high sides hold {:.4g} ms and are full again in {:.4g} us; a period "
                  "at {} lasts {:.4g} us",
                  board->bootstrap_holds->in(units::ms), board->bootstrap_refresh.in(units::us),
                  hertz(wiring.pwm_frequency.base().to_double()), 1e6 * period),
              is_empty ? "a higher pwm_frequency, or larger capacitors"
                       : "a lower pwm_frequency: filling them takes more than a tenth of each period");
  if (board->locks_legs) return;
  for (std::size_t i = 0; i < gate_names.size(); ++i) {
    if (wiring.gates[i].active == board->gate_active[i]) continue;
    const char* const level = board->gate_active[i] == ActiveLevel::low ? "low" : "high";
    sheet.add(
        "both-gates-on", fmt::format("lines.{}", gate_names[i]),
        fmt::format("this gate is on when its line is {}, and the line is wired the other way: at rest it is "
                    "on, and its partner comes on with it",
                    level),
        fmt::format("write active = \"{}\", or leave it out", level));
  }
  const auto& name = sheet.mechanism.common.timer;
  if (!name) {
    sheet.cannot_check("both-gates-on", "lines.timer");
  } else if (find_timer(sheet.rig, *name)->pairs == 0) {
    sheet.add("both-gates-on", "lines.timer",
              fmt::format("timer {} has no complementary pairs: the two gates of a leg are switched by hand",
                          *name),
              "a timer with pairs and dead time, or a board that locks its legs");
  }
}

void check_encoders(MechanismSheet& sheet) {
  const auto& counters = sheet.rig.controller.counters;
  if (!counters) return;  // that there are none is said once, for the rig
  for (const Sensor& sensor : sheet.mechanism.sensors) {
    const auto* const encoder = std::get_if<Encoder>(&sensor);
    if (encoder == nullptr) continue;
    const Ratio counts = counts_per_base(sheet.mechanism, *encoder);
    const double rate = std::abs((counts * sheet.mechanism.limits.speed.base).to_double());
    const double most = counters->top_rate.base().to_double();
    if (rate <= most) continue;
    sheet.add("encoder-too-fast", "sensor." + encoder->name + ".lines_per_turn",
              fmt::format("at {} it makes {:.4g} counts/s, and a counter keeps up with {:.4g}",
                          speed_text(sheet.mechanism, sheet.mechanism.limits.speed), rate, most),
              fmt::format("at most {}, or an encoder of fewer lines",
                          sheet.output_text(std::min(most / std::abs(counts.to_double()),
                                                     speed_to_be_had(sheet.rig, sheet.mechanism)),
                                            1)));
  }
}

}  // namespace

void check_link(const Rig& rig, FindingSheet& sheet) {
  const Controller& controller = rig.controller;
  if (!controller.link || !controller.small_chip) return;
  // What an 8-bit chip takes of its time for the steps of an axis, before it looks at the next byte of three
  // that its line keeps: measured (docs/link.md).
  constexpr double cycles_of_a_byte = 160.0;
  constexpr double bits_of_a_byte = 10.0;
  const auto axes = std::count_if(rig.mechanisms.begin(), rig.mechanisms.end(),
                                  [](const Mechanism& each) { return each.is_movable(); });
  const double baud = static_cast<double>(controller.small_chip->serial_baud);
  const double most = controller.timer_clock.base().to_double() * bits_of_a_byte / cycles_of_a_byte /
                      static_cast<double>(std::max<std::ptrdiff_t>(axes, 1));
  if (baud <= most) return;
  sheet.add("link-too-fast", "controller.small_chip.serial_baud",
            fmt::format("a byte comes each {:.3g} us, and beside the steps of {} {} the chip takes one each "
                        "{:.3g} us",
                        1e6 * bits_of_a_byte / baud, axes, axes == 1 ? "axis" : "axes",
                        1e6 * bits_of_a_byte / most),
            fmt::format("serial_baud = {:.0f} or less, with the program made anew", most));
}

void check_timing(MechanismSheet& sheet) {
  if (const auto* const board = std::get_if<StepDirBoard>(&sheet.mechanism.board))
    check_pulses(sheet, *board, std::get<StepDirWiring>(sheet.mechanism.wiring));
  check_step_rate(sheet);
  check_step_timer(sheet);
  check_duty_frequency(sheet);
  check_gates(sheet);
  check_encoders(sheet);
}

}  // namespace cogstride
