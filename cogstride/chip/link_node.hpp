// The chip's end of a link (docs/link.md): it plays what a computer plans, says what it reads, and comes to
// rest by itself when the computer is silent.
//
//   struct Machine { ... };                      // docs/link.md has its functions, all static
//   static LinkNode<Machine> node;
//   for (;;) node.serve();                       // the main program
//   node.edge(line, high, tick);                 // an input's interrupt
//
// C++14 with <stdint.h> alone.
#pragma once

#include <stdint.h>

#include "edge_brake.hpp"
#include "link_frame.hpp"
#include "link_gears.hpp"
#include "link_loops.hpp"
#include "link_puts.hpp"
#include "link_samples.hpp"
#include "link_watches.hpp"
#include "link_words.hpp"
#include "ramp_maker.hpp"
#include "step_axis.hpp"

namespace cogstride {
namespace chip {

/// The gap from a run's last step but one to the last. @param steps  of them, from its begin
inline uint32_t link_last(const NarrowPulseRun& run, uint8_t steps) {
  // It is a gap, so what turns round on the way to it does not matter.
  const uint32_t n = steps == 0 ? 0 : steps - 1;
  return static_cast<uint32_t>(
      run.gap + static_cast<uint32_t>(run.change) * n +
      static_cast<uint32_t>(run.bend * static_cast<int32_t>(n == 0 ? 0 : n * (n - 1) / 2)));
}
/// Ticks of that, 1 at the least.
inline uint32_t link_last_gap(const NarrowPulseRun& run, uint8_t steps) {
  const uint32_t gap = link_last(run, steps);
  const uint32_t ticks = (run.flags & run_slow) != 0 ? gap >> 12 : gap >> 16;
  return ticks == 0 ? 1 : ticks;
}
/// About how many ticks a run lasts: its gaps go from the first to the last. @param steps  of them
inline uint32_t link_ticks_of(const NarrowPulseRun& run, uint8_t steps) {
  const uint32_t all = steps * ((run.gap >> 9) + (link_last(run, steps) >> 9));
  return (run.flags & run_slow) != 0 ? all >> 4 : all >> 8;
}

template <class Machine>
class LinkNode {
 public:
  typedef typename Machine::Runs Runs;
  typedef typename Machine::Lock Lock;

  /// A runs' end is looked after so many ticks before it comes: the main program's slowest turn fits in.
  static constexpr uint32_t guard = brake_guard(Machine::ticks_per_second);
  /// What waits can be begun so many ticks before its start at the latest.
  static constexpr int32_t soonest = 400;

  LinkNode() : sends_(*this) {}

  void serve() {
    // One order a turn: what else goes on does not wait for several.
    for (uint8_t i = 0; i < link_longest && Machine::has_byte(); ++i)
      if (reader_.take(Machine::byte())) {
        obey();
        break;
      }
    if (session_ == 0) return say();
    react();
    puts_.serve();
    loops_.serve();
    for (uint8_t i = 0; i < Machine::axes; ++i) serve(i);
    samples_.serve(*this);
    look_for_silence();
    say();
  }

  /// An input has changed: in its interrupt.
  void edge(uint8_t line, bool high, uint32_t tick) {
    uint8_t ended = 0;
    watches_.edge(line, high);
    for (uint8_t i = 0; i < Machine::axes; ++i) {
      Axis& axis = axes_[i];
      if (axis.stop == (line + 1) && axis.stops_high == high && Machine::runs(i).stops()) {
        if (axis.on_ramp) {
          axis.edge_at = Machine::runs(i).position_now();
          axis.edge = Axis::came;
          axis.stop = 0;
        } else {
          Machine::runs(i).end_here();
        }
        axis.how = LinkStood::by_edge;
        ended = static_cast<uint8_t>(ended | (1 << i));
      }
    }
    if (session_ != 0) add(LinkReading::edge, static_cast<uint8_t>(line | (high ? 0x80 : 0)), tick, 0, ended);
  }

  uint32_t told_loop(uint8_t which) const { return loops_.told(which); }
  bool is_greeted() const { return session_ != 0; }
  uint8_t state() const { return state_; }

