// A plain output, a lamp or a valve: switched on and off, or faded: by a timer that makes its duty, or on a
// plain line edge by edge, a hundred times a second. There the duty is as fine as edges are on their tick:
// exact on the simulated bench; on live lines an edge that comes late by what the rig bears
// (controller.edge_lateness, 100 us) is 1 % of a period.
//
// A fade is a row of duties, one every few milliseconds, from the share it has to the one that is wanted; the
// eye sees no steps at 200 a second.
#pragma once

#include <algorithm>
#include <memory>
#include <optional>

#include "cogstride/mechanism/sensors.hpp"
#include "cogstride/motion/participant.hpp"

namespace cogstride {

class OutputSwitch final : public Participant {
 public:
  /// A plain line is faded with this at the most.
  static constexpr ExactFrequency most_edges = ExactFrequency::from_base({500});

  OutputSwitch(const PlainOutput& output, ExactFrequency clock);

  [[nodiscard]] const PlainOutput& output() const { return output_; }
  [[nodiscard]] LineSetup line_setup() const;
  /// Of its duty; nothing when it is only switched.
  [[nodiscard]] std::optional<PwmSetup> pwm_setup() const;
  /// Whether a timer makes its duty; else its line is switched edge by edge.
  [[nodiscard]] bool has_timer() const { return output_.timer && output_.pwm_frequency; }

  /// On or off, from now on. A fade that is on ends.
  void set(Lines& lines, bool on);
  /// To a share of full duty, 0 to 1, evenly in so many ticks. @throws RangeError when the share is none
  void fade(Lines& lines, double share, Tick lasts);
  [[nodiscard]] bool is_fading() const { return is_fading_; }
  /// The share of full duty it is given now.
  [[nodiscard]] double share() const { return share_; }
  void lines_were_cut() {
    share_ = 0.0;
    next_ = never;
    is_fading_ = false;
    last_edge_ = -1;
  }

  [[nodiscard]] Tick next_act() const override { return next_; }
  void act(Lines& lines, std::span<const Reading> readings) override;

 private:
  void put(Lines& lines, double share);
  void put_period(Lines& lines);
  /// The soonest that its line can change: after the edges that are on their way.
  [[nodiscard]] Tick free_from(const Lines& lines) const {
    return std::max(lines.now() + lines.lead(), last_edge_ + 1);
  }
  /// Of a fade, at an instant.
  [[nodiscard]] double wanted(Tick at) const;

  PlainOutput output_;
  Tick period_ = 0;
  Tick stride_ = 0;         // from one duty of a fade to the next
  Tick period_begins_ = 0;  // of a plain line that is switched edge by edge, the next
  Tick last_edge_ = -1;     // of a plain line, that was put
  double share_ = 0.0;
  double from_ = 0.0;
  double to_ = 0.0;
  Tick began_ = 0;
  Tick ends_ = 0;
  Tick next_ = never;
  bool is_fading_ = false;
};

}  // namespace cogstride
