// What a mechanism has to move, how far and how fast it may go, and how it finds its zero.
#pragma once

#include <cstdint>
#include <optional>
#include <string>

#include "cogstride/mechanism/output.hpp"
#include "cogstride/mechanism/wiring.hpp"

namespace cogstride {

/// What the motor has to move, all of it seen from its shaft.
struct Load {
  Inertia inertia{};  ///< with the rotor
  Torque coulomb_friction{};
  ViscousFriction viscous_friction{};
  Torque stiction{};                      ///< to break loose; at least the Coulomb friction
  ExactFraction friction_spread{};        ///< rms, by which friction differs from place to place of the shaft
  Torque steady_torque{};                 ///< of weight or tension
  bool slackens = false;                  ///< the steady torque: it never turns the motor back
  std::optional<Inertia> most_inertia{};  ///< where it grows, as on a bobbin
  Mass carried_mass{};                    ///< that a linear output takes along, not in `inertia`
  Angle rise{};                           ///< of its way; a quarter turn is straight up, below 0 is down
  std::optional<OutputPosition> backlash{};                             ///< play of the train, at the output
  ExactFraction screw_efficiency = ExactFraction::from_base(Ratio(1));  ///< lifting the carried mass
};

/// Which way round an output goes, seen from where the maker stands.
enum class TurningSense : std::uint8_t { clockwise, counter_clockwise };

struct Limits {
  std::optional<OutputPosition> travel_from{};  ///< soft limits; none on an endless output
  std::optional<OutputPosition> travel_to{};
  OutputSpeed speed{};
  OutputAcceleration acceleration{};  ///< 0: the motor's current limits it
  std::optional<OutputJerk> jerk{};
  OutputSpeed start_speed{};  ///< reached at once, without a ramp; 0 means every start is ramped
  TurningSense forwards = TurningSense::clockwise;  ///< of an output that turns
  std::optional<std::int64_t>
      stations{};  ///< evenly spaced over a turn or the travel; station k of N is exact
  std::optional<Current> current{};
  std::optional<ExactFraction> lowest_duty{};   ///< of duty or throttle, that it is asked to turn with
  std::optional<ExactFraction> highest_duty{};  ///< of duty or throttle
  std::optional<Time> reversal_pause{};         ///< at no drive, before an open-loop reversal
  Time full_ramp = Time(0.2, units::s);         ///< of duty, from none to full at the fastest
  SlowsBy slows_by = SlowsBy::coasting;
};

/// The mechanical stops.
struct HardEnds {
  OutputPosition from{};
  OutputPosition to{};
};

/// What of an encoder tells the zero, where homing goes by an encoder.
enum class HomesTo : std::uint8_t { index, low_end, high_end };

struct Homing {
  std::string sensor{};                        ///< name of a switch or an encoder of the mechanism
  std::optional<HomesTo> goes_to{};            ///< encoders only
  std::optional<std::string> then_index_of{};  ///< encoder whose index, next to the switch, gives the zero
  OutputPosition index_at{};                   ///< where that index, or the sensor's, comes
  OutputSpeed speed{};                         ///< on the way to the sensor
  OutputSpeed slow_speed{};                    ///< for the edge that counts
  OutputPosition position{};                   ///< where to stand afterwards
};

/// Which place of a leader is followed.
enum class LeaderPlace : std::uint8_t {
  counted,   ///< what its encoder counts
  commanded  ///< where it is told to be
};

/// A leader, and by how much it is followed: exact.
struct Leading {
  std::string leader{};
  OutputPosition by{};                             ///< of the follower's output ...
  OutputPosition for_each{OutputKind::rotary, 1};  ///< ... for so much of the leader's
  std::optional<LeaderPlace> place{};  ///< nothing: counted where it has an encoder and takes no steps
};

/// A mechanism that follows one or two others by an exact ratio.
struct Following {
  Leading first{};
  std::optional<Leading> also{};  ///< what both ask for is added up
  /// It goes where its leader is by now, by the speed of its counts; else it stays so far behind that it
  /// never goes beyond what was counted.
  bool compensated = true;
  std::optional<OutputPosition> may_fall_behind{};  ///< nothing: falling behind stops both
};

}  // namespace cogstride