  /// Something has happened that is to be told.
  void add(uint8_t what, uint8_t which, uint32_t tick, int32_t value, uint8_t how = 0) {
    Lock lock;
    if (static_cast<uint8_t>(event_ - heard_) == event_room) {
      notes(LinkState::flooded);
      return;
    }
    events_[event_ % event_room] = Event{what, which, tick, value, how};
    event_ = static_cast<uint8_t>(event_ + 1);
  }
  /// Whether there is room for what can be left out.
  bool has_time() const { return static_cast<uint8_t>(event_ - heard_) < event_room / 2; }

 private:
  static constexpr uint8_t event_room = 16;
  static constexpr uint8_t no_axis = 0xff;
  static constexpr uint16_t says_again_after = 60;  // ms

  struct Axis {
    uint32_t put;    // steps of all runs that came, silent ones too
    uint32_t start;  // tick of what waits
    uint16_t fraction;
    bool waits;  // runs are there and do not go yet
    bool is_on;
    bool brakes;   // on a ramp of the chip's own
    bool ends;     // behind what it plays the end has been put
    bool is_lost;  // takes nothing until all is cut
    bool may_end;  // where what it was given ends
    enum : uint8_t { none, came, told };
    volatile uint8_t stop;  // a line's number and 1
    bool stops_high;
    bool on_ramp;           // from there
    volatile uint8_t edge;  // that one: since it came nothing else is taken
    int32_t edge_at;        // step
    ChipLimits ramp;
    volatile uint8_t how;
  };
  struct Event {
    uint8_t what;
    uint8_t which;
    uint32_t tick;
    int32_t value;
    uint8_t how;
  };
  typedef typename LinkPuts<Machine>::Put Put;
  struct Ramp : RampMaker {
    Ramp() : RampMaker(Machine::ticks_per_second) {}
  };
  /// What the writer sends to.
  struct Sends {
    explicit Sends(LinkNode&) {}
    void put(uint8_t byte) { Machine::send(byte); }
  };

  // What comes in.

  COGSTRIDE_ONCE void obey() {
    FrameFields frame(reader_.bytes(), reader_.size());
    const uint8_t what = frame.byte();
    const uint8_t number = frame.byte();
    const uint8_t heard = frame.byte();
    if (frame.is_short()) return;
    if (what == LinkOrder::greet) return greeted(frame);
    if (session_ == 0) {
      hails_ = true;
      return;
    }
    heard_at_ = Machine::ms();
    // The events that were heard, if they are among those that were said.
    if (static_cast<uint8_t>(heard - heard_) <= static_cast<uint8_t>(said_ - heard_)) {
      if (heard_ != heard) said_at_ = heard_at_;
      heard_ = heard;
    }
    if (what == LinkOrder::ask) {
      stamp_ = frame.byte();
      tells_ = true;
      return;
    }
    if (what == LinkOrder::cut) {
      const uint8_t count = frame.byte();
      rests_ = true;
      if (count == cuts_) return;  // the same once more
      cuts_ = count;
      next_ = number;
      return cut();
    }
    if (what < LinkOrder::levels) return;
    tells_ = true;
    if (number != next_) return;
    if (is_done(what, frame)) ++next_;
  }

  COGSTRIDE_ONCE void greeted(FrameFields& frame) {
    const uint8_t version = frame.byte();
    const uint32_t mark = frame.word();
    const uint16_t session = frame.half();
    const uint16_t silence = frame.half();
    hails_ = true;
    if (frame.is_short() || version != link_version || mark != Machine::mark || session == 0) return;
    heard_at_ = Machine::ms();
    if (session == session_) return;  // the same once more: its answer has not come yet
    session_ = session;
    silence_ = silence;
    said_at_ = heard_at_;
    next_ = cuts_ = 0;
    {
      Lock lock;
      event_ = heard_ = said_ = 0;
      watches_.clear();
    }
    cut();
    loops_.forget();
    for (uint8_t i = 0; i < Machine::axes; ++i) Machine::runs(i).set_position(0);
    Machine::begin();
  }

