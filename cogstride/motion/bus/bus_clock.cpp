#include "cogstride/motion/bus/bus_clock.hpp"

#include <algorithm>

#include "cogstride/board/bus/bus_services.hpp"
#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/motion/bus/drive_link.hpp"

namespace cogstride {
namespace {

constexpr auto nobody = static_cast<MechanismId>(0xfffe);  // withdraws what the bus itself needs

}  // namespace

BusClock::BusClock(const Controller& controller)
    : cycle_(ticks_at_least(controller.bus->cycle, controller.timer_clock)),
      beat_(ticks_at_least(controller.bus->heartbeat, controller.timer_clock)),
      id_(static_cast<int>(controller.bus->id)) {}

void BusClock::act(Lines& lines, std::span<const Reading>) {
  const Tick now = lines.now();
  if (now < next_act_) return;
  const Tick soonest = now + lines.lead();
  Tick instant = std::max(put_until_ + cycle_, (soonest + cycle_ - 1) / cycle_ * cycle_);
  if (instant - frames_before(cycle_) - lines.lead() <= now) {
    lines.put(instant, the_bus, sync_frame(), nobody);
    put_until_ = instant;
    instant += cycle_;
  }
  if (beats_at_ <= now) {
    lines.put(soonest, the_bus, heartbeat_frame(id_, NodeState::operational), nobody);
    beats_at_ = now + beat_;
  }
  next_act_ = std::min(instant - frames_before(cycle_) - lines.lead(), beats_at_);
}

}  // namespace cogstride
