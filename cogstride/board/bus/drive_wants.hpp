// What a drive on a bus is to be by its rig: its settings, and what it tells and is told each cycle.
#pragma once

#include <vector>

#include "cogstride/board/bus/drive_setup.hpp"
#include "cogstride/mechanism/mechanism.hpp"

namespace cogstride {

/// Process data of a drive, by their places in DriveWants::data.
enum class DriveData : std::uint8_t {
  motion,    ///< told: status word, place, current
  supplies,  ///< told: speed, voltage of its supply
  own,       ///< told: torque, and what the rig declares of its maker's
  watched,   ///< told: lag, error code, mode that is in force
  ordered,   ///< control word, mode, place
  wanted,    ///< speed, torque
  at_once    ///< control word, in force when it comes
};
[[nodiscard]] std::vector<ProcessData> drive_data(const BusDrive& board);

/// @throws RangeError when the rig has no bus, or the mechanism no drive on it
[[nodiscard]] DriveWants drive_wants(const Mechanism& mechanism, const Controller& controller);

/// An object of its maker's as those of the profile are. @param name  must outlive it
[[nodiscard]] BusObject object_of(const DriveObject& its, const char* name = "its maker's");

/// Currents and torques are told in thousandths of the motor's rated ones.
inline constexpr double drive_thousandths = 1000.0;

}  // namespace cogstride
