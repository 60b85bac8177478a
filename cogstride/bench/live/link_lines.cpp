#include "cogstride/bench/live/link_lines.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <cmath>
#include <deque>
#include <map>

#include "cogstride/bench/live/link_reactions.hpp"
#include "cogstride/bench/live/link_trace.hpp"
#include "cogstride/link/link_axis.hpp"
#include "cogstride/link/link_levels.hpp"

namespace cogstride {
namespace {

constexpr std::int64_t ms = 1'000'000;
constexpr std::int64_t longest_answer_ns = 1'000 * ms;
constexpr std::int64_t chip_may_be_silent_ns = 500 * ms;
constexpr std::uint32_t no_more = 0xffffffff;
constexpr std::uint8_t no_axis = 0xff;
constexpr const char* silent_words =
    "the chip heard nothing of this computer for too long, and came to rest: it was busy with something else";

}  // namespace

struct LinkLines::Inside {
  Inside(Setup given, ByteStream& its)
      : setup(std::move(given)),
        stream(its),
        talk(1e-9 * setup.bytes_per_second),
        clock(setup.ticks_per_second),
        session(new_link_session()) {
    for (std::size_t i = 0; i < setup.map.axes.size(); ++i) axes.emplace_back(setup.ticks_per_second);
    room.resize(axes.size());
    brakes_told.resize(axes.size());
    for (const LineSetup& line : setup.lines) {
      if (line.use == LineSetup::Use::input) inputs[line.id] = {line.source, false};
      for (std::size_t i = 0; i < setup.map.axes.size(); ++i)
        if (line.owner == static_cast<MechanismId>(setup.map.axes[i]) &&
            (line.use == LineSetup::Use::pulses || !line.rows.lines.empty()))
          axis_of[line.id] = i;
    }
    reactions.begin(setup.map, setup.counters, setup.loops, setup.gears, axis_of);
    for (const CounterSetup& counter : reactions.counters()) {
      inputs.erase(counter.line_a);
      inputs.erase(counter.line_b);
    }
    for (const LinkMap::Line& line : setup.map.lines)
      if (line.use == LinkMap::Use::direction) directions.push_back(line.code);
  }

  struct Input {
    SourceId source{};
    bool high = false;
  };
  struct Sampling {
    LineId line{};
    Tick next = never;
    Tick period = 0;
  };
  /// What planning has not been told yet.
  struct Untold {
    Reading reading{};
    std::uint8_t ended = 0;  // axes that it has ended, a bit each
    std::uint8_t waits = 0;  // those of them that have not said where they stand
  };

  void greet();
  void pump();
  void take(const LinkMessage& message, std::int64_t now_ns);
  void take_state(std::uint8_t state);
  void stood(const LinkMessage& message);
  void turned(const LinkMessage& message);
  void tell_brake(std::size_t axis, const StopOn& stop);
  bool tell(std::vector<Reading>& readings);
  [[nodiscard]] Tick next_told() const;
  [[nodiscard]] bool level_at(LineId line, Tick at) const;
  void feed();
  void say(std::int64_t now_ns);
  bool take_samples(std::vector<Reading>& readings);
  void rests_at(Tick at);
  [[nodiscard]] std::uint8_t axis_of_mechanism(MechanismId mechanism) const;
  void lose(const std::string& why) {
    if (trouble.gone.empty()) trouble.gone = why;
    has_trouble = true;
  }
  /// A line's code and 1, and which edge.
  [[nodiscard]] std::uint8_t stop_code(const StopOn& stop) const {
    return static_cast<std::uint8_t>((pin_code(stop.line) + 1) | (stop.edge == Edge::rising ? 0x80 : 0));
  }
  [[nodiscard]] std::string axis_name(std::size_t axis) const {
    for (const auto& [line, place] : axis_of)
      if (place == axis)
        for (const LineSetup& each : setup.lines)
          if (each.id == line) return each.name.substr(0, each.name.find('.'));
    return fmt::format("axis {}", axis);
  }
  [[nodiscard]] double seconds(Tick ticks) const {
    return static_cast<double>(ticks) / setup.ticks_per_second;
  }

