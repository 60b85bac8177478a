#include "cogstride/plan/jerk_phases.hpp"

namespace cogstride::jerk_limited {
namespace {

constexpr double comes_of_rounding = 5e-6;  // s, in which no figure of the speed changes

/// A piece inside which neither speed nor acceleration pass through 0.
struct Part {
  double duration;
  double jerk;
  bool ends_at_rest;               // its last speed is exactly 0
  bool ends_without_acceleration;  // or its last acceleration
};

/// Where speed or acceleration pass through 0 inside a piece, in order.
struct Zeros {
  struct Zero {
    double instant;
    bool of_speed;
  };
  std::array<Zero, 3> found;
  std::size_t count = 0;

  Zeros(const State& start, const Piece& piece) {
    const double v = start.speed;
    const double a = start.acceleration;
    const double j = piece.jerk;
    const State end = after(start, piece.duration, j);
    if (a * end.acceleration >= 0.0 && v * end.speed >= 0.0) return;  // it passes through nothing
    if (j != 0.0) add(piece, {-a / j, false});
    // Zeros of v + a t + j t^2 / 2: one root without cancellation, the other from their product.
    const double square = a * a - 2.0 * j * v;
    if (!(square > 0.0)) return;
    const double q = -(a + std::copysign(std::sqrt(square), a));
    if (j != 0.0) add(piece, {q / j, true});
    if (q != 0.0) add(piece, {2.0 * v / q, true});
  }

 private:
  void add(const Piece& piece, Zero zero) {
    if (!(zero.instant > 1e-12 * piece.duration && zero.instant < (1.0 - 1e-12) * piece.duration)) return;
    std::size_t place = count++;
    for (; place > 0 && found[place - 1].instant > zero.instant; --place) found[place] = found[place - 1];
    found[place] = zero;
  }
};

/// Pieces cut where speed or acceleration pass through 0, so that in each part the speed only grows or only
/// falls.
class Parts {
 public:
  static Parts from_start(State start, const Pieces& pieces) {
    Parts parts;
    for (const Piece& piece : pieces) {
      const Zeros zeros(start, piece);
      double begun = 0.0;
      for (std::size_t i = 0; i < zeros.count; ++i) {
        const Zeros::Zero& zero = zeros.found[i];
        parts.add_behind({zero.instant - begun, piece.jerk, zero.of_speed, !zero.of_speed});
        begun = zero.instant;
      }
      parts.add_behind({piece.duration - begun, piece.jerk, false, false});
      start = after(start, piece.duration, piece.jerk);
    }
    return parts;
  }

  /// The same for pieces whose last state is known: close to it nothing is taken for a zero that is not one.
  static Parts from_end(const Pieces& pieces, State end) {
    Parts parts;
    parts.first_ = parts.last_ = most_parts;
    for (std::size_t i = pieces.size(); i-- > 0;) {
      const Piece& piece = pieces[i];
      // Seen backwards in time, the acceleration has the other sign.
      const Zeros zeros({0.0, end.speed, -end.acceleration}, piece);
      double begun = 0.0;
      Part later{0.0, piece.jerk, false, false};
      for (std::size_t k = 0; k < zeros.count; ++k) {
        const Zeros::Zero& zero = zeros.found[k];
        later.duration = zero.instant - begun;
        parts.add_before(later);
        later.ends_at_rest = zero.of_speed;
        later.ends_without_acceleration = !zero.of_speed;
        begun = zero.instant;
      }
      later.duration = piece.duration - begun;
      parts.add_before(later);
      end = before(end, piece.duration, piece.jerk);
    }
    return parts;
  }

  [[nodiscard]] std::size_t size() const { return last_ - first_; }
  [[nodiscard]] const Part& operator[](std::size_t i) const { return parts_[first_ + i]; }

 private:
  static constexpr std::size_t most_parts = 12;
  void add_behind(const Part& part) {
    if (part.duration > 0.0) parts_[last_++] = part;
  }
  void add_before(const Part& part) {
    if (part.duration > 0.0) parts_[--first_] = part;
  }

  std::array<Part, most_parts> parts_;
  std::size_t first_ = 0;
  std::size_t last_ = 0;
};

State snapped(State state, const Part& ended) {
  if (ended.ends_at_rest) state.speed = 0.0;
  if (ended.ends_without_acceleration) state.acceleration = 0.0;
  return state;
}

void append_phase(Ramp& ramp, const State& from, const State& to, const Part& part, StepPosition place) {
  // No figure of the speed changes: so short that it comes of rounding, or as good as even.
  const bool is_even = from.speed == to.speed;
  if (is_even && part.jerk != 0.0 && part.duration < comes_of_rounding) return;
  RampPhase phase;
  phase.direction = from.speed + to.speed < 0.0 ? -1 : 1;
  phase.to = place;
  phase.duration = part.duration;
  phase.from_speed = std::abs(from.speed);
  phase.to_speed = std::abs(to.speed);
  // Counted from the slower end, the speed grows either way.
  const double growth = phase.speeds_up() ? from.acceleration : -to.acceleration;
  phase.acceleration = std::max(0.0, phase.direction * growth);
  phase.jerk = phase.direction * part.jerk;
  if (is_even) phase.acceleration = phase.jerk = 0.0;
  ramp.append(phase);
}

}  // namespace

void append_forwards(Ramp& ramp, State state, const Pieces& pieces) {
  const Parts parts = Parts::from_start(state, pieces);
  for (std::size_t i = 0; i < parts.size(); ++i) {
    const State next = snapped(after(state, parts[i].duration, parts[i].jerk), parts[i]);
    append_phase(ramp, state, next, parts[i], ramp.end().moved(next.way - state.way));
    state = next;
  }
}

void append_backwards(Ramp& ramp, const Pieces& pieces, double end_speed, StepPosition target,
                      double cruise_speed) {
  const State end{0.0, end_speed, 0.0};
  const Parts parts = Parts::from_end(pieces, end);
  std::array<State, 13> states;
  states[parts.size()] = end;
  for (std::size_t i = parts.size(); i-- > 0;) {
    states[i] = before(states[i + 1], parts[i].duration, parts[i].jerk);
    if (i > 0) states[i] = snapped(states[i], parts[i - 1]);
  }
  if (cruise_speed != 0.0) {
    const StepPosition place = target.moved(states[0].way);
    const double seconds = way_between(ramp.end(), place) / cruise_speed;
    const State state{0.0, cruise_speed, 0.0};
    if (seconds > 0.0) append_phase(ramp, state, state, {seconds, 0.0, false, false}, place);
  }
  for (std::size_t i = 0; i < parts.size(); ++i)
    append_phase(ramp, states[i], states[i + 1], parts[i], target.moved(states[i + 1].way));
}

}  // namespace cogstride::jerk_limited