  /// @return false: no room for it, it has to come again
  COGSTRIDE_ONCE bool is_done(uint8_t what, FrameFields& frame) {
    // Until all is cut.
    if ((state_ & (LinkState::silent | LinkState::acted | LinkState::unanswered)) != 0) return true;
    switch (what) {
      case LinkOrder::levels: {
        const uint32_t tick = frame.word();
        if (!puts_.has_room(frame.left())) return false;
        look_whether_late(0xff, tick);
        while (frame.left() != 0) puts_.add(Put(tick, frame.byte(), Put::no_duty));
        puts_.serve();
        return true;
      }
      case LinkOrder::duties: {
        const uint32_t tick = frame.word();
        uint8_t count = static_cast<uint8_t>(Machine::has_duties ? frame.left() / 3 : 0);
        if (!puts_.has_room(count)) return false;
        look_whether_late(0xff, tick);
        for (; count != 0; --count) {
          const uint8_t line = frame.byte();
          puts_.add(Put(tick, line, frame.half()));
        }
        puts_.serve();
        return true;
      }
      case LinkOrder::gear:
        return gears_.gear(frame, Machine::axes);
      case LinkOrder::let_go: {
        const uint8_t axis = frame.byte();
        gears_.let_go(axis, frame.word());
        return true;
      }
      case LinkOrder::loop:
        loops_.set(frame);
        return true;
      case LinkOrder::hold:
        return loops_.hold(frame);
      case LinkOrder::runs:
        return take_runs(frame);
      case LinkOrder::take_back: {
        const uint8_t which = frame.byte();
        const uint32_t stays = frame.word();
        if (frame.is_short() || (which & 0x7f) >= Machine::axes) return true;
        take_back(which & 0x7f, stays, (which & 0x80) != 0);
        return true;
      }
      case LinkOrder::brake_by:
        brake_by(frame);
        return true;
      case LinkOrder::react: {
        LinkWatch watch = LinkWatch();
        const uint8_t line = frame.byte();
        watch.line = line & 0x7f;
        watch.when_high = (line & 0x80) != 0;
        watch.axis = frame.byte();
        watch.steady = frame.half();
        watch.released = frame.half();
        watch.waits = frame.half();
        if (!frame.is_short()) watches_.add(watch);
        return true;
      }
      case LinkOrder::answered:
        watches_.answered();
        return true;
      case LinkOrder::watch: {
        const uint8_t axis = frame.byte();
        const bool is_off = frame.byte() == 0;
        watches_.switch_off(axis, is_off);
        return true;
      }
      case LinkOrder::keep_levels: {
        const uint32_t tick = frame.word();
        while (frame.left() != 0) puts_.keep(frame.byte(), tick);
        return true;
      }
      case LinkOrder::sample: {
        const uint8_t channel = frame.byte();
        const uint32_t first = frame.word();
        const uint32_t period = frame.word();
        if (!frame.is_short()) samples_.ask(channel, first, period);
        return true;
      }
      default:
        return true;
    }
  }

  COGSTRIDE_ONCE void brake_by(FrameFields& frame) {
    const uint8_t which = frame.byte();
    const uint8_t stop = frame.byte();
    ChipLimits limits;
    limits.speed = frame.half();
    limits.start_speed = frame.half();
    limits.acceleration = frame.word();
    if (frame.is_short() || which >= Machine::axes || limits.speed == 0 || limits.acceleration == 0) return;
    Axis& axis = axes_[which];
    Lock lock;
    axis.ramp = limits;
    axis.stop = static_cast<uint8_t>(stop & 0x7f);
    axis.stops_high = (stop & 0x80) != 0;
    axis.on_ramp = true;
  }

  /// @param is_heard  that an edge ended its runs
  COGSTRIDE_ONCE void take_back(uint8_t which, uint32_t stays, bool is_heard) {
    Axis& axis = axes_[which];
    Runs& runs = Machine::runs(which);
    if (axis.is_lost) return;
    const int32_t back = static_cast<int32_t>(axis.put - stays);
    axis.put = stays;
    if (is_heard) {
      if (runs.is_halted() && axis.is_on) stood(which);
      runs.clear();
      axis.edge = Axis::none;
      return;
    }
    // What was on its way then is of what is over.
    if (runs.is_halted() || axis.edge != Axis::none) return;
    if (back <= 0) return;
    axis.may_end = false;
    forget_end(which);
    const uint32_t gone = runs.take_back(static_cast<uint32_t>(back));
    if (axis.waits && runs.queued() == 0) axis.waits = false;
    if (!axis.is_on && !axis.waits)
      add(LinkReading::stood, which, Machine::now(), runs.position(), LinkStood::at_end);
    // Silence that had nothing to bridge was not put.
    if (gone == 0 || !runs.is_playing() || axis.ends) return;
    add(LinkReading::late, which, Machine::now(), static_cast<int32_t>(gone));
    brake(which);
  }

