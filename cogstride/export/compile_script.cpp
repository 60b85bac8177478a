#include "cogstride/export/compile_script.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <set>
#include <utility>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/chip/follower.hpp"
#include "cogstride/export/put_recorder.hpp"
#include "cogstride/motion/mover.hpp"
#include "cogstride/motion/orders.hpp"
#include "cogstride/plan/gearing.hpp"
#include "cogstride/plan/narrow_plan.hpp"
#include "cogstride/plan/run_shapes.hpp"
#include "cogstride/script/script_player.hpp"
#include "cogstride/script/verbs/verb.hpp"

namespace cogstride {
namespace {

using chip::NarrowPulseRun;
using chip::ScriptDoes;

constexpr double splits_at = 0.1;               // s without a step, from which a pause is one
constexpr std::size_t most_passes_tried = 200;  // of a repeat, until one is as the one before
constexpr std::int64_t most_passes_inline = 3;
constexpr std::size_t most_steps = 8000;
constexpr std::size_t leave_mark =
    0xff00;  // with how many repeats it stands in: a step that is not known yet

/// What cannot be done there, and why.
struct NeedsHost {
  const Statement* statement;
  std::string code;
  std::string why;
  std::string way_out;
};

NarrowPulseRun narrow(const chip::PulseRun& run) {
  NarrowPulseRun own = narrow_run(run);
  own.flags &= static_cast<std::uint8_t>(~chip::run_ends);
  return own;
}

/// A repeat that ends, and none of whose passes is as the one before.
struct NoTwoAlike {
  const Statement* repeat;
};

class Compiler {
 public:
  /// @param in_line  repeats whose passes are worked out one by one
  Compiler(const Rig& rig, const std::set<const Statement*>& in_line)
      : rig_(rig), in_line_(in_line), bench_(rig, options()) {
    for (std::size_t i = 0; i < rig.mechanisms.size(); ++i)
      if (rig.mechanisms[i].is_movable()) program_.axes.push_back(i);
    for (std::size_t axis = 0; axis < program_.axes.size(); ++axis)
      for (const LineSetup& line : bench_.mover(rig.mechanisms[program_.axes[axis]].name).line_setups())
        if (line.use == LineSetup::Use::pulses || !line.rows.lines.empty()) axis_of_[line.id] = axis;
    for (std::size_t i = 0; i < rig.outputs.size(); ++i) {
      program_.outputs.push_back(i);
      output_of_[static_cast<LineId>(rig.outputs[i].line.number)] = i;
    }
  }

  ChipProgram compile(std::span<const Statement> statements) {
    go_through(statements);
    flush();
    add(ScriptDoes::end, 0, 0, "");
    return std::move(program_);
  }

 private:
  SimulatedBench::Options options() {
    SimulatedBench::Options options;
    options.watch = &recorder_;
    return options;
  }

  void add(ScriptDoes does, std::size_t which, std::size_t much, const std::string& what) {
    program_.steps.push_back(
        {{does, static_cast<std::uint8_t>(which), static_cast<std::uint16_t>(much)}, what});
    if (program_.steps.size() > most_steps)
      throw NeedsHost{statement_, "chip-memory", fmt::format("it comes to more than {} steps", most_steps),
                      "say it in fewer, or with repeats whose passes begin where they end"};
  }

  void go_through(std::span<const Statement> statements) {
    for (const Statement& statement : statements) {
      statement_ = &statement;
      const Verb& verb = *statement.verb;
      if (const std::optional<std::int64_t> passes = verb.passes()) {
        if (*passes == 1)
          go_through(verb.inside());
        else
          repeat(statement, *passes);
      } else if (verb.leaves_repeat()) {
        flush();
        add(ScriptDoes::go_to, 0, leave_mark + loops_, statement.text);
        return;
      } else if (is_of_happenings(verb)) {
        whichever(statement);
      } else if (verb.gear() != nullptr) {
        follow(statement);
      } else if (verb.lets_go()) {
        flush();
        const std::size_t axis = axis_of(statement, verb.about().mechanism);
        add(ScriptDoes::let_go, axis, 0, statement.text);
        following_[axis].reset();
      } else if (const std::optional<Verb::Followed> followed = verb.followed()) {
        wait_followed(statement, *followed);
      } else if (homes(statement)) {
        home(statement);
      } else if (const std::optional<Verb::Awaited> awaited = verb.awaits()) {
        wait_for(statement, *awaited);
      } else if (verb.can_be_played_back()) {
        play(statement);
      } else {
        throw NeedsHost{&statement, "chip-needs-host", "the chip's part has no planner for it",
                        "drive it from a computer (`cogstride drive`), or leave it out"};
      }
    }
  }

