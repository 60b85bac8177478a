#include "cogstride/board/bus/drive_wants.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/board/bus/drive_profile.hpp"
#include "cogstride/plan/drive_figures.hpp"
#include "cogstride/quantity/error.hpp"

namespace cogstride {
namespace {

constexpr std::int64_t quick_stop_then_off = 2;
constexpr std::int64_t heartbeat_ends_in_quick_stop = 3;
constexpr std::int64_t both_polarities = 0xc0;
constexpr std::int64_t trapezoid = 0;
constexpr double lags_by_at_most = 0.05;  // s of its top speed
constexpr double lag_time = 0.1;          // s
constexpr std::int64_t most_i32 = 0x7fffffff;

ObjectType type_of(const DriveObject& object) {
  using Type = ObjectType;
  if (object.bits == 8) return object.is_signed ? Type::i8 : Type::u8;
  if (object.bits == 16) return object.is_signed ? Type::i16 : Type::u16;
  return object.is_signed ? Type::i32 : Type::u32;
}

std::int64_t within(double value, std::int64_t most) {
  return std::llround(std::clamp(value, 0.0, static_cast<double>(most)));
}

}  // namespace

BusObject object_of(const DriveObject& its, const char* name) {
  return {static_cast<std::uint16_t>(its.index), static_cast<std::uint8_t>(its.sub), type_of(its), name};
}

std::vector<ProcessData> drive_data(const BusDrive& board) {
  namespace o = objects;
  std::vector<ProcessData> data(static_cast<std::size_t>(DriveData::at_once) + 1);
  const auto place = [&](DriveData which) -> ProcessData& { return data[static_cast<std::size_t>(which)]; };
  place(DriveData::motion) = {true, 1, {o::status_word, o::position_now, o::current_now}};
  place(DriveData::supplies) = {true, 2, {o::velocity_now, o::supply_now}};
  place(DriveData::own) = {true, 3, {o::torque_now}};
  if (board.supply_current_told)
    place(DriveData::own)
        .objects.push_back(object_of(board.supply_current_told->object, "current from its supply"));
  if (board.applied_voltage_told)
    place(DriveData::own)
        .objects.push_back(object_of(board.applied_voltage_told->object, "voltage at its motor"));
  if (board.temperature_told)
    place(DriveData::own).objects.push_back(object_of(board.temperature_told->object, "temperature"));
  place(DriveData::watched) = {true, 4, {o::lag_now, o::error_code, o::mode_shown}};
  place(DriveData::ordered) = {false, 1, {o::control_word, o::mode, o::position_wanted}};
  place(DriveData::wanted) = {false, 2, {o::velocity_wanted, o::torque_wanted}};
  place(DriveData::at_once) = {false, 3, {o::control_word}};
  place(DriveData::at_once).is_at_once = true;
  return data;
}

DriveWants drive_wants(const Mechanism& mechanism, const Controller& controller) {
  namespace o = objects;
  const auto* const board = std::get_if<BusDrive>(&mechanism.board);
  const auto* const wiring = std::get_if<BusWiring>(&mechanism.wiring);
  if (board == nullptr || wiring == nullptr) throw RangeError(mechanism.name + ": has no drive on a bus");
  if (!controller.bus)
    throw RangeError(fmt::format(
        "{}: its drive is on a bus, and the rig has none: say which, in [controller.bus]", mechanism.name));
  const FieldBus& bus = *controller.bus;
  const DriveMotorFigures motor = drive_motor_figures(mechanism);
  if (motor.rated_current <= 0.0)
    throw RangeError(fmt::format(
        "{}: its drive is told currents as shares of the motor's rated one: say motor.rated_current, or "
        "limits.current",
        mechanism.name));
  const RampLimits limits = drive_limits(mechanism);
  const auto milliseconds = [](Time time) { return within(1e3 * time.base(), 0xffff); };
  const std::int64_t share =
      within(drive_thousandths * drive_most_current(mechanism) / motor.rated_current, 0xffff);
  DriveWants wants;
  wants.id = static_cast<int>(wiring->id);
  wants.vendor = board->vendor;
  wants.product = board->product;
  const std::int64_t counts = steps_per_motor_turn(mechanism);
  wants.settings = {
      {o::polarity, mechanism.reversed ? both_polarities : 0},
      {o::encoder_counts, counts},
      {o::encoder_turns, 1},
      {o::gear_motor_turns, 1},
      {o::gear_shaft_turns, 1},
      {o::feed, counts},  // one of its units is a count
      {o::feed_turns, 1},
      {o::rated_current, within(1e3 * motor.rated_current, most_i32)},  // of which currents are shares
      {o::rated_torque, within(1e3 * motor.rated_current * motor.torque_constant, most_i32)},
      {o::most_current, share},
      {o::most_torque, share},
      {o::most_profile_velocity, within(limits.speed, most_i32)},
      {o::most_motor_speed, within(std::ceil(60.0 * limits.speed / static_cast<double>(counts)), most_i32)},
      {o::profile_velocity, within(limits.speed, most_i32)},
      {o::profile_acceleration, within(limits.acceleration, most_i32)},
      {o::profile_deceleration, within(limits.acceleration, most_i32)},
      {o::quick_stop_deceleration,
       within(std::max(limits.acceleration, drive_steepest(mechanism)), most_i32)},
      {o::profile_form, trapezoid},
      {o::quick_stop_option, quick_stop_then_off},
      {o::fault_option, quick_stop_then_off},
      {o::lag_window, within(std::max(lags_by_at_most * limits.speed, 16.0), most_i32)},
      {o::lag_time, within(1e3 * lag_time, 0xffff)},
      {o::cycle_time, within(1e3 * bus.cycle.base(), 0xff)},
      {o::cycle_scale, -3},
      {o::own_heartbeat, milliseconds(bus.heartbeat)},
      {o::watched_heartbeat, bus.id << 16 | milliseconds(bus.silence)},
      {o::when_heartbeat_ends, heartbeat_ends_in_quick_stop},
  };
  if (limits.jerk > 0.0) wants.settings.emplace_back(o::profile_jerk, within(limits.jerk, most_i32));
  if (board->supply_current_set_at)
    wants.settings.emplace_back(
        object_of(board->supply_current_set_at->object, "limit of the current from its supply"),
        within(board->supply_current.base() / board->supply_current_set_at->worth.base(), most_i32));
  for (const DriveSetting& setting : board->settings)
    wants.settings.emplace_back(object_of(setting.object, "as the rig says"), setting.value);
  wants.data = drive_data(*board);
  return wants;
}

}  // namespace cogstride
