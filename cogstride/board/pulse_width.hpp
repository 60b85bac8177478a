// A pulse-width input, from both sides of its line: a pulse a frame, whose width is the message.
#pragma once

#include <cstdint>
#include <optional>
#include <vector>

#include "cogstride/board/pwm_timing.hpp"
#include "cogstride/lines/lines.hpp"
#include "cogstride/mechanism/mechanism.hpp"

namespace cogstride {

/// The controller's side: a timer that makes a pulse a frame, or none.
class PulseDriver {
 public:
  /// @throws RangeError when it takes no pulse width, or its timer cannot make the frame rate
  PulseDriver(const Mechanism& mechanism, MechanismId id, const Controller& controller);

  [[nodiscard]] MechanismId id() const { return id_; }
  [[nodiscard]] LineSetup line_setup() const;
  [[nodiscard]] PwmSetup pwm_setup() const;
  /// Ticks from one pulse to the next.
  [[nodiscard]] Tick frame() const { return timing_.period; }
  /// Smallest change of a pulse, ticks.
  [[nodiscard]] Tick grain() const { return timing_.grain; }
  /// The start of the first frame at `at` or later.
  [[nodiscard]] Tick frame_from(Tick at) const { return timing_.begins(at); }
  /// From the first frame that begins at `at` or later. @param seconds  of the pulse, to the nearest count
  void put_pulse(Lines& lines, Tick at, double seconds) const;
  void put_none(Lines& lines, Tick at) const;

 private:
  std::string name_;
  MechanismId id_;
  DrivenLine line_;
  double ticks_per_second_;
  PwmTiming timing_;
};

/// The board's side: levels become widths. A plain value, copied when a plant goes back.
struct PulseReceiver {
  bool active_high = true;
  bool is_on = false;
  Tick rose_at = 0;

  /// @return the width of the pulse that ends here, ticks
  std::optional<Tick> hear(Tick at, bool high) {
    const bool on = high == active_high;
    if (on == is_on) return std::nullopt;
    is_on = on;
    if (!on) return at - rose_at;
    rose_at = at;
    return std::nullopt;
  }
};

}  // namespace cogstride
