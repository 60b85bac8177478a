#include "cogstride/bench/bench.hpp"
#include "cogstride/bench/gearing.hpp"
#include "cogstride/mechanism/ticks.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "cogstride/bench/bench_inputs.hpp"
#include "cogstride/bench/bench_loop.hpp"
#include "cogstride/bench/check.hpp"
#include "cogstride/bench/guest.hpp"
#include "cogstride/bench/kinds.hpp"
#include "cogstride/bench/post_box.hpp"
#include "cogstride/motion/arriving_together.hpp"
#include "cogstride/motion/bus/bus_clock.hpp"
#include "cogstride/motion/bus/drive_link.hpp"
#include "cogstride/motion/cast.hpp"
#include "cogstride/motion/devices/watches.hpp"
#include "cogstride/motion/knob.hpp"
#include "cogstride/motion/output_switch.hpp"
#include "cogstride/quantity/finite.hpp"
#include "cogstride/rig/validate.hpp"

namespace cogstride {
namespace {
FaultCode code_of(Trip::Cause cause) {
  switch (cause) {
    case Trip::Cause::emergency_stop:
      return FaultCode::emergency_stop;
    case Trip::Cause::limit_switch:
      return FaultCode::limit_switch;
    case Trip::Cause::board_fault:
      return FaultCode::board_fault;
    case Trip::Cause::supply_lost:
      return FaultCode::supply_lost;
    case Trip::Cause::requested:
      return FaultCode::stopped;
    case Trip::Cause::motion_failed:
      break;
  }
  return FaultCode::other_failed;
}
}  // namespace

TraceEvent trace_event_of(const MotionNote& note, const std::string& who) {
  using Kind = TraceEvent::Kind;
  switch (note.kind) {
    case MotionNote::Kind::began:
      return {note.at, who, note.text, Kind::began};
    case MotionNote::Kind::done:
    case MotionNote::Kind::homed:
    case MotionNote::Kind::redirected:
      return {note.at, who, note.text, Kind::ended};
    case MotionNote::Kind::cancelled:
    case MotionNote::Kind::halted:
      return {note.at, who, "stopped: " + note.text, Kind::ended};
    case MotionNote::Kind::faulted:
      return {note.at, who, note.text, Kind::fault};
    case MotionNote::Kind::home_edge:
    case MotionNote::Kind::measured:
    case MotionNote::Kind::told:
      break;
  }
  return {note.at, who, note.text, Kind::note};
}

/// While a mechanism is homed, its switches are what it looks for: the lines leave them to planning.
class Bench::SwitchWatch final : public Participant {
 public:
  explicit SwitchWatch(Bench& bench) : bench_(bench), left_to_it_(bench.movers().size(), false) {}
  [[nodiscard]] Tick next_act() const override {
    for (std::size_t i = 0; i < left_to_it_.size(); ++i)
      if (is_homing(i) != left_to_it_[i]) return 0;
    return never;
  }
  void act(Lines&, std::span<const Reading>) override {
    for (std::size_t i = 0; i < left_to_it_.size(); ++i) {
      if (is_homing(i) == left_to_it_[i]) continue;
      left_to_it_[i] = !left_to_it_[i];
      bench_.lines().watch(bench_.movers()[i]->id(), !left_to_it_[i]);
    }
  }

 private:
  [[nodiscard]] bool is_homing(std::size_t place) const {
    const Zeroed* const zeroed = bench_.movers()[place]->zeroed();
    return zeroed != nullptr && zeroed->is_homing();
  }