  /// Of one that homes, or several side by side.
  static bool homes(const Statement& statement) {
    const auto inside = statement.verb->inside();
    if (inside.empty()) return statement.verb->about().homes;
    return std::all_of(inside.begin(), inside.end(), [](const Statement& each) { return homes(each); });
  }
  void add_homed(const Statement& statement, std::vector<std::size_t>& mechanisms) const {
    if (statement.verb->about().homes) mechanisms.push_back(statement.verb->about().mechanism);
    for (const Statement& each : statement.verb->inside()) add_homed(each, mechanisms);
  }

  void home(const Statement& statement) {
    flush();
    std::vector<std::size_t> mechanisms;
    add_homed(statement, mechanisms);
    std::size_t mask = 0;
    for (const std::size_t mechanism : mechanisms) mask |= std::size_t{1} << axis_of(statement, mechanism);
    run(statement);
    for (const std::size_t mechanism : mechanisms) strayed_.erase(mechanism);
    recorder_.forget();
    done_until_ = now();
    held_ |= mask;
    add(ScriptDoes::home, mask, 0, statement.text);
  }

  std::size_t axis_of(const Statement& statement, std::size_t mechanism) const {
    const auto axis = std::find(program_.axes.begin(), program_.axes.end(), mechanism);
    if (axis == program_.axes.end())
      throw NeedsHost{&statement, "chip-needs-host", "it is no axis of steps", "do it from a computer"};
    return static_cast<std::size_t>(axis - program_.axes.begin());
  }

  /// Each count of the leader makes its steps at once, by an exact ratio.
  void follow(const Statement& statement) {
    flush();
    const GearOrder& order = *statement.verb->gear();
    const std::size_t axis = axis_of(statement, statement.verb->about().mechanism);
    const auto refuse = [&](const char* why, const char* way_out) {
      throw NeedsHost{&statement, "chip-needs-host", why, way_out};
    };
    const auto shaft = std::find_if(rig_.shafts.begin(), rig_.shafts.end(),
                                    [&](const Shaft& each) { return each.name == order.to.first.leader; });
    if (order.lay || order.to.also || order.when_passes || order.ends_with_leader)
      refuse("the chip's part follows one leader, straight on, from where it stands",
             "'gear NAME to SHAFT by WAY for each WAY'");
    if (shaft == rig_.shafts.end() || shaft->is_master())
      refuse("the chip's part follows a shaft that an encoder counts", "a [shaft.NAME] with an encoder");
    if (std::holds_alternative<CoilWiring>(rig_.mechanisms[program_.axes[axis]].wiring))
      refuse("the chip's part lets a STEP/DIR board follow", "a board with STEP and DIR");
    Mechanism follower = rig_.mechanisms[program_.axes[axis]];
    follower.follows = order.to;
    const Gearing gearing = gearing_of(follower, parts_of(*shaft));
    const Ratio ratio = *gearing.steps_per_count;
    ChipLeading leading{axis, static_cast<std::size_t>(shaft - rig_.shafts.begin()), ratio.numerator(),
                        ratio.denominator(), gearing.top_rate};
    if (std::abs(leading.steps) > leading.counts || leading.counts > chip::Follower::most_counts)
      refuse("it is more than a step for a count, or a ratio of larger numbers than the chip's part takes",
             "more counts a turn, or fewer microsteps");
    const double most = follower.limits.speed.base.to_double();
    if (gearing.top_speed > most)
      throw NeedsHost{
          &statement, "chip-rate",
          fmt::format("its leader's top speed asks for {:.0f} steps/s, over its own limit", gearing.top_rate),
          "a slower leader, or another ratio"};
    const auto known = std::find(program_.leadings.begin(), program_.leadings.end(), leading);
    const auto which = static_cast<std::size_t>(known - program_.leadings.begin());
    if (known == program_.leadings.end()) program_.leadings.push_back(leading);
    add(ScriptDoes::follow, axis, which, statement.text);
    following_[axis] = which;
    strayed_.insert(program_.axes[axis]);
    held_ |= std::size_t{1} << axis;
  }