  Setup setup;
  ByteStream& stream;
  LinkTalk talk;
  TickClock clock;
  std::uint16_t session;
  std::vector<LinkAxis> axes{};
  std::vector<std::size_t> room{};  // for runs, as told last
  std::vector<std::optional<StopOn>> brakes_told{};
  std::map<LineId, Input> inputs{};
  std::map<LineId, bool> first_levels{};
  std::map<LineId, std::size_t> axis_of{};
  std::vector<std::uint8_t> directions{};  // which the chip turns by itself
  std::vector<Sampling> samplings{};
  LinkReactions reactions{talk, clock};
  LinkLevels levels{setup.map.duties.empty() ? std::size_t{8} : std::size_t{20}};
  std::deque<Untold> untold{};
  std::vector<LinkMessage> messages{};
  std::vector<std::uint8_t> unsent{};
  LinkTrace trace{setup.lines, axis_of, axes};
  Trouble trouble{};
  bool has_trouble = false;
  bool is_open = false;
  bool has_ended = false;
  bool has_rested = true;  // the last cut has come through
  bool is_gone = false;    // nothing is heard any more
  std::atomic<bool> woken{false};
  Tick now = 0;
  Tick begins = 0;  // the chip's tick that is called 0
  std::uint8_t cuts = 0;
  std::int64_t heard_ns = 0;
  std::int64_t braked_ns = 0;  // since then it says that it braked by itself
};

LinkLines::LinkLines(Setup setup, ByteStream& stream)
    : inside_(std::make_unique<Inside>(std::move(setup), stream)) {
  inside_->greet();
}

LinkLines::~LinkLines() {
  end();
}

void LinkLines::Inside::greet() {
  talk.greet(setup.map.mark, session, static_cast<std::uint16_t>(setup.silence_ms));
  const std::int64_t until = stream.now_ns() + setup.greets_for_ns;
  while (!is_open || !clock.is_known()) {
    pump();
    if (has_trouble) throw Error(trouble.gone);
    if (stream.now_ns() >= until) throw Error(no_answer_words(setup.port, setup.baud));
    stream.wait_until(std::min(until, std::max(talk.next_ns(), stream.now_ns() + ms)));
  }
  now = clock.at(stream.now_ns());
  // A wait for the computer lasts longer by the way there and back.
  const auto in_ms = [&](Tick ticks) {
    return static_cast<std::uint16_t>(std::min(65'535.0, std::ceil(1e3 * seconds(ticks))));
  };
  for (const CutOn& each : setup.cuts) {
    const std::optional<std::uint8_t> code = link_code(each.line);
    if (!code) continue;
    talk.order(LinkBytes(LinkOrder::react)
                   .byte(static_cast<std::uint8_t>(*code | (each.when_high ? 0x80 : 0)))
                   .byte(each.while_runs ? axis_of_mechanism(*each.while_runs) : no_axis)
                   .half(in_ms(each.steady_for))
                   .half(in_ms(each.released_for))
                   .half(each.waits == 0 ? std::uint16_t{0} : in_ms(each.waits + 2 * setup.reads)));
  }
}

std::uint8_t LinkLines::Inside::axis_of_mechanism(MechanismId mechanism) const {
  for (std::size_t i = 0; i < setup.map.axes.size(); ++i)
    if (setup.map.axes[i] == static_cast<std::size_t>(mechanism)) return static_cast<std::uint8_t>(i);
  return no_axis;
}

void LinkLines::Inside::pump() {
  if (is_gone) return;
  try {
    std::array<std::uint8_t, 512> bytes{};
    for (;;) {
      const std::size_t count = stream.read(bytes);
      if (count == 0) break;
      const std::int64_t now_ns = stream.now_ns();
      messages.clear();
      talk.hear({bytes.data(), count}, now_ns, messages);
      for (const LinkMessage& message : messages) take(message, now_ns);
    }
    const std::int64_t now_ns = stream.now_ns();
    is_gone = is_open && now_ns - heard_ns > chip_may_be_silent_ns;
    if (is_gone)
      return lose(fmt::format("{}: nothing has been heard of the chip for {} ms: it comes to rest by itself",
                              setup.port, chip_may_be_silent_ns / ms));
    feed();
    say(now_ns);
  } catch (const Error& error) {
    is_gone = true;
    lose(fmt::format("{}: the chip comes to rest by itself", error.what()));
  }
}

void LinkLines::Inside::say(std::int64_t now_ns) {
  // What the port has not taken comes first.
  if (unsent.empty()) {
    const std::span<const std::uint8_t> bytes = talk.send(now_ns);
    unsent.assign(bytes.begin(), bytes.end());
  }
  if (unsent.empty()) return;
  const std::size_t count = stream.write(unsent);
  unsent.erase(unsent.begin(), unsent.begin() + static_cast<std::ptrdiff_t>(count));
}

/// Runs go out as the chip has room for them, the axes by turns.
void LinkLines::Inside::feed() {
  if (!is_open || talk.is_cutting()) return;
  levels.feed(talk, now, now + 3 * setup.lead);
  bool has_fed = true;
  while (has_fed && talk.waiting() < LinkTalk::most_orders) {
    has_fed = false;
    for (std::size_t i = 0; i < axes.size(); ++i) {
      const std::size_t taken = talk.runs_on_their_way(static_cast<std::uint8_t>(i));
      const std::optional<LinkAxis::Order> order = axes[i].next(room[i] > taken ? room[i] - taken : 0);
      if (!order) continue;
      has_fed = true;
      LinkBytes bytes(LinkOrder::runs);
      bytes.byte(static_cast<std::uint8_t>(i))
          .word(static_cast<std::uint32_t>(order->start.tick))
          .half(order->start.fraction)
          .byte(order->bridge)
          .byte(order->stop);
      for (const chip::NarrowPulseRun& run : order->runs)
        bytes.word(run.gap)
            .word(static_cast<std::uint32_t>(run.change))
            .half(static_cast<std::uint16_t>(run.bend))
            .byte(run.steps)
            .byte(run.flags);
      talk.order(std::move(bytes), static_cast<std::uint8_t>(i),
                 static_cast<std::uint8_t>(order->runs.size()));
    }
  }
}

void LinkLines::Inside::take_state(std::uint8_t state) {
  using State = chip::LinkState;
  if ((state & State::silent) != 0) {
    lose(silent_words);
    trouble.cut_by = CutBy::silence;
  }
  if ((state & (State::acted | State::unanswered)) != 0) {
    trouble.cut_by = (state & State::acted) != 0 ? CutBy::reaction : CutBy::no_answer;
    has_trouble = true;
  }
  // Which axis, and where it stands, is told when it does: where that does not come, this is what is known.
  constexpr std::int64_t longest_ramp_ns = 4'000 * ms;
  if ((state & State::braked) == 0)
    braked_ns = 0;
  else if (braked_ns == 0)
    braked_ns = heard_ns;
  else if (heard_ns - braked_ns > longest_ramp_ns)
    lose("the chip has braked an axis by itself, and obeys no more");
  if ((state & State::flooded) != 0) lose("more came in at the chip than it could tell: some of it is lost");
}

/// What happens is told when it is so long ago as the rig says, or later: whatever the line delays, planning
/// goes by the same.
Tick LinkLines::Inside::next_told() const {
  if (untold.empty()) return never;
  return untold.front().waits == 0 ? std::max(now, untold.front().reading.at + setup.reads) : never;
}

bool LinkLines::Inside::tell(std::vector<Reading>& readings) {
  bool has_told = false;
  for (; next_told() <= now; has_told = true) {
    readings.push_back(untold.front().reading);
    untold.pop_front();
  }
  return has_told;
}

void LinkLines::Inside::stood(const LinkMessage& message) {
  using Stood = chip::LinkStood;
  if (message.which >= axes.size()) return;
  LinkAxis& axis = axes[message.which];
  const Tick at = clock.whole(message.tick);
  if (const std::optional<SourceId> geared = reactions.let_go(message.which)) {
    trace.stands(message.which, message.value, at);
    axis.stopped_at(message.value, at);
    if (message.how == Stood::at_end) {
      untold.push_back({{at, *geared, 2 * std::int64_t{message.value} + 1}});
      return;
    }
  }
  const std::int64_t planned = axis.steps_before(at + 1);
  if (message.how == Stood::at_end) {
    axis.stands();
    if (planned != message.value)
      lose(fmt::format("{}: the chip counts {} steps, and {} were ordered", axis_name(message.which),
                       message.value, planned));
    return;
  }
  const bool by_ramp = message.how == Stood::by_edge && axis.brakes();
  if (by_ramp) {
    axis.stands();
    if (planned != message.value)
      lose(fmt::format("{}: an edge braked it, and it came to rest on step {} instead of {}",
                       axis_name(message.which), message.value, planned));
  } else {
    trace.stands(message.which, message.value, at);
    axis.stopped_at(message.value, at);
  }
  if (message.how == Stood::by_edge) {
    constexpr std::uint8_t has_ended = 0x80;
    talk.order(LinkBytes(LinkOrder::take_back)
                   .byte(static_cast<std::uint8_t>(message.which | has_ended))
                   .word(axis.sent()));
    for (Untold& each : untold) each.waits &= static_cast<std::uint8_t>(~(1U << message.which));
    return;
  }
  if (message.how == Stood::silent) return lose(silent_words);
  lose(fmt::format("{}: what follows did not come to the chip in time, and it {} by itself",
                   axis_name(message.which), message.how == Stood::braked ? "braked" : "stood"));
}

/// From a step on that is known here as well as there.
void LinkLines::Inside::turned(const LinkMessage& message) {
  if (message.which >= axes.size()) return;
  if (!axes[message.which].brakes_from(message.value))
    lose(fmt::format("{}: the chip brakes it from step {}, where nothing that was ordered leads",
                     axis_name(message.which), message.value));
  for (Untold& each : untold) each.waits &= static_cast<std::uint8_t>(~(1U << message.which));
}

/// Before the runs that are to be braked.
void LinkLines::Inside::tell_brake(std::size_t axis, const StopOn& stop) {
  std::optional<StopOn>& told = brakes_told[axis];
  const chip::ChipLimits& ramp = *stop.ramp;
  if (told && told->line == stop.line && told->edge == stop.edge && told->ramp->speed == ramp.speed &&
      told->ramp->start_speed == ramp.start_speed && told->ramp->acceleration == ramp.acceleration)
    return;
  told = stop;
  talk.order(LinkBytes(LinkOrder::brake_by)
                 .byte(static_cast<std::uint8_t>(axis))
                 .byte(stop_code(stop))
                 .half(static_cast<std::uint16_t>(ramp.speed))
                 .half(static_cast<std::uint16_t>(ramp.start_speed))
                 .word(ramp.acceleration));
}

void LinkLines::Inside::take(const LinkMessage& message, std::int64_t now_ns) {
  heard_ns = now_ns;
  switch (message.what) {
    case LinkReading::hail: {
      if (const std::string why = why_not_with(setup.map, message.version, message.mark, setup.port);
          !why.empty())
        return lose(why);
      if (message.session != session) {
        if (is_open)
          lose(fmt::format(
              "{}: the chip has begun anew, so where anything stands is not known: its supply dipped, "
              "or it was reset",
              setup.port));
        return;
      }
      if (is_open) return;
      is_open = true;
      for (const std::uint32_t level : message.words) {
        const auto input = inputs.find(line_of_link(level & 0x7f));
        if (input == inputs.end()) continue;
        input->second.high = (level & 0x80) != 0;
        first_levels[input->first] = input->second.high;
      }
      return;
    }
    case LinkReading::told:
      if (message.asked_ns != 0) clock.take(message.asked_ns, now_ns, message.tick);
      for (std::size_t i = 0; i < std::min(room.size(), message.room.size()); ++i) room[i] = message.room[i];
      return take_state(message.how);
    case LinkReading::rested:
      for (std::size_t i = 0; i < std::min(axes.size(), message.words.size()); ++i) {
        const auto place = static_cast<std::int32_t>(message.words[i]);
        const Tick at = clock.whole(message.tick);
        const bool was_geared = reactions.let_go(i).has_value();
        if (const std::int64_t planned = axes[i].steps_before(at);
            !was_geared && !axes[i].plays(at) && planned != place)
          lose(
              fmt::format("{}: the chip counts {} steps, and {} were ordered", axis_name(i), place, planned));
        trace.stands(i, place, at);
        axes[i].begin_anew(place);
      }
      for (Untold& each : untold) each.ended = each.waits = 0;
      rests_at(clock.whole(message.tick));
      return;
    case LinkReading::edge: {
      const auto input = inputs.find(line_of_link(message.which));
      if (input == inputs.end()) return;
      input->second.high = message.high;
      const Tick at = clock.whole(message.tick);
      trace.level(at, input->first, message.high);
      for (std::size_t i = 0; i < axes.size(); ++i)
        if ((message.ended >> i & 1U) != 0) brakes_told[i].reset();
      untold.push_back({{at, input->second.source, message.high ? 1 : 0}, message.ended, message.ended});
      return;
    }
    case LinkReading::code:
      untold.push_back({{clock.whole(message.tick), analogue_source(message.which), message.value}});
      return;
    case LinkReading::count:
    case LinkReading::held:
    case LinkReading::place:
      return reactions.hear(message, [this](const Reading& reading) { untold.push_back({reading}); });
    case LinkReading::stood:
      return stood(message);
    case LinkReading::turned:
      return turned(message);
    case LinkReading::late:
      if (message.which == 0xff) {
        trouble.late = std::max<Tick>(trouble.late, message.value);
        if (trouble.line == LineId{}) trouble.line = levels.first_sent().value_or(LineId{});
        has_trouble = true;
        return;
      }
      if (message.which < axes.size())
        lose(
            fmt::format("{}: an order came to the chip too late: the line delays more than the rig says "
                        "(controller.link.delay), or this computer was busy with something else",
                        axis_name(message.which)));
      return;
    default:
      return;
  }
}

/// Of an input at an instant since when nothing has been told.
bool LinkLines::Inside::level_at(LineId line, Tick at) const {
  const Input& input = inputs.at(line);
  for (const Untold& each : untold)
    if (each.reading.source == input.source && each.reading.at > at) return each.reading.raw == 0;
  return input.high;
}

/// They are told as late as all else.
bool LinkLines::Inside::take_samples(std::vector<Reading>& readings) {
  const std::size_t before = readings.size();
  for (Sampling& each : samplings) {
    if (each.next + setup.reads > now) continue;
    readings.push_back({each.next, inputs.at(each.line).source, level_at(each.line, each.next) ? 1 : 0});
    each.next = each.period == 0 ? never : std::max(each.next + each.period, now - setup.reads + 1);
  }
  std::erase_if(samplings, [](const Sampling& each) { return each.next == never; });
  return readings.size() > before;
}

void LinkLines::Inside::rests_at(Tick at) {
  has_rested = true;
  trace.rests(at);
}

void LinkLines::on_edge(std::function<void(Tick, LineId, bool)> listener) {
  inside_->trace.begin(inside_->now, std::move(listener));
}

Tick LinkLines::now() const {
  return inside_->now;
}
Tick LinkLines::lead() const {
  return inside_->setup.lead;
}
Tick LinkLines::horizon() const {
  return inside_->setup.horizon;
}

void LinkLines::catch_up() {
  // Planning's time goes from instant to instant, as in a rehearsal, a little behind; it leaps when nobody
  // has waited for long.
  Inside& in = *inside_;
  if (in.has_ended) return;
  const Tick there = in.clock.at(in.stream.now_ns()) - in.setup.slack;
  if (there <= in.now) return;
  // What the chip has told meanwhile may be that nothing went on as planned.
  if (there - in.now > in.setup.slack) {
    in.pump();
    if (in.has_trouble) return;
  }
  in.now = there;
}

void LinkLines::answer_cuts() {
  if (!inside_->setup.cuts.empty()) inside_->talk.order(LinkBytes(LinkOrder::answered));
}

void LinkLines::watch(MechanismId mechanism, bool is_watched) {
  const std::uint8_t axis = inside_->axis_of_mechanism(mechanism);
  if (axis != no_axis && !inside_->setup.cuts.empty())
    inside_->talk.order(LinkBytes(LinkOrder::watch).byte(axis).byte(is_watched ? 1 : 0));
}

void LinkLines::put(Tick at, std::span<const Level> levels) {
  Inside& in = *inside_;
  for (const Level& level : levels) {
    in.trace.level(at, level.line, level.high);
    const std::uint8_t code = pin_code(level.line);
    // It turns as the runs behind it go.
    if (std::find(in.directions.begin(), in.directions.end(), code) != in.directions.end()) continue;
    in.levels.put(at, level.line, code, level.high);
  }
}

void LinkLines::put(FineTick start, LineId line, std::span<const chip::PulseRun> runs,
                    std::optional<StopOn> stop) {
  Inside& in = *inside_;
  const std::size_t axis = in.axis_of.at(line);
  // What an edge has ended takes nothing until planning knows.
  for (const Inside::Untold& each : in.untold)
    if ((each.ended >> axis & 1U) != 0) return;
  if (stop && stop->ramp) {
    in.tell_brake(axis, *stop);
    return in.axes[axis].put_to_brake(start, runs, *stop->ramp);
  }
  if (stop) in.brakes_told[axis].reset();
  in.axes[axis].put(start, runs, stop ? in.stop_code(*stop) : std::uint8_t{0});
}

void LinkLines::put(Tick at, std::span<const Compare> compares) {
  Inside& in = *inside_;
  for (const Compare& compare : compares) {
    const auto setup = std::find_if(in.setup.lines.begin(), in.setup.lines.end(),
                                    [&](const LineSetup& line) { return line.id == compare.line; });
    if (setup != in.setup.lines.end())
      in.trace.level(at, compare.line, (compare.on_ticks > 0) != setup->rest_high);
    // Counts of the timer; in a frame, ticks.
    Tick grain = 1;
    for (const LinkDuty& duty : in.setup.map.duties)
      if (duty.line == compare.line && duty.by != LinkDuty::By::frame) grain = duty.grain;
    in.levels.put_duty(at, compare.line, pin_code(compare.line),
                       static_cast<std::uint16_t>(compare.on_ticks / grain));
  }
}

void LinkLines::put(Tick, BusId, const Frame&, MechanismId) {
  throw RangeError("the chip of the link has no bus");
}

void LinkLines::hold(Tick at, MechanismId whose, const chip::LoopWanted& wanted) {
  if (!inside_->reactions.hold(at, whose, wanted)) Lines::hold(at, whose, wanted);
}

bool LinkLines::gear(Tick at, LineId line, LineId counts_at, const chip::CountFollow& what) {
  return inside_->reactions.gear(at, line, counts_at, what);
}

void LinkLines::let_go(Tick at, LineId line) {
  inside_->reactions.let_go(at, line);
}

void LinkLines::sample(SourceId source, Tick first, Tick period) {
  Inside& in = *inside_;
  for (const auto& [line, input] : in.inputs) {
    if (input.source != source) continue;
    std::erase_if(in.samplings, [&line = line](const Inside::Sampling& each) { return each.line == line; });
    if (first != never) in.samplings.push_back({line, first, period});
    return;
  }
  int channel = static_cast<int>(source) - static_cast<int>(analogue_source(0));
  if (in.reactions.answers(source)) {
    const std::optional<int> its = in.reactions.sample(source, first, period);
    if (!its) return;
    channel = *its;
  }
  in.talk.order(LinkBytes(LinkOrder::sample)
                    .byte(static_cast<std::uint8_t>(channel))
                    .word(static_cast<std::uint32_t>(first == never ? 0 : first))
                    .word(first == never ? no_more : static_cast<std::uint32_t>(period)));
}

bool LinkLines::answers(SourceId source) const {
  const int channel = static_cast<int>(source) - static_cast<int>(analogue_source(0));
  if (channel >= 0 && channel < inside_->setup.analogue_channels) return true;
  return inside_->reactions.answers(source) ||
         std::any_of(inside_->inputs.begin(), inside_->inputs.end(),
                     [&](const auto& each) { return each.second.source == source; });
}

bool LinkLines::level(LineId line) const {
  const auto found = inside_->first_levels.find(line);
  return found != inside_->first_levels.end() && found->second;
}

Withdrawn LinkLines::withdraw(MechanismId mechanism, Tick from) {
  Inside& in = *inside_;
  in.levels.keep(in.talk, from, [&](LineId line) {
    return std::any_of(in.setup.lines.begin(), in.setup.lines.end(),
                       [&](const LineSetup& each) { return each.id == line && each.owner == mechanism; });
  });
  in.trace.take_back(mechanism, from);
  for (std::size_t i = 0; i < in.axes.size(); ++i) {
    if (in.setup.map.axes[i] != static_cast<std::size_t>(mechanism)) continue;
    std::optional<std::uint32_t> stays;
    const Withdrawn left = in.axes[i].take_back(from, stays);
    if (stays) in.talk.order(LinkBytes(LinkOrder::take_back).byte(static_cast<std::uint8_t>(i)).word(*stays));
    return left;
  }
  return {};
}

void LinkLines::play_out() noexcept {
  Inside& in = *inside_;
  constexpr std::int64_t longest_ns = 200 * ms;
  if (in.has_ended || !in.is_open) return;
  try {
    const std::int64_t until = in.stream.now_ns() + longest_ns;
    const auto is_awaited = [&](const LinkAxis& axis) { return !axis.is_standing() && !axis.plays(in.now); };
    while (!in.is_gone && !in.has_trouble && in.stream.now_ns() < until &&
           std::any_of(in.axes.begin(), in.axes.end(), is_awaited)) {
      in.pump();
      in.stream.wait_until(std::min({until, std::max(in.talk.next_ns(), in.stream.now_ns() + ms)}));
    }
  } catch (...) {
    in.has_trouble = true;
  }
}

void LinkLines::cut() noexcept {
  Inside& in = *inside_;
  if (in.has_ended || !in.is_open) return;
  try {
    in.trace.tell(in.now);
    in.talk.cut(++in.cuts);
    in.has_rested = false;
    in.samplings.clear();
    std::fill(in.brakes_told.begin(), in.brakes_told.end(), std::nullopt);
    in.reactions.forget_samples();
    in.levels.clear();
    in.trace.drop(in.now);
    const std::int64_t until = in.stream.now_ns() + longest_answer_ns;
    while (in.talk.is_cutting() && !in.is_gone && in.stream.now_ns() < until) {
      in.pump();
      if (!in.talk.is_cutting() || in.is_gone) break;
      in.stream.wait_until(std::min({until, std::max(in.talk.next_ns(), in.stream.now_ns() + ms)}));
    }
    if (in.talk.is_cutting() && !in.is_gone)
      in.lose(fmt::format("{}: the chip has not said that it rests: it comes to rest by itself within {} ms",
                          in.setup.port, in.setup.silence_ms));
    if (!in.has_rested) in.rests_at(in.now);
    in.trouble.cut_by = CutBy::planning;
    in.now = std::max(in.now, in.clock.at(in.stream.now_ns()) - in.setup.slack);
  } catch (...) {
    in.has_trouble = true;
  }
}

Tick LinkLines::wait_until(Tick until, std::vector<Reading>& readings) {
  Inside& in = *inside_;
  if (in.has_ended) {
    if (until == never)
      throw RangeError("the live bench has been closed: nothing will happen on it any more");
    return in.now = std::max(in.now, until);
  }
  for (;;) {
    in.pump();
    if (in.has_trouble) return in.now;
    const Tick real = in.clock.at(in.stream.now_ns());
    in.now = std::max(in.now, real - in.setup.slack);
    Tick next = std::min(until, in.next_told());
    for (const Inside::Sampling& each : in.samplings) next = std::min(next, each.next + in.setup.reads);
    if (next <= real) in.now = std::max(in.now, next);
    bool has_read = in.tell(readings);
    has_read = in.take_samples(readings) || has_read;
    in.trace.tell(in.now - in.setup.reads);
    for (LinkAxis& axis : in.axes) axis.forget(in.now - static_cast<Tick>(in.setup.ticks_per_second));
    if (has_read || in.now >= until || in.has_trouble) return in.now;
    if (in.woken.exchange(false, std::memory_order_acq_rel)) return in.now;
    const std::int64_t now_ns = in.stream.now_ns();
    std::int64_t wakes_ns = now_ns + 20 * ms;
    if (next != never) wakes_ns = std::min(wakes_ns, in.clock.ns_of(next));
    wakes_ns = std::min(wakes_ns, std::max(in.talk.next_ns(), now_ns + ms / 2));
    in.stream.wait_until(wakes_ns);
  }
}

void LinkLines::wake() noexcept {
  inside_->woken.store(true, std::memory_order_release);
  inside_->stream.wake();
}

bool LinkLines::has_trouble() const {
  return inside_->has_trouble;
}

LinkLines::Trouble LinkLines::take_trouble() {
  inside_->has_trouble = false;
  return std::exchange(inside_->trouble, {});
}

void LinkLines::end() noexcept {
  if (inside_->has_ended) return;
  cut();
  inside_->trace.tell_all(inside_->now);
  inside_->has_ended = true;
}

const LinkTalk::Counts& LinkLines::counts() const {
  return inside_->talk.counts();
}
const TickClock& LinkLines::clock() const {
  return inside_->clock;
}
Tick LinkLines::clock_error() const {
  return inside_->clock.error(inside_->stream.now_ns());
}
std::int64_t LinkLines::round_trip_ns() const {
  return inside_->talk.round_trip_ns();
}

}  // namespace cogstride