  /// The end that was put behind what it plays is taken away again, as long as it has not begun.
  void forget_end(uint8_t which) {
    Axis& axis = axes_[which];
    if (axis.ends && !axis.brakes && Machine::runs(which).is_playing() &&
        Machine::runs(which).take_back(1) == 0)
      axis.ends = false;
  }

  static NarrowPulseRun run_of(FrameFields& frame) {
    NarrowPulseRun run;
    run.gap = frame.word();
    run.change = static_cast<int32_t>(frame.word());
    run.bend = static_cast<int16_t>(frame.half());
    run.steps = frame.byte();
    run.flags = frame.byte();
    return run;
  }

  /// They begin where the ones before end, with the silences that bridge what lies between; or, if the axis
  /// stands, at their start, without them.
  COGSTRIDE_ONCE bool take_runs(FrameFields& frame) {
    const uint8_t which = frame.byte();
    const uint32_t start = frame.word();
    const uint16_t fraction = frame.half();
    uint8_t bridge = frame.byte();
    const uint8_t stop = frame.byte();
    uint8_t count = static_cast<uint8_t>(frame.left() / 12);
    if (frame.is_short() || which >= Machine::axes) return true;
    Axis& axis = axes_[which];
    Runs& runs = Machine::runs(which);
    // What an edge ended, or the chip itself, takes nothing of what was on its way.
    if (axis.is_lost || runs.is_halted() || axis.edge != Axis::none) {
      for (; count != 0; --count) axis.put += run_of(frame).steps;
      return true;
    }
    if (runs.queued() + count > Machine::run_room) return false;
    forget_end(which);
    const bool goes_on = axis.waits || (runs.is_playing() && !axis.ends);
    if (!goes_on && runs.is_playing()) return false;  // a moment to its end
    if (!goes_on && axis.is_on) stood(which);
    if (stop != 0) {
      Lock lock;
      axis.stop = static_cast<uint8_t>(stop & 0x7f);
      axis.stops_high = (stop & 0x80) != 0;
      axis.on_ramp = false;
    }
    for (; count != 0; --count) {
      NarrowPulseRun run = run_of(frame);
      axis.put += run.steps;
      axis.may_end = (run.flags & run_ends) != 0;
      run.flags = static_cast<uint8_t>(run.flags & ~run_ends);
      const bool bridges = bridge != 0;
      if (bridges) --bridge;
      if (goes_on || !bridges) (void)runs.put(run);
    }
    if (!goes_on && runs.queued() != 0) {
      axis.start = start;
      axis.fraction = fraction;
      axis.waits = true;
      axis.how = LinkStood::at_end;
    }
    return true;
  }

  // What goes on.

  COGSTRIDE_ONCE void serve(uint8_t which) {
    Axis& axis = axes_[which];
    Runs& runs = Machine::runs(which);
    if (gears_.is_on(which)) return serve_geared(which);
    if (axis.waits) return begin(which);
    if (!axis.is_on) return;
    if (axis.edge == Axis::came) {
      keep_to_edge(which);
      goes_to_rest(which, axis.ramp);
    }
    if (!runs.is_playing()) return stood(which);
    if (axis.brakes) {
      NarrowPulseRun run;
      while (!runs.is_full() && ramps_[which].next(run)) (void)runs.put(run);
      return;
    }
    if (axis.ends) return;
    constexpr uint8_t a_few = 4;  // last for longer, or more come
    if (runs.queued() > a_few || runs.ticks_ahead(link_ticks_of, 0) >= guard) return;
    // Nothing has come that goes on from there: it ends where it may, and is braked where it is too fast.
    NarrowPulseRun last;
    if (!runs.last(last)) last = runs.ahead().rest;
    if (axis.may_end || may_stand(Machine::limits(which), speed_at_end(last))) {
      axis.ends = true;
      (void)runs.put(NarrowPulseRun{1000UL << 16, 0, 0, 1, run_silent | run_ends});
      return;
    }
    brake(which);
  }

