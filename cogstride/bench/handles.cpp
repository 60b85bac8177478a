#include "cogstride/bench/handles.hpp"

#include <fmt/format.h>

#include <type_traits>

#include "cogstride/bench/bench_loop.hpp"
#include "cogstride/bench/check.hpp"
#include "cogstride/lines/lines.hpp"
#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/motion/brushed/duty_mover.hpp"
#include "cogstride/motion/brushless/six_step_mover.hpp"
#include "cogstride/motion/bus/bus_drive_mover.hpp"
#include "cogstride/motion/cart/pair_mover.hpp"
#include "cogstride/motion/gearing/changes.hpp"
#include "cogstride/motion/gearing/shaft_mover.hpp"
#include "cogstride/motion/output_switch.hpp"
#include "cogstride/motion/pulse_width/servo_mover.hpp"
#include "cogstride/motion/pulse_width/throttle_mover.hpp"
#include "cogstride/motion/stepper/stepper_mover.hpp"

namespace cogstride {

namespace {
Bench& there(const std::weak_ptr<Bench*>& bench) {
  const std::shared_ptr<Bench*> held = bench.lock();
  if (!held) throw RangeError("the bench of this handle is gone: keep it as long as its handles");
  return **held;
}
}  // namespace

Motion::Motion(Bench& bench, Mover& mover, std::shared_ptr<MotionRecord> record)
    : bench_(bench.self_),
      ticks_per_second_(bench.rig().controller.timer_clock.base().to_double()),
      mover_(&mover),
      record_(std::move(record)) {}

Bench& Motion::bench() const {
  return there(bench_);
}

MotionStatus Motion::ended() const {
  if (record_->status == MotionStatus::faulted) throw MotionFault(record_->fault, record_->code);
  return record_->status;
}

void Motion::run(Tick until) {
  if (has_ended()) return;
  Bench& on = bench();
  on.run_and_keep([this] { return record_->has_ended(); }, until);
  try {
    on.throw_what_a_listener_threw();
  } catch (...) {
    if (record_->status != MotionStatus::faulted) throw;
    std::throw_with_nested(MotionFault(record_->fault, record_->code));
  }
}

MotionStatus Motion::wait() {
  run(never);
  return ended();
}

MotionStatus Motion::wait_for(Time most) {
  if (!has_ended()) {
    const Bench& on = bench();
    run(on.lines().now() + on.ticks(most));
  }
  return ended();
}

std::string Motion::result() {
  run(never);
  return record_->fault;
}

void Motion::cancel(Braking how) {
  if (has_ended()) return;
  Bench& on = bench();
  on.require_open();
  mover_->cancel(on.lines(), *record_, how);
}

std::optional<Time> Motion::duration() const {
  if (!record_->has_ended() || record_->began == never) return std::nullopt;
  return Time(static_cast<double>(record_->ended - record_->began) / ticks_per_second_, units::s);
}

template <class M>
HandleOf<M>::HandleOf(Bench& bench, M& mover) : bench_(bench.self_), mover_(&mover) {}

template <class M>
Bench& HandleOf<M>::bench() const {
  return there(bench_);
}

template <class M>
M& HandleOf<M>::mover() const {
  (void)there(bench_);
  return *mover_;
}

template <class M>
Lines& HandleOf<M>::lines() const {
  Bench& on = bench();
  on.require_open();
  return on.lines();
}

template <class M>
Tick HandleOf<M>::now() const {
  return bench().lines().now();
}

template <class M>
Motion HandleOf<M>::motion(std::shared_ptr<MotionRecord> record) const {
  if constexpr (std::is_base_of_v<Mover, M>) {
    return {bench(), *mover_, std::move(record)};
  } else {
    throw RangeError("a plain output has no motions");
  }
}

template <class M>
void HandleOf<M>::wait_for_rest() const {
  if constexpr (std::is_base_of_v<Mover, M>) bench().wait_for_stop([this] { return mover_->has_ended(); });
}

template class HandleOf<Mover>;
template class HandleOf<StepperMover>;
template class HandleOf<DutyMover>;
template class HandleOf<ServoMover>;
template class HandleOf<ThrottleMover>;
template class HandleOf<SixStepMover>;
template class HandleOf<BusDriveMover>;
template class HandleOf<PairMover>;
template class HandleOf<ShaftMover>;
template class HandleOf<OutputSwitch>;

BrushlessHandle Bench::brushless(const std::string& name) & {
  return {*this, mover_as<SixStepMover>(name)};
}

BusDriveHandle Bench::bus_drive(const std::string& name) & {
  return {*this, mover_as<BusDriveMover>(name)};
}

MechanismHandle Bench::mechanism(const std::string& name) & {
  return {*this, mover(name)};
}

CartHandle Bench::cart(const std::string& name) & {
  (void)pair_named(rig_, name);
  return {*this, mover_as<PairMover>(name)};
}

ShaftHandle Bench::shaft(const std::string& name) & {
  return {*this, mover_as<ShaftMover>(name)};
}

BrushedHandle Bench::brushed(const std::string& name) & {
  return {*this, mover_as<DutyMover>(name)};
}

ServoHandle Bench::servo(const std::string& name) & {
  return {*this, mover_as<ServoMover>(name)};
}

SpeedControllerHandle Bench::speed_controller(const std::string& name) & {
  return {*this, mover_as<ThrottleMover>(name)};
}

StepperHandle Bench::stepper(const std::string& name) & {
  return {*this, mover_as<StepperMover>(name)};
}

const std::string& MechanismHandle::name() const {
  return mover().name();
}

const Mechanism* MechanismHandle::parts() const {
  return mover().parts();
}

bool MechanismHandle::has_ended() const {
  return mover().has_ended();
}

bool MechanismHandle::is_driven() const {
  return mover().is_driven(now());
}

std::string MechanismHandle::obstacle() const {
  return mover().log().obstacle();
}

void MechanismHandle::stop() {
  mover().answers_for().come_to_rest(lines());
  wait_for_rest();
}

Motion StepperHandle::home() {
  bench().require_open();
  return motion(mover().home());
}

Motion StepperHandle::move(const MoveOrder& order) {
  return motion(mover().move(lines(), order));
}

std::optional<OutputPosition> StepperHandle::position() const {
  return mover().position(now());
}

Motion StepperHandle::spin(const SpeedOrder& order) {
  return motion(mover().spin(lines(), order));
}

Motion StepperHandle::turn(const TurnOrder& order) {
  return motion(mover().turn(lines(), order));
}

Motion StepperHandle::faster(OutputSpeed by) {
  return motion(mover().change_speed(lines(), by));
}

Motion StepperHandle::slower(OutputSpeed by) {
  return faster({by.kind, -by.base});
}

Motion StepperHandle::reverse() {
  return motion(mover().reverse_speed(lines()));
}

void StepperHandle::stop(Braking how) {
  mover().stop(lines(), how);
  wait_for_rest();
}

void StepperHandle::hold() {
  mover().hold(lines());
}

Motion StepperHandle::measure() {
  bench().require_open();
  return motion(mover().measure());
}

Measured StepperHandle::measured() const {
  for (const auto& each : bench().checks_)
    if (each.of == mover().id())
      if (const std::optional<Measured> measured = each.check->measured()) return *measured;
  throw RangeError(fmt::format("{}: has no encoder", parts().name));
}

Motion StepperHandle::redirect(const MoveOrder& order) {
  return motion(mover().redirect(lines(), order));
}

Motion StepperHandle::redirect(const SpeedOrder& order) {
  return motion(mover().redirect(lines(), order));
}

void StepperHandle::release() {
  mover().release(lines());
}

Motion BrushlessHandle::spin(const SpeedOrder& order) {
  return motion(mover().spin(lines(), order));
}

Motion BrushlessHandle::faster(OutputSpeed by) {
  return motion(mover().change_speed(lines(), by));
}

Motion BrushlessHandle::slower(OutputSpeed by) {
  return faster({by.kind, -by.base});
}

Motion BrushlessHandle::reverse() {
  return motion(mover().reverse_speed(lines()));
}

Motion BrushlessHandle::stop() {
  return motion(mover().stop(lines()));
}

InexactSpeed BrushlessHandle::wanted_speed() const {
  return {output_kind(parts().train), mover().wanted_speed(now())};
}

Motion BusDriveHandle::move(const MoveOrder& order) {
  return motion(mover().move(lines(), order));
}

Motion BusDriveHandle::spin(const SpeedOrder& order) {
  return motion(mover().spin(lines(), order));
}

Motion BusDriveHandle::spin(const DutyOrder& order) {
  return motion(mover().spin(lines(), order));
}

Motion BusDriveHandle::pull(Torque torque) {
  return motion(mover().pull(lines(), torque));
}

Motion BusDriveHandle::stop() {
  return motion(mover().stop(lines(), std::optional<ExactTime>()));
}

Motion BusDriveHandle::arm() {
  return motion(mover().arm(lines()));
}

bool BusDriveHandle::is_armed() const {
  return mover().is_armed();
}

void BusDriveHandle::hold() {
  mover().hold(lines());
}

void BusDriveHandle::release() {
  mover().release(lines());
}

std::string BusDriveHandle::fault() const {
  return mover().link().fault();
}

std::optional<DriveTold> BusDriveHandle::told() const {
  const BusDriveMover& its = mover();
  if (!its.link().has_told()) return std::nullopt;
  const DriveLink::Told& last = its.link().told();
  const OutputKind kind = output_kind(parts().train);
  DriveTold told;
  told.place = {kind, Ratio(last.place - its.zero()) / its.commanded_per_base()};
  told.speed = {kind, static_cast<double>(last.speed) / its.counts_per_base()};
  told.current = Current(last.current, units::A);
  told.torque = Torque(last.torque, units::Nm);
  told.supply = Voltage(last.supply, units::V);
  if (last.supply_current) told.supply_current = Current(*last.supply_current, units::A);
  if (last.applied) told.applied = Voltage(*last.applied, units::V);
  told.degrees_celsius = last.celsius;
  if (its.link().state()) told.state = to_text(*its.link().state());
  return told;
}

const Mechanism& BusDriveHandle::parts() const {
  return mover().mechanism();
}

Motion CartHandle::drive(const CartOrder& order) {
  return motion(mover().drive(lines(), order));
}

void CartHandle::stop() {
  mover().stop(lines(), Braking::on_a_ramp);
  bench().wait_for_stop([this] { return bench().all_are_idle(); });
}

Motion ServoHandle::swing(const MoveOrder& order) {
  return motion(mover().swing(lines(), order));
}

Motion ServoHandle::stop() {
  return motion(mover().stop(lines()));
}

void ServoHandle::release() {
  mover().release(lines());
}

Motion SpeedControllerHandle::arm() {
  return motion(mover().arm(lines()));
}

Motion SpeedControllerHandle::throttle(const DutyOrder& order) {
  return motion(mover().spin(lines(), order));
}

Motion SpeedControllerHandle::faster(ExactFraction by) {
  return motion(mover().change(lines(), by));
}

Motion SpeedControllerHandle::slower(ExactFraction by) {
  return motion(mover().change(lines(), -by));
}

Motion SpeedControllerHandle::reverse(std::optional<ExactTime> ramp) {
  return motion(mover().reverse(lines(), ramp));
}

Motion SpeedControllerHandle::stop(std::optional<ExactTime> ramp) {
  return motion(mover().stop(lines(), ramp));
}

void SpeedControllerHandle::release() {
  mover().release(lines());
}

Fraction SpeedControllerHandle::throttle() const {
  return Fraction::from_base(mover().throttle_at(now()));
}

Motion BrushedHandle::spin(const DutyOrder& order) {
  return motion(mover().spin(lines(), order));
}

Motion BrushedHandle::spin(const SpeedOrder& order) {
  return motion(mover().spin(lines(), order));
}

Motion BrushedHandle::move(const MoveOrder& order) {
  return motion(mover().move(lines(), order));
}

Motion BrushedHandle::faster(OutputSpeed by) {
  return motion(mover().change_speed(lines(), by));
}

Motion BrushedHandle::slower(OutputSpeed by) {
  return faster({by.kind, -by.base});
}

Motion BrushedHandle::spin_fraction(Fraction fraction, std::optional<ExactTime> ramp) {
  return spin({.duty = Fraction::from_base(duty_of_fraction(fraction.base(), mover().limits())), .in = ramp});
}

Motion BrushedHandle::faster(ExactFraction by) {
  return motion(mover().change(lines(), by));
}

Motion BrushedHandle::slower(ExactFraction by) {
  return motion(mover().change(lines(), -by));
}

Motion BrushedHandle::reverse(std::optional<ExactTime> ramp) {
  return motion(mover().reverse(lines(), ramp));
}

Motion BrushedHandle::stop(std::optional<ExactTime> ramp) {
  if (Mover& holder = mover().answers_for(); &holder != &mover()) holder.stop(lines(), Braking::on_a_ramp);
  return motion(mover().stop(lines(), ramp));
}

void BrushedHandle::brake() {
  mover().let(lines(), SlowsBy::braking);
}

void BrushedHandle::coast() {
  mover().let(lines(), SlowsBy::coasting);
}

Fraction BrushedHandle::duty() const {
  return Fraction::from_base(mover().duty(now()));
}

Measured BrushedHandle::measured() const {
  const BrushedFeedback& feedback = mover().feedback();
  if (feedback.encoder() == nullptr) throw RangeError(fmt::format("{}: has no encoder", parts().name));
  const OutputPosition turned = feedback.position();
  return {feedback.encoder()->name,
          feedback.count().value_or(0),
          turned,
          {turned.kind, feedback.speed()},
          {turned.kind, feedback.speed_error()}};
}

Current BrushedHandle::measured_current() const {
  const std::optional<double> amperes = mover().feedback().current();
  if (!amperes) throw RangeError(fmt::format("{}: has no shunt, or it was not read yet", parts().name));
  return Current(*amperes, units::A);
}

Motion ShaftHandle::spin(const SpeedOrder& order) {
  return motion(mover().spin(lines(), order));
}

void ShaftHandle::stop() {
  mover().stop(lines(), Braking::on_a_ramp);
  wait_for_rest();
}

const Shaft& ShaftHandle::parts() const {
  return mover().shaft();
}

FollowerHandle::FollowerHandle(Bench& bench, Mover& mover, Motion motion)
    : HandleOf(bench, mover), motion_(std::move(motion)) {}

Follow& FollowerHandle::follow() const {
  return followed_by(mover());
}

bool FollowerHandle::goes_along() const {
  Follows* const follows = mover().follows();
  return follows != nullptr && follows->following() != nullptr && follows->following()->goes_along();
}

double FollowerHandle::lag_in_steps() const {
  return follow().behind().all;
}

double FollowerHandle::lag() const {
  return follow().behind().all / follow().follower().grains_per_base.to_double();
}

Ratio FollowerHandle::ratio() const {
  return follow().gear().per_count();
}

Ratio FollowerHandle::phase() const {
  return follow().followed();
}

std::int64_t FollowerHandle::layers() const {
  return follow().gear().layers_done();
}

void FollowerHandle::change(const Following& to) {
  (void)lines();
  bench().change_gear(mover(), to);
}

void FollowerHandle::change_ends(OutputPosition from, OutputPosition to) {
  cogstride::change_ends(mover(), from, to, lines().now());
}

void FollowerHandle::nudge(OutputPosition by) {
  cogstride::nudge(mover(), by, lines().now());
}

void FollowerHandle::let_go() {
  able(mover().name(), mover().follows(), "follow another").let_go(lines());
  wait_for_rest();
}

void OutputHandle::on() {
  mover().set(lines(), true);
}

void OutputHandle::off() {
  mover().set(lines(), false);
}

void OutputHandle::fade(Fraction share, Time lasts) {
  mover().fade(lines(), share.base(), bench().ticks(lasts));
}

const Mechanism& StepperHandle::parts() const {
  return mover().mechanism();
}

const Mechanism& BrushedHandle::parts() const {
  return mover().mechanism();
}

std::optional<OutputPosition> ServoHandle::position() const {
  return mover().position();
}

const Mechanism& ServoHandle::parts() const {
  return mover().mechanism();
}

bool SpeedControllerHandle::is_armed() const {
  return mover().is_armed();
}

const Mechanism& SpeedControllerHandle::parts() const {
  return mover().mechanism();
}

Fraction BrushlessHandle::duty() const {
  return Fraction::from_base(mover().duty());
}

const Mechanism& BrushlessHandle::parts() const {
  return mover().mechanism();
}

const CartPose& CartHandle::thinks() const {
  return mover().thinks();
}

const WheeledPair& CartHandle::parts() const {
  return mover().pair();
}

}  // namespace cogstride
