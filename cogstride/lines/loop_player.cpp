#include "cogstride/lines/loop_player.hpp"

#include <fmt/format.h>

#include <cstdlib>

#include "cogstride/quantity/error.hpp"

namespace cogstride {

void Lines::hold(Tick, MechanismId whose, const chip::LoopWanted&) {
  throw RangeError(fmt::format("no loop is closed here for mechanism {}", static_cast<int>(whose)));
}

void LoopPlayer::put(Tick at, chip::LoopWanted wanted) {
  wanted.tick = static_cast<std::uint32_t>(at);
  if (!loop_.is_on()) known_ = at;
  if (!loop_.has_room(wanted.tick))
    throw RangeError(fmt::format("a loop knows {} stretches ahead, and no more", int{room}));
  loop_.put(wanted);
}

Tick LoopPlayer::next() const {
  if (!loop_.is_on()) return never;
  return known_ + static_cast<std::int32_t>(loop_.due() - static_cast<std::uint32_t>(known_));
}

LoopPlayer::Given LoopPlayer::step(Tick now, std::int64_t count, Tick counted_at) {
  known_ = now;
  const std::int16_t duty =
      loop_.step(static_cast<std::uint16_t>(count), static_cast<std::uint32_t>(counted_at),
                 static_cast<std::uint32_t>(now));
  return given_by(setup_, duty);
}

LoopPlayer::Given given_by(const LoopSetup& setup, std::int32_t duty) {
  const auto size = static_cast<Tick>(std::abs(duty));
  // What is less than its timer can make is none.
  bool is_none = size == 0;
  for (const LoopSetup::Output& output : setup.outputs)
    if (output.period > 0 && size * output.period / 32768 < output.grain) is_none = true;
  LoopPlayer::Given given;
  for (const LoopSetup::Output& output : setup.outputs) {
    const LoopSetup::Gives gives = is_none ? output.none : duty > 0 ? output.forwards : output.backwards;
    if (output.period == 0) {
      given.levels.push_back({output.line, gives == LoopSetup::Gives::high});
      continue;
    }
    const Tick counts = output.period / output.grain;
    const Tick on = gives == LoopSetup::Gives::low    ? 0
                    : gives == LoopSetup::Gives::high ? counts
                                                      : (size * counts + 16384) / 32768;
    given.compares.push_back({output.line, on * output.grain});
  }
  return given;
}

}  // namespace cogstride
