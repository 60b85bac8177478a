#include "cogstride/lines/gear_player.hpp"

#include <algorithm>

#include "cogstride/lines/pulse_queue.hpp"
#include "cogstride/quantity/error.hpp"

namespace cogstride {
namespace {
constexpr Tick begins_in = 2000;  // ticks, from rest to its first run
}

bool Lines::gear(Tick, LineId, LineId, const chip::CountFollow&) {
  return false;
}
void Lines::let_go(Tick, LineId) {
  throw RangeError("nothing is geared to a count here");
}

void GearPlayer::put(Tick at, LineId counts_at, const chip::CountFollow& what) {
  counts_at_ = counts_at;
  what_ = what;
  begins_ = at;
  lets_go_ = never;
}

void GearPlayer::clear() {
  is_on_ = false;
  begins_ = lets_go_ = next_look_ = never;
  comes_to_rest_ = false;
}

Tick GearPlayer::next() const {
  return std::min({begins_, is_on_ ? next_look_ : never, is_on_ ? lets_go_ : never});
}

bool GearPlayer::look(Tick now, std::int64_t place, std::int64_t count, Tick counted_at,
                      std::vector<Run>& runs) {
  const auto low = [](auto value) { return static_cast<std::uint32_t>(value); };
  if (begins_ <= now) {
    begins_ = never;
    if (is_on_) {
      follow_.go_by(what_);
    } else {
      follow_.begin(ramp_, what_, static_cast<std::int32_t>(place), static_cast<std::uint16_t>(count),
                    low(now));
      end_ = {now, 0};
      is_on_ = true;
    }
  }
  if (lets_go_ <= now) {
    lets_go_ = never;
    follow_.stop();
  }
  const Tick left = std::max<Tick>(0, end_.tick - now);
  if (follow_.is_due(low(now)))
    follow_.look(static_cast<std::uint16_t>(count), low(counted_at), low(now), low(left));
  feed(now, runs);
  next_look_ = now + static_cast<std::int32_t>(follow_.due() - low(now));
  if (follow_.is_stopping() && end_.tick > now) next_look_ = std::min(next_look_, end_.tick + 1);
  if (!follow_.is_stopping() || !follow_.is_at_rest() || end_.tick >= now) return false;
  clear();
  return true;
}

void GearPlayer::feed(Tick now, std::vector<Run>& runs) {
  chip::NarrowPulseRun run{};
  // It may turn round there: that takes its time.
  if (comes_to_rest_ && end_.tick >= now) return;
  comes_to_rest_ = false;
  while (!comes_to_rest_ && end_.tick - now < static_cast<Tick>(follow_.ahead()) && follow_.next(run)) {
    if (end_.tick < now) end_ = {now + begins_in, 0};
    runs.push_back({end_, chip::wide_run(run), (run.flags & chip::run_backwards) != 0});
    end_ = end_of_run(end_, runs.back().run);
    comes_to_rest_ = (run.flags & chip::run_ends) != 0;
  }
  // It was to go on, and belongs where it is: as a chip does, which says so to its player.
  constexpr Tick ends_in = 1000;
  if (comes_to_rest_ || end_.tick < now || !follow_.is_at_rest()) return;
  end_.tick += ends_in;
  comes_to_rest_ = true;
}

}  // namespace cogstride
