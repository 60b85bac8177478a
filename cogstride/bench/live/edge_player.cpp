#include "cogstride/bench/live/edge_player.hpp"

#include <algorithm>
#include <cmath>

namespace cogstride {
namespace {

constexpr std::int64_t looks_apart_ns = 10'000;  // looking for edges takes a call: not right before an edge
constexpr std::int64_t looks_at_least_ns = 200'000;
constexpr std::size_t usual_room = 4096;

}  // namespace

EdgePlayer::EdgePlayer(Setup setup, LinePort& port, Commands& commands, Reports& reports)
    : setup_(std::move(setup)),
      port_(port),
      commands_(commands),
      reports_(reports),
      cuts_(setup_.cuts),
      began_ns_(port.now_ns()) {
  std::vector<MechanismId> owners;
  for (const LineSetup& setup_of : setup_.lines) {
    const auto number = static_cast<std::size_t>(setup_of.id);
    if (number >= lines_.size()) lines_.resize(number + 1);
    Line& opened = lines_[number];
    opened.setup = setup_of;
    opened.is_open = true;
    opened.high = setup_of.rest_high;
    const auto known = std::find(owners.begin(), owners.end(), setup_of.owner);
    opened.owner = static_cast<std::size_t>(known - owners.begin());
    if (known == owners.end()) owners.push_back(setup_of.owner);
    if (!setup_of.rows.cycle.empty()) opened.rows = RowLines(setup_of, setup_.lines);
    if (setup_of.use == LineSetup::Use::pulses || !opened.rows.is_none()) pulse_lines_.push_back(number);
  }
  for (const LineId counted : setup_.counted) line(counted).is_counted = true;
  owners_.resize(owners.size());
  for (std::size_t number = 0; number < lines_.size(); ++number) {
    const Line& opened = lines_[number];
    if (opened.is_open && opened.setup.use != LineSetup::Use::input)
      owners_[opened.owner].lines.push_back(number);
  }
  for (const PwmSetup& pwm : setup_.pwm) {
    for (PwmSetup& own : by_owner(pwm, setup_.lines)) {
      for (const PwmSetup::Channel& channel : own.channels) line(channel.line).timer = timers_.size();
      const Line& first = line(own.channels.front().line);
      owners_[first.owner].timers.push_back(timers_.size());
      timers_.push_back({PwmTimer(std::move(own)),
                         static_cast<double>(pwm.period) * 1e9 / setup_.ticks_per_second, first.setup.owner});
    }
  }
  planning_seen_ns_.store(began_ns_);
  // What it may need while it plays is fetched before.
  levels_.reserve(usual_room);
  edges_.reserve(usual_room);
  frames_.reserve(usual_room);
  came_in_.reserve(usual_room);
  out_.reserve(lines_.size());
  written_.reserve(lines_.size());
}

Tick EdgePlayer::tick_of(std::int64_t ns) const {
  return std::llround(static_cast<double>(ns - began_ns_) * setup_.ticks_per_second / 1e9) - stood_still();
}

std::int64_t EdgePlayer::ns_of(Tick tick) const {
  return began_ns_ + static_cast<std::int64_t>(std::ceil(static_cast<double>(tick + stood_still()) * 1e9 /
                                                         setup_.ticks_per_second));
}

void EdgePlayer::report(const PlayerReport& message) {
  // A planner that does not listen must not keep lines from coming to rest: what it misses is counted.
  const bool can_wait =
      message.kind == PlayerReport::Kind::written ||
      (message.kind == PlayerReport::Kind::reading && message.is_edge && line(message.line).is_counted);
  has_told_ = has_told_ || !can_wait;
  if (!reports_.push(message)) missed_reports_.fetch_add(1, std::memory_order_relaxed);
}

void EdgePlayer::take_commands() {
  // No longer than there is time before the next edge.
  const Tick next = next_due();
  const std::int64_t until = next == never ? INT64_MAX : ns_of(next) - setup_.spin_ns / 2;
  LiveCommand command;
  while (commands_.pop(command)) {
    take(command);
    if (port_.now_ns() > until) break;
  }
  if (cut_wanted_.exchange(false, std::memory_order_acq_rel)) obey_cut();
}

void EdgePlayer::take(const LiveCommand& command) {
  // Planned before it was known that all is at rest.
  const bool is_played =
      command.kind == LiveCommand::Kind::levels || command.kind == LiveCommand::Kind::run ||
      command.kind == LiveCommand::Kind::duties || command.kind == LiveCommand::Kind::frame;
  if (plays_nothing_ && is_played) return;
  switch (command.kind) {
    case LiveCommand::Kind::levels: {
      // Usually the last one yet: the next to go out stands at the end.
      const auto place = std::find_if(levels_.begin(), levels_.end(),
                                      [&](const TimedLevels& other) { return other.at <= command.at; });
      levels_.insert(place, {command.at, command.level_count, command.levels});
      break;
    }
    case LiveCommand::Kind::run: {
      const std::optional<StopOn> stop = command.has_stop ? std::optional(command.stop) : std::nullopt;
      line(command.line).pulses.put(command.start, std::span(&command.run, 1), stop);
      break;
    }
    case LiveCommand::Kind::duties:
      for (std::size_t i = 0; i < command.compare_count; ++i)
        timers_[line(command.compares[i].line).timer].timer.put(command.at, command.compares[i]);
      break;
    case LiveCommand::Kind::frame:
      frames_.push_back({command.at, command.bus, command.frame, command.mechanism});
      break;
    case LiveCommand::Kind::withdraw:
      withdraw(command);
      break;
    case LiveCommand::Kind::sample: {
      const auto known = std::find_if(samplings_.begin(), samplings_.end(),
                                      [&](const Sampling& s) { return s.source == command.source; });
      Sampling& sampling = known == samplings_.end() ? samplings_.emplace_back() : *known;
      sampling = {command.source, command.line, command.at, command.period};
      break;
    }
    case LiveCommand::Kind::answered:
      cuts_.answer();
      break;
    case LiveCommand::Kind::watch:
      cuts_.watch(command.mechanism, command.is_watched);
      break;
  }
}

void EdgePlayer::withdraw(const LiveCommand& command) {
  std::erase_if(levels_, [&](const TimedLevels& levels) {
    return levels.at >= command.at && line(levels.levels[0].line).setup.owner == command.mechanism;
  });
  std::erase_if(frames_, [&](const TimedFrame& each) {
    return each.at >= command.at && each.whose == command.mechanism;
  });
  for (Duties& duties : timers_)
    if (duties.owner == command.mechanism) duties.timer.withdraw(command.at);
  PlayerReport answer{.kind = PlayerReport::Kind::withdrawn};
  for (const std::size_t number : pulse_lines_) {
    Line& pulsed = lines_[number];
    if (pulsed.setup.owner != command.mechanism) continue;
    const Withdrawn own = pulsed.pulses.withdraw(command.at);
    answer.left.steps += own.steps;
    answer.left.last_pulse = std::max(answer.left.last_pulse, own.last_pulse);
  }
  report(answer);
}

void EdgePlayer::take_edges() {
  last_look_ns_ = port_.now_ns();
  edges_.clear();
  port_.take_edges(edges_);
  for (const PortEdge& edge : edges_) {
    Line& input = line(edge.line);
    input.high = edge.high;
    report({.kind = PlayerReport::Kind::reading,
            .at = std::min(tick_of(edge.at_ns), now()),
            .line = edge.line,
            .high = edge.high,
            .is_edge = true,
            .source = input.setup.source});
    for (const std::size_t number : pulse_lines_) lines_[number].pulses.edge(edge.line, edge.high, 0.0);
    cuts_.edge(edge.line, edge.high, now(), [this](MechanismId mechanism) { return runs(mechanism); });
  }
}

void EdgePlayer::act_by_itself() {
  if (cuts_.next() <= now()) {
    put_at_rest(cuts_.take(now()) ? CutBy::reaction : CutBy::no_answer);
    plays_nothing_ = true;
  } else if (setup_.silence_ns > 0 &&
             port_.now_ns() - planning_seen_ns_.load(std::memory_order_acquire) > setup_.silence_ns &&
             moves_something()) {
    put_at_rest(CutBy::silence);
    plays_nothing_ = true;
  }
}

bool EdgePlayer::runs(MechanismId mechanism) {
  for (const TimedLevels& levels : levels_)
    if (line(levels.levels[0].line).setup.owner == mechanism) return true;
  for (const std::size_t number : pulse_lines_)
    if (lines_[number].setup.owner == mechanism && planned_next(lines_[number]) != never) return true;
  return std::any_of(timers_.begin(), timers_.end(), [&](const Duties& duties) {
    return duties.owner == mechanism && duties.timer.is_driving();
  });
}

bool EdgePlayer::moves_something() {
  for (const std::size_t number : pulse_lines_)
    if (planned_next(lines_[number]) != never) return true;
  return std::any_of(timers_.begin(), timers_.end(),
                     [](const Duties& duties) { return duties.timer.is_driving(); });
}

bool EdgePlayer::is_looked_after() {
  if (setup_.silence_ns == 0 || !moves_something()) return true;
  return port_.now_ns() - planning_seen_ns_.load(std::memory_order_acquire) <= setup_.silence_ns;
}

void EdgePlayer::take_samples() {
  for (Sampling& sampling : samplings_) {
    if (sampling.next > now()) continue;
    report({.kind = PlayerReport::Kind::reading,
            .at = now(),
            .line = sampling.line,
            .high = port_.read(sampling.line),
            .source = sampling.source});
    sampling.next = sampling.period > 0 ? sampling.next + sampling.period : never;
  }
}

/// What others have sent on the buses.
void EdgePlayer::take_frames() {
  if (setup_.buses.empty()) return;
  came_in_.clear();
  port_.take_frames(came_in_);
  for (const PortFrame& each : came_in_) {
    PlayerReport came{.kind = PlayerReport::Kind::came_in};
    came.at = std::min(tick_of(each.at_ns), now());
    came.bus = each.bus;
    came.frame = each.frame;
    report(came);
  }
}

Tick EdgePlayer::next_frame() const {
  Tick next = never;
  for (const TimedFrame& each : frames_) next = std::min(next, each.at);
  return next;
}

/// Those whose time has come, in the order in which they were put: the bus sees to who goes first.
void EdgePlayer::send_due_frames() {
  if (next_frame() > now()) return;
  std::erase_if(frames_, [&, until = now()](const TimedFrame& each) {
    if (each.at > until) return false;
    port_.send(each.bus, each.frame);
    return true;
  });
}

/// As planning has asked: what it had handed over before is not played.
void EdgePlayer::obey_cut() {
  LiveCommand dropped;
  while (commands_.pop(dropped)) {
  }
  samplings_.clear();
  plays_nothing_ = false;
  cuts_.forget();
  put_at_rest(CutBy::planning);
  cuts_made_.fetch_add(1, std::memory_order_acq_rel);
  has_told_ = true;
}

void EdgePlayer::put_at_rest(CutBy why) {
  levels_.clear();
  for (Duties& duties : timers_) duties.timer.stop();
  out_.clear();
  for (Line& each : lines_) {
    if (!each.is_open || each.setup.use == LineSetup::Use::input) continue;
    each.pulses.clear();
    each.back_at = never;
    out_.push_back({each.setup.id, each.setup.rest_high});
  }
  port_.write(out_);
  frames_.clear();
  for (const BusSetup& bus : setup_.buses)
    for (const Frame& frame : bus.rest) port_.send(bus.id, frame);
  const Tick at = now();
  for (const Level& level : out_) wrote(level, at, at);
  report({.kind = PlayerReport::Kind::cut, .at = at, .cut_by = why});
}

/// When a change of one of an owner's lines may go out: as planned, and after what stands there already has
/// been seen for as long as was planned, or as its board needs if that is less.
Tick EdgePlayer::due(Tick planned, const Owner& owner) const {
  Tick earliest = planned;
  for (const std::size_t number : owner.lines) {
    const Line& other = lines_[number];
    const Tick apart = std::clamp<Tick>(planned - other.planned, 0, other.setup.settles);
    earliest = std::max(earliest, other.written + apart);
  }
  return earliest;
}

Tick EdgePlayer::planned_next(Line& pulsed) {
  return pulsed.back_at != never ? pulsed.back_at : pulsed.pulses.next();
}

/// The edge that one owner's lines have to make next, by plan: an earlier one goes first, however late.
EdgePlayer::NextEdge EdgePlayer::next_of(const Owner& owner) {
  NextEdge next;
  for (std::size_t i = levels_.size(); i-- > 0;) {
    if (&owners_[line(levels_[i].levels[0].line).owner] != &owner) continue;
    next.planned = levels_[i].at;
    next.levels = i;
    break;
  }
  for (const std::size_t place : owner.timers) {
    const Tick planned = timers_[place].timer.next();
    if (planned >= next.planned) continue;
    next.planned = planned;
    next.levels.reset();
    next.timer = place;
  }
  for (const std::size_t number : owner.lines) {
    if (lines_[number].setup.use != LineSetup::Use::pulses && lines_[number].rows.is_none()) continue;
    const Tick planned = planned_next(lines_[number]);
    if (planned >= next.planned) continue;
    next.planned = planned;
    next.levels.reset();
    next.timer.reset();
    next.pulses = number;
  }
  if (next.planned != never) next.due = due(next.planned, owner);
  return next;
}

Tick EdgePlayer::next_due() {
  Tick soonest = never;
  for (const Owner& owner : owners_) soonest = std::min(soonest, next_of(owner).due);
  return soonest;
}

void EdgePlayer::add_levels(std::size_t place) {
  const TimedLevels& levels = levels_[place];
  for (std::size_t i = 0; i < levels.count; ++i) {
    out_.push_back(levels.levels[i]);
    written_.push_back(levels.at);
  }
  levels_.erase(levels_.begin() + static_cast<std::ptrdiff_t>(place));
}

void EdgePlayer::add_pulse(std::size_t number, Tick planned) {
  Line& pulsed = lines_[number];
  if (!pulsed.rows.is_none()) {
    pulsed.rows.step(pulsed.pulses.make(), [&](const Level& level) {
      out_.push_back(level);
      written_.push_back(planned);
    });
    return;
  }
  if (pulsed.back_at != never) {
    pulsed.back_at = never;
    out_.push_back({pulsed.setup.id, pulsed.setup.rest_high});
  } else {
    pulsed.pulses.make();
    pulsed.back_at = planned + pulsed.setup.pulse_width;
    out_.push_back({pulsed.setup.id, !pulsed.setup.rest_high});
  }
  written_.push_back(planned);
}

void EdgePlayer::add_duties(std::size_t place) {
  Duties& duties = timers_[place];
  if (duties.timer.is_averaged()) {
    write_hardware_duties(duties);
    return;
  }
  const Tick planned = duties.timer.next();
  const std::size_t before = out_.size();
  duties.timer.advance(out_);
  for (std::size_t i = before; i < out_.size(); ++i) {
    out_[i].high = out_[i].high != line(out_[i].line).setup.rest_high;  // it says on and off
    written_.push_back(planned);
  }
}

/// Hardware takes a duty over at its next period; no edge of ours is early or late by it.
void EdgePlayer::write_hardware_duties(Duties& duties) {
  shares_.clear();
  const Tick planned = duties.timer.next();
  duties.timer.advance(shares_);
  for (const auto& [id, share] : shares_) {
    const bool rests_high = line(id).setup.rest_high;
    port_.write_duty(id, std::llround((rests_high ? 1.0 - share : share) * duties.ns_per_period));
    wrote({id, (share > 0.0) != rests_high}, planned, now());
  }
}

/// Writes what is due, in one go: of each owner's lines the next edge.
void EdgePlayer::write_due(Tick at) {
  out_.clear();
  written_.clear();
  for (const Owner& owner : owners_) {
    const NextEdge next = next_of(owner);
    if (next.due > at) continue;
    if (next.levels) {
      add_levels(*next.levels);
    } else if (next.timer) {
      add_duties(*next.timer);
    } else {
      add_pulse(next.pulses, next.planned);
    }
  }
  if (out_.empty()) return;
  port_.write(out_);
  const Tick done = now();
  Tick latest = 0;
  for (std::size_t i = 0; i < out_.size(); ++i) {
    wrote(out_[i], written_[i], done);
    const Tick late = std::max<Tick>(0, done - written_[i]);
    lateness_.add(late);
    if (late > setup_.bound) lateness_.add_beyond();
    latest = std::max(latest, late);
  }
  if (latest <= setup_.bound) return;
  // Time stands still for so long: what comes later keeps its distance.
  stood_still_.fetch_add(latest, std::memory_order_acq_rel);
  for (Line& each : lines_) each.written -= latest;
  report({.kind = PlayerReport::Kind::too_late, .at = now(), .line = out_.back().line, .late = latest});
}

void EdgePlayer::wrote(const Level& level, Tick planned, Tick at) {
  Line& out = line(level.line);
  out.planned = planned;
  out.written = at;
  if (out.high == level.high) return;
  out.high = level.high;
  report({.kind = PlayerReport::Kind::written,
          .at = at + stood_still(),
          .line = level.line,
          .high = level.high});
}

void EdgePlayer::look_whether_played_out() {
  const Tick until = plays_out_.load(std::memory_order_acquire);
  if (until == never) return;
  for (const Owner& owner : owners_)
    if (next_of(owner).planned <= until) return;
  plays_out_.store(never, std::memory_order_release);
  has_told_ = true;
}

void EdgePlayer::turn() {
  take_commands();
  look_whether_played_out();
  take_samples();
  send_due_frames();
  act_by_itself();
  Tick next = next_due();
  std::int64_t now_ns = port_.now_ns();
  if (next == never || ns_of(next) - now_ns > looks_apart_ns || now_ns - last_look_ns_ > looks_at_least_ns) {
    take_edges();
    take_frames();
    act_by_itself();
    if (has_told_) return;  // whoever plans is told before anything is slept on
    next = next_due();
  }
  for (const Sampling& sampling : samplings_) next = std::min(next, sampling.next);
  next = std::min({next, cuts_.next(), next_frame()});
  const std::int64_t latest_wake = port_.now_ns() + setup_.longest_sleep_ns;
  const std::int64_t next_ns = next == never ? latest_wake : std::min(latest_wake, ns_of(next));
  if (next_ns - port_.now_ns() > setup_.spin_ns) {
    port_.sleep_until(next_ns - setup_.spin_ns);
    return;
  }
  while (port_.now_ns() < next_ns) {
    if (cut_wanted_.load(std::memory_order_acquire)) return;
  }
  write_due(now());
}

void EdgePlayer::end() {
  obey_cut();
}

Tick EdgePlayer::now() const {
  return tick_of(port_.now_ns());
}

}  // namespace cogstride
