#include "cogstride/plant/bus/drive_node.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

#include "cogstride/board/bus/drive_wants.hpp"
#include "cogstride/board/bus/id_change.hpp"

namespace cogstride {
namespace {

using Access = DeviceObjects::Access;
constexpr double begins_within = 0.05;  // s, until it is there after power or a reset
constexpr std::uint32_t not_now = 0x08000022;
constexpr std::uint32_t not_mapped = 0x06040041;
constexpr int most_data = 4;
constexpr int most_entries = 8;
constexpr std::int64_t at_once = 254;
constexpr std::uint16_t no_heartbeat = 0x8130;
constexpr std::int64_t everything = 0x3ff;  // modes 1 to 10
constexpr std::int64_t polarity_of_place = 0x80;
constexpr std::int64_t polarity_of_speed = 0x40;

std::int64_t fitting(const BusObject& object, double value) {
  const int bits = 8 * size_of(object.type);
  const double most = is_signed(object.type) ? std::exp2(bits - 1) - 1.0 : std::exp2(bits) - 1.0;
  const double least = is_signed(object.type) ? -most : 0.0;
  return std::llround(std::clamp(value, least, most));
}

}  // namespace

DriveNode::DriveNode(Setup setup, DriveLoops& loops)
    : setup_(std::move(setup)), loops_(loops), objects_(setup_.id), stored_id_(setup_.id) {
  declare_objects();
  declare_data();
}

Tick DriveNode::ticks(double seconds) const {
  return std::llround(seconds * setup_.ticks_per_second);
}

void DriveNode::declare_objects() {
  namespace o = objects;
  const auto amount = [&](const BusObject& object, std::int64_t value) {
    objects_.add({.object = object, .access = Access::both, .value = value});
  };
  const auto told = [&](const BusObject& object, std::int64_t value) {
    objects_.add({.object = object, .access = Access::read, .value = value});
  };
  told(o::device_type, 0x00020000 | o::drive_profile_number);
  told(o::error_register, 0);
  objects_.add({.object = o::device_name, .access = Access::read, .text = "stand-in for a drive"});
  told(o::vendor, setup_.board.vendor.value_or(0));
  told(o::product, setup_.board.product.value_or(0));
  told(o::revision, 1);
  told(o::serial_number, setup_.serial_number);
  objects_.add({.object = o::restore_all,
                .access = Access::both,
                .value = 1,
                .refuses = [](std::int64_t value) { return value == o::load_signature ? 0U : not_now; },
                .takes =
                    [this](std::int64_t) {
                      restores_ = true;
                      return std::int64_t{1};
                    }});
  amount(o::watched_heartbeat, 0);
  amount(o::own_heartbeat, 0);
  objects_.add({.object = o::when_heartbeat_ends, .access = Access::both, .value = 1, .least = 0, .most = 3});
  told(o::error_code, 0);
  amount(o::control_word, 0);
  told(o::status_word, 0);
  objects_.add({.object = o::quick_stop_option, .access = Access::both, .value = 2, .least = 0, .most = 2});
  objects_.add({.object = o::fault_option, .access = Access::both, .value = 2, .least = 0, .most = 2});
  amount(o::mode, 0);
  told(o::mode_shown, 0);
  told(o::position_now, 0);
  amount(o::lag_window, 0);
  amount(o::lag_time, 0);
  told(o::velocity_now, 0);
  amount(o::torque_wanted, 0);
  amount(o::most_torque, 1000);
  objects_.add({.object = o::most_current, .access = Access::both, .value = 1000, .least = 0, .most = 4000});
  amount(o::rated_current, std::llround(1000.0 * setup_.rated_current));
  amount(o::rated_torque, std::llround(1000.0 * setup_.rated_current * setup_.torque_constant));
  told(o::torque_now, 0);
  told(o::current_now, 0);
  told(o::supply_now, 0);
  amount(o::position_wanted, 0);
  amount(o::polarity, 0);
  amount(o::most_profile_velocity, 0x7fffffff);
  amount(o::most_motor_speed, 10'000);
  amount(o::profile_velocity, 1000);
  amount(o::profile_acceleration, 10'000);
  amount(o::profile_deceleration, 10'000);
  amount(o::quick_stop_deceleration, 100'000);
  amount(o::profile_jerk, 0);
  objects_.add({.object = o::profile_form, .access = Access::both, .value = 0, .least = 0, .most = 0});
  amount(o::torque_slope, 1000);
  objects_.add({.object = o::encoder_counts,
                .access = Access::both,
                .value = setup_.counts_a_turn,
                .least = setup_.counts_a_turn,
                .most = setup_.counts_a_turn});
  amount(o::encoder_turns, 1);
  amount(o::gear_motor_turns, 1);
  amount(o::gear_shaft_turns, 1);
  amount(o::feed, setup_.counts_a_turn);
  amount(o::feed_turns, 1);
  amount(o::cycle_time, 10);
  amount(o::cycle_scale, -3);
  told(o::lag_now, 0);
  amount(o::velocity_wanted, 0);
  told(o::modes_there_are, everything);
  const BusDrive& board = setup_.board;
  if (board.supply_current_set_at) amount(object_of(board.supply_current_set_at->object), 0);
  if (board.supply_current_told) told(object_of(board.supply_current_told->object), 0);
  if (board.applied_voltage_told) told(object_of(board.applied_voltage_told->object), 0);
  if (board.temperature_told) told(object_of(board.temperature_told->object), 0);
  for (const DriveSetting& setting : board.settings) amount(object_of(setting.object), 0);
}

void DriveNode::declare_data() {
  for (const bool is_told : {true, false})
    for (int number = 1; number <= most_data; ++number) {
      const ProcessData data{is_told, number, {}};
      objects_.add({.object = data_id_object(data),
                    .access = Access::both,
                    .value = data_is_off | static_cast<std::int64_t>(id_of(data, setup_.id))});
      objects_.add(
          {.object = data_when_object(data), .access = Access::both, .value = 1, .least = 0, .most = 255});
      objects_.add({.object = data_entry_object(data, 0),
                    .access = Access::both,
                    .value = 0,
                    .least = 0,
                    .most = most_entries});
      for (int entry = 1; entry <= most_entries; ++entry)
        objects_.add({.object = data_entry_object(data, entry),
                      .access = Access::both,
                      .value = 0,
                      .refuses = [this](std::int64_t value) {
                        const BusObject named{static_cast<std::uint16_t>(value >> 16),
                                              static_cast<std::uint8_t>(value >> 8), ObjectType::u8, ""};
                        return value == 0 || objects_.has(named) ? 0U : not_mapped;
                      }});
    }
}

/// What of its process data is on, as it was told.
std::vector<ProcessData> DriveNode::data(bool is_told) const {
  std::vector<ProcessData> all;
  for (int number = 1; number <= most_data; ++number) {
    ProcessData data{is_told, number, {}};
    const auto entries = static_cast<int>(objects_.value(data_entry_object(data, 0)));
    if ((objects_.value(data_id_object(data)) & data_is_off) != 0 || entries == 0) continue;
    for (int entry = 1; entry <= entries; ++entry) {
      const std::int64_t what = objects_.value(data_entry_object(data, entry));
      const BusObject named{static_cast<std::uint16_t>(what >> 16), static_cast<std::uint8_t>(what >> 8),
                            ObjectType::u8, ""};
      data.objects.push_back(objects_.named(named));
    }
    all.push_back(std::move(data));
  }
  return all;
}

double DriveNode::polarity() const {
  return (objects_.value(objects::polarity) & polarity_of_place) != 0 ? -1.0 : 1.0;
}

/// What goes by its id is made anew with it.
void DriveNode::take_new_id() {
  if (stored_id_ == setup_.id) return;
  setup_.id = stored_id_;
  objects_ = DeviceObjects(setup_.id);
  declare_objects();
  declare_data();
}

/// Layer settings (CiA 305): of whoever listens to them.
void DriveNode::settings(const Frame& frame) {
  const auto answer = [&](std::uint8_t error) {
    send({setting_answer_id, Frame::most_bytes, {frame.bytes[0], error}});
  };
  switch (static_cast<SettingCommand>(frame.bytes[0])) {
    case SettingCommand::switch_all:
      takes_settings_ = frame.bytes[1] == 1;
      break;
    case SettingCommand::set_id:
      if (!takes_settings_) break;
      if (frame.bytes[1] < 1 || frame.bytes[1] > most_node_id) {
        answer(1);
        break;
      }
      new_id_ = frame.bytes[1];
      answer(0);
      break;
    case SettingCommand::store:
      if (!takes_settings_) break;
      stored_id_ = new_id_.value_or(setup_.id);
      answer(0);
      break;
  }
}

void DriveNode::begin(Tick now, bool restored) {
  if (restored) objects_.restore();
  take_new_id();
  takes_settings_ = false;
  restores_ = false;
  enter(DriveState::switch_on_disabled);
  node_ = NodeState::boot;
  error_ = 0;
  loops_.clear_fault();
  heard_at_ = never;
  beats_at_ = never;
  control_before_ = 0;
  to_send_.clear();
  ordered_.clear();
  begins_at_ = now + ticks(begins_within);
}

void DriveNode::power(Tick now, bool is_up) {
  if (is_powered_ == is_up) return;
  is_powered_ = is_up;
  begin(now, true);
  if (!is_up) begins_at_ = never;
}

void DriveNode::enter(DriveState state) {
  state_ = state;
  const bool is_driven =
      state == DriveState::enabled || state == DriveState::quick_stop || state == DriveState::fault_reaction;
  if (is_driven && !orders_.is_driven) loops_.begin(sense_);
  orders_.is_driven = is_driven;
  if (!is_driven) loops_.let_go();
  if (state == DriveState::quick_stop || state == DriveState::fault_reaction) loops_.brake();
}

void DriveNode::fail(std::uint16_t code, bool lets_go) {
  if (state_ == DriveState::fault || state_ == DriveState::fault_reaction) return;
  error_ = code;
  objects_.set(objects::error_code, code);
  objects_.set(objects::error_register, 1);
  Frame frame{emergency_id(setup_.id), Frame::most_bytes, {}};
  frame.bytes[0] = static_cast<std::uint8_t>(code);
  frame.bytes[1] = static_cast<std::uint8_t>(code >> 8);
  frame.bytes[2] = 1;
  send(frame);
  const bool reacts = state_ == DriveState::enabled || state_ == DriveState::quick_stop;
  const bool may_brake = !lets_go && objects_.value(objects::fault_option) == 2;
  enter(reacts && may_brake ? DriveState::fault_reaction : DriveState::fault);
}

void DriveNode::control(std::uint16_t word) {
  using State = DriveState;
  const bool resets =
      (word & ControlBits::reset_fault) != 0 && (control_before_ & ControlBits::reset_fault) == 0;
  control_before_ = word;
  orders_.halts = (word & ControlBits::halt) != 0;
  if (state_ == State::fault_reaction) return;
  if (state_ == State::fault) {
    if (!resets) return;
    error_ = 0;
    loops_.clear_fault();
    objects_.set(objects::error_code, 0);
    objects_.set(objects::error_register, 0);
    send({emergency_id(setup_.id), Frame::most_bytes, {}});
    return enter(State::switch_on_disabled);
  }
  const int command = word & 0x0f;
  if ((command & 0x02) == 0) return enter(State::switch_on_disabled);
  if ((command & 0x04) == 0) {
    if (state_ == State::enabled) return enter(State::quick_stop);
    if (state_ != State::quick_stop) enter(State::switch_on_disabled);
    return;
  }
  if (state_ == State::quick_stop) return;
  if ((command & 0x07) == 0x06) {
    enter(State::ready);
  } else if (command == 0x07 && (state_ == State::ready || state_ == State::enabled)) {
    enter(State::switched_on);
  } else if (command == 0x0f && state_ == State::switched_on) {
    enter(State::enabled);
  }
}

void DriveNode::commands(const Frame& frame, Tick at) {
  if (frame.size < 2 || (frame.bytes[1] != 0 && frame.bytes[1] != setup_.id)) return;
  switch (static_cast<NodeCommand>(frame.bytes[0])) {
    case NodeCommand::start:
      node_ = NodeState::operational;
      break;
    case NodeCommand::stop:
      node_ = NodeState::stopped;
      break;
    case NodeCommand::prepare:
      node_ = NodeState::prepared;
      break;
    case NodeCommand::reset:
      begin(at, restores_);
      break;
    case NodeCommand::reset_communication:
      begin(at, false);
      break;
  }
}

/// What was ordered last counts now.
void DriveNode::take_orders() {
  namespace o = objects;
  const auto value = [&](const BusObject& object) { return static_cast<double>(objects_.value(object)); };
  const auto mode = static_cast<DriveMode>(objects_.value(o::mode));
  if (mode != orders_.mode) {
    orders_.mode = mode;
    if (orders_.is_driven) loops_.begin(sense_);
    orders_.place = sense_.place;
  }
  objects_.set(o::mode_shown, static_cast<std::int64_t>(mode));
  orders_.profile_speed = std::min(value(o::profile_velocity), value(o::most_profile_velocity));
  const double most = value(o::most_profile_velocity);
  orders_.speed = std::clamp(value(o::velocity_wanted), -most, most);
  const double torque = std::clamp(value(o::torque_wanted), -value(o::most_torque), value(o::most_torque));
  orders_.torque = torque / drive_thousandths * value(o::rated_torque) * 1e-3;
  orders_.acceleration = value(o::profile_acceleration);
  orders_.deceleration = value(o::profile_deceleration);
  orders_.quick_deceleration = value(o::quick_stop_deceleration);
  orders_.cycle = value(o::cycle_time) * std::pow(10.0, value(o::cycle_scale));
  orders_.most_current = std::min(value(o::most_current), value(o::most_torque)) / drive_thousandths *
                         value(o::rated_current) * 1e-3;
  if (setup_.board.supply_current_set_at)
    orders_.supply_current = value(object_of(setup_.board.supply_current_set_at->object)) *
                             setup_.board.supply_current_set_at->worth.base();
  orders_.lag_window = value(o::lag_window);
  orders_.lag_time = 1e-3 * value(o::lag_time);
}

std::uint16_t DriveNode::status() const {
  using State = DriveState;
  std::uint16_t word = 0;
  switch (state_) {
    case State::not_ready:
      break;
    case State::switch_on_disabled:
      word = 0x40;
      break;
    case State::ready:
      word = 0x21;
      break;
    case State::switched_on:
      word = 0x23;
      break;
    case State::enabled:
      word = 0x27;
      break;
    case State::quick_stop:
      word = 0x07;
      break;
    case State::fault_reaction:
      word = 0x0f;
      break;
    case State::fault:
      word = 0x08;
      break;
  }
  const auto with = [&](bool is, std::uint16_t bit) {
    if (is) word = static_cast<std::uint16_t>(word | bit);
  };
  with(sense_.supply > 1.0, StatusBits::voltage);
  with(node_ == NodeState::operational, StatusBits::remote);
  with(state_ == State::enabled && loops_.has_reached(), StatusBits::reached);
  with(loops_.is_limited(), StatusBits::limited);
  with(orders_.lag_window > 0.0 && std::abs(loops_.lag()) > orders_.lag_window, StatusBits::behind);
  const bool follows = orders_.mode == DriveMode::cyclic_position;
  with(follows && state_ == State::enabled, StatusBits::taken);
  return word;
}

/// What it tells is as it is now.
void DriveNode::refresh() {
  namespace o = objects;
  const auto set = [&](const BusObject& object, double value) {
    objects_.set(object, fitting(object, value));
  };
  set(o::status_word, status());
  set(o::position_now, sense_.place);
  set(o::velocity_now, sense_.speed);
  set(o::supply_now, 1000.0 * sense_.supply);
  const double way = polarity();
  const double thousandths = way * drive_thousandths * loops_.current() /
                             (1e-3 * static_cast<double>(objects_.value(o::rated_current)));
  set(o::current_now, thousandths);
  set(o::torque_now, thousandths);
  set(o::lag_now, loops_.lag());
  const auto own = [&](const auto& told, double amount) {
    if (told) set(object_of(told->object), amount / told->worth.base());
  };
  own(setup_.board.supply_current_told, loops_.from_supply());
  own(setup_.board.applied_voltage_told, way * loops_.applied());
  own(setup_.board.temperature_told, sense_.celsius);
}

void DriveNode::take_at_once(const Frame& frame) {
  ordered_.push_back(frame);
  const bool has_orders = take_ordered();
  if (!has_orders) return;
  take_orders();
  control(static_cast<std::uint16_t>(objects_.value(objects::control_word)));
}

/// What came goes into its objects. @return whether something did
bool DriveNode::take_ordered() {
  for (const Frame& frame : ordered_)
    for (const ProcessData& each : data(false)) {
      std::vector<std::int64_t> values(each.objects.size());
      if (!unpack(each, setup_.id, frame, values)) continue;
      for (std::size_t i = 0; i < values.size(); ++i) objects_.set(each.objects[i], values[i]);
    }
  return !std::exchange(ordered_, {}).empty();
}

void DriveNode::common_instant(Tick) {
  if (take_ordered()) {
    take_orders();
    control(static_cast<std::uint16_t>(objects_.value(objects::control_word)));
    if (orders_.mode == DriveMode::cyclic_position && state_ == DriveState::enabled)
      loops_.take_place(static_cast<double>(objects_.value(objects::position_wanted)), orders_.cycle);
    const bool new_place = (control_before_ & ControlBits::take) != 0;
    if (new_place && orders_.mode == DriveMode::profile_position)
      orders_.place = static_cast<double>(objects_.value(objects::position_wanted));
  }
  refresh();
  for (const ProcessData& each : data(true)) {
    std::vector<std::int64_t> values;
    for (const BusObject& object : each.objects) values.push_back(objects_.value(object));
    send(pack(each, setup_.id, values));
  }
}

void DriveNode::hear(Tick at, const Frame& frame) {
  if (!is_powered_ || !is_wired_ || begins_at_ != never) return;
  now_ = at;
  if (frame.id == node_control_id) return commands(frame, at);
  if (frame.id == setting_request_id && frame.size == Frame::most_bytes) return settings(frame);
  if (const std::optional<NodeHeartbeat> beat = heartbeat_of(frame)) {
    const std::int64_t watched = objects_.value(objects::watched_heartbeat);
    if (watched != 0 && beat->id == (watched >> 16 & 0x7f)) heard_at_ = at;
    return;
  }
  if (node_ == NodeState::operational) {
    if (frame.id == sync_id) return common_instant(at);
    for (int number = 1; number <= most_data; ++number)
      if (frame.id == ordered_data_id(number, setup_.id)) {
        if (objects_.value(data_when_object({false, number, {}})) >= at_once) return take_at_once(frame);
        std::erase_if(ordered_, [&](const Frame& each) { return each.id == frame.id; });
        ordered_.push_back(frame);
        return;
      }
  }
  if (frame.id != access_request_id(setup_.id) || node_ == NodeState::stopped) return;
  refresh();
  const std::int64_t beat_before = objects_.value(objects::own_heartbeat);
  const std::int64_t word_before = objects_.value(objects::control_word);
  if (const std::optional<Frame> answer = objects_.answer(frame)) send(*answer);
  const std::int64_t beat = objects_.value(objects::own_heartbeat);
  if (beat != beat_before) beats_at_ = beat == 0 ? never : at + ticks(1e-3 * static_cast<double>(beat));
  if (objects_.value(objects::control_word) != word_before) {
    take_orders();
    control(static_cast<std::uint16_t>(objects_.value(objects::control_word)));
  }
}

void DriveNode::pass(Tick now, const DriveSense& sense) {
  now_ = now;
  sense_ = sense;
  if (!is_powered_) return;
  if (const std::uint16_t fault = loops_.fault(); fault != 0 && error_ == 0)
    fail(fault, (fault & 0xf000) == 0x3000);
  const bool rests = loops_.has_rested();
  if (state_ == DriveState::quick_stop && rests) enter(DriveState::switch_on_disabled);
  if (state_ == DriveState::fault_reaction && rests) enter(DriveState::fault);
  const std::int64_t watched = objects_.value(objects::watched_heartbeat);
  if (watched == 0 || heard_at_ == never) return;
  if (now - heard_at_ <= ticks(1e-3 * static_cast<double>(watched & 0xffff))) return;
  heard_at_ = never;  // told once, until it is heard again
  switch (objects_.value(objects::when_heartbeat_ends)) {
    case 1:
      return fail(no_heartbeat, false);
    case 2:
      return enter(DriveState::switch_on_disabled);
    case 3:
      if (state_ == DriveState::enabled) enter(DriveState::quick_stop);
      return;
    default:
      return;
  }
}

Tick DriveNode::next() const {
  if (!is_powered_ || !is_wired_) return never;
  if (!to_send_.empty()) return now_;
  return std::min(begins_at_, beats_at_);
}

std::uint32_t DriveNode::next_id() const {
  return to_send_.empty() ? heartbeat_id(setup_.id) : to_send_.front().id;
}

Frame DriveNode::say(Tick now) {
  now_ = now;
  if (!to_send_.empty()) {
    const Frame frame = to_send_.front();
    to_send_.pop_front();
    return frame;
  }
  if (begins_at_ <= now) {
    begins_at_ = never;
    node_ = NodeState::prepared;
    return heartbeat_frame(setup_.id, NodeState::boot);
  }
  beats_at_ = now + ticks(1e-3 * static_cast<double>(objects_.value(objects::own_heartbeat)));
  return heartbeat_frame(setup_.id, node_);
}

}  // namespace cogstride