  void wait_followed(const Statement& statement, const Verb::Followed& followed) {
    flush();
    const std::size_t axis = axis_of(statement, followed.mechanism);
    const std::optional<std::size_t>& which = following_[axis];
    if (!which)
      throw NeedsHost{&statement, "chip-needs-host", "it follows nothing there", "'gear NAME ...' before it"};
    const Mechanism leader = parts_of(rig_.shafts[program_.leadings[*which].shaft]);
    Mechanism follower = rig_.mechanisms[program_.axes[axis]];
    follower.follows = Following{};
    follower.follows->first = {leader.name,
                               OutputPosition{output_kind(follower.train), Ratio(1)},
                               OutputPosition{output_kind(leader.train), Ratio(1)},
                               {}};
    const std::int64_t counts = (followed.way.base * *gearing_of(follower, leader).counts_per_turn).rounded();
    if (std::abs(counts) > INT32_MAX)
      throw NeedsHost{&statement, "chip-needs-host", "it is more than 2^31 counts", "less far"};
    const auto known = std::find(program_.followed.begin(), program_.followed.end(), std::abs(counts));
    const auto place = static_cast<std::size_t>(known - program_.followed.begin());
    if (known == program_.followed.end()) program_.followed.push_back(std::abs(counts));
    add(ScriptDoes::wait_followed, axis, place, statement.text);
  }

  std::size_t input_of(const Statement& statement, LineId line) {
    const auto known = std::find(program_.input_lines.begin(), program_.input_lines.end(), line);
    const auto input = static_cast<std::size_t>(known - program_.input_lines.begin());
    if (known == program_.input_lines.end()) {
      program_.input_lines.push_back(line);
      program_.inputs.push_back(statement.text);
    }
    return input;
  }

  static bool is_of_happenings(const Verb& verb) {
    return !verb.inside().empty() && verb.inside().front().verb->happening() != nullptr;
  }
  /// A row that is looked at again and again, and what is done then, each ending where it began: nobody knows
  /// ahead which of them comes.
  void whichever(const Statement& statement) {
    flush();
    const auto begins = standing();
    const std::size_t held = held_;
    add(ScriptDoes::look, 0, 0, statement.text);
    std::vector<std::size_t> jumps;
    for (const Statement& when : statement.verb->inside()) {
      const Verb& happening = *when.verb->happening();
      if (const std::optional<Verb::Awaited> awaited = happening.awaits()) {
        jumps.push_back(program_.steps.size());
        add(awaited->acts ? ScriptDoes::if_on : ScriptDoes::if_off, input_of(when, awaited->line), 0,
            when.text);
      } else if (const std::optional<ExactTime> pause = happening.pause()) {
        const auto ms = static_cast<std::size_t>(std::llround(1e3 * pause->base().to_double()));
        if (ms >> 24 != 0) throw NeedsHost{&when, "chip-needs-host", "it is more than 16777 s", "less long"};
        add(ScriptDoes::if_after, ms >> 16, ms & 0xffff, when.text);
        jumps.push_back(program_.steps.size());
        add(ScriptDoes::go_to, 0, 0, "");
      } else {
        throw NeedsHost{&when, "chip-needs-host", "the chip's part waits for lines and times alone",
                        "a key or a switch of the rig"};
      }
    }
    std::vector<std::size_t> ends;
    for (const Statement& when : statement.verb->inside()) {
      program_.steps[jumps[ends.size()]].step.much = static_cast<std::uint16_t>(program_.steps.size());
      go_through(when.verb->inside());
      flush();
      if (standing() != begins)
        throw NeedsHost{&when, "chip-needs-host",
                        "where it ends differs from where it began, and what comes behind has to be planned "
                        "from there",
                        "let what stands in it come back to where it began"};
      held_ = held;
      ends.push_back(program_.steps.size());
      add(ScriptDoes::go_to, 0, 0, "");
    }
    for (const std::size_t end : ends)
      program_.steps[end].step.much = static_cast<std::uint16_t>(program_.steps.size());
  }

