// Watches what must stop motion: emergency stops, limit switches, fault outputs of boards, supplies.
//
// It only says what has happened and what the evidence is; whoever runs the bench stops it, as the rig says.
// A switch that acts when it is first seen is no trip: it is where the mechanism stands.
#pragma once

#include <functional>

#include "cogstride/motion/inputs.hpp"

namespace cogstride {

struct Trip {
  enum class Cause : std::uint8_t {
    emergency_stop,
    limit_switch,
    board_fault,
    supply_lost,
    motion_failed,
    requested
  };
  Cause cause = Cause::emergency_stop;
  std::optional<MechanismId> mechanism{};  ///< whose it is
  std::string what{};                      ///< with line and level: the evidence
};

class Guard final : public Participant {
 public:
  struct Watched {
    Trip trip;
    LineId line{};
    bool trips_when = true;  ///< acting, or (supplies) not acting
  };

  Guard(const Inputs& inputs, std::vector<Watched> watched);

  /// Called once for each trip. It may stop everything.
  void on_trip(std::function<void(Lines&, const Trip&)> listener) { listener_ = std::move(listener); }
  /// A motion failed by itself: told at the next turn of the run loop.
  void motion_failed(MechanismId mechanism, std::string why) {
    failed_.push_back({Trip::Cause::motion_failed, mechanism, std::move(why)});
  }
  /// Something has failed that has not been told yet.
  [[nodiscard]] bool has_more_to_tell() const { return !failed_.empty(); }
  /// A limit switch that is not to trip (its mechanism is being homed to it, or turned round by it).
  void ignore(const std::function<bool(const Watched&)>& filter) { ignores_ = filter; }
  [[nodiscard]] const std::vector<Watched>& watched() const { return watched_; }
  /// What stands in the way of any motion now: an emergency stop that is pressed, a supply that is down, a
  /// fault.
  [[nodiscard]] std::vector<const Watched*> standing() const;

  [[nodiscard]] Tick next_act() const override;
  void act(Lines& lines, std::span<const Reading> readings) override;

 private:
  [[nodiscard]] bool stands(const Watched& watched) const;

  const Inputs& inputs_;
  std::vector<Watched> watched_;
  std::vector<bool> told_;  // trips that have been told and still stand
  std::vector<Trip> failed_{};
  bool begun_ = false;
  std::function<void(Lines&, const Trip&)> listener_;
  std::function<bool(const Watched&)> ignores_;
};

}  // namespace cogstride
