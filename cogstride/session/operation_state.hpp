// How everything is while a rig is operated, as plain values for whoever shows it.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "cogstride/lines/events.hpp"

namespace cogstride {

class Mover;
struct Cast;
struct Rig;

/// A mechanism or a cart.
struct MovedState {
  std::string name{};
  std::string doing{};     ///< "move to 40 mm"; empty: nothing
  std::string asked{};     ///< "41.2 mm, 40 mm/s"
  std::string obstacle{};  ///< what stands in the way of a motion
  std::string held_by{};   ///< who has it
  bool is_driven = false;
  bool knows_zero = true;         ///< else it has to be homed
  std::optional<double> place{};  ///< in its unit; nothing: not known, or it has none
  std::string place_unit{};       ///< "mm"
  std::optional<double> from{};   ///< its travel
  std::optional<double> to{};
  std::optional<double> speed{};
  std::string speed_unit{};
  std::optional<double> share{};          ///< % of its supply, of one that is driven by that
  std::optional<double> lag{};            ///< of one that follows, in its unit
  std::optional<std::int64_t> counted{};  ///< steps or counts
  /// What orders by hand mean that do not say it, in the unit of its places per s and per s2.
  std::optional<double> usual_speed{};
  std::optional<double> usual_acceleration{};
};

struct NamedState {
  std::string name{};
  std::optional<bool> acts{};          ///< not read yet
  std::optional<double> share{};       ///< of an axis or an output
  std::optional<std::int64_t> said{};  ///< number that a device said last
};

struct OperationState {
  double at = 0.0;  ///< s, of the bench
  bool is_stopped = false;
  std::string fault{};  ///< the last
  std::vector<MovedState> moved{};
  std::vector<NamedState> inputs{};  ///< hands, switches, supplies, what devices say
  std::vector<NamedState> outputs{};
  std::string script{};     ///< that is played
  std::string statement{};  ///< that is on
  bool script_is_paused = false;
  std::optional<double> script_lasts{};  ///< s, of all of it that can be told ahead ...
  bool script_takes_longer = false;      ///< ... and it waits for something, or homes, as well
  double script_played = 0.0;            ///< s of it
};

/// What a bench knows of it at an instant that is now; who holds what is left empty.
[[nodiscard]] OperationState state_of(const Rig& rig, const Cast& cast, Tick now);

}  // namespace cogstride
