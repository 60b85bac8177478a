#include "cogstride/bench/simulated/simulated_lines.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>

#include "cogstride/lines/noise.hpp"
#include "cogstride/quantity/error.hpp"

namespace cogstride {

SimulatedLines::SimulatedLines(Setup setup) : setup_(std::move(setup)), cuts_(setup_.cuts) {
  for (const LineSetup& line : setup_.lines) {
    const auto number = static_cast<std::size_t>(line.id);
    if (number >= lines_.size()) lines_.resize(number + 1);
    LineState& state = lines_[number];
    state.setup = &line;
    state.high = line.rest_high;
  }
  for (LineState& line : lines_) {
    if (line.setup == nullptr) continue;
    if (!line.setup->rows.cycle.empty()) line.rows = RowLines(*line.setup, setup_.lines);
    if (line.setup->use == LineSetup::Use::pulses || !line.rows.is_none()) pulse_lines_.push_back(&line);
  }
  for (const PwmSetup& pwm : setup_.pwm) {
    for (PwmSetup& own : by_owner(pwm, setup_.lines)) {
      for (const PwmSetup::Channel& channel : own.channels) {
        line_at(channel.line).timer = timers_.size();
        if (channel.complement) (void)line_at(*channel.complement);
      }
      timers_.emplace_back(std::move(own));
    }
  }
  for (const BusSetup& bus : setup_.buses) buses_.emplace_back(bus);
  for (const LoopSetup& loop : setup_.loops) loops_.emplace_back(loop);
  for (const GearSetup& gear : setup_.gears) gears_.emplace_back(gear, setup_.ticks_per_second);
  counters_.reserve(setup_.counters.size());
  for (const CounterSetup& counter : setup_.counters) {
    counters_.emplace_back(counter);
    line_at(counter.line_a).counter = &counters_.back();
    line_at(counter.line_b).counter = &counters_.back();
  }
}

SimulatedLines::LineState& SimulatedLines::line_at(LineId line) {
  return const_cast<LineState&>(std::as_const(*this).line_at(line));
}

const SimulatedLines::LineState& SimulatedLines::line_at(LineId line) const {
  const auto number = static_cast<std::size_t>(line);
  if (!is_open(line)) throw RangeError(fmt::format("line {} has not been opened", number));
  return lines_[number];
}

bool SimulatedLines::is_open(LineId line) const {
  const auto number = static_cast<std::size_t>(line);
  return number < lines_.size() && lines_[number].setup != nullptr;
}

void SimulatedLines::attach(Plant& plant) {
  plants_.push_back(&plant);
  if (plant.only_hears()) {
    hearing_.push_back(&plant);
  } else {
    driving_.push_back({&plant, driving_.size(), {}});
  }
  // What is wired to a line that the controller has not opened hears nothing, and nobody hears it.
  for (const LineId line : plant.hears()) {
    if (!is_open(line)) continue;
    line_at(line).listeners.push_back(&plant);
    plant.hear(line, line_at(line).high);
  }
  for (const Level& level : plant.drives())
    if (is_open(level.line)) set_level(line_at(level.line), level.high);
  for (QuadratureCounter& counter : counters_)
    counter.begin(level(counter.setup().line_a), level(counter.setup().line_b));
}

void SimulatedLines::look_each(Tick period, std::function<void(Tick)> look) {
  look_ = std::move(look);
  look_period_ = period;
  next_look_ = period == never ? never : (now_ + period - 1) / period * period;
}

void SimulatedLines::put(Tick at, std::span<const Level> levels) {
  if (plays_nothing_) return;
  for (const Level& level : levels) levels_.emplace(at, level);
}

void SimulatedLines::put(FineTick start, LineId line, std::span<const chip::PulseRun> runs,
                         std::optional<StopOn> stop) {
  if (plays_nothing_) return;
  line_at(line).pulses.put(start, runs, stop);
}

void SimulatedLines::put(Tick at, std::span<const Compare> compares) {
  if (plays_nothing_) return;
  for (const Compare& compare : compares) timers_[*line_at(compare.line).timer].put(at, compare);
}

BusLine& SimulatedLines::bus_line(BusId id) {
  for (BusLine& bus : buses_)
    if (bus.setup().id == id) return bus;
  throw RangeError(fmt::format("bus {} has not been opened", static_cast<int>(id)));
}

void SimulatedLines::put(Tick at, BusId bus, const Frame& frame, MechanismId whose) {
  if (!plays_nothing_) bus_line(bus).put(at, frame, whose);
}

void SimulatedLines::hold(Tick at, MechanismId whose, const chip::LoopWanted& wanted) {
  if (plays_nothing_) return;
  const auto its = std::find_if(loops_.begin(), loops_.end(),
                                [&](const LoopPlayer& loop) { return loop.setup().owner == whose; });
  if (its == loops_.end()) return Lines::hold(at, whose, wanted);
  its->put(at, wanted);
}

bool SimulatedLines::gear(Tick at, LineId line, LineId counts_at, const chip::CountFollow& what) {
  const auto its = std::find_if(gears_.begin(), gears_.end(),
                                [&](const GearPlayer& gear) { return gear.setup().line == line; });
  if (its == gears_.end() || plays_nothing_ || line_at(counts_at).counter == nullptr) return false;
  // One axis goes by an encoder at a time, as a chip has it.
  for (const GearPlayer& other : gears_)
    if (&other != &*its && other.is_on() && other.counts_at() == counts_at) return false;
  its->put(at, counts_at, what);
  return true;
}

void SimulatedLines::let_go(Tick at, LineId line) {
  for (GearPlayer& gear : gears_)
    if (gear.setup().line == line) gear.let_go(at);
}

void SimulatedLines::sample(SourceId source, Tick first, Tick period) {
  auto its = std::lower_bound(samplings_.begin(), samplings_.end(), source,
                              [](const Sampling& each, SourceId id) { return each.source < id; });
  if (its == samplings_.end() || its->source != source) its = samplings_.insert(its, Sampling{source});
  its->next = first;
  its->period = period;
  find_next_sample();
}

void SimulatedLines::find_next_sample() {
  next_sample_ = never;
  for (const Sampling& sampling : samplings_) next_sample_ = std::min(next_sample_, sampling.next);
}

bool SimulatedLines::answers(SourceId source) const {
  const auto is_its = [&](const LineSetup& line) {
    return line.use == LineSetup::Use::input && line.source == source;
  };
  const auto counts = [&](const QuadratureCounter& counter) {
    return counter.setup().source == source || counter.setup().edge_source == source;
  };
  const auto measures = [&](const Plant* plant) {
    const auto sources = plant->measures();
    return std::find(sources.begin(), sources.end(), source) != sources.end();
  };
  const auto tells = [&](const LoopPlayer& loop) { return loop.setup().source == source; };
  return std::any_of(setup_.lines.begin(), setup_.lines.end(), is_its) ||
         std::any_of(loops_.begin(), loops_.end(), tells) ||
         std::any_of(gears_.begin(), gears_.end(),
                     [&](const GearPlayer& gear) { return gear.setup().source == source; }) ||
         std::any_of(counters_.begin(), counters_.end(), counts) ||
         std::any_of(plants_.begin(), plants_.end(), measures);
}

Withdrawn SimulatedLines::withdraw(MechanismId mechanism, Tick from) {
  std::erase_if(levels_, [&](const auto& item) {
    return item.first >= from && line_at(item.second.line).setup->owner == mechanism;
  });
  for (PwmTimer& timer : timers_) {
    if (line_at(timer.lines().front()).setup->owner == mechanism) timer.withdraw(from);
  }
  for (BusLine& bus : buses_) bus.withdraw(mechanism, from);
  Withdrawn left;
  for (LineState* line : pulse_lines_) {
    if (line->setup->owner != mechanism) continue;
    const Withdrawn own = line->pulses.withdraw(from);
    left.steps += own.steps;
    left.last_pulse = std::max(left.last_pulse, own.last_pulse);
    left.brakes = left.brakes || own.brakes;
  }
  return left;
}

void SimulatedLines::cut() noexcept {
  plays_nothing_ = false;
  cuts_.forget();
  for (Sampling& sampling : samplings_) sampling.next = never;
  next_sample_ = never;
  put_at_rest();
}

/// As an input that counts has said, whatever planning does.
void SimulatedLines::cut_by_themselves() {
  if (cuts_.next() > now_) return;
  (void)cuts_.take(now_);
  put_at_rest();
  plays_nothing_ = true;
}

bool SimulatedLines::runs(MechanismId mechanism) {
  const auto owns = [&](LineId line) { return line_at(line).setup->owner == mechanism; };
  for (const auto& [at, level] : levels_)
    if (owns(level.line)) return true;
  for (LineState* line : pulse_lines_)
    if (line->setup->owner == mechanism && (line->back_at != never || line->pulses.next() != never))
      return true;
  return std::any_of(timers_.begin(), timers_.end(), [&](const PwmTimer& timer) {
    return owns(timer.lines().front()) && timer.is_driving();
  });
}

void SimulatedLines::put_at_rest() {
  levels_.clear();
  for (LoopPlayer& loop : loops_) loop.clear();
  for (GearPlayer& gear : gears_) gear.clear();
  for (PwmTimer& timer : timers_) timer.stop();
  for (BusLine& bus : buses_) bus.come_to_rest(now_);
  for (LineState& line : lines_) {
    if (line.setup == nullptr || line.setup->use == LineSetup::Use::input) continue;
    line.pulses.clear();
    line.back_at = never;
    set_level(line, line.setup->rest_high);
  }
}

Tick SimulatedLines::next_event() {
  Tick soonest = std::min({next_look_, cuts_.next(), next_sample_});
  if (!levels_.empty()) soonest = std::min(soonest, levels_.begin()->first);
  for (LineState* line : pulse_lines_) soonest = std::min({soonest, line->back_at, line->pulses.next()});
  for (const PwmTimer& timer : timers_) soonest = std::min(soonest, timer.next());
  for (const BusLine& bus : buses_) soonest = std::min(soonest, bus.next());
  for (const LoopPlayer& loop : loops_) soonest = std::min(soonest, loop.next());
  for (const GearPlayer& gear : gears_) soonest = std::min(soonest, std::max(now_ + 1, gear.next()));
  return soonest;
}

void SimulatedLines::Driving::advance(Tick until) {
  edge = plant->advance(until);
  reached = edge ? edge->at : until;
}

/// Each up to the first edge that one of them makes. The one that made the last goes first, so that the
/// others seldom go farther than that.
std::optional<LineEdge> SimulatedLines::advance_driving(Tick until) {
  if (driving_.size() == 1) return driving_.front().plant->advance(until);
  std::size_t first = driving_.size();
  Tick to = until;
  for (std::size_t i = 0; i < driving_.size(); ++i) {
    Driving& each = driving_[i];
    if (!each.edge) {
      each.stood = each.plant->stands_until(to);
      if (each.stood) {
        each.plant->stand(to);
        continue;
      }
      if (i + 1 < driving_.size()) each.plant->keep();  // the last never goes back
      each.advance(to);
    }
    if (!each.edge || (first < i && each.edge->at == to && driving_[first].rank < each.rank)) continue;
    first = i;
    to = each.edge->at;
  }
  if (first == driving_.size()) return std::nullopt;
  for (std::size_t i = 0; i < first; ++i) {
    Driving& each = driving_[i];
    if (each.stood) {
      each.plant->stand(to);
    } else if (each.reached > to) {
      each.plant->go_back();
      each.advance(to);
    }
  }
  const std::optional<LineEdge> edge = std::exchange(driving_[first].edge, std::nullopt);
  std::rotate(driving_.begin(), driving_.begin() + static_cast<std::ptrdiff_t>(first),
              driving_.begin() + static_cast<std::ptrdiff_t>(first) + 1);
  return edge;
}

/// Those that only hear need not go on before they are heard of or spoken to.
void SimulatedLines::advance_hearing() {
  for (Plant* const plant : hearing_) (void)plant->advance(now_);
}

void SimulatedLines::set_level(LineState& line, bool high) {
  if (line.high == high) return;
  line.high = high;
  for (Plant* plant : line.listeners) {
    if (plant->only_hears()) (void)plant->advance(now_);
    plant->hear(line.setup->id, high);
  }
  if (listener_) listener_(now_, line.setup->id, high);
}

void SimulatedLines::take_edge(const LineEdge& edge, std::vector<Reading>& readings) {
  if (!is_open(edge.line)) return;
  LineState& input = line_at(edge.line);
  if (input.high == edge.high) return;
  set_level(input, edge.high);
  if (input.counter != nullptr) {
    input.counter->take(edge.line, edge.high, now_);
    return;
  }
  readings.push_back({now_, input.setup->source, edge.high ? 1 : 0});
  for (LineState* line : pulse_lines_) line->pulses.edge(edge.line, edge.high, setup_.ticks_per_second);
  cuts_.edge(edge.line, edge.high, now_, [this](MechanismId mechanism) { return runs(mechanism); });
  cut_by_themselves();
}

void SimulatedLines::take_sample(Sampling& sampling, std::vector<Reading>& readings) {
  const SourceId source = sampling.source;
  sampling.next = sampling.period > 0 ? sampling.next + sampling.period : never;
  const std::uint64_t number = sampling.count++;
  for (const LineSetup& line : setup_.lines) {
    if (line.use == LineSetup::Use::input && line.source == source) {
      readings.push_back({now_, source, line_at(line.id).high ? 1 : 0});
      return;
    }
  }
  for (QuadratureCounter& counter : counters_) {
    if (source != counter.setup().source && source != counter.setup().edge_source) continue;
    const bool wants_count = source == counter.setup().source;
    readings.push_back({now_, source, wants_count ? counter.count(now_) : counter.counted_at(now_)});
    return;
  }
  for (const GearPlayer& gear : gears_) {
    if (gear.setup().source != source) continue;
    readings.push_back({now_, source, 2 * steps_made(gear.setup().line) + (gear.is_on() ? 0 : 1)});
    return;
  }
  for (const LoopPlayer& loop : loops_) {
    if (loop.setup().source != source) continue;
    readings.push_back({now_, source, loop.told().raw()});
    return;
  }
  for (const Plant* plant : plants_) {
    const auto measures = plant->measures();
    if (std::find(measures.begin(), measures.end(), source) == measures.end()) continue;
    double value = plant->measure(source);
    for (const AdcSetup& adc : setup_.adc) {
      if (adc.source != source) continue;
      const double top = std::exp2(adc.bits) - 1.0;
      const double noise =
          adc.noise_codes * normal_noise(setup_.seed, static_cast<std::uint64_t>(source), number);
      value = std::clamp(value / adc.full_scale_volts * top + noise, 0.0, top);
    }
    readings.push_back({now_, source, std::llround(value)});
    return;
  }
  throw RangeError(fmt::format("nothing answers on source {}", static_cast<int>(source)));
}

void SimulatedLines::tell_shares(PwmTimer& timer) {
  std::vector<PwmTimer::Share> shares;
  timer.advance(shares);
  for (const auto& [id, share] : shares) {
    LineState& line = line_at(id);
    set_level(line, (share > 0.0) != line.setup->rest_high);
    for (Plant* plant : line.listeners) {
      if (plant->only_hears()) (void)plant->advance(now_);
      plant->hear_share(id, share);
    }
  }
}

/// What it gives goes to its lines like anything else that is put now.
void SimulatedLines::step(LoopPlayer& loop) {
  QuadratureCounter& counter = *line_at(loop.setup().counts_at).counter;
  const LoopPlayer::Given given = loop.step(now_, counter.count(now_), counter.counted_at(now_));
  put(now_, given.levels);
  put(now_, given.compares);
}

/// Its runs go out like any that are put.
void SimulatedLines::look(GearPlayer& gear, std::vector<Reading>& readings) {
  QuadratureCounter& counter = *line_at(gear.counts_at()).counter;
  LineState& line = line_at(gear.setup().line);
  std::vector<GearPlayer::Run> runs;
  const bool stands =
      gear.look(now_, line.pulses.steps(), counter.count(now_), counter.counted_at(now_), runs);
  for (const GearPlayer::Run& each : runs) {
    // As a chip does, in the interrupt of the last step before.
    constexpr Tick turns_after = 150;
    if (const std::optional<LineId> direction = gear.setup().direction)
      levels_.emplace(std::max(now_, each.start.tick + turns_after),
                      Level{*direction, each.backwards == gear.setup().high_backwards});
    line.pulses.put(each.start, {&each.run, 1}, {});
  }
  if (stands) readings.push_back({now_, gear.setup().source, 2 * line.pulses.steps() + 1});
}

/// Everything that is due now, levels before pulses, so that DIR stands before a STEP of the same tick.
void SimulatedLines::happen(std::vector<Reading>& readings) {
  cut_by_themselves();
  for (LoopPlayer& loop : loops_)
    if (loop.next() == now_) step(loop);
  for (GearPlayer& gear : gears_)
    if (gear.next() <= now_) look(gear, readings);
  while (!levels_.empty() && levels_.begin()->first == now_) {
    const Level level = levels_.begin()->second;
    levels_.erase(levels_.begin());
    set_level(line_at(level.line), level.high);
  }
  for (LineState* line : pulse_lines_) {
    if (line->back_at == now_) {
      line->back_at = never;
      set_level(*line, line->setup->rest_high);
    }
    if (line->pulses.next() != now_) continue;
    const bool backwards = line->pulses.make();
    if (!line->rows.is_none()) {
      line->rows.step(backwards, [this](const Level& level) { set_level(line_at(level.line), level.high); });
      continue;
    }
    // A pulse longer than the gap runs into the next one: the line stays up and no edge is seen, as on a
    // bench.
    set_level(*line, !line->setup->rest_high);
    line->back_at = now_ + line->setup->pulse_width;
  }
  std::vector<Level> changes;
  for (PwmTimer& timer : timers_) {
    if (timer.is_averaged()) {
      if (timer.next() == now_) tell_shares(timer);
      continue;
    }
    while (timer.next() == now_) timer.advance(changes);
  }
  for (const Level& change : changes) {
    LineState& line = line_at(change.line);
    set_level(line, change.high != line.setup->rest_high);
  }
  for (BusLine& bus : buses_) {
    if (bus.next() > now_) continue;
    came_in_.clear();
    bus.happen(now_, came_in_);
    for (const Frame& frame : came_in_) readings.push_back(reading_of(now_, bus.setup().id, frame));
  }
  if (next_sample_ == now_) {
    for (Sampling& sampling : samplings_)
      if (sampling.next == now_) take_sample(sampling, readings);
    find_next_sample();
  }
  if (next_look_ == now_) {
    next_look_ += look_period_;
    advance_hearing();
    look_(now_);
  }
}

Tick SimulatedLines::wait_until(Tick until, std::vector<Reading>& readings) {
  for (;;) {
    const Tick next = std::min(next_event(), until);
    if (const std::optional<LineEdge> edge = advance_driving(next)) {
      now_ = edge->at;
      take_edge(*edge, readings);
      if (readings.empty()) continue;  // counted by a counter: nothing to tell yet
      break;
    }
    now_ = next;
    happen(readings);
    if (!readings.empty() || now_ >= until) break;
  }
  advance_hearing();
  return now_;
}

}  // namespace cogstride
