// One switch, gate or reed of a mechanism on the simulated bench: where it acts, how it bounces.
//
// Its places are drawn anew for every edge, with the sensor's own noise; noise is keyed by the number of the
// edge, so that going back in time draws the same again. A contact that changes chatters for a while (at most
// its bounce) and ends as the change left it.
#pragma once

#include <array>
#include <optional>

#include "cogstride/mechanism/sensors.hpp"
#include "cogstride/plant/plant.hpp"

namespace cogstride {

/// What is known of a switch: never changes.
class ContactPlace {
 public:
  /// @param on_a_ring  the output is endless and round: a window comes back every turn
  ContactPlace(const PlaceSwitch& place_switch, bool on_a_ring, std::uint64_t seed, ExactFrequency clock);

  [[nodiscard]] LineId line() const { return line_; }
  [[nodiscard]] bool active_level() const { return active_level_; }

  /// Where it stands and what comes next; copied when a plant goes back in time.
  struct State {
    bool acts = false;            ///< by its place
    bool level = false;           ///< of its line, chatter included
    std::optional<bool> stuck{};  ///< acts or not, wherever the output is
    std::uint64_t edges = 0;
    double noise = 0.0;  ///< of the next edge, m or turns
    std::array<Tick, 6> chatter{};
    std::size_t chatter_left = 0;
  };

  [[nodiscard]] State settled_at(double position) const;
  /// How far (m or turns) the output is beyond the place at which the switch changes next; above 0 it is due.
  [[nodiscard]] double beyond(const State& state, double position) const;
  /// It changes at `now`, by its place. @return the edge, none where the line stays
  std::optional<LineEdge> change(State& state, Tick now) const;
  /// The tick of its next chatter; `never` when it is quiet.
  [[nodiscard]] static Tick next_chatter(const State& state);
  std::optional<LineEdge> chatter(State& state, Tick now) const;
  /// From now on it acts (or not) wherever the output is; nothing lets it go.
  std::optional<LineEdge> stick(State& state, Tick now, std::optional<bool> acts) const;

 private:
  [[nodiscard]] double depth(double position, bool for_release) const;
  void draw_noise(State& state) const;
  std::optional<LineEdge> show(State& state, Tick now, bool acts) const;

  LineId line_;
  bool active_level_;
  bool is_window_;
  bool on_a_ring_;
  double side_ = 1.0;     // +1: acts below its place
  double acts_at_ = 0.0;  // an end: places; a window: its centre
  double releases_at_ = 0.0;
  double half_width_ = 0.0;  // a window
  double hysteresis_ = 0.0;
  double spread_;
  std::uint64_t seed_;
  Tick bounce_;
};

}  // namespace cogstride
