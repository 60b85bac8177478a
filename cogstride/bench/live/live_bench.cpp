#include "cogstride/bench/live/live_bench.hpp"
#include "cogstride/bench/live/black_box.hpp"
#include "cogstride/bench/live/recorded_lines.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <cmath>
#include <set>
#include <sstream>

#include "cogstride/bench/bench_inputs.hpp"
#include "cogstride/bench/bench_loop.hpp"
#include "cogstride/bench/live/link_lines.hpp"
#include "cogstride/bench/live/live_duty.hpp"
#include "cogstride/bench/live/live_lines.hpp"
#include "cogstride/bench/live/live_obstacles.hpp"
#include "cogstride/board/h_bridge.hpp"
#include "cogstride/board/six_gate.hpp"
#include "cogstride/lines/checked_lines.hpp"
#include "cogstride/lines/pwm_timer.hpp"
#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/motion/brushless/six_step_limits.hpp"
#include "cogstride/motion/mover.hpp"
#include "cogstride/motion/output_switch.hpp"
#include "cogstride/plan/link_figures.hpp"
#include "cogstride/port/byte_stream.hpp"
#include "cogstride/port/converter.hpp"
#include "cogstride/port/guardian.hpp"
#include "cogstride/port/kernel_counters.hpp"
#include "cogstride/port/kernel_port.hpp"
#include "cogstride/port/pwm_channels.hpp"
#include "cogstride/trace/queued_sink.hpp"

namespace cogstride {
namespace {

constexpr auto controllers_own = static_cast<MechanismId>(0xfffe);
constexpr std::chrono::milliseconds guardians_patience{300};
constexpr std::int64_t usual_period_ns = 1'000'000;  // of a channel that is only switched
constexpr ExactTime between_looks = ExactTime::from_base({1, 100});

std::map<LineId, Pull> pulls_of(const Rig& rig) {
  std::map<LineId, Pull> pulls;
  for (const Mechanism& mechanism : rig.mechanisms) {
    for (const Sensor& sensor : mechanism.sensors) {
      const auto* const place = std::get_if<PlaceSwitch>(&sensor);
      if (place != nullptr && place->internal_pull)
        pulls[static_cast<LineId>(place->line)] = *place->internal_pull;
    }
  }
  for (const HandControl& hand : rig.hands)
    for (const std::optional<std::int64_t>& line : {hand.line, hand.line_b})
      if (line && hand.internal_pull) pulls[static_cast<LineId>(*line)] = *hand.internal_pull;
  for (const Remote& remote : rig.remotes)
    if (remote.internal_pull) pulls[static_cast<LineId>(remote.line)] = *remote.internal_pull;
  for (const BusSensor& sensor : rig.bus_sensors)
    if (sensor.internal_pull) pulls[static_cast<LineId>(sensor.line)] = *sensor.internal_pull;
  return pulls;
}

}  // namespace

/// Looks after the run: the guardian, lateness, the heartbeat line.
class LiveBench::Supervisor final : public Participant {
 public:
  explicit Supervisor(LiveBench& bench);
  [[nodiscard]] Tick next_act() const override;
  void act(Lines& lines, std::span<const Reading> readings) override;
  void sample_each(Tick period) {
    between_samples_ = period;
    next_sample_ = 0;
  }

  /// Whether the lines have had trouble, or the guardian.
  void look();

 private:
  void look_at_guardian();
  void beat(Lines& lines);

  LiveBench& bench_;
  Tick between_looks_;
  Tick next_look_ = 0;
  Tick between_samples_ = 0;
  Tick next_sample_ = never;
  Tick half_beat_ = 0;
  Tick next_beat_ = never;
  bool beat_high_ = false;
  bool has_been_late_ = false;
};

struct LiveBench::Inside {
  void open_lines(const LiveBench& bench, LiveLines::Setup setup,
                  const std::vector<PwmChannels::Wanted>& hardware);
  void open_link(const LiveBench& bench, const LiveLines::Setup& setup);
  void open_record(const LiveBench& bench, const LiveLines::Setup& setup);
  void keep_box(PlayedLines& lines, BoxLabels labels);
  static std::vector<PwmChannels::Wanted> open_duties(const LiveBench& bench, LiveLines::Setup& setup);

