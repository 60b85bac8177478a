#include "cogstride/bench/live/recorded_lines.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace cogstride {

using Kind = BoxEvent::Kind;

void CommandSum::mix(std::uint64_t value) {
  for (int i = 0; i < 8; ++i, value >>= 8)
    sum_ = (sum_ ^ static_cast<std::uint32_t>(value & 0xff)) * 16'777'619U;
  ++count_;
}

std::optional<std::uint32_t> CommandSum::take() {
  const std::optional<std::uint32_t> sum = count_ == 0 ? std::nullopt : std::optional(sum_);
  *this = {};
  return sum;
}

void CommandSum::add(Tick at, std::span<const Level> levels) {
  mix(1);
  mix(static_cast<std::uint64_t>(at));
  for (const Level& level : levels) mix(2 * static_cast<std::uint64_t>(level.line) + (level.high ? 1 : 0));
}
void CommandSum::add(FineTick start, LineId line, std::span<const chip::PulseRun> runs,
                     const std::optional<StopOn>& stop) {
  mix(2);
  mix(static_cast<std::uint64_t>(start.tick));
  mix(start.fraction);
  mix(static_cast<std::uint64_t>(line));
  for (const chip::PulseRun& run : runs) {
    mix(run.gap);
    mix(static_cast<std::uint64_t>(run.change));
    mix(static_cast<std::uint64_t>(run.bend));
    mix(std::uint64_t{run.steps} << 8 | run.flags);
  }
  if (!stop) return;
  mix(2 * static_cast<std::uint64_t>(stop->line) + (stop->edge == Edge::rising ? 1 : 0));
  if (!stop->ramp) return;
  for (const std::uint32_t value : {stop->ramp->speed, stop->ramp->start_speed, stop->ramp->acceleration})
    mix(value);
}
void CommandSum::add(Tick at, std::span<const Compare> compares) {
  mix(3);
  mix(static_cast<std::uint64_t>(at));
  for (const Compare& compare : compares) {
    mix(static_cast<std::uint64_t>(compare.line));
    mix(static_cast<std::uint64_t>(compare.on_ticks));
    mix(static_cast<std::uint64_t>(compare.drive));
  }
}
void CommandSum::add(Tick at, BusId bus, const Frame& frame, MechanismId whose) {
  mix(4);
  const Reading packed = reading_of(at, bus, frame);
  for (const std::uint64_t value :
       {static_cast<std::uint64_t>(at), static_cast<std::uint64_t>(packed.source), std::uint64_t{frame.id},
        std::uint64_t{frame.size}, static_cast<std::uint64_t>(packed.raw), static_cast<std::uint64_t>(whose)})
    mix(value);
}
void CommandSum::add(SourceId source, Tick first, Tick period) {
  mix(5);
  for (const std::uint64_t value : {static_cast<std::uint64_t>(source), static_cast<std::uint64_t>(first),
                                    static_cast<std::uint64_t>(period)})
    mix(value);
}
void CommandSum::add(Tick at, MechanismId whose, const chip::LoopWanted& wanted) {
  mix(8);
  for (const std::uint64_t value :
       {static_cast<std::uint64_t>(at), static_cast<std::uint64_t>(whose), std::uint64_t{wanted.place},
        static_cast<std::uint64_t>(wanted.speed), static_cast<std::uint64_t>(wanted.change),
        std::uint64_t{wanted.periods}, static_cast<std::uint64_t>(wanted.base),
        static_cast<std::uint64_t>(wanted.gains.per_speed),
        static_cast<std::uint64_t>(wanted.gains.per_place), std::uint64_t{wanted.lets},
        std::uint64_t{wanted.flags}})
    mix(value);
}
void CommandSum::add(Tick at, LineId line, LineId counts_at, const chip::CountFollow& what) {
  mix(9);
  for (const std::uint64_t value :
       {static_cast<std::uint64_t>(at), static_cast<std::uint64_t>(line),
        static_cast<std::uint64_t>(counts_at), static_cast<std::uint64_t>(what.steps),
        static_cast<std::uint64_t>(what.counts), std::uint64_t{what.count},
        static_cast<std::uint64_t>(what.place), static_cast<std::uint64_t>(what.rest),
        std::uint64_t{what.limits.speed}, std::uint64_t{what.limits.start_speed},
        std::uint64_t{what.limits.acceleration}})
    mix(value);
}
void CommandSum::add(Tick at, LineId line) {
  mix(10);
  mix(static_cast<std::uint64_t>(at));
  mix(static_cast<std::uint64_t>(line));
}
void CommandSum::add(MechanismId mechanism, Tick from) {
  mix(6);
  mix(static_cast<std::uint64_t>(mechanism));
  mix(static_cast<std::uint64_t>(from));
}

void RecordedLines::add(BoxEvent event) {
  event.now = now();
  event.sum = sum_.take();
  box_.add(event);
}

/// After whatever may have learned of it.
void RecordedLines::add_troubles() {
  if (const Tick stood = inner_.stood_still(); stood != last_stood_still_) {
    last_stood_still_ = stood;
    BoxEvent event;
    event.kind = Kind::stood_still;
    event.ticks = stood;
    add(event);
  }
  if (inner_.has_trouble() == was_troubled_) return;
  was_troubled_ = !was_troubled_;
  if (was_troubled_) box_.add(Kind::troubled, now(), sum_.take());
}

