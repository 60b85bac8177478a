// Everything in chip/ as a small chip's compiler sees it: C++14, freestanding, no exceptions, no RTTI.
// Compiled by a test; played by nothing.
#include "cogstride/chip/axis_walk.hpp"
#include "cogstride/chip/coils.hpp"
#include "cogstride/chip/driven_axis.hpp"
#include "cogstride/chip/duty_ramp.hpp"
#include "cogstride/chip/follower.hpp"
#include "cogstride/chip/hands.hpp"
#include "cogstride/chip/home_axis.hpp"
#include "cogstride/chip/homing.hpp"
#include "cogstride/chip/pulse_run.hpp"
#include "cogstride/chip/quadrature.hpp"
#include "cogstride/chip/ramp_maker.hpp"
#include "cogstride/chip/reaction.hpp"
#include "cogstride/chip/row_channel.hpp"
#include "cogstride/chip/row_cycle.hpp"
#include "cogstride/chip/run_feed.hpp"
#include "cogstride/chip/run_ring.hpp"
#include "cogstride/chip/says.hpp"
#include "cogstride/chip/script_play.hpp"
#include "cogstride/chip/servo_frame.hpp"
#include "cogstride/chip/six_step.hpp"
#include "cogstride/chip/speed_loop.hpp"
#include "cogstride/chip/step_axis.hpp"
#include "cogstride/chip/tick.hpp"

namespace {

// A compare channel that does nothing: every member is compiled.
struct Channel {
  struct Lock {
    Lock() {}
    ~Lock() {}
  };
  static uint16_t now() { return 0; }
  static void on() {}
  static void off() {}
  static void at(uint16_t) {}
  static uint16_t tick() { return 0; }
  static void makes_pulses(bool) {}
  static void end_pulse() {}
  static bool is_high() { return false; }
  static void end_pulse_when_long_enough() {}
  static void direction(bool) {}
  static void wait_direction() {}
  static void wait_pulse() {}
  static void step(bool) {}
  static void write(uint8_t) {}
  static void write(uint8_t, bool) {}
  static void wait_dead_time() {}
  static bool is_ready() { return true; }
  static void send(uint8_t) {}
  static cogstride::chip::RowCycle& cycle() {
    static const uint8_t rows[] = {1, 4, 2, 8};
    static cogstride::chip::RowCycle kept(rows, 4);
    return kept;
  }
};
typedef cogstride::chip::StepAxis<Channel> Axis;

}  // namespace

template class cogstride::chip::StepAxis<Channel>;
template class cogstride::chip::StepAxis<cogstride::chip::RowChannel<Channel, Channel>, 4>;
template class cogstride::chip::AxisWalk<Axis::Runs>;
template class cogstride::chip::HomeAxis<Axis::Runs>;
template class cogstride::chip::RunFeed<Axis::Runs, cogstride::chip::ReadPlainly>;
template class cogstride::chip::DrivenAxis<Axis::Runs, cogstride::chip::ReadPlainly>;
template class cogstride::chip::Says<Channel, 16>;
template class cogstride::chip::Homing<int64_t>;
template class cogstride::chip::FollowerOf<int16_t>;
template class cogstride::chip::FollowAxis<Channel>;
template class cogstride::chip::ServoFrame<3, Channel, Channel>;
template class cogstride::chip::QuadratureDecoderOf<int32_t>;
template class cogstride::chip::GlitchFilterOf<uint16_t>;
template class cogstride::chip::CoilSine<16, 63>;
static_assert(cogstride::chip::six_step_table(cogstride::chip::SixStepWiring{}).is_sound,
              "made while compiling");
// The decoder counts while compiling, too.
constexpr int64_t counted() {
  cogstride::chip::QuadratureDecoder decoder(4);
  decoder.take(true, false);
  decoder.take(true, true);
  return decoder.count();
}
static_assert(counted() == 2, "two quarters forwards");

static_assert(cogstride::chip::speed_loop_step({1 << 20, 1 << 20}, 100, 16, -6, -50, 50).duty == 50,
              "held to its range");
static_assert(cogstride::chip::speed_loop_step({1 << 20, 1 << 20}, 100, 16, -6, -50, 50).beyond == 60,
              "and by how much");

constexpr uint8_t coil_rows[] = {1, 4, 2, 8};
static_assert(cogstride::chip::RowCycle(coil_rows, 4).step(true) == 8, "round backwards");
static_assert(!cogstride::chip::Reaction(true, 10, 0, 0).is_due(1000), "nothing has changed");

template class cogstride::chip::PulsePlayer<cogstride::chip::PulseRun>;
template class cogstride::chip::PulsePlayer<cogstride::chip::NarrowPulseRun>;