  Options options;
  std::unique_ptr<KernelPort> kernel;
  LinePort* port = nullptr;
  std::unique_ptr<KernelConverter> converter;
  std::unique_ptr<KernelCounters> counters;
  std::vector<std::string> untimed{};     // of those: their names
  std::set<std::int64_t> untimed_then{};  // of a run that is played again: line A of each
  std::unique_ptr<Guardian> guardian;
  std::atomic<Guardian::State> guardians_state{Guardian::State::well};
  bool guardian_is_told = false;
  std::unique_ptr<QueuedSink> trace;
  std::vector<double> samples{};  // of all signals
  std::vector<LineSetup> opened{};
  std::unique_ptr<LiveLines> lines;  // null where a chip plays, or a run is played again
  std::unique_ptr<ByteStream> stream;
  std::unique_ptr<LinkLines> link;  // a chip's
  std::unique_ptr<BlackBoxWriter> box;
  std::unique_ptr<RecordedLines> recorded;  // before the live ones, with the box
  std::unique_ptr<ReplayedLines> replayed;  // in their place
  bool are_gone = false;                    // its lines
  PlayedLines* played_lines = nullptr;      // the one of these that planning sees
  std::unique_ptr<CheckedLines> checked;    // before it
  std::unique_ptr<Supervisor> supervisor;
  Verdict verdict{};
  LivePlay played{};
  Tick bound = 0;
  bool closed = false;
};

namespace {
bool has_own_port(const LiveBench::Options& options) {
  if (options.replay == nullptr) return options.port != nullptr || options.stream != nullptr;
  const auto label = options.replay->labels().find("own_port");
  return label != options.replay->labels().end() && label->second == "yes";
}

bool is_linked(const Rig& rig, const LiveBench::Options& options) {
  return options.port == nullptr && rig.controller.small_chip &&
         (rig.controller.link || options.stream != nullptr);
}
/// What a counter chip counts needs no line of a GPIO chip.
void leave_to_counter_chips(const Controller& controller, LiveLines::Setup& setup) {
  for (const CounterSetup& counter : setup.counters)
    if (has_counter_chip(controller, static_cast<std::int64_t>(counter.line_a)))
      std::erase_if(setup.lines, [&](const LineSetup& line) {
        return line.id == counter.line_a || line.id == counter.line_b;
      });
}
}  // namespace

LiveBench::LiveBench(Rig rig) : LiveBench(std::move(rig), Options{}) {}

LiveBench::LiveBench(Rig given, Options options)
    : Bench(for_live_lines(std::move(given), has_own_port(options)), {}),
      inside_(std::make_unique<Inside>()) {
  Inside& in = *inside_;
  in.options = options;
  const Controller& controller = rig().controller;
  LiveLines::Setup setup;
  setup.lines = line_setups();
  if (controller.heartbeat) {
    LineSetup heartbeat;
    heartbeat.id = static_cast<LineId>(controller.heartbeat->line);
    heartbeat.name = "controller.heartbeat";
    heartbeat.owner = controllers_own;
    setup.lines.push_back(heartbeat);
  }
  setup.clock = controller.timer_clock;
  setup.buses = bus_setups();
  const bool has_link = is_linked(rig(), options);
  setup.lead = ticks_at_least(options.lead, controller.timer_clock);
  setup.horizon = horizon_ticks(options.horizon, controller.timer_clock);
  if (has_link) {
    const LinkFigures figures = link_figures(controller);
    setup.lead = figures.lead;
    setup.horizon = figures.horizon;
  }
  setup.bound = ticks_at_least(controller.edge_lateness, controller.timer_clock);
  setup.asks_for_real_time = options.asks_for_real_time;
  setup.counters = encoder_counters(rig(), moved());
  if (!has_own_port(options)) leave_to_counter_chips(controller, setup);
  const std::vector<PwmChannels::Wanted> hardware = Inside::open_duties(*this, setup);
  in.opened = setup.lines;
  CheckedLines::Setup checks{setup.lines, setup.pwm,
                             [&in](SourceId source) { return in.played_lines->answers(source); }, true};
  checks.buses = setup.buses;
  if (has_link)
    for (const auto& mover : movers())
      for (LoopSetup& loop : mover->loop_setups()) checks.loops.push_back(std::move(loop));
  if (options.replay != nullptr) {
    in.open_record(*this, setup);
  } else if (has_link) {
    in.open_link(*this, setup);
  } else {
    in.open_lines(*this, std::move(setup), hardware);
  }
  in.checked = std::make_unique<CheckedLines>(std::move(checks), *in.played_lines);
  in.bound = ticks_at_least(controller.edge_lateness, controller.timer_clock);
  in.supervisor = std::make_unique<Supervisor>(*this);
  loop().add(*in.supervisor);
  if (options.trace == nullptr) return;
  TraceLayout layout;
  layout.rig = rig().name;
  layout.ticks_per_second_numerator = controller.timer_clock.base().numerator();
  layout.ticks_per_second_denominator = controller.timer_clock.base().denominator();
  for (const LineSetup& line : in.opened)
    layout.lines.push_back(
        {line.id, line.name,
         line.use == LineSetup::Use::input ? in.played_lines->level(line.id) : line.rest_high});
  in.trace = std::make_unique<QueuedSink>(*options.trace);
  layout.signals = signals();
  layout.sample_period = std::max<Tick>(1, ticks_at_least(options.sample_period, controller.timer_clock));
  in.samples.resize(layout.signals.size());
  in.supervisor->sample_each(layout.sample_period);
  in.trace->begin(layout);
  const auto tell = [this](Tick at, LineId line, bool high) { inside_->trace->edge(at, line, high); };
  if (in.lines != nullptr) in.lines->on_edge(tell);
  if (in.link != nullptr) in.link->on_edge(tell);
}

/// A chip's, behind the rig's port or a stream of the program's own.
void LiveBench::Inside::open_link(const LiveBench& bench, const LiveLines::Setup& setup) {
  Inside& in = *this;
  const Controller& controller = bench.rig().controller;
  const ChipLink link = controller.link.value_or(ChipLink{});
  const std::int64_t baud = controller.small_chip->serial_baud;
  ByteStream* bytes = in.options.stream;
  if (bytes == nullptr) {
    in.stream = open_byte_stream(link.port, baud);
    bytes = in.stream.get();
  }
  LinkLines::Setup own;
  own.lines = setup.lines;
  own.counters = setup.counters;
  for (const auto& mover : bench.movers()) {
    for (LoopSetup& loop : mover->loop_setups()) own.loops.push_back(std::move(loop));
    for (const GearSetup& gear : mover->gear_setups()) own.gears.push_back(gear);
  }
  own.map = link_map(bench.rig());
  own.ticks_per_second = setup.clock.base().to_double();
  const LinkFigures figures = link_figures(controller);
  own.bytes_per_second = figures.bytes_per_second;
  own.baud = baud;
  own.slack = figures.slack;
  own.lead = figures.lead;
  own.horizon = figures.horizon;
  own.reads = figures.reads;
  own.cuts = bench.cut_on_inputs();
  own.silence_ms = std::max<std::int64_t>(1, std::llround(1e3 * link.silence.base()));
  if (controller.analogue) own.analogue_channels = controller.analogue->channels;
  own.port = link.port;
  in.link = std::make_unique<LinkLines>(std::move(own), *bytes);
  in.played_lines = in.link.get();
  BoxLabels labels = in.options.labels;
  labels["lead"] = fmt::format("{}", setup.lead);
  labels["horizon"] = fmt::format("{}", setup.horizon);
  labels["analogue"] = controller.analogue ? "yes" : "no";
  labels["untimed"] = "";
  labels["own_port"] = "yes";
  keep_box(*in.link, std::move(labels));
}

void LiveBench::Inside::keep_box(PlayedLines& lines, BoxLabels labels) {
  if (options.black_box.empty()) return;
  box = std::make_unique<BlackBoxWriter>(options.black_box, labels, options.black_box_size);
  recorded = std::make_unique<RecordedLines>(lines, *box);
  played_lines = recorded.get();
}

/// The lines of this computer, or of a port of the program's own.
void LiveBench::Inside::open_lines(const LiveBench& bench, LiveLines::Setup setup,
                                   const std::vector<PwmChannels::Wanted>& hardware) {
  Inside& in = *this;
  const Controller& controller = bench.rig().controller;
  in.port = in.options.port;
  if (in.port == nullptr) {
    in.kernel =
        std::make_unique<KernelPort>(controller, setup.lines, hardware, pulls_of(bench.rig()),
                                     LiveLines::counted_lines(setup), fmt::format("cogstride {}", getpid()));
    in.port = in.kernel.get();
    for (const BusSetup& bus : setup.buses) in.kernel->open_bus(bus, controller.bus->interface_name);
    in.guardian = std::make_unique<Guardian>(in.kernel->rest_writes(), guardians_patience);
    setup.on_turn = [&in] { in.guardians_state.store(in.guardian->beat()); };
  }
  setup.cuts = bench.cut_on_inputs();
  if (controller.analogue) {
    setup.converter = in.options.converter;
    setup.analogue_channels = controller.analogue->channels;
    if (setup.converter == nullptr && in.options.port == nullptr && controller.analogue->chip) {
      in.converter = std::make_unique<KernelConverter>(*controller.analogue);
      setup.converter = in.converter.get();
    }
  }
  setup.hardware_counters = in.options.counters;
  if (in.kernel != nullptr && setup.hardware_counters == nullptr && !controller.counter_chips.empty()) {
    std::vector<LineId> lines_a;
    for (const CounterSetup& counter : setup.counters) lines_a.push_back(counter.line_a);
    in.counters = std::make_unique<KernelCounters>(controller, lines_a);
    setup.hardware_counters = in.counters.get();
    for (const LineId line_a : lines_a)
      if (in.counters->has(line_a) && !in.counters->tells_times(line_a))
        in.untimed.push_back(in.counters->name_of(line_a));
  }
  BoxLabels labels = in.options.labels;
  labels["lead"] = fmt::format("{}", setup.lead);
  labels["horizon"] = fmt::format("{}", setup.horizon);
  labels["analogue"] = setup.converter == nullptr ? "no" : "yes";
  std::string untimed;
  if (setup.hardware_counters != nullptr)
    for (const CounterSetup& counter : setup.counters)
      if (setup.hardware_counters->has(counter.line_a) &&
          !setup.hardware_counters->tells_times(counter.line_a))
        untimed += fmt::format("{} ", static_cast<int>(counter.line_a));
  labels["untimed"] = untimed;
  labels["own_port"] = in.options.port == nullptr ? "no" : "yes";
  in.lines = std::make_unique<LiveLines>(std::move(setup), *in.port);
  in.played_lines = in.lines.get();
  keep_box(*in.lines, std::move(labels));
}

/// What a run was told, in the place of lines.
void LiveBench::Inside::open_record(const LiveBench& bench, const LiveLines::Setup& setup) {
  Inside& in = *this;
  BlackBox& box = *in.options.replay;
  if (!box.is_whole())
    throw Error(
        fmt::format("what the run was told before {:.3f} s has been written over in its black box: it "
                    "cannot be played again from there (a larger box keeps more)",
                    static_cast<double>(box.begins_at()) / setup.clock.base().to_double()));
  const auto number = [&](const char* key) -> Tick {
    const auto found = box.labels().find(key);
    return found == box.labels().end() ? 0 : std::strtoll(found->second.c_str(), nullptr, 10);
  };
  ReplayedLines::Setup then;
  then.lines = setup.lines;
  then.lead = number("lead");
  then.horizon = number("horizon");
  then.ticks_per_second = setup.clock.base().to_double();
  then.counters = setup.counters;
  const Controller& controller = bench.rig().controller;
  then.brakes_at_edges = controller.small_chip && controller.link;
  const auto analogue = box.labels().find("analogue");
  if (const auto untimed = box.labels().find("untimed"); untimed != box.labels().end()) {
    std::istringstream lines(untimed->second);
    for (std::int64_t line_a = 0; lines >> line_a;) in.untimed_then.insert(line_a);
  }
  then.has_analogue = analogue != box.labels().end() && analogue->second == "yes";
  in.replayed = std::make_unique<ReplayedLines>(std::move(then), box);
  in.played_lines = in.replayed.get();
}

/// The timers of all duties. @return the lines whose duty hardware makes
std::vector<PwmChannels::Wanted> LiveBench::Inside::open_duties(const LiveBench& bench,
                                                                LiveLines::Setup& setup) {
  const double ns_per_tick = 1e9 / bench.rig().controller.timer_clock.base().to_double();
  std::vector<PwmChannels::Wanted> hardware;
  const auto add = [&](PwmSetup pwm) {
    // What a channel makes needs no line of a GPIO chip, and what edges make has no channel: asked by line.
    pwm.averaged =
        is_pwm_channel(bench.rig().controller, static_cast<std::int64_t>(pwm.channels.front().line));
    setup.pwm.push_back(pwm);
  };
  for (const auto& mover : bench.movers())
    for (const PwmSetup& pwm : mover->pwm_setups()) add(pwm);
  for (const auto& output : bench.outputs())
    if (const std::optional<PwmSetup> pwm = output->pwm_setup()) add(*pwm);
  for (const LineSetup& line : setup.lines) {
    if (line.use == LineSetup::Use::input ||
        !is_pwm_channel(bench.rig().controller, static_cast<std::int64_t>(line.id)))
      continue;
    PwmChannels::Wanted wanted{line.id, line.name, line.rest_high, usual_period_ns};
    for (const PwmSetup& pwm : setup.pwm)
      for (const PwmSetup::Channel& channel : pwm.channels)
        if (channel.line == line.id)
          wanted.period_ns = std::llround(static_cast<double>(pwm.period) * ns_per_tick);
    hardware.push_back(wanted);
  }
  return hardware;
}

LiveBench::~LiveBench() {
  try {
    close();
  } catch (...) {  // lines are at rest before anything of it can fail
  }
}

/// What stays on by itself is told off, and listened to until it says that it is.
void LiveBench::switch_off() {
  constexpr int looks = 50;
  Lines& lines = *inside_->checked;
  const auto are_on = [&] {
    return std::any_of(movers().begin(), movers().end(), [](const auto& each) { return each->stays_on(); });
  };
  if (!are_on() || inside_->are_gone) return;
  for (const auto& each : movers()) {
    if (!each->stays_on()) continue;
    if (each->has_ended() && !each->is_driven(lines.now())) {
      each->release(lines);
    } else {
      each->lines_were_cut(lines, {});
    }
  }
  for (int i = 0; i < looks && are_on(); ++i) serve(Time(10.0, units::ms));
}

void LiveBench::close() {
  Inside& in = *inside_;
  if (in.closed) return;
  try {
    switch_off();
  } catch (...) {  // the lines are put at rest all the same
  }
  if (in.lines != nullptr) {
    in.lines->play_out();
    in.lines->cut();
  }
  if (in.link != nullptr) {
    in.link->play_out();
    in.link->cut();
    in.supervisor->look();  // where it stands was told just now
  }
  try {
    end_all();
  } catch (...) {
    give_back();
    throw;
  }
  give_back();
  if (in.lines != nullptr) in.lines->deliver();
  in.verdict.seconds = now().in(units::s);
  for (const auto& mover : movers()) in.verdict.movers.push_back(mover->came_to(in.played_lines->now()));
  if (in.lines != nullptr) tell_how_it_played();
  if (in.link != nullptr) tell_how_it_spoke();
  if (in.box != nullptr) {
    in.box->end();
    if (const std::string why = in.box->failure(); !why.empty())
      in.played.conditions += fmt::format("; its black box ends early: {}", why);
  }
  if (in.trace == nullptr) return;
  in.trace->end(in.played_lines->now() + in.played_lines->stood_still());
  LivePlay& played = in.played;
  played.record_failure = in.trace->failure();
  if (const std::int64_t left_out = in.trace->left_out(); left_out > 0)
    played.conditions +=
        fmt::format("; {} edges and events are missing in the record: its file was too slow", left_out);
}

/// By its edges, once the player has ended.
void LiveBench::tell_how_it_played() {
  Inside& in = *inside_;
  const double ticks_per_second = rig().controller.timer_clock.base().to_double();
  const auto seconds = [&](Tick ticks) { return static_cast<double>(ticks) / ticks_per_second; };
  const LatenessRecord& late = in.lines->lateness();
  LivePlay& played = in.played;
  played.edges = late.edges();
  played.edges_too_late = late.beyond();
  played.late_99 = seconds(late.at_share(0.99));
  played.late_worst = seconds(late.worst());
  played.bound = seconds(in.bound);
  played.stood_still = seconds(in.lines->stood_still());
  const PlayerConditions& player = in.lines->conditions();
  played.conditions = fmt::format("{}; its sleeps end within {:.0f} us",
                                  player.words.empty() ? "real-time priority, memory locked" : player.words,
                                  1e-3 * static_cast<double>(player.wake_ns));
  if (const std::int64_t missed = in.lines->missed_reports(); missed > 0)
    played.conditions += fmt::format("; {} edges are missing in the record", missed);
  if (!in.untimed.empty())
    played.conditions += fmt::format("; {} tells no times of its changes: they are known to a look",
                                     fmt::join(in.untimed, ", "));
  if (const std::int64_t codes = in.lines->codes_read(); codes > 0)
    played.conditions += fmt::format("; {} analogue codes", codes);
  if (const std::int64_t codes = in.lines->codes_left_out(); codes > 0)
    played.conditions +=
        fmt::format("; {} more were left out: the converter is slower than what was asked", codes);
}

void LiveBench::tell_how_it_spoke() {
  Inside& in = *inside_;
  const LinkTalk::Counts& counts = in.link->counts();
  const double ticks_per_second = rig().controller.timer_clock.base().to_double();
  in.played.by_a_chip = true;
  in.played.conditions = fmt::format(
      "by the chip, whose clock is known within {:.0f} us; {} frames to it, {} of them again, {} bytes; {} "
      "heard, "
      "{} spoiled on the way; there and back in {:.1f} ms",
      1e6 * static_cast<double>(in.link->clock_error()) / ticks_per_second, counts.frames_sent,
      counts.sent_again, counts.bytes_sent, counts.frames_heard, counts.refused,
      1e-6 * static_cast<double>(in.link->round_trip_ns()));
}

/// Ends the player, and then, when all is known to be at rest, the guardian.
void LiveBench::give_back() noexcept {
  Inside& in = *inside_;
  in.closed = true;
  if (in.link != nullptr) in.link->end();
  if (in.lines == nullptr) return;
  in.lines->end();
  if (in.guardian != nullptr && !in.lines->rested().is_at_rest()) (void)in.guardian->puts_at_rest();
  in.guardian.reset();
  in.kernel.reset();
}

/// A chip counts them itself, and says when each came.
double LiveBench::edges_come_late() const {
  const bool is_by_chip =
      inside_->link != nullptr || (inside_->lines == nullptr && rig().controller.link.has_value());
  return is_by_chip ? 0.0 : 2e-3;
}

double LiveBench::edges_known_within(const Encoder& encoder) const {
  const Inside& in = *inside_;
  constexpr double between_looks_at_counts = 1e-3;
  if (in.replayed != nullptr) return in.untimed_then.contains(encoder.line_a) ? between_looks_at_counts : 0.0;
  const CounterPort* const counters =
      in.options.counters != nullptr ? in.options.counters : in.counters.get();
  const auto line_a = static_cast<LineId>(encoder.line_a);
  return counters != nullptr && counters->has(line_a) && !counters->tells_times(line_a)
             ? between_looks_at_counts
             : 0.0;
}

const Verdict& LiveBench::verdict() const {
  return inside_->verdict;
}

const LivePlay& LiveBench::played() const {
  return inside_->played;
}

const PlayerConditions& LiveBench::conditions() const {
  static const PlayerConditions none{};
  return inside_->lines == nullptr ? none : inside_->lines->conditions();
}

void LiveBench::trace_event(TraceEvent event) {
  event.at += inside_->played_lines->stood_still();
  if (inside_->trace != nullptr && !inside_->closed) inside_->trace->event(event);
}

TimedLines& LiveBench::lines() {
  if (!inside_->closed) inside_->played_lines->catch_up();
  return *inside_->checked;
}

const TimedLines& LiveBench::lines() const {
  return *inside_->checked;
}

bool LiveBench::take_stop_request() {
  Inside& in = *inside_;
  if (in.replayed != nullptr) return in.replayed->take_if(BoxEvent::Kind::stop_requested) != nullptr;
  if (!Bench::take_stop_request()) return false;
  if (in.recorded != nullptr) {
    BoxEvent event;
    event.kind = BoxEvent::Kind::stop_requested;
    in.recorded->add(event);
  }
  return true;
}

void LiveBench::posted(const std::string& what) {
  if (RecordedLines* const recorded = inside_->recorded.get()) {
    BoxEvent event;
    event.kind = BoxEvent::Kind::posted;
    event.words = what;
    recorded->add(event);
  }
  Bench::posted(what);
}

void LiveBench::replay_posts() {
  Inside& in = *inside_;
  if (in.replayed == nullptr) return;
  while (const BoxEvent* const post = in.replayed->take_if(BoxEvent::Kind::posted)) {
    const std::string what = post->words;
    Bench::posted(what);
    constexpr std::string_view heard = "heard ";
    if (!in.options.on_replayed_post && !what.starts_with(heard))
      throw ReplayEnds(
          fmt::format("'{}' was ordered by a program: only that program can play it again", what));
    try {
      if (in.options.on_replayed_post)
        in.options.on_replayed_post(what);
      else
        hear(what.substr(heard.size()));
    } catch (const ReplayEnds&) {
      throw;
    } catch (const std::exception&) {  // refused, as it was then: whoever posted it was told
    }
  }
}

std::int64_t LiveBench::commands_compared() const {
  return inside_->replayed == nullptr ? 0 : inside_->replayed->sums_compared();
}

void LiveBench::noted(const MotionNote& note) {
  if (note.kind == MotionNote::Kind::faulted && inside_->verdict.fault.empty())
    inside_->verdict.fault = note.text;
  trace_event(trace_event_of(note, name_of(note.mechanism)));
}

void LiveBench::stopped(Tick at, const Trip& trip) {
  if (trip.cause == Trip::Cause::motion_failed) return;  // noted already
  if (inside_->verdict.fault.empty()) inside_->verdict.fault = trip.what;
  trace_event({at, "bench", trip.what, TraceEvent::Kind::fault});
}

LiveBench::Supervisor::Supervisor(LiveBench& bench)
    : bench_(bench), between_looks_(ticks_at_least(between_looks, bench.rig().controller.timer_clock)) {
  if (const auto& heartbeat = bench.rig().controller.heartbeat) {
    half_beat_ = std::max<Tick>(1, bench.ticks(heartbeat->period) / 2);
    next_beat_ = 0;
  }
}

Tick LiveBench::Supervisor::next_act() const {
  if (bench_.inside_->played_lines->has_trouble()) return 0;
  return std::min({next_look_, next_beat_, next_sample_});
}

void LiveBench::Supervisor::act(Lines& lines, std::span<const Reading>) {
  if (lines.now() >= next_beat_) beat(lines);
  if (lines.now() >= next_sample_) {
    next_sample_ = lines.now() + between_samples_;
    Inside& in = *bench_.inside_;
    bench_.sample_signals(lines.now(), in.samples);
    in.trace->sample(lines.now() + in.played_lines->stood_still(), in.samples);
  }
  if (lines.now() >= next_look_ || bench_.inside_->played_lines->has_trouble()) {
    next_look_ = lines.now() + between_looks_;
    look();
  }
}

/// As long as planning gets here and the player puts it out, all is well.
void LiveBench::Supervisor::beat(Lines& lines) {
  beat_high_ = !beat_high_;
  const auto line = static_cast<LineId>(bench_.rig().controller.heartbeat->line);
  lines.put(lines.now() + lines.lead(), std::array{Level{line, beat_high_}});
  next_beat_ = lines.now() + half_beat_;
}

void LiveBench::Supervisor::look_at_guardian() {
  Inside& in = *bench_.inside_;
  if (in.guardian_is_told) return;
  Guardian::State state = in.guardians_state.load();
  if (in.replayed != nullptr)
    if (const BoxEvent* const then = in.replayed->take_if(BoxEvent::Kind::guardian))
      state = static_cast<Guardian::State>(then->number);
  if (state == Guardian::State::well) return;
  in.guardian_is_told = true;
  if (in.recorded != nullptr) {
    BoxEvent event;
    event.kind = BoxEvent::Kind::guardian;
    event.number = static_cast<std::uint32_t>(state);
    in.recorded->add(event);
  }
  bench_.fail(StopBy::steepest_ramp,
              state == Guardian::State::ended
                  ? std::string("the guardian process was ended: without it nothing moves")
                  : fmt::format("the guardian process has not answered for {} ms: without it nothing moves",
                                guardians_patience.count()));
}

namespace {
std::string words_of(CutBy why) {
  switch (why) {
    case CutBy::no_answer:
      return fmt::format(
          "a stop was not braked for within {:.0f} ms, so all lines were put at rest: this computer was busy "
          "with something else",
          1e3 * Bench::planning_answers_within.base().to_double());
    case CutBy::silence:
      return fmt::format(
          "the bench was not served for {:.0f} ms while something moved, so all lines were put at rest: call "
          "serve() or wait() more often, or see what holds the program up",
          1e3 * LiveLines::planning_may_be_silent.base().to_double());
    case CutBy::reaction:
    case CutBy::planning:
      break;
  }
  return "a stop acted, and all lines were put at rest";
}
}  // namespace

void LiveBench::Supervisor::look() {
  Inside& in = *bench_.inside_;
  look_at_guardian();
  if (!in.played_lines->has_trouble()) return;
  const PlayedLines::Trouble trouble = in.played_lines->take_trouble();
  if (trouble.cut_by != CutBy::planning) bench_.fail(StopBy::cut, words_of(trouble.cut_by));
  if (!trouble.gone.empty()) {
    in.are_gone = true;
    bench_.fail(StopBy::cut, trouble.gone);
    return;
  }
  if (trouble.late == 0 || has_been_late_) return;  // it stops already: what comes now is counted
  has_been_late_ = true;
  const double ticks_per_us = bench_.rig().controller.timer_clock.base().to_double() / 1e6;
  std::string name;
  for (const LineSetup& line : in.opened)
    if (line.id == trouble.line) name = line.name;
  std::vector<Zeroed*> doubtful;
  for (const auto& mover : bench_.movers())
    if (Zeroed* const zeroed = mover->zeroed();
        zeroed != nullptr && mover->loses_place(in.played_lines->now(), trouble.late))
      doubtful.push_back(zeroed);
  bench_.fail(StopBy::steepest_ramp,
              fmt::format("an edge of {} was {:.0f} us late, and the rig bears {:.0f} us "
                          "(controller.edge_lateness): this computer was busy with something else",
                          name, static_cast<double>(trouble.late) / ticks_per_us,
                          static_cast<double>(in.bound) / ticks_per_us));
  for (Zeroed* const zeroed : doubtful) zeroed->forget_position();
}

void LiveBench::fail(StopBy how, const std::string& why) {
  if (inside_->verdict.fault.empty()) inside_->verdict.fault = why;
  trace_event({lines().now(), "bench", why, TraceEvent::Kind::fault});
  stop(how, why, FaultCode::controller);
  tell_fault(why);
}

}  // namespace cogstride
