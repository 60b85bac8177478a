// A drive's end of a CANopen bus: its objects, its power states, process data, heartbeats both ways, and
// emergencies (CiA 301, IEC 61800-7-201). It says what its loops are to do, and tells what they say.
#pragma once

#include <deque>
#include <functional>
#include <optional>
#include <vector>

#include "cogstride/board/bus/bus_services.hpp"
#include "cogstride/board/bus/drive_profile.hpp"
#include "cogstride/board/bus/process_data.hpp"
#include "cogstride/lines/bus_line.hpp"
#include "cogstride/mechanism/boards.hpp"
#include "cogstride/plant/bus/device_objects.hpp"
#include "cogstride/plant/bus/drive_loops.hpp"

namespace cogstride {

class DriveNode final : public BusNode {
 public:
  struct Setup {
    int id = 1;
    BusDrive board{};
    std::int64_t counts_a_turn = 4096;  ///< of its motor
    double torque_constant = 0.05;      ///< N m/A
    double rated_current = 5.0;         ///< A
    double ticks_per_second = 1e6;
    std::int64_t serial_number = 1;
  };
  /// @param loops  what they have come to; they are asked whenever it is asked
  DriveNode(Setup setup, DriveLoops& loops);

  void hear(Tick at, const Frame& frame) override;
  [[nodiscard]] Tick next() const override;
  [[nodiscard]] std::uint32_t next_id() const override;
  Frame say(Tick now) override;

  /// Its supply has come up, or gone: without it is silent, and knows nothing of before afterwards.
  void power(Tick now, bool is_up);
  /// Time has passed: what its loops have come to, whether it has heard us.
  void pass(Tick now, const DriveSense& sense);
  [[nodiscard]] const DriveOrders& orders() const { return orders_; }
  [[nodiscard]] DriveState state() const { return state_; }
  [[nodiscard]] NodeState node_state() const { return node_; }
  [[nodiscard]] std::uint16_t error() const { return error_; }
  [[nodiscard]] const DeviceObjects& objects() const { return objects_; }
  /// -1 where its position is told the other way round.
  [[nodiscard]] double polarity() const;
  /// Frames that it does not hear any more, or the other way round: its wires.
  void wire(bool is_whole) { is_wired_ = is_whole; }

 private:
  void declare_objects();
  void declare_data();
  void take_new_id();
  void settings(const Frame& frame);
  void begin(Tick now, bool restored);
  void control(std::uint16_t word);
  void enter(DriveState state);
  void fail(std::uint16_t code, bool lets_go);
  void commands(const Frame& frame, Tick at);
  void common_instant(Tick at);
  bool take_ordered();
  void take_at_once(const Frame& frame);
  void take_orders();
  [[nodiscard]] std::vector<ProcessData> data(bool is_told) const;
  [[nodiscard]] std::uint16_t status() const;
  void refresh();
  [[nodiscard]] Tick ticks(double seconds) const;
  [[nodiscard]] double seconds(Tick ticks) const {
    return static_cast<double>(ticks) / setup_.ticks_per_second;
  }
  void send(const Frame& frame) { to_send_.push_back(frame); }

  Setup setup_;
  DriveLoops& loops_;
  DeviceObjects objects_;
  DriveOrders orders_{};
  DriveSense sense_{};
  DriveState state_ = DriveState::switch_on_disabled;
  NodeState node_ = NodeState::boot;
  bool is_powered_ = false;
  bool is_wired_ = true;
  bool restores_ = false;  // with its next reset
  Tick now_ = 0;
  Tick begins_at_ = never;  // it is there
  Tick beats_at_ = never;
  Tick heard_at_ = never;  // the heartbeat that it watches
  std::uint16_t error_ = 0;
  std::uint16_t control_before_ = 0;
  bool takes_settings_ = false;
  std::optional<int> new_id_{};
  int stored_id_;  // that it has when it begins anew
  std::deque<Frame> to_send_{};
  std::vector<Frame> ordered_{};  // that come in force with the next common instant
};

}  // namespace cogstride