  Bench& bench_;
  std::vector<bool> left_to_it_;  // by MechanismId
};

Bench::Bench(Rig rig, std::span<const Guest> guests)
    : rig_(std::move(rig)), heard_(said_controls(rig_)), posts_(std::make_unique<PostBox>()) {
  validate(rig_);
  add_movers(guests);
  for (const PlainOutput& output : rig_.outputs)
    outputs_.push_back(std::make_unique<OutputSwitch>(output, rig_.controller.timer_clock));
  inputs_ = std::make_unique<Inputs>(switched_inputs(rig_, moved()));
  guard_ = std::make_unique<Guard>(*inputs_, watched_inputs(rig_, moved()));
  guard_->on_trip([this](Lines& lines, const Trip& trip) { tripped(lines, trip); });
  guard_->ignore([this](const Guard::Watched& watched) {
    if (watched.trip.cause != Trip::Cause::limit_switch) return false;
    const Zeroed* const zeroed = mover_of(*watched.trip.mechanism).zeroed();
    return zeroed != nullptr && zeroed->is_homing();
  });
  counters_ = encoder_counters(rig_, moved());
  for (const auto& mover : movers_) connect(*mover);
  for (const Remote& remote : rig_.remotes)
    devices_.push_back(std::make_unique<RemoteWatch>(
        remote, rig_.controller.timer_clock,
        [this, name = remote.name](const std::string& words) { hear(words, name); }));
  for (std::size_t i = 0; i < rig_.bus_sensors.size(); ++i)
    devices_.push_back(std::make_unique<InterruptWatch>(
        *inputs_, static_cast<LineId>(rig_.bus_sensors[i].line), rig_.controller.timer_clock, [this, i] {
          for (const auto& each : interrupted_)
            if (const std::shared_ptr<Interrupted> listener = each.lock()) (*listener)(i);
        }));
}

/// Mechanisms in the rig's order, then carts, then guests.
void Bench::add_movers(std::span<const Guest> guests) {
  for (const Mechanism& mechanism : rig_.mechanisms) {
    for (const KindOfMover& kind : kinds_of_movers()) {
      if (!kind.has(mechanism)) continue;
      movers_.push_back(kind.mover(mechanism, next_id(), rig_.controller));
      break;
    }
  }
  for (const WheeledPair& pair : rig_.pairs)
    movers_.push_back(make_cart(pair, next_id(), mover(pair.left), mover(pair.right), rig_.controller));
  for (const Shaft& shaft : rig_.shafts) movers_.push_back(make_shaft(shaft, next_id(), rig_.controller));
  for (const Guest& guest : guests) {
    const auto is_its = [&](const auto& mover) { return mover->name() == guest.name; };
    if (std::any_of(movers_.begin(), movers_.end(), is_its))
      throw RangeError(fmt::format("{}: the rig has something of the name of this guest", guest.name));
    movers_.push_back(guest.mover(next_id(), rig_.controller));
  }
}

void Bench::connect(Mover& mover) {
  MotionLog& log = mover.log();
  log.on_note([this](const MotionNote& note) { noted_first(note); });
  log.on_begin([this, &mover] { return obstacle_of(mover.name()); });
  log.on_failure([this, id = mover.id()](const std::string& why) { guard_->motion_failed(id, why); });
  mover.watch(*inputs_);
  for (std::unique_ptr<CountCheck>& check : mover.count_checks(counters_, rig_.controller.timer_clock)) {
    check->on_loss([this, &mover](const std::string& why) {
      if (!checks_encoders_) return;
      if (Zeroed* const zeroed = mover.zeroed()) zeroed->forget_position();
      guard_->motion_failed(mover.id(), why);
    });
    checks_.push_back({mover.id(), std::move(check)});
  }
}

/// A mover that homes tells its encoders first where it stands.
void Bench::noted_first(const MotionNote& note) {
  if (note.kind == MotionNote::Kind::homed) {
    for (const Check& each : checks_)
      if (each.of == note.mechanism) each.check->mover_is_zeroed();
  }
  noted(note);
}

Bench::~Bench() = default;
void Bench::trace_event(TraceEvent) {}
void Bench::noted(const MotionNote&) {}
void Bench::stopped(Tick, const Trip&) {}
std::vector<Participant*> Bench::surroundings() {
  return {};
}

Mover& Bench::mover_of(MechanismId id) const {
  return *movers_[static_cast<std::size_t>(id)];
}

void Bench::wait_for_stop(const std::function<bool()>& stands) {
  if (!loop().is_running()) run_until(stands);
}

std::vector<MovedMechanism> Bench::moved() const {
  std::vector<MovedMechanism> all;
  for (const auto& mover : movers_)
    if (mover->sensed() != nullptr) all.push_back({mover->sensed(), mover->id()});
  return all;
}

const std::string& Bench::name_of(MechanismId id) const {
  return mover_of(id).name();
}

/// Those that move others before the others.
std::vector<Mover*> Bench::as_they_stop() const {
  std::vector<Mover*> movers;
  for (const bool moves_others : {true, false})
    for (const auto& mover : movers_)
      if (mover->moves().empty() != moves_others) movers.push_back(mover.get());
  return movers;
}

Mover& Bench::mover(const std::string& name) const {
  for (const auto& mover : movers_)
    if (mover->name() == name) return *mover;
  const Mechanism& wanted = mechanism_named(rig_, name);
  throw RangeError(fmt::format("{}: nothing moves a {} on a {} so far", name, kind_name(wanted.motor),
                               kind_name(wanted.board)));
}

void Bench::refuse_kind(const std::string& name, const MoverKind& wanted) const {
  const Mechanism* const parts = mover(name).parts();
  if (parts == nullptr) throw RangeError(fmt::format("{}: {}", name, wanted.is_other));
  throw RangeError(fmt::format("{}: a {} on a {} {}", name, kind_name(parts->motor), kind_name(parts->board),
                               wanted.is_other));
}

Motion Bench::order(const std::string& name,
                    const std::function<std::shared_ptr<MotionRecord>(Mover&, Lines&)>& give) {
  require_open();
  Mover& of = mover(name);
  return {*this, of, give(of, lines())};
}

Status Bench::status(const std::string& name) const {
  return mover(name).status(lines().now());
}

/// Kept: a record asks for it with every sample.
std::size_t Bench::own_signals(const Mover& mover) const {
  if (own_signals_.empty())
    for (const auto& each : movers_) own_signals_.push_back(each->signals().size());
  return own_signals_[static_cast<std::size_t>(mover.id())];
}

std::vector<TracedSignal> Bench::signals_of(const Mover& mover) const {
  std::vector<TracedSignal> signals = mover.signals();
  for (const Check& each : checks_)
    if (each.of == mover.id() && each.check->measured())
      signals.push_back({"measured", std::string(display_unit(output_kind(mover.parts()->train), 0))});
  return signals;
}

std::span<double> Bench::sample_signals_of(const Mover& mover, Tick at, std::span<double> values) const {
  std::size_t place = own_signals(mover);
  mover.sample(at, values.first(place));
  for (const Check& each : checks_) {
    if (each.of != mover.id()) continue;
    const std::optional<Measured> measured = each.check->measured();
    if (!measured) continue;
    values[place++] = measured->position ? measured->position->base.to_double() *
                                               display_units_per_base(measured->position->kind)
                                         : std::numeric_limits<double>::quiet_NaN();
  }
  return values.subspan(place);
}

std::vector<TracedSignal> Bench::signals() const {
  std::vector<TracedSignal> all;
  for (const auto& mover : movers_)
    for (const TracedSignal& signal : signals_of(*mover))
      all.push_back({mover->name() + "." + signal.name, signal.unit});
  return all;
}

void Bench::sample_signals(Tick at, std::span<double> values) const {
  for (const auto& mover : movers_) values = sample_signals_of(*mover, at, values);
}

std::string Bench::signal_text(const Mover& mover, const std::string& name) const {
  const std::vector<TracedSignal> own = signals_of(mover);
  std::vector<double> values(own.size());
  (void)sample_signals_of(mover, lines().now(), values);
  std::vector<std::string> names;
  for (std::size_t i = 0; i < own.size(); ++i) {
    names.push_back(own[i].name);
    if (own[i].name != name) continue;
    return std::isnan(values[i]) ? "not known" : fmt::format("{:.4g} {}", values[i], own[i].unit);
  }
  throw RangeError(
      fmt::format("{}: has no '{}' to print; it has: {}", mover.name(), name, fmt::join(names, ", ")));
}

double Bench::signal(const std::string& name) const {
  const std::vector<TracedSignal> all = signals();
  std::vector<double> values(all.size());
  sample_signals(lines().now(), values);
  std::vector<std::string> names;
  for (std::size_t i = 0; i < all.size(); ++i) {
    if (all[i].name == name) return values[i];
    names.push_back(all[i].name);
  }
  throw RangeError(fmt::format("'{}' is no signal of this bench; it has: {}", name, fmt::join(names, ", ")));
}

OutputHandle Bench::output(const std::string& name) & {
  std::vector<std::string> names;
  for (const auto& output : outputs_) {
    if (output->output().name == name) return {*this, *output};
    names.push_back(output->output().name);
  }
  throw RangeError(
      fmt::format("'{}' is not an output of this rig; it has: {}", name, fmt::join(names, ", ")));
}

const Knob& Bench::knob(const std::string& name) {
  for (const auto& knob : knobs_)
    if (knob->hand().name == name) return *knob;
  std::vector<std::string> names;
  for (const HandControl& hand : rig_.hands) {
    if (!hand.channel) continue;
    names.push_back(hand.name);
    if (hand.name != name) continue;
    knobs_.push_back(std::make_unique<Knob>(hand, rig_.controller));
    loop().add(*knobs_.back());
    return *knobs_.back();
  }
  throw RangeError(fmt::format("'{}' is not a knob of this rig; it has: {}", name, fmt::join(names, ", ")));
}

void Bench::hear(const std::string& words, const std::string& by) {
  const HeardControls::Hearing hearing = heard_.read(words);
  heard_.take(hearing);
  trace_event({lines().now(), "heard", words, TraceEvent::Kind::outside});
  for (std::size_t i = 0; i < listeners_.size(); ++i)
    if (const std::shared_ptr<Listener> listener = listeners_[i].lock()) (*listener)(hearing, by);
}

Cast Bench::cast() {
  Cast cast;
  const auto named = [&](const std::string& name) -> Mover* {
    const auto found = std::find_if(movers_.begin(), movers_.end(),
                                    [&](const auto& mover) { return mover->name() == name; });
    return found == movers_.end() ? nullptr : found->get();
  };
  for (const Mechanism& mechanism : rig_.mechanisms) cast.mechanisms.push_back(named(mechanism.name));
  for (const WheeledPair& pair : rig_.pairs) cast.carts.push_back(named(pair.name));
  for (const Shaft& shaft : rig_.shafts) cast.shafts.push_back(named(shaft.name));
  for (const auto& mover : movers_)
    if (std::find(cast.mechanisms.begin(), cast.mechanisms.end(), mover.get()) == cast.mechanisms.end() &&
        std::find(cast.carts.begin(), cast.carts.end(), mover.get()) == cast.carts.end() &&
        std::find(cast.shafts.begin(), cast.shafts.end(), mover.get()) == cast.shafts.end())
      cast.guests.push_back(mover.get());
  for (const auto& output : outputs_) cast.outputs.push_back(output.get());
  cast.inputs = inputs_.get();
  cast.heard = &heard_;
  cast.knob = [this](const std::string& name) -> const Knob& { return knob(name); };
  cast.clock = rig_.controller.timer_clock;
  cast.arrive_together = [this](const auto& orders) { return arrive_together(orders); };
  cast.gear = [this](Mover& follower, const GearOrder& order) { return gear_mover(follower, order); };
  cast.change_gear = [this](Mover& follower, const Following& to) { change_gear(follower, to); };
  cast.tell = [this](const std::string& who, const std::string& text) {
    trace_event({lines().now(), who, text, TraceEvent::Kind::note});
  };
  cast.signal = [this](const Mover& mover, const std::string& name) { return signal_text(mover, name); };
  cast.all_off = [this] { stop(StopBy::cut, "all off", FaultCode::stopped); };
  return cast;
}

void Bench::come_to_rest() {
  if (rig_.stops.end == StopBy::cut) {
    stop();
    return;
  }
  for (Mover* const mover : as_they_stop()) mover->come_to_rest(lines());
  wait_for_stop([this] { return all_are_idle(); });
}

std::vector<std::shared_ptr<MotionRecord>> Bench::arrive_together(
    const std::vector<std::pair<Mover*, MoveOrder>>& orders) {
  std::erase_if(arriving_, [this](const auto& each) {
    if (each->is_over()) loop().remove(*each);
    return each->is_over();
  });
  arriving_.push_back(std::make_unique<ArrivingTogether>(lines(), orders));
  loop().add(*arriving_.back());
  return arriving_.back()->records();
}

std::vector<Mover*> Bench::leaders_of(const Following& to) const {
  std::vector<Mover*> leaders{&mover(to.first.leader)};
  if (to.also) leaders.push_back(&mover(to.also->leader));
  return leaders;
}

FollowerHandle Bench::gear(const std::string& follower, const GearOrder& order) & {
  require_open();
  Mover& of = mover(follower);
  return {*this, of, Motion(*this, of, gear_mover(of, order))};
}

FollowerHandle Bench::gear(const std::string& follower) & {
  const auto& follows = mechanism_named(rig_, follower).follows;
  if (!follows) throw RangeError(fmt::format("{}: its rig does not say what it follows (follows)", follower));
  return gear(follower, {.to = *follows});
}

std::shared_ptr<MotionRecord> Bench::gear_mover(Mover& follower, const GearOrder& order) {
  Follows& follows = able(follower.name(), follower.follows(), "follow another");
  const std::vector<Mover*> leaders = leaders_of(order.to);
  const auto is_checked = [this](const Mover& leader) {
    return checks_encoders_ && std::any_of(checks_.begin(), checks_.end(),
                                           [&](const Check& each) { return each.of == leader.id(); });
  };
  std::unique_ptr<Follow> follow =
      make_follow(follower, order, leaders,
                  {rig_.controller, counters_, is_checked, edges_come_late(),
                   [this](const Encoder& encoder) { return edges_known_within(encoder); }});
  std::string what = "follow " + follow->leaders();
  return follows.follow(lines(), std::move(follow), std::move(what));
}

void Bench::change_gear(Mover& follower, const Following& to) {
  cogstride::change_gear(follower, to, leaders_of(to), lines().now());
}

std::vector<Motion> Bench::move_together(const std::vector<std::pair<std::string, MoveOrder>>& orders) {
  require_open();
  std::vector<std::pair<Mover*, MoveOrder>> of_movers;
  for (const auto& [name, order] : orders) of_movers.emplace_back(&mover(name), order);
  std::vector<std::shared_ptr<MotionRecord>> records = arrive_together(of_movers);
  std::vector<Motion> motions;
  for (std::size_t i = 0; i < records.size(); ++i)
    motions.push_back({*this, *of_movers[i].first, std::move(records[i])});
  return motions;
}

Posted Bench::post(std::string what, std::function<void()> order) {
  Posted posted = posts_->put(std::move(what), std::move(order));
  if (TimedLines* const lines = waits_on_.load(std::memory_order_acquire)) lines->wake();
  return posted;
}

void Bench::request_stop() noexcept {
  stop_is_requested_.store(true, std::memory_order_release);
  if (TimedLines* const lines = waits_on_.load(std::memory_order_acquire)) lines->wake();
}

bool Bench::take_stop_request() {
  return stop_is_requested_.exchange(false, std::memory_order_acq_rel);
}

void Bench::posted(const std::string& what) {
  trace_event({lines().now(), "posted", what, TraceEvent::Kind::outside});
}

/// Between two acts: what was posted, in its order, and a stop that was asked for.
void Bench::take_posts() {
  replay_posts();
  if (!posts_->is_empty()) {
    for (PostBox::Post& post : posts_->take()) {
      posted(post.what);
      try {
        post.deed();
        post.done.set_value();
      } catch (...) {
        post.done.set_exception(std::current_exception());
      }
    }
  }
  if (!take_stop_request()) return;
  const std::string why = "a stop was requested";
  ++times_stopped_;
  stop(rig_.stops.interrupt, why);
  stopped(lines().now(), {Trip::Cause::requested, {}, why});
  tell_fault(why);
}

BenchLoop& Bench::loop() {
  if (!loop_) {
    loop_ = std::make_unique<BenchLoop>(lines());
    loop_->between_acts([this] { take_posts(); });
    for (Participant* const participant : surroundings()) loop_->add(*participant);
    loop_->add(*inputs_);
    loop_->add(*guard_);
    for (const auto& device : devices_) loop_->add(*device);
    for (const auto& mover : movers_) loop_->add(*mover);
    if (!bus_setups().empty()) {
      bus_clock_ = std::make_unique<BusClock>(rig_.controller);
      loop_->add(*bus_clock_);
    }
    for (const auto& output : outputs_) loop_->add(*output);
    for (const Check& each : checks_) loop_->add(*each.check);
    switch_watch_ = std::make_unique<SwitchWatch>(*this);
    loop_->add(*switch_watch_);
  }
  return *loop_;
}

std::vector<CutOn> Bench::cut_on_inputs() const {
  const std::vector<Inputs::Input>& all = inputs().all();
  std::vector<CutOn> cuts;
  for (const Guard::Watched& watched : guard_->watched()) {
    const bool is_emergency = watched.trip.cause == Trip::Cause::emergency_stop;
    if (!is_emergency && watched.trip.cause != Trip::Cause::limit_switch) continue;
    const auto input = std::find_if(all.begin(), all.end(),
                                    [&](const Inputs::Input& each) { return each.line == watched.line; });
    const bool at_once = (is_emergency ? rig_.stops.emergency : rig_.stops.limit_switch) == StopBy::cut;
    CutOn cut;
    cut.line = watched.line;
    cut.when_high = watched.trips_when == input->active_high;
    cut.steady_for = input->steady_for;
    cut.released_for = input->released_for;
    cut.waits = at_once ? 0 : ticks_at_least(planning_answers_within, rig_.controller.timer_clock);
    if (!is_emergency) cut.while_runs = watched.trip.mechanism;
    cuts.push_back(cut);
  }
  return cuts;
}

std::vector<BusSetup> Bench::bus_setups() const {
  BusSetup bus;
  for (const auto& mover : movers_)
    for (const Frame& frame : mover->rest_frames()) bus.rest.push_back(frame);
  if (bus.rest.empty() || !rig_.controller.bus) return {};
  bus.id = the_bus;
  bus.name = "controller.bus";
  bus.ticks_per_bit =
      rig_.controller.timer_clock.base().to_double() / static_cast<double>(rig_.controller.bus->bit_rate);
  return {std::move(bus)};
}

std::vector<LineSetup> Bench::line_setups() const {
  std::vector<LineSetup> lines;
  for (const auto& mover : movers_)
    for (LineSetup& line : mover->line_setups()) {
      const auto is_same = [&](const LineSetup& other) { return other.id == line.id; };
      // One ENABLE of a four-channel board, which several mechanisms switch on.
      const bool is_shared =
          line.name == mover->name() + ".enable" && std::any_of(lines.begin(), lines.end(), is_same);
      if (!is_shared) lines.push_back(std::move(line));
    }
  for (LineSetup& line : input_lines(rig_, moved())) lines.push_back(std::move(line));
  for (const auto& output : outputs_) lines.push_back(output->line_setup());
  return lines;
}

Tick Bench::ticks(Time span) const {
  constexpr double most = 1e18;  // far within what a Tick holds, whatever is added to it
  const double ticks =
      require_finite(span.base(), "a time in s") * rig_.controller.timer_clock.base().to_double();
  if (ticks < 0.0 || ticks > most)
    throw RangeError(fmt::format("a time of {:.6g} s: from 0 s on, to {:.6g} s with this clock", span.base(),
                                 most / rig_.controller.timer_clock.base().to_double()));
  return std::llround(ticks);
}

Time Bench::now() const {
  return Time(static_cast<double>(lines().now()) / rig_.controller.timer_clock.base().to_double(), units::s);
}

void Bench::serve(Time span) {
  require_open();
  run_until([] { return false; }, lines().now() + ticks(span));
}

void Bench::run_until(const std::function<bool()>& finished) {
  run_until(finished, never);
}

void Bench::run_until(const std::function<bool()>& finished, Tick until) {
  run_and_keep(finished, until);
  throw_what_a_listener_threw();
}

void Bench::run_and_keep(const std::function<bool()>& finished, Tick until) {
  require_open();
  waits_on_.store(&lines(), std::memory_order_release);
  loop().run(until, [&] { return (thrown_by_listener_ || finished()) && !guard_->has_more_to_tell(); });
}

void Bench::throw_what_a_listener_threw() {
  if (thrown_by_listener_) std::rethrow_exception(std::exchange(thrown_by_listener_, nullptr));
}

void Bench::tell_fault(const std::string& why) {
  if (!fault_listener_) return;
  try {
    fault_listener_(why);
  } catch (...) {
    if (!thrown_by_listener_) thrown_by_listener_ = std::current_exception();
  }
}

void Bench::leave_encoders_unchecked() {
  checks_encoders_ = false;
  for (const auto& mover : movers_) mover->leave_count_unwatched();
}

bool Bench::all_are_idle() const {
  return std::all_of(movers_.begin(), movers_.end(), [](const auto& mover) { return mover->has_ended(); });
}

void Bench::wait_for_all() {
  run_until([this] { return all_are_idle(); });
}

std::optional<std::size_t> Bench::wait_for_first(const std::vector<std::function<bool()>>& happenings,
                                                 Time longest) {
  /// Sees to it that somebody looks, whatever else acts.
  struct Looks final : Participant {
    explicit Looks(Tick now, Tick each, Tick end) : between(each), next(now), until(end) {}
    [[nodiscard]] Tick next_act() const override { return std::min(next, until); }
    void act(Lines& lines, std::span<const Reading>) override {
      if (lines.now() >= next) next = lines.now() + between;
      is_over = lines.now() >= until;
    }
    Tick between;
    Tick next;
    Tick until;
    bool is_over = false;
  };
  const Tick now = lines().now();
  Looks looks(now, ticks(Time(1e-3, units::s)), now + ticks(longest));
  std::optional<std::size_t> first;
  run(looks, [&] {
    for (std::size_t i = 0; i < happenings.size() && !first; ++i)
      if (happenings[i]()) first = i;
    return first || looks.is_over;
  });
  return first;
}

void Bench::run(Participant& guest, const std::function<bool()>& finished) {
  loop().add(guest);
  try {
    run_until(finished);
  } catch (...) {
    loop().remove(guest);
    throw;
  }
  loop().remove(guest);
}

void Bench::stop() {
  stop(StopBy::cut, {});
}

void Bench::end_all() {
  stop(StopBy::cut, "", FaultCode::closed);
  is_closed_ = true;
  waits_on_.store(nullptr, std::memory_order_release);
  posts_->close();
}

void Bench::require_open() const {
  if (loop_) loop_->require_own_thread();
  if (is_closed_) throw RangeError("the bench is closed: its lines are at rest, and nothing moves any more");
}

void Bench::stop(StopBy how, const std::string& text, FaultCode code) {
  if (is_closed_) return;
  const Why why{code, text};
  if (how == StopBy::cut) {
    lines().cut();
    inputs_->read_again();
    for (const Check& each : checks_) each.check->read_again();
    for (const auto& knob : knobs_) knob->read_again();
    for (Mover* const mover : as_they_stop()) mover->lines_were_cut(lines(), why);
    for (const auto& output : outputs_) output->lines_were_cut();
  } else {
    for (Mover* const mover : as_they_stop()) mover->halt(lines(), why);
  }
}

std::string Bench::obstacle(const Mechanism& mechanism) const {
  return obstacle_of(mechanism.name);
}

std::string Bench::obstacle_of(const std::string& name) const {
  for (const Guard::Watched* const standing : guard_->standing()) {
    const auto& whose = standing->trip.mechanism;
    if (!whose || name_of(*whose) == name) return standing->trip.what;
  }
  return {};
}

/// The position of the mechanism concerned is not believed any more: a switch beyond its travel acted, or its
/// motor was without current.
void Bench::tripped(Lines&, const Trip& trip) {
  StopBy how = rig_.stops.fault;
  if (trip.cause == Trip::Cause::emergency_stop) {
    how = rig_.stops.emergency;
    ++times_stopped_;
  }
  if (trip.cause == Trip::Cause::limit_switch) how = rig_.stops.limit_switch;
  std::string why = trip.what;
  Mover* const mover = trip.mechanism ? &mover_of(*trip.mechanism) : nullptr;
  Zeroed* const zeroed = mover == nullptr ? nullptr : mover->zeroed();
  if (trip.cause == Trip::Cause::limit_switch && zeroed != nullptr && mover->places() != nullptr) {
    const auto position = mover->places()->position(lines().now());
    why += position ? fmt::format(" where {:.6g} {} was commanded: it does not stand where it was thought to",
                                  position->base.to_double() * display_units_per_base(position->kind),
                                  display_unit(position->kind, 0))
                    : " outside homing";
  }
  stop(how, why, code_of(trip.cause));
  lines().answer_cuts();  // it is being stopped as the rig says
  const Tick now = lines().now();
  // What concerns several mechanisms is one thing that happened.
  const bool is_known = told_trip_ == std::pair(now, why);
  told_trip_ = {now, why};
  if (!is_known) stopped(now, {trip.cause, trip.mechanism, why});
  if (zeroed != nullptr && trip.cause != Trip::Cause::motion_failed) zeroed->forget_position();
  if (!is_known) tell_fault(why);
}

}  // namespace cogstride
