// The coils of a stepper behind a board that only switches: four transistors to ground with diodes to the
// supply (unipolar), or two H-bridges (bipolar), as the levels on their inputs have them. Where the rig says
// by terminals which line feeds which coil end, that is what is wired: lines that are switched in another
// order shake the rotor or turn it back, as on a real bench.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <vector>

#include "cogstride/lines/events.hpp"
#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/plant/chopped_winding.hpp"

namespace cogstride {

class CoilStage {
 public:
  explicit CoilStage(const Mechanism& mechanism);

  [[nodiscard]] std::vector<LineId> hears() const;
  /// @param input  place of the line in hears(); lines of one tick change together
  void set(std::size_t input, bool high, Tick at);

  /// Its supply goes or comes back.
  void set_powered(bool powered) { parts_.supply_voltage = powered ? supply_voltage_ : 0.0; }

  /// Any coil on.
  [[nodiscard]] bool is_on() const { return is_enabled() && (field_a() != 0 || field_b() != 0); }
  /// Of the field, rad, followed over whole turns; that of the last one where no coil is on.
  [[nodiscard]] double field_angle() const { return field_angle_; }
  /// Steps since power-up: changes from one pattern with a coil on to another.
  [[nodiscard]] std::int64_t steps() const { return steps_ + (was_on_ && is_on() ? 1 : 0); }
  /// Ticks between the last two changes of the pattern; 0 before there were two.
  [[nodiscard]] Tick last_interval() const { return last_interval_; }

  /// Lets the currents run for `seconds` against back-EMFs of the two coils, forwards, in volts.
  void run(double seconds, double emf_a, double emf_b);
  /// Of a coil, forwards; of a unipolar one that of A+ less that of A-: its halves share their iron, so that
  /// only the difference makes a field.
  [[nodiscard]] double current_a() const { return coils_[0].current; }
  [[nodiscard]] double current_b() const { return coils_[1].current; }
  /// Currents have come to rest, the rotor standing still.
  [[nodiscard]] bool has_settled() const;

 private:
  [[nodiscard]] bool is_enabled() const { return !has_enable_ || enabled_; }
  [[nodiscard]] int field_a() const { return (on_[0] ? 1 : 0) - (on_[1] ? 1 : 0); }
  [[nodiscard]] int field_b() const { return (on_[2] ? 1 : 0) - (on_[3] ? 1 : 0); }
  [[nodiscard]] double limit() const;
  void run_halves(std::size_t coil, double seconds, double emf);
  void run_bridge(std::size_t coil, double seconds, double emf);
  [[nodiscard]] int field_of(std::size_t coil) const { return coil == 0 ? field_a() : field_b(); }
  void follow_field();

  std::array<DrivenLine, 4> ends_;  // that really feed A+, A-, B+, B-
  std::optional<DrivenLine> enable_;
  WindingParts parts_;
  double supply_voltage_;  // V, when it is up
  bool unipolar_;
  bool has_enable_;
  bool enabled_ = false;
  ActiveLevel enable_active_ = ActiveLevel::high;
  double current_limit_ = 0.0;  // A; 0: none
  std::array<bool, 4> on_{};
  std::array<ChoppedWinding, 2> coils_{};
  double field_angle_ = 0.0;
  std::int64_t steps_ = 0;
  Tick changed_at_ = -1;  // the pattern, last; -1: never
  bool was_on_ = false;   // before that
  Tick last_interval_ = 0;
};

}  // namespace cogstride
