#include "cogstride/motion/bus/drive_link.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>

#include "cogstride/board/bus/drive_wants.hpp"
#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/plan/drive_figures.hpp"

namespace cogstride {
namespace {

constexpr ExactTime patience = ExactTime::from_base({1, 20});  // until a question is put again
constexpr ExactTime beginning = ExactTime::from_base({3, 1});  // until a drive is there after a reset

std::size_t place_of(DriveData which) {
  return static_cast<std::size_t>(which);
}

}  // namespace

DriveLink::DriveLink(const Mechanism& mechanism, MechanismId id, const Controller& controller)
    : owner_(id),
      board_(std::get<BusDrive>(mechanism.board)),
      amperes_per_thousandth_(drive_motor_figures(mechanism).rated_current / drive_thousandths),
      torque_per_ampere_(drive_motor_figures(mechanism).torque_constant),
      wants_(drive_wants(mechanism, controller)),
      cycle_(ticks_at_least(controller.bus->cycle, controller.timer_clock)),
      silence_(ticks_at_least(controller.bus->silence, controller.timer_clock)),
      times_{ticks_at_least(patience, controller.timer_clock),
             ticks_at_least(beginning, controller.timer_clock)} {
  for (const ProcessData& data : wants_.data) (void)bits_of(data);
  setup_.emplace(wants_, times_);
}

std::optional<std::string> DriveLink::take_fault() {
  if (fault_is_told_) return std::nullopt;
  fault_is_told_ = true;
  return fault_;
}

std::vector<std::string> DriveLink::take_news() {
  return std::exchange(news_, {});
}

void DriveLink::fail(std::string why, bool begins_anew) {
  wants_driven_ = false;
  if (begins_anew) {
    setup_.reset();
    told_.at = never;
    state_.reset();
    heard_at_ = never;
  }
  if (!fault_.empty()) return;
  fault_ = std::move(why);
  fault_is_told_ = false;
}

void DriveLink::reset_fault(Tick) {
  if (fault_.empty()) return;
  fault_.clear();
  fault_is_told_ = true;
  if (!setup_ || !setup_->is_up()) {
    setup_.emplace(wants_, times_);
    told_.at = never;
    heard_at_ = never;
  } else {
    resets_ = true;
  }
}

Tick DriveLink::next_act() const {
  return setup_ && !setup_->has_ended() ? setup_->next() : never;
}

void DriveLink::serve(Lines& lines) {
  if (!setup_ || setup_->has_ended()) return;
  const Tick now = lines.now();
  while (const std::optional<Frame> frame = setup_->send(now))
    lines.put(now + lines.lead(), the_bus, *frame, owner_);
  if (!setup_->has_ended()) return;
  for (const std::string& each : setup_->rounded()) news_.push_back(each);
  if (setup_->is_up()) {
    ++times_up_;
    heard_at_ = now;
  } else {
    fail(setup_->fault(), false);
  }
}

void DriveLink::take_status(std::uint16_t status) {
  told_.status = status;
  state_ = state_of(status);
  if (state_ != DriveState::fault) resets_ = false;
}

/// It says what is wrong in an emergency, which may be lost, and with its watched values.
void DriveLink::fail_by_code(std::uint16_t code) {
  const DriveFault fault = fault_of(code);
  fail(code == 0 ? fmt::format("drive {} is in a fault, and tells no error code", wants_.id)
                 : fmt::format("drive {} says: {} (error code {:04X}); {}", wants_.id, fault.what, code,
                               fault.to_do),
       false);
}

void DriveLink::hear_data(const Frame& frame, Tick at) {
  std::array<std::int64_t, 8> values{};
  const auto& data = wants_.data;
  if (unpack(data[place_of(DriveData::motion)], wants_.id, frame, values)) {
    told_.at = at;
    told_.place = values[1];
    told_.current = static_cast<double>(values[2]) * amperes_per_thousandth_;
    take_status(static_cast<std::uint16_t>(values[0]));
  } else if (unpack(data[place_of(DriveData::supplies)], wants_.id, frame, values)) {
    told_.speed = values[0];
    told_.supply = 1e-3 * static_cast<double>(values[1]);
  } else if (unpack(data[place_of(DriveData::own)], wants_.id, frame, values)) {
    std::size_t place = 0;
    told_.torque = static_cast<double>(values[place++]) * amperes_per_thousandth_ * torque_per_ampere_;
    const auto amount = [&](const auto& its) -> std::optional<double> {
      if (!its) return std::nullopt;
      return static_cast<double>(values[place++]) * its->worth.base();
    };
    told_.supply_current = amount(board_.supply_current_told);
    told_.applied = amount(board_.applied_voltage_told);
    told_.celsius = amount(board_.temperature_told);
  } else if (unpack(data[place_of(DriveData::watched)], wants_.id, frame, values)) {
    told_.lag = values[0];
    if (state_ == DriveState::fault && !resets_) fail_by_code(static_cast<std::uint16_t>(values[1]));
  } else {
    return;
  }
  heard_at_ = at;
}

void DriveLink::hear(const Frame& frame, Tick at) {
  if (setup_ && !setup_->has_ended()) setup_->hear(frame, at);
  if (const std::optional<Emergency> emergency = emergency_of(frame)) {
    if (emergency->id == wants_.id && emergency->code != 0) fail_by_code(emergency->code);
    return;
  }
  if (!setup_ || !setup_->is_up()) return;
  if (const std::optional<NodeHeartbeat> beat = heartbeat_of(frame)) {
    if (beat->id != wants_.id) return;
    heard_at_ = at;
    if (beat->state == NodeState::boot)
      return fail(fmt::format("drive {} has begun anew by itself: look at its supply; it is not set up and "
                              "has forgotten where it stood",
                              wants_.id),
                  true);
    if (beat->state != NodeState::operational)
      fail(fmt::format("drive {} takes part no more: somebody else has told it so", wants_.id), true);
    return;
  }
  hear_data(frame, at);
}

void DriveLink::watch(Tick now) {
  if (!setup_ || !setup_->is_up() || heard_at_ == never || now - heard_at_ <= silence_) return;
  fail(fmt::format(
           "drive {} is not heard any more: look at its supply and at the wires of the bus; whether it "
           "is off is not known (it brakes by itself where it does not hear this computer)",
           wants_.id),
       true);
}

std::uint16_t DriveLink::control_word() const {
  constexpr std::uint16_t keeps_driven = 0x0f;
  if (!state_) return 0;
  if (comes_to_rest_ && (*state_ == DriveState::enabled || *state_ == DriveState::quick_stop))
    return *control_towards(DriveState::quick_stop, DriveState::enabled);
  const DriveState wanted = wants_driven_ ? DriveState::enabled : DriveState::switch_on_disabled;
  if (const std::optional<std::uint16_t> word = control_towards(wanted, *state_)) return *word;
  return wants_driven_ && *state_ == DriveState::enabled ? keeps_driven : 0;
}

void DriveLink::put(Lines& lines, Tick at, const Order& order) {
  std::uint16_t word = control_word();
  // The bit has to rise: each other cycle as long as the fault stays.
  was_reset_ = resets_ && state_ == DriveState::fault && !was_reset_;
  if (was_reset_) word = ControlBits::reset_fault;
  const std::array<std::int64_t, 3> first{word, static_cast<std::int64_t>(order.mode), order.place};
  lines.put(at, the_bus, pack(wants_.data[place_of(DriveData::ordered)], wants_.id, first), owner_);
  const double rated = torque_per_ampere_ * amperes_per_thousandth_;
  const std::array<std::int64_t, 2> second{
      order.speed, std::llround(std::clamp(order.torque / rated, -32'767.0, 32'767.0))};
  lines.put(at, the_bus, pack(wants_.data[place_of(DriveData::wanted)], wants_.id, second), owner_);
}

Frame DriveLink::rest_frame() const {
  const std::array<std::int64_t, 1> word{*control_towards(DriveState::quick_stop, DriveState::enabled)};
  return pack(wants_.data[place_of(DriveData::at_once)], wants_.id, word);
}

}  // namespace cogstride