  void wait_for(const Statement& statement, const Verb::Awaited& awaited) {
    flush();
    const std::size_t input = input_of(statement, awaited.line);
    std::size_t tenths = 0;
    if (awaited.longest) {
      const double longest = std::ceil(10.0 * awaited.longest->base().to_double() - 1e-9);
      if (longest > 65535.0)
        throw NeedsHost{&statement, "chip-needs-host", "it would wait for more than 6553.5 s at the most",
                        "wait without an end, or less long"};
      tenths = static_cast<std::size_t>(std::max(1.0, longest));
    }
    add(awaited.acts ? ScriptDoes::wait_on : ScriptDoes::wait_off, input, tenths, statement.text);
  }

  void run(const Statement& statement) {
    const Script alone{statement.place.file, {statement}};
    ScriptPlayer player(alone, rig_, bench_.cast());
    std::string fault;
    bench_.on_fault([&](const std::string& why) { fault = why; });
    bench_.run(player, [&] { return player.has_ended() || !fault.empty(); });
    if (!player.fault().empty()) fault = player.fault();
    if (!fault.empty())
      throw NeedsHost{&statement, "chip-not-rehearsed", "its rehearsal fails: " + fault,
                      "`cogstride rehearse` says more"};
  }

  /// Nobody knows ahead where a follower has been led.
  void require_known(const Statement& statement) const {
    const About about = statement.verb->about();
    if (about.moves && strayed_.contains(about.mechanism))
      throw NeedsHost{&statement, "chip-needs-host", "it stands wherever its leader has led it",
                      fmt::format("'home {}' before it", rig_.mechanisms[about.mechanism].name)};
    for (const Statement& each : statement.verb->inside()) require_known(each);
  }

  void play(const Statement& statement) {
    require_known(statement);
    texts_.emplace_back(bench_.now().base(), statement.text);
    run(statement);
  }

  // What has been recorded becomes tables, stretches and steps.

  struct Moved {
    std::size_t axis;
    PutRecorder::Run run;
    std::int64_t from;  // fine ticks
    std::int64_t to;
  };
  struct Switched {
    std::int64_t at;
    std::size_t output;
    bool on;
  };

  void flush() {
    const PutRecorder::Recorded recorded = recorder_.take();
    if (recorder_.was_disturbed())
      throw NeedsHost{statement_, "chip-needs-host", "it changes what is under way, which takes a planner",
                      "drive it from a computer, or wait for what is under way"};
    std::vector<Moved> moved;
    for (const PutRecorder::Run& run : recorded.runs)
      moved.push_back({axis_of_.at(run.line), run, fine(run.start), fine(end_of(run))});
    std::stable_sort(moved.begin(), moved.end(),
                     [](const Moved& a, const Moved& b) { return a.from < b.from; });
    std::vector<Switched> switched;
    for (const PutRecorder::Put& put : recorded.levels) {
      const auto output = output_of_.find(put.level.line);
      if (output == output_of_.end()) continue;
      const bool active = rig_.outputs[output->second].line.active == ActiveLevel::high;
      switched.push_back({put.at * 65536, output->second, put.level.high == active});
    }
    std::size_t next = 0;
    std::size_t lamp = 0;
    const auto switch_until = [&](std::int64_t until) {
      for (; lamp < switched.size() && switched[lamp].at <= until; ++lamp) {
        pause_until(switched[lamp].at);
        add(switched[lamp].on ? ScriptDoes::put_on : ScriptDoes::put_off, switched[lamp].output, 0,
            text_at(switched[lamp].at));
      }
    };
    while (next < moved.size()) {
      const std::int64_t begins = moved[next].from;
      std::int64_t ends = begins;
      std::size_t last = next;
      const auto gap = static_cast<std::int64_t>(splits_at * ticks_per_second()) * 65536;
      for (; last < moved.size() && (last == next || moved[last].from <= ends + gap); ++last)
        ends = std::max(ends, moved[last].to);
      switch_until(begins);
      pause_until(begins);
      add_stretch(std::span(moved).subspan(next, last - next), begins);
      for (; lamp < switched.size() && switched[lamp].at < ends; ++lamp)
        add(switched[lamp].on ? ScriptDoes::later_on : ScriptDoes::later_off, switched[lamp].output,
            milliseconds(switched[lamp].at - begins), text_at(switched[lamp].at));
      done_until_ = ends;
      next = last;
    }
    switch_until(std::numeric_limits<std::int64_t>::max());
    pause_until(now());
    texts_.clear();
  }