  /// One that goes by a counter.
  COGSTRIDE_ONCE void serve_geared(uint8_t which) {
    Axis& axis = axes_[which];
    Runs& runs = Machine::runs(which);
    if (runs.is_halted()) {
      gears_.stop(which);
      gears_.forget(which);
      return stood(which);
    }
    const bool stands = gears_.serve(which, runs, ramps_[which], link_ticks_of);
    axis.is_on = !stands;
    if (!stands) return;
    const uint8_t how = !axis.is_lost                       ? LinkStood::at_end
                        : (state_ & LinkState::silent) != 0 ? LinkStood::silent
                                                            : LinkStood::braked;
    add(LinkReading::stood, which, Machine::now(), runs.position(), how);
  }

  /// What waits begins on its tick, when that is near.
  COGSTRIDE_ONCE void begin(uint8_t which) {
    Axis& axis = axes_[which];
    constexpr int32_t near = 0x6000;
    if (static_cast<int32_t>(axis.start - Machine::now()) > near) return;
    axis.waits = false;
    bool has_begun = false;
    int32_t early = 0;
    {
      Lock lock;
      early = static_cast<int32_t>(axis.start - Machine::now());
      if (early > soonest)
        has_begun = Machine::start_at(which, static_cast<uint16_t>(axis.start), axis.fraction);
    }
    axis.ends = axis.brakes = false;
    axis.is_on = has_begun;
    if (has_begun) return;
    Machine::runs(which).clear();
    axis.is_lost = true;
    notes(LinkState::braked);
    add(LinkReading::late, which, Machine::now(), -early);
    add(LinkReading::stood, which, Machine::now(), Machine::runs(which).position(), LinkStood::starved);
  }

  COGSTRIDE_ONCE void stood(uint8_t which) {
    Axis& axis = axes_[which];
    Runs& runs = Machine::runs(which);
    axis.is_on = false;
    uint8_t how = axis.how;
    if ((axis.brakes && (axis.is_lost || axis.edge == Axis::none)) ||
        (axis.is_lost && how == LinkStood::by_edge)) {
      how = (state_ & LinkState::silent) != 0 ? LinkStood::silent : LinkStood::braked;
    } else if (runs.starved()) {
      how = LinkStood::starved;
      axis.is_lost = true;
      notes(LinkState::braked);
    }
    axis.ends = axis.brakes = false;
    if (how != LinkStood::by_edge) runs.clear();
    add(LinkReading::stood, which, Machine::now(), runs.position(), how);
  }

  static uint32_t speed_at_end(const NarrowPulseRun& run) {
    if ((run.flags & run_silent) != 0) return 0;
    return Machine::ticks_per_second / link_last_gap(run, run.steps);
  }

