// Six gates of a three-phase inverter, from the controller's side: a row of a six-step table becomes compare
// values of three channels with complementary lines, a leg each, taken over together at a period's start.
//
// No gate comes on before the other one of its leg has been off for the dead time: the timer keeps it.
//
// A high side whose gate is fed by a bootstrap capacitor is refreshed while its leg stands at ground: in each
// period where it is switched with its low side in turn, which leaves time for it. Else the leg is put at
// ground for a period before its capacitor is empty (each time would take the current away, were it once a
// period), as it is before its high side comes on for the first time.
#pragma once

#include <array>
#include <cstdint>
#include <vector>

#include "cogstride/board/pwm_timing.hpp"
#include "cogstride/chip/six_step.hpp"
#include "cogstride/lines/lines.hpp"
#include "cogstride/mechanism/mechanism.hpp"

namespace cogstride {

class GateDriver {
 public:
  /// @throws RangeError when it is no six-gate inverter, its timer cannot make the frequency, or a period is
  /// shorter than the dead time
  GateDriver(const Mechanism& mechanism, MechanismId id, const Controller& controller);

  [[nodiscard]] MechanismId id() const { return id_; }
  /// Its lines, at rest with every gate off.
  [[nodiscard]] std::vector<LineSetup> line_setups() const;
  [[nodiscard]] PwmSetup pwm_setup() const;
  [[nodiscard]] Tick period() const { return timing_.period; }
  /// The most that can be given of a period, a share: below 1 where bootstrap capacitors are refreshed.
  [[nodiscard]] double highest_duty() const { return highest_duty_; }
  /// The first instant at `at` or later at which what a row switches is on, whatever its duty: the middle of
  /// a period, or its start where duties are aligned with it.
  [[nodiscard]] Tick on_at(Tick at) const;

  /// From the first period that begins at `at` or later. @param duty  of what the row switches, 0 to 1
  /// @return whether all of the row is put: else a leg is put at ground for a period, and the row is to be
  /// put again
  bool put(Lines& lines, Tick at, const chip::SixStepRow& row, double duty);
  /// All gates off.
  void put_off(Lines& lines, Tick at);
  /// Gates that are on at an instant, by what was put last.
  [[nodiscard]] std::uint8_t gates_on(Tick at) const { return at_instant(at).on; }
  /// Whether all of a row is, and no leg at ground instead: what is measured belongs to that row.
  [[nodiscard]] bool is_whole(Tick at) const { return at_instant(at).is_whole; }
  /// All lines were put at rest.
  void lines_were_cut() {
    last_ = before_ = {};
    charged_at_ = never_charged;
  }

 private:
  static constexpr std::array<Tick, 3> never_charged{-never / 2, -never / 2, -never / 2};
  /// What was put for a period and those after it.
  struct Put {
    std::uint8_t on = 0;       // gates
    std::uint8_t charges = 0;  // legs that stand at ground in each period, long enough
    bool is_whole = true;      // no leg at ground instead of what was wanted
  };
  [[nodiscard]] Put put_gates(Lines& lines, Tick at, std::uint8_t on, std::uint8_t switched,
                              double duty) const;
  [[nodiscard]] Compare compare_of(std::size_t leg, unsigned gates, bool has_duty, double duty) const;
  [[nodiscard]] bool charges(const Compare& compare) const;
  [[nodiscard]] std::uint8_t charge(Tick from, std::uint8_t on) const;
  [[nodiscard]] const Put& at_instant(Tick at) const { return at >= last_from_ ? last_ : before_; }
  [[nodiscard]] const Put& before(Tick from) const { return from > last_from_ ? last_ : before_; }

  std::string name_;
  MechanismId id_;
  GateWiring wiring_;
  PwmTiming timing_;
  Tick dead_time_ = 0;
  bool has_bootstraps_ = false;
  Tick refresh_ = 0;    // with both dead times
  Tick holds_ = never;  // a bootstrap capacitor, with some to spare
  double highest_duty_ = 1.0;
  std::array<Tick, 3> charged_at_ = never_charged;  // by leg: its capacitor was full
  Put last_{};                                      // of the period put last
  Put before_{};                                    // and of the one that goes on until then
  Tick last_from_ = 0;                              // the period that it was put for
};

}  // namespace cogstride