  [[nodiscard]] double ticks_per_second() const { return rig_.controller.timer_clock.base().to_double(); }
  [[nodiscard]] std::size_t milliseconds(std::int64_t fine_ticks) const {
    return static_cast<std::size_t>(
        std::llround(static_cast<double>(fine_ticks) / 65536.0 / ticks_per_second() * 1e3));
  }
  [[nodiscard]] std::int64_t now() const {
    return static_cast<std::int64_t>(std::llround(bench_.now().base() * ticks_per_second())) * 65536;
  }
  [[nodiscard]] double seconds(std::int64_t fine_ticks) const {
    return static_cast<double>(fine_ticks) / 65536.0 / ticks_per_second();
  }
  /// The statement that was on then.
  [[nodiscard]] std::string text_at(std::int64_t at) const {
    const double seconds = static_cast<double>(at) / 65536.0 / ticks_per_second();
    std::string text;
    for (const auto& [began, words] : texts_)
      if (began <= seconds + 1e-9) text = words;
    return text;
  }

  /// From what was done last, where that is more than it takes to go on.
  void pause_until(std::int64_t at) {
    if (done_until_ != 0 && at > done_until_) {
      const std::size_t ms = milliseconds(at - done_until_);
      if (ms >= 3)
        add(ScriptDoes::pause, ms >> 16, ms & 0xffff,
            fmt::format("{:.3f} s", 1e-3 * static_cast<double>(ms)));
    }
    done_until_ = std::max(done_until_, at);
  }

  /// Those that need no homing get their current before they move, and time to wake.
  void hold(std::span<const Moved> moved) {
    std::size_t mask = 0;
    double wake = 0.0;
    for (const Moved& each : moved) {
      const std::size_t bit = std::size_t{1} << each.axis;
      if ((held_ & bit) != 0) continue;
      mask |= bit;
      const Mechanism& mechanism = rig_.mechanisms[program_.axes[each.axis]];
      if (const auto* const board = std::get_if<StepDirBoard>(&mechanism.board))
        wake = std::max(wake, board->wake.base());
    }
    if (mask == 0) return;
    held_ |= mask;
    add(ScriptDoes::hold, mask, 0, "with its current on");
    add(ScriptDoes::pause, 0, static_cast<std::size_t>(std::ceil(1e3 * wake)) + 2,
        "until its board is awake");
  }

