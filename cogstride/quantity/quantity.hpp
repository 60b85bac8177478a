// Physical quantities whose dimensions are checked by the compiler.
//
//   Speed speed = 60_mm / 1.5_s;               // Length / Time
//   Torque torque = 0.199_Nm_per_A * 1.6_A;
//   double rate = speed.in(units::mm_per_s);   // 40
//
// Two forms of each: `Quantity` holds a double, for physics; `ExactQuantity` holds a Ratio, for what a user
// wrote as a decimal and what positions are made of. An exact amount turns into an approximate one by itself,
// never the other way. Base units are m, kg, s, A, turn and K: angle is a dimension, and its base is the turn
// because degrees and turns are exact fractions of it while a radian is not.
#pragma once

#include <cmath>
#include <compare>

#include "cogstride/quantity/ratio.hpp"

namespace cogstride {

/// Powers of length, mass, time, current, angle and temperature.
template <int Length, int Mass, int Time, int Current, int Angle, int Temperature>
struct Dimension {
  static constexpr int length = Length;
  static constexpr int mass = Mass;
  static constexpr int time = Time;
  static constexpr int current = Current;
  static constexpr int angle = Angle;
  static constexpr int temperature = Temperature;
};

template <class A, class B>
using DimensionProduct =
    Dimension<A::length + B::length, A::mass + B::mass, A::time + B::time, A::current + B::current,
              A::angle + B::angle, A::temperature + B::temperature>;
template <class A, class B>
using DimensionQuotient =
    Dimension<A::length - B::length, A::mass - B::mass, A::time - B::time, A::current - B::current,
              A::angle - B::angle, A::temperature - B::temperature>;
using NoDimension = Dimension<0, 0, 0, 0, 0, 0>;

inline constexpr double pi = 3.14159265358979323846;

/// A unit of dimension D: `scale` base units, times pi to the power `pi_power` (a radian is 1/2 pi^-1 turn).
template <class D>
struct Unit {
  Ratio scale{1};
  int pi_power = 0;

  [[nodiscard]] constexpr double factor() const {
    double value = scale.to_double();
    for (int i = 0; i < pi_power; ++i) value *= pi;
    for (int i = 0; i > pi_power; --i) value /= pi;
    return value;
  }
};

template <class D>
class ExactQuantity;

/// An amount of dimension D as a double in base units.
template <class D>
class Quantity {
 public:
  using DimensionType = D;

  constexpr Quantity() = default;
  constexpr Quantity(double amount, Unit<D> unit) : base_(amount * unit.factor()) {}
  constexpr Quantity(ExactQuantity<D> exact);  // NOLINT: an exact amount is also an approximate one
  [[nodiscard]] static constexpr Quantity from_base(double base) {
    Quantity result;
    result.base_ = base;
    return result;
  }

  /// In base units (m, kg, s, A, turn, K).
  [[nodiscard]] constexpr double base() const { return base_; }
  [[nodiscard]] constexpr double in(Unit<D> unit) const { return base_ / unit.factor(); }

  constexpr Quantity operator-() const { return from_base(-base_); }
  constexpr Quantity& operator+=(Quantity other) { return *this = *this + other; }
  constexpr Quantity& operator-=(Quantity other) { return *this = *this - other; }
  friend constexpr Quantity operator+(Quantity a, Quantity b) { return from_base(a.base_ + b.base_); }
  friend constexpr Quantity operator-(Quantity a, Quantity b) { return from_base(a.base_ - b.base_); }
  friend constexpr Quantity operator*(Quantity a, double b) { return from_base(a.base_ * b); }
  friend constexpr Quantity operator*(double a, Quantity b) { return from_base(a * b.base_); }
  friend constexpr Quantity operator/(Quantity a, double b) { return from_base(a.base_ / b); }
  friend constexpr auto operator<=>(Quantity a, Quantity b) = default;
  friend constexpr bool operator==(Quantity a, Quantity b) = default;

