// A shaft that another machine turns, on the simulated bench, with its encoder: it knows nothing of torque,
// only how fast it is turned from when on.
#pragma once

#include <cmath>
#include <optional>
#include <vector>

#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/plant/encoder_track.hpp"
#include "cogstride/plant/plant.hpp"

namespace cogstride {

/// From this tick on it is turned at that speed.
struct TurnedAt {
  Tick at = 0;
  double speed = 0.0;    ///< m/s or turns/s of its output
  double seconds = 0.0;  ///< that the change takes, evenly; 0: at once
};

class TurnedPlant final : public Plant {
 public:
  /// @param parts  its train and its encoder @param turned  in the order of time
  TurnedPlant(const Mechanism& parts, std::uint64_t seed, double ticks_per_second,
              std::vector<TurnedAt> turned)
      : track_(parts, *sensor_of<Encoder>(parts), seed),
        ticks_per_second_(ticks_per_second),
        turned_(std::move(turned)) {
    state_.track = track_.settled_at(0.0);
    kept_ = state_;
  }

  [[nodiscard]] std::span<const LineId> hears() const override { return {}; }
  [[nodiscard]] std::vector<Level> drives() const override { return track_.levels(state_.track); }
  void hear(LineId, bool) override {}
  std::optional<LineEdge> advance(Tick until) override {
    for (;;) {
      if (state_.track.due_count > 0) {
        const Level due = state_.track.due[--state_.track.due_count];
        return LineEdge{state_.now, due.line, due.high};
      }
      while (state_.next < turned_.size() && turned_[state_.next].at <= state_.now)
        take(turned_[state_.next++]);
      if (state_.now >= until) return std::nullopt;
      Tick to = until;
      if (state_.next < turned_.size()) to = std::min(to, turned_[state_.next].at);
      if (state_.now < state_.ramp_ends) to = std::min(to, state_.ramp_ends);
      to = std::min(to, next_edge(to));
      move_to(to);
      if (track_.beyond(state_.track, state_.position) > 0.0) track_.change(state_.track, state_.position);
    }
  }
  void keep() override { kept_ = state_; }
  void go_back() override { state_ = kept_; }

  [[nodiscard]] double position() const { return state_.position; }  ///< m or turns
  [[nodiscard]] double speed() const { return state_.speed; }

 private:
  struct State {
    Tick now = 0;
    double position = 0.0;
    double speed = 0.0;
    double acceleration = 0.0;
    double wanted = 0.0;
    Tick ramp_ends = 0;
    std::size_t next = 0;
    EncoderTrack::State track{};
  };

  void take(const TurnedAt& change) {
    state_.wanted = change.speed;
    if (change.seconds <= 0.0) {
      state_.speed = change.speed;
      state_.acceleration = 0.0;
      state_.ramp_ends = state_.now;
      return;
    }
    state_.acceleration = (change.speed - state_.speed) / change.seconds;
    state_.ramp_ends = state_.now + std::llround(change.seconds * ticks_per_second_);
  }

  void move_to(Tick at) {
    const double t = static_cast<double>(at - state_.now) / ticks_per_second_;
    state_.position += t * (state_.speed + 0.5 * state_.acceleration * t);
    state_.speed += state_.acceleration * t;
    state_.now = at;
    if (at >= state_.ramp_ends && state_.acceleration != 0.0) {
      state_.acceleration = 0.0;
      state_.speed = state_.wanted;
    }
  }

  [[nodiscard]] double position_at(Tick at) const {
    const double t = static_cast<double>(at - state_.now) / ticks_per_second_;
    return state_.position + t * (state_.speed + 0.5 * state_.acceleration * t);
  }

  /// The first tick, up to `latest`, at which a boundary of its disc is passed.
  [[nodiscard]] Tick next_edge(Tick latest) const {
    if (state_.speed == 0.0 && state_.acceleration == 0.0) return latest;
    // Up to where it turns round it goes one way.
    Tick last = latest;
    if (state_.acceleration * state_.speed < 0.0) {
      const double turns = -state_.speed / state_.acceleration * ticks_per_second_;
      if (turns < static_cast<double>(latest - state_.now))
        last = std::min(latest, state_.now + static_cast<Tick>(std::ceil(turns)));
    }
    if (track_.beyond(state_.track, position_at(last)) <= 0.0) return last;
    Tick before = state_.now;
    while (last - before > 1) {
      const Tick middle = before + (last - before) / 2;
      (track_.beyond(state_.track, position_at(middle)) > 0.0 ? last : before) = middle;
    }
    return last;
  }

  EncoderTrack track_;
  double ticks_per_second_;
  std::vector<TurnedAt> turned_;
  State state_{};
  State kept_{};
};

}  // namespace cogstride
