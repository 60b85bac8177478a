#include "cogstride/plant/encoder_track.hpp"

#include <cmath>

#include "cogstride/lines/noise.hpp"
#include "cogstride/plan/commutation.hpp"

namespace cogstride {
EncoderTrack::EncoderTrack(const Mechanism& mechanism, const Encoder& encoder, std::uint64_t seed)
    : lines_{static_cast<LineId>(encoder.line_a), static_cast<LineId>(encoder.line_b)},
      codes_{0b00, 0b01, 0b11, 0b10},
      counts_per_base_(counts_per_base(mechanism, encoder).to_double()),
      base_per_count_(1.0 / std::abs(counts_per_base_)),
      counts_per_turn_(4 * encoder.lines_per_turn),
      eccentricity_(encoder.eccentricity.in(units::turn) * static_cast<double>(counts_per_turn_)),
      spread_(encoder.line_error.in(units::turn) * static_cast<double>(counts_per_turn_)),
      seed_(seed) {
  if (encoder.line_index) index_ = static_cast<LineId>(*encoder.line_index);
}

EncoderTrack::EncoderTrack(const Mechanism& mechanism, const HallSet& halls, std::uint64_t seed)
    : seed_(seed) {
  const auto* const motor = std::get_if<BrushlessMotor>(&mechanism.motor);
  if (motor == nullptr) throw RangeError(mechanism.name + ": Hall sensors tell a brushless motor's angle");
  counts_per_turn_ = 6 * motor->pole_pairs;
  counts_per_base_ =
      static_cast<double>(counts_per_turn_) * motor_turns_per_base(mechanism.train).to_double();
  base_per_count_ = 1.0 / counts_per_base_;
  eccentricity_ = 0.0;
  spread_ = 6.0 * halls.placement_error.in(units::turn);
  chip::SixStepWiring wiring;
  wire_halls(wiring, halls);
  const chip::SixStepTable table = chip::make_six_step_table(wiring);
  for (const std::int64_t line : halls.lines) lines_.push_back(static_cast<LineId>(line));
  codes_.assign(std::begin(table.hall_of_sector), std::end(table.hall_of_sector));
}

unsigned EncoderTrack::code_at(std::int64_t quarter) const {
  const auto count = static_cast<std::int64_t>(codes_.size());
  return codes_[static_cast<std::size_t>((quarter % count + count) % count)];
}

double EncoderTrack::boundary(std::int64_t number) const {
  if (eccentricity_ == 0.0 && spread_ == 0.0) return static_cast<double>(number);
  const std::int64_t on_disc = ((number % counts_per_turn_) + counts_per_turn_) % counts_per_turn_;
  const double turn = static_cast<double>(on_disc) / static_cast<double>(counts_per_turn_);
  const auto source = 0x20000u + static_cast<std::uint64_t>(lines_.front());
  return static_cast<double>(number) + eccentricity_ * std::sin(2.0 * pi * turn) +
         spread_ * normal_noise(seed_, source, static_cast<std::uint64_t>(on_disc));
}

void EncoderTrack::take_bounds(State& state) const {
  state.lower = boundary(state.quarter);
  state.upper = boundary(state.quarter + 1);
}

EncoderTrack::State EncoderTrack::settled_at(double position) const {
  State state;
  state.quarter = static_cast<std::int64_t>(std::floor(position * counts_per_base_));
  take_bounds(state);
  while (beyond(state, position) > 0.0) change(state, position);
  state.due_count = 0;
  return state;
}

double EncoderTrack::beyond(const State& state, double position) const {
  const double counts = position * counts_per_base_;
  return std::max(counts - state.upper, state.lower - counts);
}

bool EncoderTrack::index_at(std::int64_t quarter) const {
  return quarter % counts_per_turn_ == 0;
}

void EncoderTrack::change(State& state, double position) const {
  const std::int64_t before = state.quarter;
  state.quarter += position * counts_per_base_ > state.upper ? 1 : -1;
  take_bounds(state);
  // The edges are taken from the end: a track first, the index after it.
  state.due_count = 0;
  if (state.broken) return;
  if (index_ && index_at(before) != index_at(state.quarter))
    state.due[state.due_count++] = {*index_, index_at(state.quarter)};
  const unsigned code = code_at(state.quarter);
  const unsigned changed = code_at(before) ^ code;
  for (std::size_t i = 0; i < lines_.size(); ++i)
    if ((changed >> i & 1U) != 0) state.due[state.due_count++] = {lines_[i], (code >> i & 1U) != 0};
}

std::vector<Level> EncoderTrack::levels(const State& state) const {
  const unsigned code = code_at(state.quarter);
  std::vector<Level> levels;
  for (std::size_t i = 0; i < lines_.size(); ++i) levels.push_back({lines_[i], (code >> i & 1U) != 0});
  if (index_) levels.push_back({*index_, index_at(state.quarter)});
  return levels;
}

}  // namespace cogstride
