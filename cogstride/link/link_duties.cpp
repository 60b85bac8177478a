#include "cogstride/link/link_duties.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <optional>

#include "cogstride/board/pwm_timing.hpp"
#include "cogstride/mechanism/ticks.hpp"

namespace cogstride {
namespace {

constexpr Pin first_output{'D', 6};
constexpr Pin second_output{'D', 5};
constexpr Tick counts_of_timer = 256;
constexpr Tick longest_pulse = 0xffff;  // an order has 16 bits for it

bool is_prescaler(Tick ticks) {
  return ticks == 1 || ticks == 8 || ticks == 64 || ticks == 256 || ticks == 1024;
}

class DutyFinder {
 public:
  explicit DutyFinder(const Rig& rig)
      : rig_(rig), ticks_per_second_(rig.controller.timer_clock.base().to_double()) {}

  LinkDuties find() {
    for (const Mechanism& mechanism : rig_.mechanisms) {
      try {
        look_at(mechanism);
      } catch (const RangeError& error) {
        refuse(mechanism.name, error.what());
      }
    }
    for (const PlainOutput& output : rig_.outputs)
      if (output.timer && output.pwm_frequency) look_at(output);
    for (std::size_t i = 0; i < found_.duties.size(); ++i) settle(i);
    std::erase_if(found_.duties, [&](const LinkDuty& each) { return found_.refused.contains(each.owner); });
    return std::move(found_);
  }

 private:
  void refuse(const std::string& owner, std::string why) { found_.refused.emplace(owner, std::move(why)); }

  void look_at(const Mechanism& mechanism) {
    if (const auto* const wiring = std::get_if<BridgeWiring>(&mechanism.wiring)) {
      if (wiring->alignment == Alignment::centre)
        return refuse(mechanism.name,
                      "the chip's timer makes periods that begin with the drive, not centred ones");
      const PwmTiming timing =
          pwm_timing(mechanism, rig_.controller, wiring->pwm_frequency, wiring->alignment);
      const DutyLines carries = duty_lines(*wiring);
      const auto add_where = [&](const std::optional<DrivenLine>& line, bool has_duty) {
        if (line && has_duty) add(mechanism.name, *line, timing, 0);
      };
      add_where(wiring->input_a, carries.inputs);
      add_where(wiring->input_b, carries.inputs);
      add_where(wiring->duty, carries.duty);
      add_where(wiring->enable, carries.enable);
    } else if (const auto* const input = std::get_if<PulseWidthInput>(&mechanism.board)) {
      add(mechanism.name, std::get<PulseWidthWiring>(mechanism.wiring).pulse,
          pwm_timing(mechanism, rig_.controller, input->frame_rate, Alignment::edge),
          ticks_at_least(input->longest_pulse, rig_.controller.timer_clock));
    } else if (mechanism.has_six_gates()) {
      refuse(mechanism.name, "six gates are beyond what a chip behind a link switches");
    }
  }
  void look_at(const PlainOutput& output) {
    PwmTiming timing;
    timing.period = (rig_.controller.timer_clock.base() / output.pwm_frequency->base()).rounded();
    for (const TimerUnit& timer : rig_.controller.timers)
      if (timer.name == *output.timer) timing.grain = timer.prescaler;
    add(output.name, output.line, timing, 0);
  }

  /// @param longest  ticks of a pulse in a frame; 0: it is a share of a timer's period
  void add(const std::string& owner, const DrivenLine& line, const PwmTiming& timing, Tick longest) {
    const std::optional<Pin> pin = pin_of(line.number);
    if (!pin) return refuse(owner, fmt::format("line {} is no pin of the chip", line_name(line.number)));
    LinkDuty duty{static_cast<LineId>(line.number),
                  *pin,
                  LinkDuty::By::frame,
                  line.active == ActiveLevel::low,
                  timing.period,
                  timing.grain,
                  longest,
                  owner};
    if (longest == 0)
      duty.by = *pin == first_output ? LinkDuty::By::first_output : LinkDuty::By::second_output;
    found_.duties.push_back(std::move(duty));
  }

  /// Whether the chip makes it, beside those before it.
  void settle(std::size_t place) {
    const LinkDuty& duty = found_.duties[place];
    if (duty.by == LinkDuty::By::frame) return settle_frame(place);
    const double frequency = ticks_per_second_ / static_cast<double>(duty.period);
    if (duty.pin != first_output && duty.pin != second_output)
      return refuse(duty.owner,
                    fmt::format("its duty is on {}, and the chip's 8-bit timer has outputs at D6 and D5",
                                line_name(static_cast<std::int64_t>(duty.line))));
    if (!is_prescaler(duty.grain))
      return refuse(duty.owner, "the prescaler of its timer is none of the chip's: 1, 8, 64, 256 or 1024");
    const Tick counts = duty.period / duty.grain;
    const bool is_whole = duty.period % duty.grain == 0 && counts <= counts_of_timer && counts > 1;
    if (!is_whole || (duty.pin == first_output && counts != counts_of_timer))
      return refuse(
          duty.owner,
          fmt::format("the chip's 8-bit timer makes no {:.6g} Hz there: {:.6g} Hz by this prescaler{}",
                      frequency, ticks_per_second_ / static_cast<double>(duty.grain * counts_of_timer),
                      duty.pin == second_output ? ", or faster" : ""));
    for (std::size_t i = 0; i < place; ++i) {
      const LinkDuty& other = found_.duties[i];
      if (other.by == LinkDuty::By::frame || found_.refused.contains(other.owner)) continue;
      if (other.period != duty.period || other.grain != duty.grain)
        return refuse(duty.owner,
                      fmt::format("{} has the chip's 8-bit timer at another frequency", other.owner));
    }
  }
  void settle_frame(std::size_t place) {
    const LinkDuty& duty = found_.duties[place];
    const auto axes = std::count_if(rig_.mechanisms.begin(), rig_.mechanisms.end(),
                                    [](const Mechanism& each) { return each.is_movable(); });
    if (axes > 1)
      return refuse(duty.owner,
                    "its pulses take a compare of the 16-bit timer, and two axes of steps have both");
    if (duty.longest > longest_pulse)
      return refuse(duty.owner, fmt::format("its longest pulse has {} ticks, and a chip makes {} at the most",
                                            duty.longest, longest_pulse));
    Tick sum = duty.longest;
    for (std::size_t i = 0; i < place; ++i) {
      const LinkDuty& other = found_.duties[i];
      if (other.by != LinkDuty::By::frame || found_.refused.contains(other.owner)) continue;
      sum += other.longest;
      if (other.period != duty.period)
        return refuse(duty.owner, fmt::format("{} has frames of another rate", other.owner));
    }
    if (sum >= duty.period) refuse(duty.owner, "so many pulses do not go into a frame");
  }

  const Rig& rig_;
  double ticks_per_second_;
  LinkDuties found_{};
};

}  // namespace

LinkDuties link_duties(const Rig& rig) {
  return DutyFinder(rig).find();
}

}  // namespace cogstride
