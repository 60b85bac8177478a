// Whether the controller has timers, counters and analogue inputs enough, and timers the frequencies asked
// for.
#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

#include "cogstride/rig/figures/derive.hpp"
#include "cogstride/rig/findings/finding_sheet.hpp"

namespace cogstride {
namespace {

/// What is asked of one timer.
struct TimerUse {
  std::int64_t channels = 0;
  std::int64_t pairs = 0;
  std::string last_key{};  ///< of what asks for it
  std::optional<ExactFrequency> frequency{};
  std::string frequency_owner{};
};

class ChannelChecker {
 public:
  ChannelChecker(const Rig& rig, FindingSheet& sheet) : rig_(rig), sheet_(sheet), lines_(rig_lines(rig)) {}

  void check() {
    for (const Mechanism& mechanism : rig_.mechanisms) take(mechanism);
    for (const PlainOutput& output : rig_.outputs) take(output);
    for (const auto& [name, use] : uses_) check_timer(*find_timer(rig_, name), use);
    check_counters();
    check_analogue();
  }

 private:
  void take(const Mechanism& mechanism) {
    std::int64_t timed = 0;
    for (const RigLine& line : lines_) timed += line.mechanism == &mechanism && line.timed ? 1 : 0;
    if (timed == 0) return;
    const std::string key = "mechanism." + mechanism.name + ".lines.timer";
    if (!mechanism.common.timer) return sheet_.cannot_check("too-few-channels", key);
    TimerUse& use = uses_[*mechanism.common.timer];
    use.last_key = key;
    const bool gates = std::holds_alternative<GateWiring>(mechanism.wiring);
    (gates ? use.pairs : use.channels) += gates ? timed / 2 : timed;
    if (const auto wanted = wanted_frequency(mechanism))
      one_frequency(use, wanted->frequency, mechanism.name);
  }
  void take(const PlainOutput& output) {
    if (!output.pwm_frequency) return;
    const std::string key = "output." + output.name + ".timer";
    if (!output.timer) return sheet_.cannot_check("too-few-channels", key);
    TimerUse& use = uses_[*output.timer];
    use.last_key = key;
    ++use.channels;
    one_frequency(use, *output.pwm_frequency, output.name);
  }

  void one_frequency(TimerUse& use, ExactFrequency frequency, const std::string& owner) {
    if (!use.frequency) {
      use.frequency = frequency;
      use.frequency_owner = owner;
    } else if (*use.frequency != frequency) {
      sheet_.add("timer-off-frequency", use.last_key,
                 fmt::format("this timer makes {:.6g} Hz for {}, and {} asks for {:.6g} Hz",
                             use.frequency->base().to_double(), use.frequency_owner, owner,
                             frequency.base().to_double()),
                 "one timer has one frequency: use another timer, or the same frequency");
    }
  }

  void check_timer(const TimerUnit& timer, const TimerUse& use) {
    const auto too_few = [&](std::int64_t asked, std::int64_t has, const char* what) {
      if (asked <= has) return;
      sheet_.add("too-few-channels", use.last_key,
                 fmt::format("timer {} has {} {}, and {} are asked for", timer.name, has, what, asked),
                 "use another timer, or a controller with more");
    };
    too_few(use.channels, timer.channels, "channels");
    too_few(use.pairs, timer.pairs, "complementary pairs");
  }

  void check_counters() {
    std::int64_t encoders = 0;
    std::string last_key;
    for (const Mechanism& mechanism : rig_.mechanisms) {
      for (const Sensor& sensor : mechanism.sensors) {
        if (!std::holds_alternative<Encoder>(sensor)) continue;
        ++encoders;
        last_key = "mechanism." + mechanism.name + ".sensor." + name_of(sensor) + ".line_a";
      }
    }
    if (encoders == 0) return;
    if (!rig_.controller.counters) return sheet_.cannot_check("too-few-channels", "controller.counters");
    if (encoders <= rig_.controller.counters->count) return;
    sheet_.add("too-few-channels", last_key,
               fmt::format("the controller has {} quadrature counters, and there are {} encoders",
                           rig_.controller.counters->count, encoders),
               "a controller with more counters, or an encoder less");
  }

  void check_analogue() {
    std::map<std::int64_t, std::string> uses;
    const auto take_channel = [&](std::int64_t channel, const std::string& key) {
      if (!rig_.controller.analogue) return sheet_.cannot_check("too-few-channels", "controller.analogue");
      const auto [found, is_new] = uses.emplace(channel, key);
      if (!is_new)
        sheet_.add("too-few-channels", key,
                   fmt::format("analogue input {} has two uses: this and {}", channel, found->second),
                   "each reading has an input of its own");
      if (channel < rig_.controller.analogue->channels) return;
      sheet_.add("too-few-channels", key,
                 fmt::format("there is no analogue input {}: the controller has {}, from 0", channel,
                             rig_.controller.analogue->channels),
                 "another input, or a controller with more");
    };
    for (const Mechanism& mechanism : rig_.mechanisms) {
      for (const Sensor& sensor : mechanism.sensors) {
        const std::string key = "mechanism." + mechanism.name + ".sensor." + name_of(sensor) + ".channel";
        if (const auto* const shunt = std::get_if<Shunt>(&sensor)) take_channel(shunt->channel, key);
        if (const auto* const terminals = std::get_if<TerminalVoltages>(&sensor))
          for (std::size_t i = 0; i < 3; ++i)
            take_channel(terminals->channels[i], fmt::format("{}_{}", key, "abc"[i]));
        if (const auto* const probe = std::get_if<TemperatureProbe>(&sensor))
          take_channel(probe->channel, key);
      }
    }
    for (const HandControl& hand : rig_.hands)
      if (hand.channel) take_channel(*hand.channel, "hand." + hand.name + ".channel");
  }

  const Rig& rig_;
  FindingSheet& sheet_;
  std::vector<RigLine> lines_;
  std::map<std::string, TimerUse> uses_{};
};

}  // namespace

void check_channels(const Rig& rig, FindingSheet& sheet) {
  ChannelChecker(rig, sheet).check();
}

}  // namespace cogstride