void RecordedLines::put(Tick at, std::span<const Level> levels) {
  sum_.add(at, levels);
  inner_.put(at, levels);
}
void RecordedLines::put(FineTick start, LineId line, std::span<const chip::PulseRun> runs,
                        std::optional<StopOn> stop) {
  sum_.add(start, line, runs, stop);
  inner_.put(start, line, runs, stop);
}
void RecordedLines::put(Tick at, std::span<const Compare> compares) {
  sum_.add(at, compares);
  inner_.put(at, compares);
}
void RecordedLines::put(Tick at, BusId bus, const Frame& frame, MechanismId whose) {
  sum_.add(at, bus, frame, whose);
  inner_.put(at, bus, frame, whose);
}
void RecordedLines::hold(Tick at, MechanismId whose, const chip::LoopWanted& wanted) {
  sum_.add(at, whose, wanted);
  inner_.hold(at, whose, wanted);
}
bool RecordedLines::gear(Tick at, LineId line, LineId counts_at, const chip::CountFollow& what) {
  sum_.add(at, line, counts_at, what);
  BoxEvent event;
  event.kind = Kind::withdrawn;
  event.left.steps = inner_.gear(at, line, counts_at, what) ? 1 : 0;
  add(event);
  add_troubles();
  return event.left.steps != 0;
}
void RecordedLines::let_go(Tick at, LineId line) {
  sum_.add(at, line);
  inner_.let_go(at, line);
}
void RecordedLines::sample(SourceId source, Tick first, Tick period) {
  sum_.add(source, first, period);
  inner_.sample(source, first, period);
}
void RecordedLines::cut() noexcept {
  sum_.add_cut();
  inner_.cut();
}

Withdrawn RecordedLines::withdraw(MechanismId mechanism, Tick from) {
  sum_.add(mechanism, from);
  BoxEvent event;
  event.kind = Kind::withdrawn;
  event.left = inner_.withdraw(mechanism, from);
  add(event);
  add_troubles();
  return event.left;
}

Tick RecordedLines::wait_until(Tick until, std::vector<Reading>& readings) {
  const std::size_t before = readings.size();
  const Tick reached = inner_.wait_until(until, readings);
  box_.add(Kind::waited, reached, sum_.take(), std::span(readings).subspan(before));
  add_troubles();
  return reached;
}

void RecordedLines::catch_up() {
  inner_.catch_up();
  box_.add(Kind::caught_up, now(), sum_.take());
  add_troubles();
}

PlayedLines::Trouble RecordedLines::take_trouble() {
  BoxEvent event;
  event.kind = Kind::trouble;
  event.trouble = inner_.take_trouble();
  add(event);
  was_troubled_ = false;
  return event.trouble;
}

// ---- a black box in their place

const BoxEvent* ReplayedLines::take_if(Kind kind) {
  const BoxEvent* const next = has_ended_ ? nullptr : box_.peek();
  if (next == nullptr || next->kind != kind) return nullptr;
  if (next->sum != sum_.take()) end("other commands are given than in the run that was recorded");
  if (next->sum) ++compared_;
  taken_ = *next;
  box_.take();
  return &taken_;
}

void ReplayedLines::end(std::string why) {
  has_ended_ = true;
  throw ReplayEnds(fmt::format("at {:.6f} s {}", static_cast<double>(now_) / setup_.ticks_per_second, why));
}

/// What comes with another event.
void ReplayedLines::absorb() {
  if (const BoxEvent* const stood = take_if(Kind::stood_still)) stood_still_ = stood->ticks;
  if (take_if(Kind::troubled) != nullptr) has_trouble_ = true;
}

const BoxEvent& ReplayedLines::expect(Kind kind, const char* what) {
  while (box_.peek() != nullptr) {
    if (const BoxEvent* const found = take_if(kind)) return *found;
    const BoxEvent* const late = take_if(Kind::caught_up);
    if (late == nullptr) end(fmt::format("the run that was recorded had not come to {}", what));
    now_ = std::max(now_, late->now);
    absorb();
  }
  end("the record ends: the program did there, or its computer");
}

Withdrawn ReplayedLines::withdraw(MechanismId mechanism, Tick from) {
  sum_.add(mechanism, from);
  if (has_ended_) return left_;
  left_ = expect(Kind::withdrawn, "taking steps back").left;
  absorb();
  return left_;
}

bool ReplayedLines::gear(Tick at, LineId line, LineId counts_at, const chip::CountFollow& what) {
  sum_.add(at, line, counts_at, what);
  if (has_ended_) return false;
  const bool is_geared = expect(Kind::withdrawn, "gearing an axis").left.steps != 0;
  absorb();
  return is_geared;
}

Tick ReplayedLines::wait_until(Tick until, std::vector<Reading>& readings) {
  if (has_ended_ && until != never) return now_ = std::max(now_, until);
  const BoxEvent& waited = expect(Kind::waited, "waiting");
  now_ = std::max(now_, waited.now);
  readings.insert(readings.end(), waited.readings.begin(), waited.readings.end());
  absorb();
  return now_;
}

void ReplayedLines::catch_up() {
  const BoxEvent* const caught_up = take_if(Kind::caught_up);
  if (caught_up == nullptr) return;
  now_ = std::max(now_, caught_up->now);
  absorb();
}

PlayedLines::Trouble ReplayedLines::take_trouble() {
  has_trouble_ = false;
  return expect(Kind::trouble, "what went wrong").trouble;
}

bool ReplayedLines::answers(SourceId source) const {
  const auto is_its = [&](const LineSetup& line) {
    return line.use == LineSetup::Use::input && line.source == source;
  };
  const auto is_counted = [&](const CounterSetup& counter) {
    return counter.source == source || counter.edge_source == source;
  };
  return std::any_of(setup_.lines.begin(), setup_.lines.end(), is_its) ||
         std::any_of(setup_.counters.begin(), setup_.counters.end(), is_counted) ||
         (source >= loop_source(MechanismId{}) && source <= gear_source(MechanismId{0xfff})) ||
         (setup_.has_analogue && source >= analogue_source(0) && source < analogue_source(0x1000));
}

}  // namespace cogstride
