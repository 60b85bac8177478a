// A drive that closes its own loops, as its profile has it: IEC 61800-7-201 (with CiA 402), states, words,
// modes and objects. What its bus is, is none of its business.
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string>

#include "cogstride/board/bus/object_access.hpp"

namespace cogstride {

/// Of its power (figure "state machine" of the profile).
enum class DriveState : std::uint8_t {
  not_ready,           ///< it begins, and takes no order
  switch_on_disabled,  ///< no power may come on
  ready,               ///< to be switched on
  switched_on,         ///< power is there, the motor is not driven
  enabled,             ///< the motor is driven
  quick_stop,          ///< it comes to rest fast, or has
  fault_reaction,      ///< it comes to rest after a fault
  fault
};
/// In words: "ready to be switched on".
[[nodiscard]] const char* to_text(DriveState state);

/// Bits of the status word beside its state.
struct StatusBits {
  enum : std::uint16_t {
    voltage = 1U << 4,  ///< its power stage is fed
    warning = 1U << 7,
    remote = 1U << 9,    ///< it obeys its control word
    reached = 1U << 10,  ///< its target; at rest, where it was halted
    limited = 1U << 11,  ///< something inside it limits what was ordered
    taken = 1U << 12,    ///< profile position: the set-point; profile velocity: its speed is zero
    behind = 1U << 13    ///< positions: further than its window
  };
};
/// Bits of the control word beside what its state asks for.
struct ControlBits {
  enum : std::uint16_t {
    take = 1U << 4,     ///< profile position: a new set-point
    at_once = 1U << 5,  ///< and the one that is on ends
    relative = 1U << 6,
    reset_fault = 1U << 7,
    halt = 1U << 8
  };
};

/// The state that a status word tells of. @return nothing: bits that the profile does not have
[[nodiscard]] std::optional<DriveState> state_of(std::uint16_t status);

/// The control word that leads from a state nearer to another one, a transition at a time.
/// @param wanted  switch_on_disabled, ready, switched_on, enabled or quick_stop
/// @return nothing: it is there, changes by itself, or a fault has to be reset first, which is an order of
/// its own
[[nodiscard]] std::optional<std::uint16_t> control_towards(DriveState wanted, DriveState now);

enum class DriveMode : std::int8_t {
  none = 0,
  profile_position = 1,
  profile_velocity = 3,
  torque = 4,
  cyclic_position = 8,
  cyclic_velocity = 9,
  cyclic_torque = 10
};
[[nodiscard]] const char* to_text(DriveMode mode);
/// Its bit in the object of the modes that a drive has.
[[nodiscard]] constexpr std::uint32_t mode_bit(DriveMode mode) {
  return mode == DriveMode::none ? 0 : 1U << (static_cast<int>(mode) - 1);
}

/// What a drive says is wrong (its error code), and what to do.
struct DriveFault {
  std::uint16_t code = 0;  ///< of the profile: the nearest one that is known, the most special first
  const char* what = "";
  const char* to_do = "";
};
[[nodiscard]] DriveFault fault_of(std::uint16_t code);

/// Objects of the application layer and of the profile.
namespace objects {
inline constexpr BusObject device_type{0x1000, 0, ObjectType::u32, "device type"};
inline constexpr BusObject error_register{0x1001, 0, ObjectType::u8, "error register"};
inline constexpr BusObject device_name{0x1008, 0, ObjectType::text, "device name"};
inline constexpr BusObject store_all{0x1010, 1, ObjectType::u32, "store all parameters"};
inline constexpr BusObject restore_all{0x1011, 1, ObjectType::u32, "restore all default parameters"};
inline constexpr BusObject watched_heartbeat{0x1016, 1, ObjectType::u32, "heartbeat that it watches"};
inline constexpr BusObject own_heartbeat{0x1017, 0, ObjectType::u16, "time of its own heartbeat"};
inline constexpr BusObject vendor{0x1018, 1, ObjectType::u32, "vendor"};
inline constexpr BusObject product{0x1018, 2, ObjectType::u32, "product"};
inline constexpr BusObject revision{0x1018, 3, ObjectType::u32, "revision"};
inline constexpr BusObject serial_number{0x1018, 4, ObjectType::u32, "serial number"};
inline constexpr BusObject when_heartbeat_ends{0x6007, 0, ObjectType::i16,
                                               "what it does when the connection is aborted"};
inline constexpr BusObject error_code{0x603f, 0, ObjectType::u16, "error code"};
inline constexpr BusObject control_word{0x6040, 0, ObjectType::u16, "control word"};
inline constexpr BusObject status_word{0x6041, 0, ObjectType::u16, "status word"};
inline constexpr BusObject quick_stop_option{0x605a, 0, ObjectType::i16, "what a quick stop does"};
inline constexpr BusObject fault_option{0x605e, 0, ObjectType::i16, "what it does on a fault"};
inline constexpr BusObject mode{0x6060, 0, ObjectType::i8, "mode of operation"};
inline constexpr BusObject mode_shown{0x6061, 0, ObjectType::i8, "mode of operation that is in force"};
inline constexpr BusObject position_now{0x6064, 0, ObjectType::i32, "position"};
inline constexpr BusObject lag_window{0x6065, 0, ObjectType::u32, "window of its lag"};
inline constexpr BusObject lag_time{0x6066, 0, ObjectType::u16, "time for which it may lag"};
inline constexpr BusObject velocity_now{0x606c, 0, ObjectType::i32, "velocity"};
inline constexpr BusObject torque_wanted{0x6071, 0, ObjectType::i16, "torque wanted"};
inline constexpr BusObject most_torque{0x6072, 0, ObjectType::u16, "most torque"};
inline constexpr BusObject most_current{0x6073, 0, ObjectType::u16, "most current"};
inline constexpr BusObject rated_current{0x6075, 0, ObjectType::u32, "rated current of the motor"};
inline constexpr BusObject rated_torque{0x6076, 0, ObjectType::u32, "rated torque of the motor"};
inline constexpr BusObject torque_now{0x6077, 0, ObjectType::i16, "torque"};
inline constexpr BusObject current_now{0x6078, 0, ObjectType::i16, "current"};
inline constexpr BusObject supply_now{0x6079, 0, ObjectType::u32, "voltage of its supply"};
inline constexpr BusObject position_wanted{0x607a, 0, ObjectType::i32, "position wanted"};
inline constexpr BusObject polarity{0x607e, 0, ObjectType::u8, "polarity"};
inline constexpr BusObject most_profile_velocity{0x607f, 0, ObjectType::u32, "most profile velocity"};
inline constexpr BusObject most_motor_speed{0x6080, 0, ObjectType::u32, "most speed of the motor"};
inline constexpr BusObject profile_velocity{0x6081, 0, ObjectType::u32, "profile velocity"};
inline constexpr BusObject profile_acceleration{0x6083, 0, ObjectType::u32, "profile acceleration"};
inline constexpr BusObject profile_deceleration{0x6084, 0, ObjectType::u32, "profile deceleration"};
inline constexpr BusObject quick_stop_deceleration{0x6085, 0, ObjectType::u32,
                                                   "deceleration of a quick stop"};
inline constexpr BusObject profile_form{0x6086, 0, ObjectType::i16, "form of the profile"};
inline constexpr BusObject torque_slope{0x6087, 0, ObjectType::u32, "slope of the torque"};
inline constexpr BusObject encoder_counts{0x608f, 1, ObjectType::u32, "counts of the encoder"};
inline constexpr BusObject encoder_turns{0x608f, 2, ObjectType::u32, "turns of the motor for them"};
inline constexpr BusObject gear_motor_turns{0x6091, 1, ObjectType::u32, "turns of the motor"};
inline constexpr BusObject gear_shaft_turns{0x6091, 2, ObjectType::u32, "turns of the shaft for them"};
inline constexpr BusObject feed{0x6092, 1, ObjectType::u32, "feed"};
inline constexpr BusObject feed_turns{0x6092, 2, ObjectType::u32, "turns of the shaft for it"};
inline constexpr BusObject profile_jerk{0x60a4, 1, ObjectType::u32, "profile jerk"};
inline constexpr BusObject cycle_time{0x60c2, 1, ObjectType::u8, "time of a cycle"};
inline constexpr BusObject cycle_scale{0x60c2, 2, ObjectType::i8, "and its power of ten, s"};
inline constexpr BusObject lag_now{0x60f4, 0, ObjectType::i32, "lag"};
inline constexpr BusObject velocity_wanted{0x60ff, 0, ObjectType::i32, "velocity wanted"};
inline constexpr BusObject modes_there_are{0x6502, 0, ObjectType::u32, "modes that it has"};

/// What is written to restore_all and store_all, so that nothing does it by chance: "load" and "save".
inline constexpr std::uint32_t load_signature = 0x64616f6c;
inline constexpr std::uint32_t save_signature = 0x65766173;
/// Lower half of the device type: this profile.
inline constexpr std::uint16_t drive_profile_number = 402;
}  // namespace objects

}  // namespace cogstride
