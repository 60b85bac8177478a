#include "cogstride/bench/bench.hpp"

#include <algorithm>
#include <cmath>

namespace cogstride {

void Motion::wait() {
  const std::string fault = result();
  if (!fault.empty()) throw MotionFault(fault);
}

std::string Motion::result() {
  bench_->loop().run(never, [this] { return record_->has_ended(); });
  return record_->fault;
}

void Motion::cancel(Braking how) {
  mover_->cancel(bench_->lines(), *record_, how);
}

std::optional<Time> Motion::duration() const {
  if (!record_->has_ended() || record_->began == never) return std::nullopt;
  const double ticks = static_cast<double>(record_->ended - record_->began);
  return Time(ticks / bench_->rig().controller.timer_clock.base().to_double(), units::s);
}

Motion MechanismHandle::home() {
  return {*bench_, *mover_, mover_->home()};
}

Motion MechanismHandle::move(const MoveOrder& order) {
  return {*bench_, *mover_, mover_->move(order)};
}

std::optional<OutputPosition> MechanismHandle::position() const {
  return mover_->position(bench_->lines().now());
}

Motion MechanismHandle::run(const SpeedOrder& order) {
  return {*bench_, *mover_, mover_->run(order)};
}

Motion MechanismHandle::redirect(const MoveOrder& order) {
  return {*bench_, *mover_, mover_->redirect(bench_->lines(), order)};
}

Motion MechanismHandle::redirect(const SpeedOrder& order) {
  return {*bench_, *mover_, mover_->redirect(bench_->lines(), order)};
}

void MechanismHandle::release() {
  mover_->release(bench_->lines());
}

Bench::Bench(Rig rig) : rig_(std::move(rig)) {
  for (const Mechanism& mechanism : rig_.mechanisms) {
    if (!mechanism.is_movable_stepper()) continue;
    const auto id = static_cast<MechanismId>(movers_.size());
    movers_.push_back(std::make_unique<StepperMover>(mechanism, id, rig_.controller));
  }
}

StepperMover& Bench::mover(const std::string& name) {
  const Mechanism& wanted = mechanism_named(rig_, name);
  require_movable_stepper(wanted);
  return **std::find_if(movers_.begin(), movers_.end(),
                        [&](const auto& mover) { return mover->mechanism().name == wanted.name; });
}

MechanismHandle Bench::mechanism(const std::string& name) {
  return {*this, mover(name)};
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

RunLoop& Bench::loop() {
  if (!loop_) {
    loop_ = std::make_unique<RunLoop>(lines());
    for (const auto& mover : movers_) loop_->add(*mover);
  }
  return *loop_;
}

Tick Bench::ticks(Time span) const {
  return std::llround(span.base() * rig_.controller.timer_clock.base().to_double());
}

Time Bench::now() const {
  return Time(static_cast<double>(lines().now()) / rig_.controller.timer_clock.base().to_double(), units::s);
}

void Bench::serve(Time span) {
  loop().run(lines().now() + ticks(span), [] { return false; });
}

void Bench::wait_for_all() {
  loop().run(never, [this] {
    return std::all_of(movers_.begin(), movers_.end(), [](const auto& mover) { return mover->is_idle(); });
  });
}

void Bench::run(Participant& guest, const std::function<bool()>& finished) {
  loop().add(guest);
  try {
    loop().run(never, finished);
  } catch (...) {
    loop().remove(guest);
    throw;
  }
  loop().remove(guest);
}

void Bench::stop() {
  lines().cut();
  for (const auto& mover : movers_) mover->lines_were_cut(lines());
}

}  // namespace cogstride