 private:
  double base_ = 0.0;
};

/// An amount of dimension D as an exact fraction of the base unit.
template <class D>
class ExactQuantity {
 public:
  using DimensionType = D;

  constexpr ExactQuantity() = default;
  /// @throws RangeError when the unit is not a fraction of the base unit (a radian).
  constexpr ExactQuantity(Ratio amount, Unit<D> unit) : base_(amount * unit.scale) {
    if (unit.pi_power != 0) throw RangeError("an angle in radians cannot be exact: give degrees or turns");
  }
  [[nodiscard]] static constexpr ExactQuantity from_base(Ratio base) {
    ExactQuantity result;
    result.base_ = base;
    return result;
  }

  [[nodiscard]] constexpr Ratio base() const { return base_; }
  [[nodiscard]] constexpr Ratio in(Unit<D> unit) const { return base_ / unit.scale; }

  constexpr ExactQuantity operator-() const { return from_base(-base_); }
  constexpr ExactQuantity& operator+=(ExactQuantity other) { return *this = *this + other; }
  constexpr ExactQuantity& operator-=(ExactQuantity other) { return *this = *this - other; }
  friend constexpr ExactQuantity operator+(ExactQuantity a, ExactQuantity b) {
    return from_base(a.base_ + b.base_);
  }
  friend constexpr ExactQuantity operator-(ExactQuantity a, ExactQuantity b) {
    return from_base(a.base_ - b.base_);
  }
  friend constexpr ExactQuantity operator*(ExactQuantity a, Ratio b) { return from_base(a.base_ * b); }
  friend constexpr ExactQuantity operator*(Ratio a, ExactQuantity b) { return from_base(a * b.base_); }
  friend constexpr ExactQuantity operator/(ExactQuantity a, Ratio b) { return from_base(a.base_ / b); }
  friend constexpr auto operator<=>(ExactQuantity a, ExactQuantity b) { return a.base_ <=> b.base_; }
  friend constexpr bool operator==(ExactQuantity a, ExactQuantity b) = default;

