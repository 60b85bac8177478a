#include "cogstride/bench/live/link_reactions.hpp"

#include <algorithm>

#include "cogstride/chip/link_count.hpp"

namespace cogstride {

void LinkReactions::begin(const LinkMap& map, std::span<const CounterSetup> counters,
                          std::span<const LoopSetup> loops, std::span<const GearSetup> gears,
                          const std::map<LineId, std::size_t>& axis_of) {
  for (const CounterSetup& counter : counters)
    for (std::size_t i = 0; i < map.counters.size(); ++i)
      if (map.counters[i].code_a == pin_code(counter.line_a))
        counters_.push_back({counter, static_cast<std::uint8_t>(i)});
  for (const LoopSetup& loop : loops)
    for (std::size_t i = 0; i < map.loops.size(); ++i)
      for (const Counter& counter : counters_)
        if (counter.setup.line_a == loop.counts_at && map.loops[i] == pin_code(loop.counts_at))
          loops_.push_back({loop, static_cast<std::uint8_t>(i), counter.place});
  for (const GearSetup& gear : gears)
    if (const auto axis = axis_of.find(gear.line); axis != axis_of.end())
      gears_.push_back({gear, static_cast<std::uint8_t>(axis->second)});
}

std::vector<CounterSetup> LinkReactions::counters() const {
  std::vector<CounterSetup> all;
  for (const Counter& each : counters_) all.push_back(each.setup);
  return all;
}

void LinkReactions::hear(const LinkMessage& message, const Tell& tell) {
  if (message.what == LinkReading::count) return counted(message, tell);
  if (message.what == LinkReading::held) return held(message, tell);
  for (const Gear& each : gears_)
    if (message.what == LinkReading::place && each.axis == message.which && each.counter)
      tell({clock_.whole(message.tick), each.setup.source, 2 * std::int64_t{message.value}});
}

/// Its low half, and how long ago the last one came.
void LinkReactions::counted(const LinkMessage& message, const Tell& tell) {
  const auto its = std::find_if(counters_.begin(), counters_.end(),
                                [&](const Counter& each) { return each.place == message.which; });
  if (its == counters_.end()) return;
  constexpr std::uint32_t longer = 0xffff;
  const Tick at = clock_.whole(message.tick);
  const auto told = static_cast<std::uint32_t>(message.value);
  const auto gone = static_cast<std::int16_t>(told - static_cast<std::uint32_t>(its->count));
  its->count += gone;
  if (gone != 0)
    its->counted_at =
        (told >> 16) == longer ? at : at - static_cast<Tick>(told >> 16) * Tick{chip::LinkCount::grain};
  if (its->tells_count) tell({at, its->setup.source, its->count});
  if (its->tells_edge) tell({at, its->setup.edge_source, its->counted_at});
}

void LinkReactions::held(const LinkMessage& message, const Tell& tell) {
  const auto its = std::find_if(loops_.begin(), loops_.end(),
                                [&](const Loop& each) { return each.place == message.which; });
  if (its == loops_.end()) return;
  const auto told = static_cast<std::uint32_t>(message.value);
  its->yielded += static_cast<std::int16_t>(told - static_cast<std::uint32_t>(its->yielded));
  const LoopTold says{static_cast<std::int16_t>(told >> 16), 16 * its->yielded};
  tell({clock_.whole(message.tick), its->setup.source, says.raw()});
}

std::optional<SourceId> LinkReactions::let_go(std::size_t axis) {
  for (Gear& each : gears_) {
    if (each.axis != axis || !each.counter) continue;
    each.counter.reset();
    return each.setup.source;
  }
  return std::nullopt;
}

/// How it is made goes before what it is to hold.
void LinkReactions::make(Loop& loop) {
  const chip::DutyLoopSetup& its = loop.setup.loop;
  LinkBytes bytes(LinkOrder::loop);
  bytes.byte(loop.place)
      .byte(loop.counter)
      .word(its.period)
      .word(static_cast<std::uint32_t>(its.for_speed))
      .word(static_cast<std::uint32_t>(its.for_emf))
      .half(static_cast<std::uint16_t>(its.span))
      .half(static_cast<std::uint16_t>(its.most))
      .word(static_cast<std::uint32_t>(its.brakes))
      .byte(static_cast<std::uint8_t>((its.can_brake ? chip::LoopFlags::can_brake : 0) |
                                      (its.is_reversed ? chip::LoopFlags::is_reversed : 0)));
  for (const LoopSetup::Output& output : loop.setup.outputs) {
    const auto gives = static_cast<int>(output.forwards) << chip::LoopGives::forwards_at |
                       static_cast<int>(output.backwards) << chip::LoopGives::backwards_at |
                       static_cast<int>(output.none) << chip::LoopGives::none_at;
    bytes.byte(pin_code(output.line))
        .byte(static_cast<std::uint8_t>(gives))
        .half(static_cast<std::uint16_t>(output.period / output.grain));
  }
  talk_.order(std::move(bytes));
  loop.is_made = true;
}

bool LinkReactions::hold(Tick at, MechanismId whose, const chip::LoopWanted& wanted) {
  const auto its =
      std::find_if(loops_.begin(), loops_.end(), [&](const Loop& each) { return each.setup.owner == whose; });
  if (its == loops_.end()) return false;
  if (!its->is_made) make(*its);
  talk_.order(LinkBytes(LinkOrder::hold)
                  .byte(its->place)
                  .byte(wanted.flags)
                  .word(static_cast<std::uint32_t>(at))
                  .word(wanted.place)
                  .word(static_cast<std::uint32_t>(wanted.speed))
                  .word(static_cast<std::uint32_t>(wanted.change))
                  .half(wanted.periods)
                  .half(static_cast<std::uint16_t>(wanted.base))
                  .word(static_cast<std::uint32_t>(wanted.gains.per_speed))
                  .word(static_cast<std::uint32_t>(wanted.gains.per_place))
                  .byte(wanted.lets));
  return true;
}

bool LinkReactions::gear(Tick at, LineId line, LineId counts_at, const chip::CountFollow& what) {
  const auto its =
      std::find_if(gears_.begin(), gears_.end(), [&](const Gear& each) { return each.setup.line == line; });
  const auto counter = std::find_if(counters_.begin(), counters_.end(),
                                    [&](const Counter& each) { return each.setup.line_a == counts_at; });
  if (its == gears_.end() || counter == counters_.end()) return false;
  for (const Gear& other : gears_)
    if (&other != &*its && other.counter == counter->place) return false;
  its->counter = counter->place;
  talk_.order(LinkBytes(LinkOrder::gear)
                  .byte(its->axis)
                  .byte(counter->place)
                  .word(static_cast<std::uint32_t>(at))
                  .word(static_cast<std::uint32_t>(what.steps))
                  .word(static_cast<std::uint32_t>(what.counts))
                  .half(what.count)
                  .word(static_cast<std::uint32_t>(what.place))
                  .word(static_cast<std::uint32_t>(what.rest))
                  .half(static_cast<std::uint16_t>(std::min<std::uint32_t>(what.limits.speed, 65'535)))
                  .half(static_cast<std::uint16_t>(std::min<std::uint32_t>(what.limits.start_speed, 65'535)))
                  .word(what.limits.acceleration));
  return true;
}

void LinkReactions::let_go(Tick at, LineId line) {
  for (const Gear& each : gears_)
    if (each.setup.line == line)
      talk_.order(LinkBytes(LinkOrder::let_go).byte(each.axis).word(static_cast<std::uint32_t>(at)));
}

std::optional<int> LinkReactions::sample(SourceId source, Tick first, Tick period) {
  for (Counter& each : counters_) {
    const bool is_count = source == each.setup.source;
    if (!is_count && source != each.setup.edge_source) continue;
    (is_count ? each.tells_count : each.tells_edge) = first != never;
    // Both are told together.
    if (first == never && (each.tells_count || each.tells_edge)) return std::nullopt;
    if (!is_count && each.tells_count && each.first == first && each.period == period) return std::nullopt;
    each.first = first;
    each.period = period;
    return 0x80 | each.place;
  }
  for (const Gear& each : gears_)
    if (source == each.setup.source) return 0xa0 | each.axis;
  for (const Loop& each : loops_)
    if (source == each.setup.source) return 0xc0 | each.place;
  return std::nullopt;
}

bool LinkReactions::answers(SourceId source) const {
  return std::any_of(gears_.begin(), gears_.end(),
                     [&](const Gear& each) { return each.setup.source == source; }) ||
         std::any_of(loops_.begin(), loops_.end(),
                     [&](const Loop& each) { return each.setup.source == source; }) ||
         std::any_of(counters_.begin(), counters_.end(), [&](const Counter& each) {
           return each.setup.source == source || each.setup.edge_source == source;
         });
}

void LinkReactions::forget_samples() {
  for (Counter& each : counters_) each.tells_count = each.tells_edge = false;
}

}  // namespace cogstride
