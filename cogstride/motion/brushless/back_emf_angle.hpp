// The sector of a brushless motor without sensors, by the voltages of its terminals.
//
// While it is driven, two phases carry current and the third is free: its voltage against the mean of the
// three is its back-EMF, which goes through nothing in the middle of a sector. Half a sector later the next
// row is due. After each change of row the phase that was let go carries current through a diode for a while
// and says nothing; so does whatever stands at a rail. (K. Iizuka et al., "Microcomputer Control for
// Sensorless Brushless Motor", IEEE Trans. Ind. Appl. 21, 1985)
//
// While nothing is driven all three are free, and the highest of them says the sector each time that it is
// another one: so a motor that turns is caught, whatever made it turn.
//
// It notices within two sectors that no crossing comes, and within three that what it takes for crossings
// is not the back-EMF that belongs to its speed: the rotor stands, or has fallen out.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <span>
#include <string>

#include "cogstride/lines/lines.hpp"
#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/motion/brushless/rotor_angle.hpp"
#include "cogstride/motion/brushless/terminal_sample.hpp"
#include "cogstride/plan/back_emf_sense.hpp"

namespace cogstride {

class BackEmfAngle final : public RotorAngle {
 public:
  BackEmfAngle(const TerminalVoltages& terminals, const BackEmfSense& sense, double ticks_per_second)
      : terminals_(terminals), sense_(sense), ticks_per_second_(ticks_per_second) {}

  /// The three voltages at `first` and then each `period` ticks; `never`: no more.
  void ask(Lines& lines, Tick first, Tick period) const;
  /// What was read of all three at one instant.
  [[nodiscard]] std::optional<TerminalSample> take(std::span<const Reading> readings) const;

  /// A motor that is not driven, and turns.
  struct Turning {
    int way = 1;  ///< -1: backwards
    int sector = 0;
    Tick at = 0;                                             ///< when it came into that sector
    double row = 0.0;                                        ///< s a sector
    [[nodiscard]] double rate() const { return 1.0 / row; }  ///< rows/s
  };
  /// From now on nothing is driven. @param settles  tick until which currents still die away
  void let_go(Tick settles);
  /// A sample while nothing is driven. @return once it is known how it turns
  std::optional<Turning> look_free(const TerminalSample& sample);
  /// How long no back-EMF has been seen, ticks. @pre it was let go
  [[nodiscard]] Tick quiet_for(Tick now) const { return now - heard_at_; }

  /// It is driven from now on, as it turns.
  void follow(const Turning& turning, Tick now);
  /// A sample in the middle of what is driven, or, with all gates off because none is needed, of a period.
  /// @return whether a crossing was found
  bool look_driven(const TerminalSample& sample, bool gates_are_on);
  /// When the next row is due; `never` as long as no crossing was found. @param early  ticks, by which what
  /// is put comes late on average
  [[nodiscard]] Tick next_row_at(Tick early) const;
  /// The next row was put.
  void enter_next(Tick now);

  [[nodiscard]] bool is_known() const override { return true; }
  [[nodiscard]] int sector(Tick) const override { return sector_; }
  [[nodiscard]] std::int64_t count() const override { return count_; }
  [[nodiscard]] Tick counted_at() const override { return crossed_at_; }
  [[nodiscard]] std::string fault() const override { return fault_; }

 private:
  [[nodiscard]] double seconds(Tick ticks) const { return static_cast<double>(ticks) / ticks_per_second_; }
  [[nodiscard]] Tick ticks(double seconds) const;
  void crossed(Tick at);

  TerminalVoltages terminals_;
  BackEmfSense sense_;
  double ticks_per_second_;

  // While nothing is driven.
  Tick settles_ = 0;
  Tick heard_at_ = 0;
  int top_ = -1;
  Tick top_at_ = never;
  int ways_ = 0;  // changes of the highest one after the other, the same way round

  // While it is driven.
  int way_ = 1;
  int sector_ = 0;
  double row_ = 0.0;  // s
  Tick entered_at_ = 0;
  Tick crossed_at_ = 0;
  Tick crossed_before_ = 0;
  bool has_crossed_ = false;  // in this sector
  std::optional<double> before_{};
  Tick before_at_ = 0;
  double after_ = 0.0;  // V, seen last after the crossing
  int weak_ = 0;        // sectors one after the other
  std::int64_t count_ = 0;
  std::string fault_{};
};

}  // namespace cogstride