  /// Leaves of its runs what is made yet behind the edge that brakes it.
  COGSTRIDE_ONCE void keep_to_edge(uint8_t which) {
    Axis& axis = axes_[which];
    Runs& runs = Machine::runs(which);
    axis.edge = Axis::told;
    forget_end(which);
    const int32_t way = runs.put_end() - axis.edge_at;
    uint32_t ahead = static_cast<uint32_t>(way < 0 ? -way : way);
    const uint32_t keeps = steps_before_brake(axis.ramp.speed, Machine::ticks_per_second);
    while (ahead > keeps) {
      NarrowPulseRun last;
      if (!runs.last(last)) last = runs.ahead().rest;
      const bool is_silent = (last.flags & run_silent) != 0;
      const uint32_t most = is_silent ? last.steps : ahead - keeps;
      const uint8_t steps = static_cast<uint8_t>(most < last.steps ? most : last.steps);
      if (steps == 0 || runs.take_back(steps) != 0) break;
      if (!is_silent) ahead -= steps;
    }
    add(LinkReading::turned, which, Machine::now(), runs.put_end());
  }
  /// From the last step of its runs on. @param limits  but for the speed, which is what it goes with then
  COGSTRIDE_ONCE void goes_to_rest(uint8_t which, ChipLimits limits) {
    Axis& axis = axes_[which];
    Runs& runs = Machine::runs(which);
    NarrowPulseRun last;
    if (!runs.last(last)) last = runs.ahead().rest;
    limits.speed = speed_at_end(last);
    axis.brakes = true;
    if (may_stand(limits, limits.speed)) {
      axis.ends = true;
      (void)runs.put(NarrowPulseRun{1000UL << 16, 0, 0, 1, run_silent | run_ends});
      return;
    }
    ramps_[which].brake_from(runs.put_end(), (last.flags & run_backwards) != 0 ? -1 : 1, limits);
  }
  /// From what stays of its runs to rest, on a ramp.
  COGSTRIDE_ONCE void brake(uint8_t which) {
    Axis& axis = axes_[which];
    Runs& runs = Machine::runs(which);
    if (gears_.is_on(which)) {
      notes(LinkState::braked);
      axis.is_lost = true;
      return gears_.stop(which);
    }
    {
      // An edge may have ended it meanwhile.
      Lock lock;
      if (!runs.is_playing() && !axis.waits) return;
      state_ = static_cast<uint8_t>(state_ | LinkState::braked);
      axis.is_lost = true;
    }
    if (axis.waits) {
      axis.waits = false;
      runs.clear();
    }
    if (!runs.is_playing() || axis.brakes || axis.ends) return;
    shorten(which);
    goes_to_rest(which, Machine::limits(which));
    serve(which);
  }
  /// Leaves of its runs what it takes to put others behind them.
  COGSTRIDE_ONCE void shorten(uint8_t which) {
    Runs& runs = Machine::runs(which);
    NarrowPulseRun run;
    while (runs.last(run)) {
      // What waits is dropped from its end, as long as what stands before it lasts.
      uint32_t before = runs.ticks_ahead(link_ticks_of, 1);
      if (before < guard) return shorten(which, run, before);
      (void)runs.take_back(run.steps);
    }
    shorten(which, runs.ahead().rest, 0);
  }
  void shorten(uint8_t which, const NarrowPulseRun& run, uint32_t before) {
    uint8_t steps = run.steps;
    // Nearly all of what is too much at once, by its longer gap, and the rest one by one.
    const uint32_t all = before + link_ticks_of(run, steps);
    const uint32_t gap = link_last_gap(run, steps);
    const uint32_t first = link_last_gap(run, 1);
    const uint32_t drop = all > guard ? (all - guard) / (gap > first ? gap : first) : 0;
    steps = drop < steps ? static_cast<uint8_t>(steps - drop) : 1;
    while (steps > 1 && before + link_ticks_of(run, static_cast<uint8_t>(steps - 1)) >= guard) --steps;
    if (steps < run.steps) (void)Machine::runs(which).take_back(static_cast<uint32_t>(run.steps - steps));
  }

  void look_whether_late(uint8_t what, uint32_t tick) {
    const int32_t late = static_cast<int32_t>(Machine::now() - tick);
    if (late > 0) add(LinkReading::late, what, Machine::now(), late);
  }

  COGSTRIDE_ONCE void react() {
    const uint8_t why = watches_.look(axes_);
    if (why == LinkState::well) return;
    cut();
    notes(why);
  }

  COGSTRIDE_ONCE void look_for_silence() {
    if (silence_ == 0) return;
    if ((state_ & LinkState::silent) == 0) {
      if (static_cast<uint16_t>(Machine::ms() - heard_at_) <= silence_) return;
      notes(LinkState::silent);
      puts_.clear();
      loops_.brake();
      for (uint8_t i = 0; i < Machine::axes; ++i) brake(i);
      is_resting_ = false;
    }
    if (is_resting_) return;
    for (uint8_t i = 0; i < Machine::axes; ++i)
      if (axes_[i].is_on) return;
    if (loops_.is_on()) return;
    is_resting_ = true;
    Machine::rest();
  }

