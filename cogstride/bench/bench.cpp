#include "cogstride/bench/bench.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "cogstride/quantity/finite.hpp"
#include "cogstride/rig/validate.hpp"

namespace cogstride {
namespace {
constexpr std::size_t first_output_group = 0x100;
constexpr std::size_t first_drive_group = 0x200;
constexpr std::size_t first_pulse_group = 0x300;
constexpr std::size_t first_gate_group = 0x400;

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

Bench::Bench(Rig rig) : rig_(std::move(rig)) {
  validate(rig_);
  for (const Mechanism& mechanism : rig_.mechanisms) {
    if (!mechanism.is_movable()) continue;
    movers_.push_back(add<StepperMover>(mechanism, next_id(), rig_.controller));
  }
  for (const Mechanism& mechanism : rig_.mechanisms) {
    if (!mechanism.is_driven_by_duty()) continue;
    const auto group = static_cast<PwmGroup>(first_drive_group + drives_.size());
    drives_.push_back(add<DutyMover>(mechanism, next_id(), group, rig_.controller));
  }
  for (const Mechanism& mechanism : rig_.mechanisms) {
    if (!mechanism.takes_pulse_width()) continue;
    const auto group = static_cast<PwmGroup>(first_pulse_group + pulsed_.size());
    if (mechanism.swings()) {
      pulsed_.push_back(add<ServoMover>(mechanism, next_id(), group, rig_.controller));
    } else {
      pulsed_.push_back(add<ThrottleMover>(mechanism, next_id(), group, rig_.controller));
    }
  }
  for (const Mechanism& mechanism : rig_.mechanisms) {
    if (!mechanism.has_six_gates()) continue;
    const auto group = static_cast<PwmGroup>(first_gate_group + six_steps_.size());
    six_steps_.push_back(add<SixStepMover>(mechanism, next_id(), group, rig_.controller));
  }
  for (const WheeledPair& pair : rig_.pairs) {
    pairs_.push_back(
        add<PairMover>(pair, next_id(), duty_mover(pair.left), duty_mover(pair.right), rig_.controller));
  }
  for (const PlainOutput& output : rig_.outputs) {
    const auto group = static_cast<PwmGroup>(first_output_group + outputs_.size());
    outputs_.push_back(std::make_unique<OutputSwitch>(output, group, rig_.controller.timer_clock));
  }
  inputs_ = std::make_unique<Inputs>(switched_inputs(rig_, moved()));
  guard_ = std::make_unique<Guard>(*inputs_, watched_inputs(rig_, moved()));
  guard_->on_trip([this](Lines& lines, const Trip& trip) { tripped(lines, trip); });
  guard_->ignore([this](const Guard::Watched& watched) {
    if (watched.trip.cause != Trip::Cause::limit_switch) return false;
    const StepperMover* const mover = mover_of(*watched.trip.mechanism);
    return mover != nullptr && mover->is_homing();
  });
  for (const auto& each : all_) {
    MotionLog& log = each->log();
    log.on_note([this](const MotionNote& note) { noted_first(note); });
    log.on_begin([this, parts = each->parts()] { return parts == nullptr ? "" : obstacle(*parts); });
    log.on_failure([this, id = each->id()](const std::string& why) { guard_->motion_failed(id, why); });
  }
  for (SixStepMover* const six_step : six_steps_) watch_beside(*six_step);
  for (StepperMover* const mover : movers_) {
    mover->watch(*inputs_);
    for (const Sensor& sensor : mover->mechanism().sensors) {
      const auto* const encoder = std::get_if<Encoder>(&sensor);
      if (encoder == nullptr) continue;
      encoders_.push_back(std::make_unique<EncoderWatch>(*mover, *encoder, rig_.controller.timer_clock));
      encoders_.back()->on_loss([this, mover](const std::string& why) {
        if (!checks_encoders_) return;
        mover->forget_position();
        guard_->motion_failed(mover->id(), why);
      });
    }
  }
}

/// Encoders beside Hall sensors, those for which a counter is left.
void Bench::watch_beside(const SixStepMover& mover) {
  if (!mover.has_halls()) return;
  const std::vector<CounterSetup> counters = encoder_counters(rig_, moved());
  for (const Sensor& sensor : mover.mechanism().sensors) {
    const auto* const encoder = std::get_if<Encoder>(&sensor);
    if (encoder == nullptr) continue;
    const auto is_its = [&](const CounterSetup& counter) {
      return counter.source == counter_source(*encoder);
    };
    if (std::none_of(counters.begin(), counters.end(), is_its)) continue;
    beside_.push_back(std::make_unique<BesideWatch>(mover, *encoder, rig_.controller.timer_clock));
    beside_.back()->on_loss([this, id = mover.id()](const std::string& why) {
      if (checks_encoders_) guard_->motion_failed(id, why);
    });
  }
}

template <class M, class... Args>
M* Bench::add(Args&&... args) {
  auto made = std::make_unique<M>(std::forward<Args>(args)...);
  M* const mover = made.get();
  all_.push_back(std::move(made));
  return mover;
}

/// A mover that homes tells its encoders first where it stands.
void Bench::noted_first(const MotionNote& note) {
  if (note.kind == MotionNote::Kind::done && note.text == "home") {
    for (const auto& encoder : encoders_)
      if (encoder->mover().id() == note.mechanism) encoder->set_by_mover();
  }
  noted(note);
}

/// Null for what is no stepper.
StepperMover* Bench::mover_of(MechanismId id) const {
  const auto found = std::find_if(movers_.begin(), movers_.end(),
                                  [&](const StepperMover* mover) { return mover->id() == id; });
  return found == movers_.end() ? nullptr : *found;
}

MovedMechanisms Bench::moved() const {
  MovedMechanisms all;
  for (const auto& mover : all_)
    if (mover->parts() != nullptr) all.push_back({mover->parts(), mover->id()});
  return all;
}

const std::string& Bench::name_of(MechanismId id) const {
  return all_[static_cast<std::size_t>(id)]->name();
}

/// Carts before their wheels.
std::vector<Mover*> Bench::as_they_stop() const {
  std::vector<Mover*> movers;
  for (const bool is_cart : {true, false})
    for (const auto& mover : all_)
      if ((mover->parts() == nullptr) == is_cart) movers.push_back(mover.get());
  return movers;
}

BrushlessHandle Bench::brushless(const std::string& name) & {
  const Mechanism& wanted = mechanism_named(rig_, name);
  for (const auto& six_step : six_steps_)
    if (six_step->mechanism().name == name) return {*this, *six_step};
  throw RangeError(fmt::format("{}: a {} on a {} is no bare brushless motor behind six gates", name,
                               kind_name(wanted.motor), kind_name(wanted.board)));
}

MechanismHandle Bench::mechanism(const std::string& name) & {
  for (const auto& mover : all_)
    if (mover->name() == name) return {*this, *mover};
  (void)mechanism_named(rig_, name);
  throw RangeError(fmt::format("{}: nothing moves it on this bench", name));
}

CartHandle Bench::cart(const std::string& name) & {
  const WheeledPair& wanted = pair_named(rig_, name);
  return {*this, *pairs_[static_cast<std::size_t>(&wanted - rig_.pairs.data())]};
}

DutyMover& Bench::duty_mover(const std::string& name) {
  const Mechanism& wanted = mechanism_named(rig_, name);
  const auto found = std::find_if(drives_.begin(), drives_.end(),
                                  [&](const auto& drive) { return drive->mechanism().name == name; });
  if (found == drives_.end())
    throw RangeError(fmt::format("{}: a {} on a {} is not driven by duty", name, kind_name(wanted.motor),
                                 kind_name(wanted.board)));
  return **found;
}

BrushedHandle Bench::brushed(const std::string& name) & {
  return {*this, duty_mover(name)};
}

template <class M>
M& Bench::pulse_width_mover(const std::string& name, const char* what) {
  const Mechanism& wanted = mechanism_named(rig_, name);
  for (const auto& pulsed : pulsed_)
    if (auto* const mover = dynamic_cast<M*>(pulsed); mover != nullptr && mover->name() == name)
      return *mover;
  throw RangeError(
      fmt::format("{}: a {} on a {} is no {}", name, kind_name(wanted.motor), kind_name(wanted.board), what));
}

ServoHandle Bench::servo(const std::string& name) & {
  return {*this, pulse_width_mover<ServoMover>(name, "hobby servo")};
}

SpeedControllerHandle Bench::speed_controller(const std::string& name) & {
  return {*this, pulse_width_mover<ThrottleMover>(name, "motor behind a speed controller")};
}

StepperMover& Bench::mover(const std::string& name) {
  const Mechanism& wanted = mechanism_named(rig_, name);
  require_movable(wanted);
  return **std::find_if(movers_.begin(), movers_.end(),
                        [&](const auto& mover) { return mover->mechanism().name == wanted.name; });
}

StepperHandle Bench::stepper(const std::string& name) & {
  return {*this, mover(name)};
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

Cast Bench::cast() {
  Cast cast;
  for (const Mechanism& mechanism : rig_.mechanisms)
    cast.movers.push_back(mechanism.is_movable() ? &mover(mechanism.name) : nullptr);
  for (const Mechanism& mechanism : rig_.mechanisms)
    cast.drives.push_back(mechanism.is_driven_by_duty() ? &duty_mover(mechanism.name) : nullptr);
  cast.pairs = pairs_;
  for (const Mechanism& mechanism : rig_.mechanisms) {
    const auto found = std::find_if(six_steps_.begin(), six_steps_.end(), [&](const auto& six_step) {
      return six_step->mechanism().name == mechanism.name;
    });
    cast.six_steps.push_back(found == six_steps_.end() ? nullptr : *found);
  }
  for (const Mechanism& mechanism : rig_.mechanisms) {
    cast.servos.push_back(mechanism.swings() ? &pulse_width_mover<ServoMover>(mechanism.name, "") : nullptr);
    cast.throttles.push_back(mechanism.is_throttled() ? &pulse_width_mover<ThrottleMover>(mechanism.name, "")
                                                      : nullptr);
  }
  for (const auto& output : outputs_) cast.outputs.push_back(output.get());
  cast.inputs = inputs_.get();
  cast.clock = rig_.controller.timer_clock;
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

std::vector<Motion> Bench::move_together(const std::vector<std::pair<std::string, MoveOrder>>& orders) {
  std::vector<StepperMover*> movers;
  for (const auto& [name, order] : orders) {
    movers.push_back(&mover(name));
    if (std::count(movers.begin(), movers.end(), movers.back()) > 1)
      throw RangeError(name + ": is named twice among moves that arrive together");
  }
  const auto together = std::make_shared<ArrivingTogether>();
  std::vector<Motion> motions;
  try {
    for (std::size_t i = 0; i < orders.size(); ++i)
      motions.push_back({*this, *movers[i], movers[i]->move(orders[i].second, together)});
  } catch (...) {
    for (Motion& motion : motions) motion.cancel();
    throw;
  }
  return motions;
}

BenchLoop& Bench::loop() {
  if (!loop_) {
    loop_ = std::make_unique<BenchLoop>(lines());
    for (Participant* const participant : surroundings()) loop_->add(*participant);
    loop_->add(*inputs_);
    loop_->add(*guard_);
    for (const auto& mover : all_) loop_->add(*mover);
    for (const auto& output : outputs_) loop_->add(*output);
    for (const auto& encoder : encoders_) loop_->add(*encoder);
    for (const auto& beside : beside_) loop_->add(*beside);
  }
  return *loop_;
}

std::vector<LineSetup> Bench::line_setups() const {
  std::vector<LineSetup> lines;
  for (const auto& mover : all_)
    for (LineSetup& line : mover->line_setups()) lines.push_back(std::move(line));
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
  loop().run(lines().now() + ticks(span), [] { return false; });
}

void Bench::run_until(const std::function<bool()>& finished, Tick until) {
  require_open();
  loop().run(until, [&] { return finished() && !guard_->has_more_to_tell(); });
}

void Bench::leave_encoders_unchecked() {
  checks_encoders_ = false;
  for (const auto& drive : drives_) drive->leave_count_unwatched();
}

bool Bench::all_are_idle() const {
  return std::all_of(all_.begin(), all_.end(), [](const auto& mover) { return mover->has_ended(); });
}

void Bench::wait_for_all() {
  run_until([this] { return all_are_idle(); });
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
}

void Bench::require_open() const {
  if (is_closed_) throw RangeError("the bench is closed: its lines are at rest, and nothing moves any more");
}

void Bench::stop(StopBy how, const std::string& text, FaultCode code) {
  if (is_closed_) return;
  const Why why{code, text};
  if (how == StopBy::cut) {
    lines().cut();
    inputs_->read_again();
    for (const auto& encoder : encoders_) encoder->read_again();
    for (const auto& beside : beside_) beside->read_again();
    for (const auto& knob : knobs_) knob->read_again();
    for (Mover* const mover : as_they_stop()) mover->lines_were_cut(lines(), why);
    for (const auto& output : outputs_) output->lines_were_cut();
  } else {
    for (Mover* const mover : as_they_stop()) mover->halt(lines(), why);
  }
}

std::string Bench::obstacle(const Mechanism& mechanism) const {
  for (const Guard::Watched* const standing : guard_->standing()) {
    const auto& whose = standing->trip.mechanism;
    if (!whose || name_of(*whose) == mechanism.name) return standing->trip.what;
  }
  return {};
}

/// The position of the mechanism concerned is not believed any more: a switch beyond its travel acted, or its
/// motor was without current.
void Bench::tripped(Lines&, const Trip& trip) {
  StopBy how = rig_.stops.fault;
  if (trip.cause == Trip::Cause::emergency_stop) how = rig_.stops.emergency;
  if (trip.cause == Trip::Cause::limit_switch) how = rig_.stops.limit_switch;
  std::string why = trip.what;
  StepperMover* const mover = trip.mechanism ? mover_of(*trip.mechanism) : nullptr;
  if (trip.cause == Trip::Cause::limit_switch && mover != nullptr) {
    const auto position = mover->position(lines().now());
    why += position ? fmt::format(" where {:.6g} {} was commanded: it does not stand where it was thought to",
                                  position->base.to_double() * display_units_per_base(position->kind),
                                  display_unit(position->kind, 0))
                    : " outside homing";
  }
  stop(how, why, code_of(trip.cause));
  const Tick now = lines().now();
  // What concerns several mechanisms is one thing that happened.
  const bool is_known = told_trip_ == std::pair(now, why);
  told_trip_ = {now, why};
  if (!is_known) stopped(now, {trip.cause, trip.mechanism, why});
  if (mover != nullptr && trip.cause != Trip::Cause::motion_failed) mover->forget_position();
  if (!is_known) tell_fault(why);
}

}  // namespace cogstride