  void add_stretch(std::span<const Moved> moved, std::int64_t begins) {
    hold(moved);
    ChipStretch stretch;
    stretch.tables.resize(program_.axes.size());
    std::int64_t ends = begins;
    for (std::size_t axis = 0; axis < program_.axes.size(); ++axis) {
      std::int64_t at = begins;
      std::vector<std::size_t>& tables = stretch.tables[axis];
      RunTable table = empty_table(axis);
      Spaced spaced;
      const auto close = [&] {
        if (table.runs.empty()) return;
        table.seconds = seconds(at - spaced.began);
        table.top_rate =
            spaced.shortest == 0 ? 0.0 : 65536.0 * ticks_per_second() / static_cast<double>(spaced.shortest);
        tables.push_back(place_of(std::exchange(table, empty_table(axis))));
        spaced = {};
      };
      for (const Moved& each : moved) {
        if (each.axis != axis) continue;
        const chip::PulseRun& run = each.run.run;
        const std::int64_t silence = each.from - at;
        if (silence > 0) close();
        Begun begun = begun_after(narrow(run), silence);
        if (!begun.silence.empty()) {
          table.runs = std::move(begun.silence);
          table.seconds = seconds(silence);
          tables.push_back(place_of(std::exchange(table, empty_table(axis))));
          at = each.from;
        }
        if (table.runs.empty()) {
          table.what = text_at(each.from);
          spaced.began = at;
        }
        table.runs.insert(table.runs.end(), begun.runs.begin(), begun.runs.end());
        at = each.to;
        if ((run.flags & chip::run_silent) != 0) continue;
        table.steps += (run.flags & chip::run_backwards) != 0 ? -std::int64_t{run.steps} : run.steps;
        spaced.add(each.run);
      }
      close();
      if (tables.empty()) continue;
      ends = std::max(ends, at);
      RunTable end = empty_table(axis);
      end.runs.push_back({1000u << 16, 0, 0, 1, chip::run_silent | chip::run_ends});
      end.what = "the end";
      tables.push_back(place_of(std::move(end)));
      if (tables.size() > 255)
        throw NeedsHost{statement_, "chip-memory", "it goes on through more than 255 motions without a pause",
                        "a `wait` of 0.1 s or more among them"};
    }
    stretch.seconds = seconds(ends - begins);
    const auto known = std::find_if(program_.stretches.begin(), program_.stretches.end(),
                                    [&](const ChipStretch& each) { return each.tables == stretch.tables; });
    const auto place = static_cast<std::size_t>(known - program_.stretches.begin());
    if (known == program_.stretches.end()) program_.stretches.push_back(std::move(stretch));
    add(ScriptDoes::play, 0, place, text_at(begins));
  }
  static RunTable empty_table(std::size_t axis) {
    RunTable table;
    table.axis = axis;
    return table;
  }
  /// Gaps from step to step of a motion.
  struct Spaced {
    std::int64_t began = 0;     // fine ticks
    std::int64_t last = 0;      // of the last step; 0: none yet
    std::int64_t shortest = 0;  // 0: none yet
    void add(const PutRecorder::Run& run) {
      chip::PulsePlayer<chip::PulseRun> player(run.start);
      player.load(run.run);
      while (player.left() > 0) {
        player.advance();
        const std::int64_t at = fine(player.time());
        if (last != 0 && (shortest == 0 || at - last < shortest)) shortest = at - last;
        last = at;
      }
    }
  };

  /// The same runs lie there once.
  std::size_t place_of(RunTable table) {
    for (std::size_t i = 0; i < program_.tables.size(); ++i) {
      const RunTable& each = program_.tables[i];
      if (each.axis == table.axis && each.runs.size() == table.runs.size() &&
          std::equal(each.runs.begin(), each.runs.end(), table.runs.begin(), same))
        return i;
    }
    program_.tables.push_back(std::move(table));
    return program_.tables.size() - 1;
  }

  // Repeats: passes are worked out until one is as the one before it and ends where it began.

  /// Where all stands.
  [[nodiscard]] std::vector<std::optional<Ratio>> standing() {
    std::vector<std::optional<Ratio>> places;
    const Tick now = std::llround(bench_.now().base() * ticks_per_second());
    for (const std::size_t mechanism : program_.axes) {
      Places* const able = bench_.mover(rig_.mechanisms[mechanism].name).places();
      const auto at = able == nullptr ? std::nullopt : able->position(now);
      places.push_back(at ? std::optional(at->base) : std::nullopt);
    }
    return places;
  }

  [[nodiscard]] std::vector<ChipStep> pass_from(std::size_t first) const {
    std::vector<ChipStep> steps(program_.steps.begin() + static_cast<std::ptrdiff_t>(first),
                                program_.steps.end());
    for (ChipStep& each : steps)
      if (is_jump(each)) each.step.much = static_cast<std::uint16_t>(each.step.much - first);
    return steps;
  }
  static bool is_jump(const ChipStep& step) {
    switch (step.step.does) {
      case ScriptDoes::go_to:
        return step.step.much < leave_mark;
      case ScriptDoes::go_back:
      case ScriptDoes::if_on:
      case ScriptDoes::if_off:
        return true;
      default:
        return false;
    }
  }

