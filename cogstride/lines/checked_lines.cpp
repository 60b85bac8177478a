#include "cogstride/lines/checked_lines.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "cogstride/lines/bus_line.hpp"
#include "cogstride/lines/pulse_queue.hpp"
#include "cogstride/quantity/error.hpp"

namespace cogstride {
namespace {

bool makes_runs(const LineSetup& line) {
  return line.use == LineSetup::Use::pulses || !line.rows.cycle.empty();
}

bool is_before(FineTick a, FineTick b) {
  return a.tick != b.tick ? a.tick < b.tick : a.fraction < b.fraction;
}

}  // namespace

CheckedLines::CheckedLines(Setup setup, TimedLines& inner) : setup_(std::move(setup)), inner_(inner) {
  for (const LineSetup& line : setup_.lines) {
    const auto number = static_cast<std::size_t>(line.id);
    if (number >= lines_.size()) lines_.resize(number + 1);
    if (lines_[number].is_open)
      throw RangeError(
          fmt::format("line {} is used by {} and by {}", number, lines_[number].setup.name, line.name));
    lines_[number].is_open = true;
    lines_[number].setup = line;
    if (makes_runs(line)) pulse_lines_.push_back(number);
  }
  for (const LineSetup& front : setup_.lines) require_sound_rows(front);
  for (const BusSetup& bus : setup_.buses) {
    if (&bus != &bus_of(bus.id))
      throw RangeError(fmt::format("bus {} is used by {} and by {}", static_cast<int>(bus.id),
                                   bus_of(bus.id).name, bus.name));
    for (const Frame& frame : bus.rest) require_carries(bus, frame);
  }
  for (const PwmSetup& pwm : setup_.pwm) {
    for (const PwmSetup::Channel& channel : pwm.channels) {
      opened(channel.line).pwm_period = pwm.period;
      if (channel.complement) (void)opened(*channel.complement);
    }
  }
}

/// @throws RangeError when lines that change together are not such lines of one owner, or too many
void CheckedLines::require_sound_rows(const LineSetup& front) {
  const RowSetup& rows = front.rows;
  if (rows.cycle.empty() && rows.lines.empty()) return;
  if (rows.lines.empty() || rows.lines.size() > 8 || rows.cycle.empty() || rows.cycle.size() > 255)
    throw RangeError(fmt::format("{}: {} lines in {} rows; 1 to 8 can change together, in 1 to 255 rows",
                                 front.name, rows.lines.size(), rows.cycle.size()));
  for (const LineId line : rows.lines) {
    const LineSetup& one = opened(line).setup;
    if (one.use != LineSetup::Use::rows || one.owner != front.owner)
      throw RangeError(fmt::format("{}: {} is no line that changes with it", front.name, one.name));
  }
}

CheckedLines::Opened& CheckedLines::opened(LineId line) {
  const auto number = static_cast<std::size_t>(line);
  if (number >= lines_.size() || !lines_[number].is_open)
    throw RangeError(fmt::format("line {} has not been opened", number));
  return lines_[number];
}

void CheckedLines::require_in_time(Tick at, const char* what) const {
  if (!setup_.takes_late && at < now() + lead())
    throw RangeError(fmt::format("{} for tick {} comes too late at tick {}: {} is the earliest", what, at,
                                 now(), now() + lead()));
}

void CheckedLines::put(Tick at, std::span<const Level> levels) {
  require_in_time(at, "a level");
  if (levels.size() > most_levels_together)
    throw RangeError(
        fmt::format("{} levels at once; {} can change together", levels.size(), most_levels_together));
  for (const Level& level : levels) {
    const LineSetup& line = opened(level.line).setup;
    if (line.use == LineSetup::Use::input) throw RangeError(line.name + " is an input");
    if (line.use != LineSetup::Use::level && line.use != LineSetup::Use::rows)
      throw RangeError(line.name +
                       (line.use == LineSetup::Use::pulses ? " makes pulses" : " carries a duty") +
                       ": no level is put on it");
  }
  inner_.put(at, levels);
  if (watch_ != nullptr) watch_->levels(at, levels);
}

void CheckedLines::put(FineTick start, LineId id, std::span<const chip::PulseRun> runs,
                       std::optional<StopOn> stop) {
  Opened& line = opened(id);
  if (!makes_runs(line.setup))
    throw RangeError(line.setup.name + (line.setup.use == LineSetup::Use::rows
                                            ? " changes with others: runs go to the first of them"
                                            : " makes no pulses"));
  if (line.is_geared)
    throw RangeError(line.setup.name + " is geared to a count, and makes no runs until it stands again");
  if (is_before({now(), 0}, line.runs_end) && is_before(start, line.runs_end))
    throw RangeError(fmt::format("{}: pulse runs from tick {} on overlap those put before, which end at {}",
                                 line.setup.name, start.tick, line.runs_end.tick));
  if (stop && opened(stop->line).setup.use != LineSetup::Use::input)
    throw RangeError(fmt::format("{}: cannot stop at an edge of {}, which is no input", line.setup.name,
                                 opened(stop->line).setup.name));
  if (stop && stop->ramp && (!brakes_at_edges() || stop->ramp->speed == 0 || stop->ramp->acceleration == 0))
    throw RangeError(line.setup.name + (brakes_at_edges() ? ": a ramp from no speed, or of no acceleration"
                                                          : ": nobody brakes at an edge by himself here"));
  // The first pulse must not be late; where the runs begin, in time, may lie before.
  if (const Tick first = first_pulse_of(start, runs); !setup_.takes_late && first < now() + lead())
    throw RangeError(fmt::format("{}: a pulse for tick {} comes too late at tick {}: {} is the earliest",
                                 line.setup.name, first, now(), now() + lead()));
  inner_.put(start, id, runs, stop);
  if (watch_ != nullptr) watch_->runs(start, id, runs);
  for (const chip::PulseRun& run : runs) start = end_of_run(start, run);
  line.runs_end = start;
  line.stop = stop;
}

void CheckedLines::put(Tick at, std::span<const Compare> compares) {
  require_in_time(at, "a duty");
  if (compares.size() > most_duties_together)
    throw RangeError(
        fmt::format("{} duties at once; {} can change together", compares.size(), most_duties_together));
  for (const Compare& compare : compares) {
    const Opened& line = opened(compare.line);
    if (line.pwm_period == 0) throw RangeError(line.setup.name + " is no duty channel");
    if (compare.on_ticks < 0 || compare.on_ticks > line.pwm_period)
      throw RangeError(fmt::format("{}: on for {} ticks of a period of {}", line.setup.name, compare.on_ticks,
                                   line.pwm_period));
  }
  inner_.put(at, compares);
}

const BusSetup& CheckedLines::bus_of(BusId id) const {
  for (const BusSetup& bus : setup_.buses)
    if (bus.id == id) return bus;
  throw RangeError(fmt::format("bus {} has not been opened", static_cast<int>(id)));
}

void CheckedLines::require_carries(const BusSetup& bus, const Frame& frame) {
  const bool is_bus = bus.kind == BusSetup::Kind::bus;
  if (frame.size > Frame::most_bytes)
    throw RangeError(
        fmt::format("{}: {} bytes in one go; {} are the most", bus.name, frame.size, Frame::most_bytes));
  if (frame.id > (is_bus ? largest_bus_id : 0))
    throw RangeError(
        is_bus ? fmt::format("{}: id {:#x}; {:#x} is the largest", bus.name, frame.id, largest_bus_id)
               : fmt::format("{}: a serial port has no ids", bus.name));
  if (!is_bus && frame.size == 0) throw RangeError(bus.name + ": nothing to send");
}

void CheckedLines::put(Tick at, BusId bus, const Frame& frame, MechanismId whose) {
  require_in_time(at, "a frame");
  require_carries(bus_of(bus), frame);
  inner_.put(at, bus, frame, whose);
}

void CheckedLines::hold(Tick at, MechanismId whose, const chip::LoopWanted& wanted) {
  require_in_time(at, "what a loop is to hold");
  if (std::none_of(setup_.loops.begin(), setup_.loops.end(),
                   [&](const LoopSetup& loop) { return loop.owner == whose; }))
    return Lines::hold(at, whose, wanted);
  if ((wanted.flags & chip::LoopWanted::off) == 0 && wanted.gains.per_place <= 0)
    throw RangeError(fmt::format("a loop with a gain of {} for its place", wanted.gains.per_place));
  inner_.hold(at, whose, wanted);
}

bool CheckedLines::gear(Tick at, LineId id, LineId counts_at, const chip::CountFollow& what) {
  require_in_time(at, "a gear");
  Opened& line = opened(id);
  if (!makes_runs(line.setup)) throw RangeError(line.setup.name + " makes no steps that could be geared");
  if (opened(counts_at).setup.use != LineSetup::Use::input)
    throw RangeError(
        fmt::format("{}: {} is no line of an encoder", line.setup.name, opened(counts_at).setup.name));
  constexpr std::int32_t most = 65'535;
  if (what.counts < 1 || what.counts > most || what.steps > what.counts || what.steps < -what.counts)
    throw RangeError(fmt::format("{}: {} steps for {} counts; at most one a count, for up to {} of them",
                                 line.setup.name, what.steps, what.counts, most));
  if (!line.is_geared && is_before({at, 0}, line.runs_end) && is_before({now(), 0}, line.runs_end))
    throw RangeError(fmt::format("{}: is geared from tick {} on, and runs that were put before end at {}",
                                 line.setup.name, at, line.runs_end.tick));
  if (!inner_.gear(at, id, counts_at, what)) return false;
  line.is_geared = true;
  return true;
}

void CheckedLines::let_go(Tick at, LineId id) {
  require_in_time(at, "letting go of a gear");
  if (!opened(id).is_geared) throw RangeError(opened(id).setup.name + " is not geared to anything");
  inner_.let_go(at, id);
}

void CheckedLines::sample(SourceId source, Tick first, Tick period) {
  if (!setup_.takes_late && first != never && first < now())
    throw RangeError(fmt::format("a sample for tick {} comes too late at tick {}", first, now()));
  if (period < 0) throw RangeError(fmt::format("a sample each {} ticks", period));
  if (setup_.answers && !setup_.answers(source))
    throw RangeError(fmt::format("nothing answers on source {}", static_cast<int>(source)));
  inner_.sample(source, first, period);
}

Withdrawn CheckedLines::withdraw(MechanismId mechanism, Tick from) {
  const Withdrawn left = inner_.withdraw(mechanism, from);
  if (watch_ != nullptr) watch_->withdrawn(mechanism, from);
  for (const std::size_t number : pulse_lines_) {
    Opened& line = lines_[number];
    if (line.setup.owner != mechanism || !is_before({from, 0}, line.runs_end)) continue;
    line.runs_end = {from, 0};
  }
  return left;
}

void CheckedLines::cut() noexcept {
  inner_.cut();
  if (watch_ != nullptr) watch_->cut(inner_.now());
  for (const std::size_t number : pulse_lines_) {
    Opened& line = lines_[number];
    line.runs_end = {-never, 0};
    line.stop.reset();
    line.is_geared = false;
  }
}

void CheckedLines::free_those_stopped_by(const Reading& reading) {
  for (const std::size_t number : pulse_lines_) {
    Opened& line = lines_[number];
    if (line.is_geared && reading.source == gear_source(line.setup.owner) && (reading.raw & 1) != 0)
      line.is_geared = false;
    if (!line.stop) continue;
    const LineSetup& input = opened(line.stop->line).setup;
    const bool is_its_edge = (line.stop->edge == Edge::rising) == (reading.raw != 0);
    if (input.source != reading.source || !is_its_edge) continue;
    line.runs_end = {reading.at, 0};
    line.stop.reset();
  }
}

Tick CheckedLines::wait_until(Tick until, std::vector<Reading>& readings) {
  const std::size_t before = readings.size();
  const Tick reached = inner_.wait_until(until, readings);
  for (std::size_t i = before; i < readings.size(); ++i) free_those_stopped_by(readings[i]);
  return reached;
}

}  // namespace cogstride