  /// All at rest at once.
  COGSTRIDE_ONCE void cut() {
    {
      Lock lock;
      for (uint8_t i = 0; i < Machine::axes; ++i) Machine::runs(i).end_here();
      Machine::rest();
    }
    for (uint8_t i = 0; i < Machine::axes; ++i) {
      Machine::runs(i).clear();
      axes_[i] = Axis();
    }
    puts_.clear();
    loops_.clear();
    gears_.clear();
    samples_.clear();
    state_ = LinkState::well;
    is_resting_ = true;
  }

  // What goes out.

  void notes(uint8_t state) {
    Lock lock;
    state_ = static_cast<uint8_t>(state_ | state);
  }

  COGSTRIDE_ONCE void say() {
    if (Machine::send_room() < 2 * 24) return;
    FrameWriter<Sends> out(sends_);
    if (hails_) {
      hails_ = false;
      head(out, LinkReading::hail, 0);
      out.byte(link_version);
      out.word(Machine::mark);
      out.half(session_);
      out.word(Machine::now());
      out.byte(Machine::axes);
      Machine::tell_inputs(out);
      return out.end();
    }
    if (rests_) {
      rests_ = false;
      head(out, LinkReading::rested, 0);
      out.byte(cuts_);
      out.word(Machine::now());
      for (uint8_t i = 0; i < Machine::axes; ++i)
        out.word(static_cast<uint32_t>(Machine::runs(i).position()));
      return out.end();
    }
    if (session_ == 0) return;
    const uint16_t now = Machine::ms();
    if (said_ != heard_ && static_cast<uint16_t>(now - said_at_) > says_again_after) said_ = heard_;
    if (said_ != event_) {
      if (said_ == heard_) said_at_ = now;
      return say(out, events_[said_ % event_room]);
    }
    if (!tells_) return;
    tells_ = false;
    head(out, LinkReading::told, 0);
    out.byte(stamp_);
    stamp_ = 0;
    out.word(Machine::now());
    out.byte(state_);
    for (uint8_t i = 0; i < Machine::axes; ++i)
      out.byte(static_cast<uint8_t>(Machine::run_room - Machine::runs(i).queued()));
    out.end();
  }
  COGSTRIDE_ONCE void say(FrameWriter<Sends>& out, const Event& event) {
    head(out, event.what, said_);
    out.byte(event.which);
    out.word(event.tick);
    if (event.what == LinkReading::code) out.half(static_cast<uint16_t>(event.value));
    if (event.what == LinkReading::stood || event.what == LinkReading::late ||
        event.what == LinkReading::count || event.what == LinkReading::place ||
        event.what == LinkReading::held || event.what == LinkReading::turned)
      out.word(static_cast<uint32_t>(event.value));
    if (event.what == LinkReading::stood || event.what == LinkReading::edge) out.byte(event.how);
    out.end();
    said_ = static_cast<uint8_t>(said_ + 1);
  }
  COGSTRIDE_ONCE void head(FrameWriter<Sends>& out, uint8_t what, uint8_t number) {
    out.begin();
    out.byte(what);
    out.byte(number);
    out.byte(next_);
  }

  FrameReader<link_longest> reader_{};
  Sends sends_;
  Axis axes_[Machine::axes]{};
  Ramp ramps_[Machine::axes];
  Event events_[event_room];
  LinkPuts<Machine> puts_{};
  LinkLoops<Machine> loops_{};
  LinkGears<Machine> gears_{};
  LinkSamples<Machine> samples_{};
  LinkWatches<Machine> watches_{};
  uint16_t session_ = 0;
  uint16_t silence_ = 0;   // ms
  uint16_t heard_at_ = 0;  // ms
  uint16_t said_at_ = 0;
  uint8_t next_ = 0;            // number of the order that is expected
  volatile uint8_t event_ = 0;  // numbers of events: of the next one that happens,
  uint8_t said_ = 0;            // of the next one to be said,
  uint8_t heard_ = 0;           // of the first that has not been heard
  uint8_t stamp_ = 0;
  uint8_t cuts_ = 0;
  volatile uint8_t state_ = LinkState::well;
  bool hails_ = false;
  bool rests_ = false;
  bool tells_ = false;
  bool is_resting_ = true;
};

}  // namespace chip
}  // namespace cogstride