  /// Who leaves it goes on behind it.
  void repeat(const Statement& statement, std::int64_t passes) {
    const std::size_t first = program_.steps.size();
    const std::size_t mark = leave_mark + ++loops_;
    go_round(statement, passes);
    --loops_;
    for (std::size_t i = first; i < program_.steps.size(); ++i) {
      chip::ScriptStep& each = program_.steps[i].step;
      if (each.does == ScriptDoes::go_to && each.much == mark)
        each.much = static_cast<std::uint16_t>(program_.steps.size());
    }
  }
  void go_round(const Statement& statement, std::int64_t passes) {
    const bool is_short = passes > 0 && passes <= most_passes_inline;
    if (is_short || in_line_.count(&statement) != 0) {
      for (std::int64_t pass = 0; pass < passes; ++pass) go_through(statement.verb->inside());
      return;
    }
    flush();
    if (depth_ == most_depth)
      throw NeedsHost{&statement, "chip-needs-host",
                      fmt::format("it is the {}th repeat inside others", depth_ + 1),
                      "say it with fewer inside one another"};
    const std::size_t counter = depth_++;
    std::vector<ChipStep> before;
    std::size_t first_before = 0;
    std::vector<std::optional<Ratio>> stood;
    for (std::int64_t pass = 1; passes == 0 || pass <= passes; ++pass) {
      const std::size_t first = program_.steps.size();
      const auto begins = standing();
      go_through(statement.verb->inside());
      flush();
      statement_ = &statement;
      std::vector<ChipStep> own = pass_from(first);
      if (pass > 1 && own == before && begins == stood && standing() == begins) {
        // As the one before it, for as often as is left.
        const std::int64_t times = passes == 0 ? 0 : passes - (pass - 2);
        if (times > 65535)
          throw NeedsHost{&statement, "chip-needs-host", "it repeats more than 65535 times", "say it in two"};
        program_.steps.resize(first_before);
        add(ScriptDoes::repeat, counter, static_cast<std::size_t>(times), statement.text);
        const std::size_t body = program_.steps.size();
        for (ChipStep& each : own) {
          if (is_jump(each)) each.step.much = static_cast<std::uint16_t>(each.step.much + body);
          program_.steps.push_back(std::move(each));
        }
        add(ScriptDoes::go_back, counter, body, "");
        --depth_;
        return;
      }
      if (passes == 0 && static_cast<std::size_t>(pass) > most_passes_tried)
        throw NeedsHost{
            &statement, "chip-needs-host",
            fmt::format("it never ends, and each of its first {} passes goes other ways than the one "
                        "before: each has to be planned",
                        most_passes_tried),
            "let a pass end where it began, or home in it"};
      before = std::move(own);
      stood = begins;
      first_before = first;
    }
    throw NoTwoAlike{&statement};
  }
  static constexpr std::size_t most_depth = 4;

  const Rig& rig_;
  const std::set<const Statement*>& in_line_;
  PutRecorder recorder_{};
  SimulatedBench bench_;
  ChipProgram program_{};
  std::map<LineId, std::size_t> axis_of_{};
  std::map<LineId, std::size_t> output_of_{};
  const Statement* statement_ = nullptr;
  std::vector<std::pair<double, std::string>> texts_{};            // when statements began
  std::int64_t done_until_ = 0;                                    // fine ticks; 0: nothing yet
  std::map<std::size_t, std::optional<std::size_t>> following_{};  // by axis: which of its leadings
  std::set<std::size_t> strayed_{};                                // mechanisms that have followed
  std::size_t depth_ = 0;
  std::size_t loops_ = 0;  // that it stands in, of whatever kind
  std::size_t held_ = 0;   // axes that have their current, a bit each
};

}  // namespace

CompiledScript compile_script(const Rig& rig, const Script* script) {
  CompiledScript compiled;
  try {
    std::set<const Statement*> in_line;
    for (bool is_done = false; !is_done;) {
      try {
        Compiler compiler(rig, in_line);
        compiled.program =
            compiler.compile(script == nullptr ? std::span<const Statement>() : script->statements);
        is_done = true;
      } catch (const NoTwoAlike& unlike) {
        in_line.insert(unlike.repeat);
      }
    }
  } catch (const NeedsHost& host) {
    Finding finding{host.code, Severity::error, "", {}, host.why, host.way_out};
    if (host.statement != nullptr) {
      finding.place = host.statement->place;
      finding.what = host.statement->text + ": " + host.why;
    }
    compiled.findings.push_back(std::move(finding));
  }
  return compiled;
}

}  // namespace cogstride
