#include "cogstride/link/link_axis.hpp"

#include <algorithm>
#include <cstdlib>
#include <utility>

#include "cogstride/chip/link_words.hpp"
#include "cogstride/lines/edge_ramp.hpp"
#include "cogstride/lines/pulse_queue.hpp"
#include "cogstride/plan/narrow_plan.hpp"
#include "cogstride/plan/run_shapes.hpp"

namespace cogstride {

using chip::NarrowPulseRun;
using chip::PulsePlayer;
using chip::PulseRun;

std::int64_t LinkAxis::way_of(const NarrowPulseRun& run) {
  if ((run.flags & chip::run_silent) != 0) return 0;
  return (run.flags & chip::run_backwards) != 0 ? -std::int64_t{run.steps} : run.steps;
}

void LinkAxis::add(Piece piece) {
  piece.end = end_of_run(piece.start, chip::wide_run(piece.run));
  leads_to_ += way_of(piece.run);
  end_ = piece.end;
  pieces_.push_back(piece);
}

void LinkAxis::put(FineTick start, std::span<const PulseRun> runs, std::uint8_t stop) {
  put(start, runs, stop, stop != 0 ? std::uint8_t{chip::run_stops} : std::uint8_t{0});
}

void LinkAxis::put_to_brake(FineTick start, std::span<const PulseRun> runs, const chip::ChipLimits& limits) {
  ramp_ = limits;
  put(start, runs, 0, chip::run_stops);
}

void LinkAxis::put(FineTick start, std::span<const PulseRun> runs, std::uint8_t stop, std::uint8_t flags) {
  if (runs.empty() || !is_told_) return;
  brakes_ = false;
  std::vector<NarrowPulseRun> own;
  for (const PulseRun& run : runs) own.push_back(narrow_run(run));
  bool waits_for_rest = false;
  if (end_.tick < 0 || start.tick - end_.tick > long_pause_) {
    waits_for_rest = true;
  } else if (const std::int64_t pause = fine(start) - fine(end_); pause > 0) {
    const Begun begun = begun_after(own.front(), pause);
    for (const NarrowPulseRun& silence : begun.silence) add({end_, {}, silence, true, false, 0});
    own.erase(own.begin());
    own.insert(own.begin(), begun.runs.begin(), begun.runs.end());
    start = end_;
  }
  for (NarrowPulseRun& run : own) {
    run.flags |= flags;
    add({start, {}, run, false, std::exchange(waits_for_rest, false), stop});
    start = end_;
  }
}

bool LinkAxis::plays(Tick at) const {
  return !pieces_.empty() && pieces_.back().end.tick >= at;
}

std::optional<LinkAxis::Order> LinkAxis::next(std::size_t room) {
  if (!waits() || room == 0) return std::nullopt;
  const Piece& first = pieces_[sent_];
  if (first.waits_for_rest && !stands_) return std::nullopt;
  Order order;
  order.stop = first.stop;
  const std::size_t most = std::min<std::size_t>(room, chip::link_most_runs);
  while (waits() && order.runs.size() < most) {
    const Piece& piece = pieces_[sent_];
    if (!order.runs.empty() && (piece.waits_for_rest || (!piece.bridges && piece.stop != order.stop &&
                                                         order.bridge < order.runs.size())))
      break;
    if (piece.bridges) {
      if (order.bridge < order.runs.size()) break;  // bridges come first
      ++order.bridge;
    } else if (order.runs.size() == order.bridge) {
      order.start = piece.start;
      order.stop = piece.stop;
    }
    order.runs.push_back(piece.run);
    sent_elements_ += piece.run.steps;
    ++sent_;
  }
  if (order.runs.size() == order.bridge) order.start = pieces_[sent_ - 1].end;
  stands_ = false;
  return order;
}

std::int64_t LinkAxis::steps_before(Tick at, Tick* last_pulse) const {
  std::int64_t steps = made_;
  Tick last = last_pulse_;
  for (const Piece& piece : pieces_) {
    if (piece.start.tick >= at) break;
    if ((piece.run.flags & chip::run_silent) != 0) continue;
    PulsePlayer<PulseRun> player(piece.start);
    player.load(chip::wide_run(piece.run));
    while (player.left() > 0 && chip::nearest_tick(player.next()) < at) {
      player.advance();
      steps += player.is_backwards() ? -1 : 1;
      last = player.tick();
    }
    if (player.left() > 0) break;
  }
  if (last_pulse != nullptr) *last_pulse = last;
  return steps;
}

void LinkAxis::each_step(Tick from, Tick to, const std::function<void(Tick, bool backwards)>& step) const {
  for (const Piece& piece : pieces_) {
    if (piece.start.tick >= to) return;
    if (piece.end.tick < from || (piece.run.flags & chip::run_silent) != 0) continue;
    PulsePlayer<PulseRun> player(piece.start);
    player.load(chip::wide_run(piece.run));
    while (player.left() > 0 && chip::nearest_tick(player.next()) < to) {
      player.advance();
      if (player.tick() >= from) step(player.tick(), player.is_backwards());
    }
  }
}

bool LinkAxis::brakes_from(std::int64_t place) {
  // Where its last pieces go there: others may have passed it before.
  std::int64_t ends = leads_to_;
  std::size_t keeps = pieces_.size();
  for (; keeps > 0; --keeps) {
    const std::int64_t way = way_of(pieces_[keeps - 1].run);
    const std::int64_t left = ends - place;
    if (way > 0 ? left >= 0 && left < way : way < 0 && left <= 0 && left > way) break;
    ends -= way;
  }
  if (keeps == 0) return false;
  Piece& last = pieces_[keeps - 1];
  PulsePlayer<PulseRun> player(last.start);
  player.load(chip::wide_run(last.run));
  const bool backwards = player.is_backwards();
  std::uint64_t gap = 0;
  for (std::int64_t left = std::abs(ends - place); player.left() > left;) {
    gap = player.rest().gap;
    player.advance();
  }
  last.run.steps = static_cast<std::uint8_t>(last.run.steps - player.left());
  last.end = player.time();
  pieces_.resize(keeps);
  leads_to_ = place;
  end_ = last.end;
  for (const NarrowPulseRun& run : ramp_to_rest(place, backwards, gap, ramp_, ticks_per_second_))
    add({end_, {}, run, false, false, 0});
  sent_ = pieces_.size();
  brakes_ = true;
  is_told_ = false;
  return true;
}

Withdrawn LinkAxis::take_back(Tick from, std::optional<std::uint32_t>& stays) {
  is_told_ = true;
  if (brakes_) from = never;
  Withdrawn left;
  left.brakes = brakes_;
  left.steps = steps_before(from, &left.last_pulse);
  std::size_t keeps = 0;  // pieces
  std::uint8_t steps = 0;
  std::int64_t elements = sent_elements_;
  for (; keeps < pieces_.size(); ++keeps) {
    const Piece& piece = pieces_[keeps];
    PulsePlayer<PulseRun> player(piece.start);
    player.load(chip::wide_run(piece.run));
    steps = 0;
    while (player.left() > 0 && chip::nearest_tick(player.next()) < from) {
      player.advance();
      ++steps;
    }
    if (player.left() > 0) break;
  }
  if (keeps == pieces_.size()) return left;
  for (std::size_t i = keeps; i < sent_; ++i) elements -= pieces_[i].run.steps;
  if (steps > 0 && keeps < sent_) elements += steps;
  if (steps > 0) {
    Piece& cut = pieces_[keeps];
    cut.run.steps = steps;
    cut.run.flags &= static_cast<std::uint8_t>(~chip::run_ends);
    cut.end = end_of_run(cut.start, chip::wide_run(cut.run));
    ++keeps;
  }
  if (elements < sent_elements_) {
    stays = static_cast<std::uint32_t>(elements);
    sent_elements_ = elements;
  }
  pieces_.resize(keeps);
  sent_ = std::min(sent_, keeps);
  leads_to_ = left.steps;
  if (!pieces_.empty()) end_ = pieces_.back().end;
  // What was forgotten ends before that.
  else if (end_.tick > from)
    end_ = {from, 0};
  return left;
}

void LinkAxis::stopped_at(std::int64_t place, Tick last_pulse) {
  pieces_.clear();
  sent_ = 0;
  made_ = leads_to_ = place;
  last_pulse_ = last_pulse;
  end_ = {-never / 2, 0};
  stands_ = true;
}

void LinkAxis::begin_anew(std::int64_t place) {
  stopped_at(place, last_pulse_);
  brakes_ = false;
  is_told_ = true;
  sent_elements_ = 0;
}

void LinkAxis::forget(Tick before) {
  while (sent_ > 0 && pieces_.front().end.tick < before) {
    const Piece& piece = pieces_.front();
    made_ += way_of(piece.run);
    if ((piece.run.flags & chip::run_silent) == 0) last_pulse_ = chip::nearest_tick(piece.end);
    pieces_.pop_front();
    --sent_;
  }
}

}  // namespace cogstride
