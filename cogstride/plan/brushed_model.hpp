// A brushed motor with what it moves, run through a table of what it was given: plain and quick, for fitting.
//
//   L di/dt = v - R i - k w,   J dw/dt = k i - T_c sign w - B w - T_0,   C d(rise)/dt = R i^2 - rise / R_th
//
// The motor's figures are at hand to be changed. Between two rows what was given goes evenly; to and from
// nothing it goes at once, half-way.
#pragma once

#include <vector>

#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/plan/measured_table.hpp"

namespace cogstride {

struct BrushedModel {
  double resistance = 0.0;  ///< of the winding at 25 degrees C: ohm
  AirTemperature air{};
  double constant = 0.0;  ///< N m/A, V s/rad
  double inductance = 0.0;
  double coulomb = 0.0;  ///< N m
  double viscous = 0.0;  ///< N m s/rad
  double stiction = 0.0;
  double steady = 0.0;  ///< N m against forwards
  bool slackens = false;
  double inertia = 0.0;
  double to_air = 0.0;    ///< K/W; 0: it stays as warm as it is
  double capacity = 0.0;  ///< J/K

  // What the voltage at the motor comes from, where a duty is given.
  double supply = 0.0;
  double supply_resistance = 0.0;
  double bridge_resistance = 0.0;
  double drop = 0.0;
  bool coasts_at_none = false;  ///< without a duty the bridge lets go; else it shorts the motor
  double capacitance = 0.0;     ///< F at the supply, which takes what a braking motor pumps back ...
  bool takes_back = false;      ///< a battery, which is not pumped up
  double clamp = 0.0;           ///< V, up to where a clamp takes it; infinite without one
  double clamp_resistance = 1.0;

  double delay = 0.0;  ///< s, by which what was given took effect later than its row says
  /// When what was given began or ended between two rows, as a share of the time between them, one after the
  /// other: a table does not say it. Where there are fewer, half-way.
  std::vector<double> jumps{};

  /// Speed, current and rise at each row of a table.
  [[nodiscard]] std::vector<MeasuredTable::Row> run(const MeasuredTable& table) const;

 private:
  struct State {
    double speed = 0.0;
    double current = 0.0;
    double rise = 0.0;
    double pumped = 0.0;  // V over the supply's own
  };
  [[nodiscard]] double resistance_at(double rise) const;
  void go_on(State& state, double drive, double seconds, bool by_duty) const;
  void pass(State& state, double from, double to, double lasts, bool by_duty) const;
  void pass_to(State& state, const MeasuredTable& table, std::size_t i, double jump) const;
  void turn(State& state, double torque, double seconds) const;
  void rest_of(State& state, double drive, double seconds, bool by_duty) const;
  void warm(State& state, double seconds) const;
  [[nodiscard]] State start(const MeasuredTable::Row& first, bool by_duty) const;
  [[nodiscard]] State settled(double drive, double rise, bool by_duty) const;
  struct Circuit {
    double volts = 0.0;       ///< without current
    double resistance = 0.0;  ///< in all
  };
  [[nodiscard]] Circuit circuit(double drive, double rise, double pumped, bool by_duty) const;
  void pump(State& state, double drawn, double seconds) const;
};

/// Whether what is given begins or ends between two rows.
[[nodiscard]] bool begins_or_ends(const MeasuredTable::Row& from, const MeasuredTable::Row& to);

/// @throws RangeError when it is no brushed motor on an H-bridge
[[nodiscard]] BrushedModel brushed_model(const Mechanism& mechanism);

}  // namespace cogstride