 private:
  Ratio base_;
};

template <class D>
constexpr Quantity<D>::Quantity(ExactQuantity<D> exact) : base_(exact.base().to_double()) {}

template <class A, class B>
constexpr Quantity<DimensionProduct<A, B>> operator*(Quantity<A> a, Quantity<B> b) {
  return Quantity<DimensionProduct<A, B>>::from_base(a.base() * b.base());
}

/// The multiple of `grain` that is nearest to an amount, half away from zero: the one way from a double to an
/// exact amount, as  nearest(12.34, units::mm, 1_um).
/// @param grain  above 0
/// @throws RangeError when the amount is no number, or is 2^53 grains or more
template <class D>
[[nodiscard]] inline ExactQuantity<D> nearest(Quantity<D> amount, ExactQuantity<D> grain) {
  constexpr double most = 9007199254740992.0;  // 2^53: beyond, a double does not tell grains apart
  const double grains = amount.base() / grain.base().to_double();
  if (!(grain.base() > Ratio(0)) || !(grains > -most && grains < most))
    throw RangeError("an amount that cannot be rounded to this grain: no number, or too many grains");
  return ExactQuantity<D>::from_base(Ratio(std::llround(grains)) * grain.base());
}
template <class D>
[[nodiscard]] inline ExactQuantity<D> nearest(double amount, Unit<D> unit, ExactQuantity<D> grain) {
  return nearest(Quantity<D>(amount, unit), grain);
}
template <class A, class B>
constexpr Quantity<DimensionQuotient<A, B>> operator/(Quantity<A> a, Quantity<B> b) {
  return Quantity<DimensionQuotient<A, B>>::from_base(a.base() / b.base());
}
template <class A, class B>
constexpr ExactQuantity<DimensionProduct<A, B>> operator*(ExactQuantity<A> a, ExactQuantity<B> b) {
  return ExactQuantity<DimensionProduct<A, B>>::from_base(a.base() * b.base());
}
template <class A, class B>
constexpr ExactQuantity<DimensionQuotient<A, B>> operator/(ExactQuantity<A> a, ExactQuantity<B> b) {
  return ExactQuantity<DimensionQuotient<A, B>>::from_base(a.base() / b.base());
}

namespace dimensions {
using Length = Dimension<1, 0, 0, 0, 0, 0>;
using Mass = Dimension<0, 1, 0, 0, 0, 0>;
using Time = Dimension<0, 0, 1, 0, 0, 0>;
using Current = Dimension<0, 0, 0, 1, 0, 0>;
using Angle = Dimension<0, 0, 0, 0, 1, 0>;
using Temperature = Dimension<0, 0, 0, 0, 0, 1>;
using Speed = DimensionQuotient<Length, Time>;
using Acceleration = DimensionQuotient<Speed, Time>;
using Jerk = DimensionQuotient<Acceleration, Time>;
using AngularSpeed = DimensionQuotient<Angle, Time>;
using AngularAcceleration = DimensionQuotient<AngularSpeed, Time>;
using AngularJerk = DimensionQuotient<AngularAcceleration, Time>;
using Frequency = DimensionQuotient<NoDimension, Time>;
using Force = DimensionProduct<Mass, Acceleration>;
using Torque = DimensionProduct<Force, Length>;
using Inertia = DimensionProduct<Mass, DimensionProduct<Length, Length>>;
using Power = DimensionQuotient<Torque, Time>;
using Voltage = DimensionQuotient<Power, Current>;
using Resistance = DimensionQuotient<Voltage, Current>;
using Inductance = DimensionProduct<Resistance, Time>;
using Capacitance = DimensionQuotient<Time, Resistance>;
using TorqueConstant = DimensionQuotient<Torque, Current>;
using BackEmfConstant = DimensionQuotient<Voltage, AngularSpeed>;
using ViscousFriction = DimensionQuotient<Torque, AngularSpeed>;
using ThermalResistance = DimensionQuotient<Temperature, Power>;
using HeatCapacity = DimensionQuotient<Torque, Temperature>;
using Charge = DimensionProduct<Current, Time>;
}  // namespace dimensions

using Length = Quantity<dimensions::Length>;
using Mass = Quantity<dimensions::Mass>;
using Time = Quantity<dimensions::Time>;
using Current = Quantity<dimensions::Current>;
using Angle = Quantity<dimensions::Angle>;
using Temperature = Quantity<dimensions::Temperature>;
using Speed = Quantity<dimensions::Speed>;
using Acceleration = Quantity<dimensions::Acceleration>;
using Jerk = Quantity<dimensions::Jerk>;
using AngularSpeed = Quantity<dimensions::AngularSpeed>;
using AngularAcceleration = Quantity<dimensions::AngularAcceleration>;
using Frequency = Quantity<dimensions::Frequency>;
using Force = Quantity<dimensions::Force>;
using Torque = Quantity<dimensions::Torque>;
using Inertia = Quantity<dimensions::Inertia>;
using Power = Quantity<dimensions::Power>;
using Voltage = Quantity<dimensions::Voltage>;
using Resistance = Quantity<dimensions::Resistance>;
using Inductance = Quantity<dimensions::Inductance>;
using Capacitance = Quantity<dimensions::Capacitance>;
using TorqueConstant = Quantity<dimensions::TorqueConstant>;
using BackEmfConstant = Quantity<dimensions::BackEmfConstant>;
using ViscousFriction = Quantity<dimensions::ViscousFriction>;
using ThermalResistance = Quantity<dimensions::ThermalResistance>;
using HeatCapacity = Quantity<dimensions::HeatCapacity>;
using Charge = Quantity<dimensions::Charge>;
using Fraction = Quantity<NoDimension>;  ///< a share of a whole, such as a duty; `30_percent`

using ExactLength = ExactQuantity<dimensions::Length>;
using ExactAngle = ExactQuantity<dimensions::Angle>;
using ExactTime = ExactQuantity<dimensions::Time>;
using ExactSpeed = ExactQuantity<dimensions::Speed>;
using ExactAngularSpeed = ExactQuantity<dimensions::AngularSpeed>;
using ExactAcceleration = ExactQuantity<dimensions::Acceleration>;
using ExactAngularAcceleration = ExactQuantity<dimensions::AngularAcceleration>;
using ExactFrequency = ExactQuantity<dimensions::Frequency>;
using ExactFraction = ExactQuantity<NoDimension>;  ///< a share of a whole, such as a duty

namespace units {
inline constexpr Unit<dimensions::Length> m{1};
inline constexpr Unit<dimensions::Length> mm{{1, 1'000}};
inline constexpr Unit<dimensions::Length> um{{1, 1'000'000}};
inline constexpr Unit<dimensions::Angle> turn{1};
inline constexpr Unit<dimensions::Angle> deg{{1, 360}};
inline constexpr Unit<dimensions::Angle> rad{{1, 2}, -1};
inline constexpr Unit<dimensions::Time> s{1};
inline constexpr Unit<dimensions::Time> ms{{1, 1'000}};
inline constexpr Unit<dimensions::Time> us{{1, 1'000'000}};
inline constexpr Unit<dimensions::Time> ns{{1, 1'000'000'000}};
inline constexpr Unit<dimensions::Speed> m_per_s{1};
inline constexpr Unit<dimensions::Speed> mm_per_s{{1, 1'000}};
inline constexpr Unit<dimensions::Acceleration> mm_per_s2{{1, 1'000}};
inline constexpr Unit<dimensions::AngularSpeed> turn_per_s{1};
inline constexpr Unit<dimensions::AngularSpeed> deg_per_s{{1, 360}};
inline constexpr Unit<dimensions::AngularSpeed> rad_per_s{{1, 2}, -1};
inline constexpr Unit<dimensions::AngularSpeed> rpm{{1, 60}};
inline constexpr Unit<dimensions::AngularAcceleration> deg_per_s2{{1, 360}};
inline constexpr Unit<dimensions::AngularAcceleration> rad_per_s2{{1, 2}, -1};
inline constexpr Unit<dimensions::Frequency> Hz{1};
inline constexpr Unit<dimensions::Frequency> kHz{1'000};
inline constexpr Unit<dimensions::Frequency> MHz{1'000'000};
inline constexpr Unit<dimensions::Current> A{1};
inline constexpr Unit<dimensions::Current> mA{{1, 1'000}};
inline constexpr Unit<dimensions::Voltage> V{1};
inline constexpr Unit<dimensions::Resistance> ohm{1};
inline constexpr Unit<dimensions::Inductance> H{1};
inline constexpr Unit<dimensions::Inductance> mH{{1, 1'000}};
inline constexpr Unit<dimensions::Torque> Nm{1};
inline constexpr Unit<dimensions::Inertia> kg_m2{1};
inline constexpr Unit<Dimension<0, 1, 0, 0, 0, 0>> kg{1};
inline constexpr Unit<NoDimension> percent{{1, 100}};
inline constexpr Unit<dimensions::Charge> Ah{3600};
inline constexpr Unit<dimensions::Capacitance> uF{{1, 1'000'000}};
inline constexpr Unit<dimensions::Temperature> K{1};
inline constexpr Unit<dimensions::TorqueConstant> Nm_per_A{1};
inline constexpr Unit<dimensions::BackEmfConstant> V_s_per_rad{2, 1};
inline constexpr Unit<dimensions::ViscousFriction> Nm_s_per_rad{2, 1};
}  // namespace units

}  // namespace cogstride
