// What a timer makes of a frequency: in words, for programs, and as its counter with what comes out.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "cogstride/plan/timer_setting.hpp"

namespace cogstride {

struct TimerReport {
  TimerHardware timer{};
  std::string name{};        ///< of a rig's timer; empty: none
  bool tries_usual = false;  ///< nobody said which prescalers it has: usual_prescalers()
  ExactFrequency wanted{};
  Alignment alignment = Alignment::edge;
  std::vector<TimerSetting> settings{};           ///< the best first
  std::vector<double> duties{};                   ///< of the channels, shares
  bool spread = false;                            ///< their periods begin one after the other
  bool has_pairs = false;                         ///< each channel with its complement
  Time dead_time{};                               ///< of the pairs
  double sample_at = 0.5;                         ///< share of the period at which an analogue input is read
  std::optional<ExactFrequency> software_rate{};  ///< pulses a second that the controller makes edge by edge
};

[[nodiscard]] std::string timer_text(const TimerReport& report);
[[nodiscard]] std::string timer_json(const TimerReport& report);
/// Two periods: the counter with its compare values, and each channel. @throws Error when it cannot be drawn
void draw_timer(const std::string& path, const TimerReport& report);

}  // namespace cogstride
