#include "cogstride/bench/live/live_bench.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <cmath>

#include "cogstride/bench/live/guardian.hpp"
#include "cogstride/bench/live/kernel_port.hpp"
#include "cogstride/bench/live/live_duty.hpp"
#include "cogstride/bench/pwm_timer.hpp"
#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/motion/six_step_limits.hpp"

namespace cogstride {
namespace {

constexpr auto controllers_own = static_cast<MechanismId>(0xfffe);
constexpr std::chrono::milliseconds guardians_patience{300};
constexpr std::int64_t usual_period_ns = 1'000'000;  // of a channel that is only switched
constexpr ExactTime between_looks = ExactTime::from_base({1, 100});

bool is_on_a_chip(const Controller& controller, std::int64_t line) {
  return std::any_of(controller.chips.begin(), controller.chips.end(), [&](const GpioChip& chip) {
    return line >= chip.first_line && line < chip.first_line + chip.lines;
  });
}

/// Whether a timer makes what goes out on its lines: a duty, or pulses.
bool has_duty(const Mechanism& mechanism) {
  return mechanism.is_driven_by_duty() || mechanism.takes_pulse_width();
}

/// Live lines have no counter for them: what goes without is driven without.
bool leaves_out_encoders(const Mechanism& mechanism) {
  return mechanism.is_driven_by_duty() || mechanism.has_six_gates();
}

/// A rig as live lines take it: without what cannot be had on them (see live_notes).
Rig for_live_lines(Rig rig) {
  const std::vector<LiveObstacle> obstacles = live_obstacles(rig);
  if (!obstacles.empty()) {
    std::vector<std::string> words;
    for (const LiveObstacle& obstacle : obstacles)
      words.push_back(fmt::format("{}: {}", obstacle.mechanism, obstacle.why));
    throw RangeError(fmt::format("{}", fmt::join(words, "\n")));
  }
  rig.pairs.clear();  // they go by their encoders
  for (Mechanism& mechanism : rig.mechanisms) {
    if (!leaves_out_encoders(mechanism)) continue;
    std::erase_if(mechanism.sensors,
                  [](const Sensor& sensor) { return std::holds_alternative<Encoder>(sensor); });
  }
  for (PlainOutput& output : rig.outputs) {
    if (why_no_live_fade(rig.controller, output).empty()) continue;
    output.timer.reset();
    output.pwm_frequency.reset();
  }
  return rig;
}

/// How its pulses are made, or what refuses them.
LiveDuty pulses_of(const Mechanism& mechanism, const Controller& controller) {
  return live_pulses(controller, std::get<PulseWidthWiring>(mechanism.wiring).pulse.number,
                     std::get<PulseWidthInput>(mechanism.board));
}

/// How its duty is made, or what refuses it.
LiveDuty duty_of(const Mechanism& mechanism, const Controller& controller) {
  if (mechanism.takes_pulse_width()) return pulses_of(mechanism, controller);
  try {
    const bool has_gates = mechanism.has_six_gates();
    const PwmSetup setup = has_gates ? GateDriver(mechanism, {}, {}, controller).pwm_setup()
                                     : BridgeDriver(mechanism, {}, {}, controller).pwm_setup();
    std::vector<std::int64_t> lines;
    for (const LineId line : PwmTimer(setup).lines()) lines.push_back(static_cast<std::int64_t>(line));
    return live_duty(controller, lines,
                     has_gates ? std::get<GateWiring>(mechanism.wiring).pwm_frequency
                               : std::get<BridgeWiring>(mechanism.wiring).pwm_frequency);
  } catch (const RangeError& error) {
    return {LiveDuty::By::nothing, error.what()};
  }
}

/// What keeps six gates from live lines: a late edge must not harm the board, and sensors come too late.
std::vector<std::string> gate_obstacles(const Mechanism& mechanism, const Controller& controller) {
  if (!std::get<SixGateInverter>(mechanism.board).locks_legs)
    return {
        "its six gates are bare: an edge that comes late would turn both of a leg on and short the supply. "
        "A board that keeps its own dead time (board.locks_legs), a timer with complementary outputs, or a "
        "speed controller makes it safe; plain lines do not"};
  std::vector<std::string> why;
  const bool has_sensors =
      sensor_of<HallSet>(mechanism) != nullptr || sensor_of<TerminalVoltages>(mechanism) != nullptr;
  if (has_sensors && std::get<GateWiring>(mechanism.wiring).commutated_by == CommutatedBy::sensors)
    why.push_back(
        "what tells its rotor's angle comes too late here to go by it: write lines.commutated_by = "
        "\"time\", and it is stepped slowly, as a rehearsal shows");
  if (const LiveDuty duty = duty_of(mechanism, controller); duty.by == LiveDuty::By::nothing)
    why.push_back(duty.words);
  try {
    (void)six_step_limits(mechanism, controller);
  } catch (const RangeError& error) {
    why.emplace_back(error.what());
  }
  return why;
}

bool is_of_encoder(const Mechanism& mechanism, std::int64_t line) {
  return std::any_of(mechanism.sensors.begin(), mechanism.sensors.end(), [&](const Sensor& sensor) {
    const auto* const encoder = std::get_if<Encoder>(&sensor);
    return encoder != nullptr &&
           (encoder->line_a == line || encoder->line_b == line || encoder->line_index == line);
  });
}

std::map<LineId, Pull> pulls_of(const Rig& rig) {
  std::map<LineId, Pull> pulls;
  for (const Mechanism& mechanism : rig.mechanisms) {
    for (const Sensor& sensor : mechanism.sensors) {
      const auto* const place = std::get_if<PlaceSwitch>(&sensor);
      if (place != nullptr && place->pull) pulls[static_cast<LineId>(place->line)] = *place->pull;
    }
  }
  for (const HandControl& hand : rig.hands)
    if (hand.line && hand.pull) pulls[static_cast<LineId>(*hand.line)] = *hand.pull;
  return pulls;
}

}  // namespace

std::vector<LiveObstacle> live_obstacles(const Rig& rig) {
  std::vector<LiveObstacle> obstacles;
  for (const Mechanism& mechanism : rig.mechanisms) {
    std::vector<std::string> why;
    if (has_duty(mechanism)) {
      const LiveDuty duty = duty_of(mechanism, rig.controller);
      if (duty.by == LiveDuty::By::nothing) why.push_back(duty.words);
    } else if (mechanism.has_six_gates()) {
      for (std::string& each : gate_obstacles(mechanism, rig.controller)) why.push_back(std::move(each));
    } else if (!mechanism.is_movable()) {
      why.push_back(fmt::format("a {} on a {} is not driven on live lines so far", kind_name(mechanism.motor),
                                kind_name(mechanism.board)));
    }
    for (const Sensor& sensor : mechanism.sensors) {
      if (std::holds_alternative<Encoder>(sensor) && !leaves_out_encoders(mechanism))
        why.push_back(fmt::format("its encoder {} wants a quadrature counter, and live lines have none",
                                  name_of(sensor)));
      const bool is_analogue = std::holds_alternative<Shunt>(sensor) ||
                               std::holds_alternative<TemperatureProbe>(sensor) ||
                               std::holds_alternative<TerminalVoltages>(sensor);
      if (is_analogue && (!rig.controller.analogue || !rig.controller.analogue->chip))
        why.push_back(
            fmt::format("its {} wants a converter: say which one has the analogue inputs, in "
                        "controller.analogue.chip",
                        name_of(sensor)));
    }
    std::vector<std::int64_t> nowhere;
    for (const RigLine& line : rig_lines(rig)) {
      if (line.owner == mechanism.name && !is_on_a_chip(rig.controller, line.number) &&
          !(has_duty(mechanism) && is_pwm_channel(rig.controller, line.number)) &&
          !(leaves_out_encoders(mechanism) && is_of_encoder(mechanism, line.number)))
        nowhere.push_back(line.number);
    }
    for (const RigLine& line : rig_lines(rig))
      if (line.owner == mechanism.name && !has_duty(mechanism) && is_pwm_channel(rig.controller, line.number))
        why.push_back(
            fmt::format("its line {} is a channel of a PWM chip, and has to be a plain line", line.number));
    if (!nowhere.empty())
      why.push_back(fmt::format("no [controller.gpio.NAME] of the rig has line{} {}",
                                nowhere.size() > 1 ? "s" : "", fmt::join(nowhere, ", ")));
    if (!why.empty()) obstacles.push_back({mechanism.name, fmt::format("{}", fmt::join(why, "; "))});
  }
  return obstacles;
}

std::string why_no_live_fade(const Controller& controller, const PlainOutput& output) {
  if (!output.timer || !output.pwm_frequency) return {};
  const LiveDuty duty = live_duty(controller, std::array{output.line.number}, *output.pwm_frequency);
  return duty.by == LiveDuty::By::nothing ? duty.words : std::string();
}

std::vector<std::string> live_notes(const Rig& rig) {
  std::vector<std::string> notes;
  for (const Mechanism& mechanism : rig.mechanisms) {
    if (!has_duty(mechanism) && !mechanism.has_six_gates()) continue;
    if (const LiveDuty duty = duty_of(mechanism, rig.controller); duty.by == LiveDuty::By::edges)
      notes.push_back(fmt::format("{}: {}", mechanism.name, duty.words));
    if (mechanism.has_six_gates())
      notes.push_back(
          fmt::format("{}: its rows follow each other by time alone; nothing makes up for a load that "
                      "holds it back",
                      mechanism.name));
    for (const Sensor& sensor : mechanism.sensors)
      if (std::holds_alternative<Encoder>(sensor))
        notes.push_back(fmt::format("{}: its encoder {} is not read: live lines have no quadrature counter",
                                    mechanism.name, name_of(sensor)));
  }
  for (const PlainOutput& output : rig.outputs) {
    if (!output.timer || !output.pwm_frequency) continue;
    const LiveDuty duty = live_duty(rig.controller, std::array{output.line.number}, *output.pwm_frequency);
    if (duty.by == LiveDuty::By::edges) notes.push_back(fmt::format("{}: {}", output.name, duty.words));
  }
  return notes;
}

/// Looks after the run: the guardian, lateness, the heartbeat line.
class LiveBench::Supervisor final : public Participant {
 public:
  explicit Supervisor(LiveBench& bench);
  [[nodiscard]] Tick next_act() const override;
  void act(Lines& lines, std::span<const Reading> readings) override;

 private:
  void look();
  void beat(Lines& lines);

  LiveBench& bench_;
  Tick between_looks_;
  Tick next_look_ = 0;
  Tick half_beat_ = 0;
  Tick next_beat_ = never;
  bool beat_high_ = false;
  bool has_been_late_ = false;
};

struct LiveBench::Inside {
  Options options;
  std::unique_ptr<KernelPort> kernel;
  LinePort* port = nullptr;
  std::unique_ptr<KernelConverter> converter;
  std::unique_ptr<Guardian> guardian;
  std::atomic<bool> guardian_gone{false};
  std::unique_ptr<LiveLines> lines;
  std::unique_ptr<Supervisor> supervisor;
  LiveTally tally{};
  Tick bound = 0;
  bool closed = false;
};

LiveBench::LiveBench(Rig rig) : LiveBench(std::move(rig), Options{}) {}

LiveBench::LiveBench(Rig given, Options options)
    : Bench(for_live_lines(std::move(given))), inside_(std::make_unique<Inside>()) {
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
  setup.lead = ticks_at_least(options.lead, controller.timer_clock);
  setup.bound = ticks_at_least(controller.edge_lateness, controller.timer_clock);
  setup.asks_for_real_time = options.asks_for_real_time;
  const std::vector<PwmChannels::Wanted> hardware = open_duties(setup);
  in.port = options.port;
  if (in.port == nullptr) {
    in.kernel = std::make_unique<KernelPort>(controller, setup.lines, hardware, pulls_of(rig()),
                                             fmt::format("cogstride {}", getpid()));
    in.port = in.kernel.get();
    in.guardian = std::make_unique<Guardian>(in.kernel->rest_writes(), guardians_patience);
    setup.on_turn = [&in] {
      if (!in.guardian->beat()) in.guardian_gone.store(true);
    };
  }
  if (controller.analogue) {
    setup.converter = options.converter;
    setup.analogue_channels = controller.analogue->channels;
    if (setup.converter == nullptr && options.port == nullptr && controller.analogue->chip) {
      in.converter = std::make_unique<KernelConverter>(*controller.analogue);
      setup.converter = in.converter.get();
    }
  }
  in.lines = std::make_unique<LiveLines>(std::move(setup), *in.port);
  in.bound = ticks_at_least(controller.edge_lateness, controller.timer_clock);
  in.supervisor = std::make_unique<Supervisor>(*this);
  loop().add(*in.supervisor);
  if (options.trace == nullptr) return;
  TraceLayout layout;
  layout.rig = rig().name;
  layout.ticks_per_second_numerator = controller.timer_clock.base().numerator();
  layout.ticks_per_second_denominator = controller.timer_clock.base().denominator();
  for (const LineSetup& line : in.lines->lines())
    layout.lines.push_back(
        {line.id, line.name, line.use == LineSetup::Use::input ? in.lines->level(line.id) : line.rest_high});
  options.trace->begin(layout);
  in.lines->on_edge(
      [this](Tick at, LineId line, bool high) { inside_->options.trace->edge(at, line, high); });
}

/// The timers of all duties. @return the lines whose duty hardware makes
std::vector<PwmChannels::Wanted> LiveBench::open_duties(LiveLines::Setup& setup) const {
  const double ns_a_tick = 1e9 / rig().controller.timer_clock.base().to_double();
  std::vector<PwmChannels::Wanted> hardware;
  const auto add = [&](PwmSetup pwm) {
    // What a channel makes needs no line of a GPIO chip, and what edges make has no channel: asked by line.
    pwm.averaged = is_pwm_channel(rig().controller, static_cast<std::int64_t>(pwm.channels.front().line));
    setup.pwm.push_back(pwm);
  };
  for (const auto& drive : drives()) add(drive->driver().pwm_setup());
  for (const auto& pulsed : pulsed()) add(pulsed->driver().pwm_setup());
  for (const auto& six_step : six_steps()) add(six_step->driver().pwm_setup());
  for (const auto& output : outputs())
    if (const std::optional<PwmSetup> pwm = output->pwm_setup()) add(*pwm);
  for (const LineSetup& line : setup.lines) {
    if (line.use == LineSetup::Use::input ||
        !is_pwm_channel(rig().controller, static_cast<std::int64_t>(line.id)))
      continue;
    PwmChannels::Wanted wanted{line.id, line.name, line.rest_high, usual_period_ns};
    for (const PwmSetup& pwm : setup.pwm)
      for (const PwmSetup::Channel& channel : pwm.channels)
        if (channel.line == line.id)
          wanted.period_ns = std::llround(static_cast<double>(pwm.period) * ns_a_tick);
    hardware.push_back(wanted);
  }
  return hardware;
}

LiveBench::~LiveBench() {
  close();
}

void LiveBench::close() {
  Inside& in = *inside_;
  if (in.closed) return;
  in.closed = true;
  stop();
  in.lines->end();
  const double ticks_a_second = rig().controller.timer_clock.base().to_double();
  const auto seconds = [&](Tick ticks) { return static_cast<double>(ticks) / ticks_a_second; };
  const LatenessRecord& late = in.lines->lateness();
  LiveTally& tally = in.tally;
  tally.seconds = now().in(units::s);
  for (const auto& mover : movers()) {
    const OutputKind kind = output_kind(mover->mechanism().train);
    LiveTally::Mechanism mechanism{
        mover->mechanism().name, std::string(display_unit(kind, 0)), {}, mover->stream().made()};
    if (const auto position = mover->position(in.lines->now()))
      mechanism.stands_at = position->base.to_double() * display_units_per_base(kind);
    tally.mechanisms.push_back(std::move(mechanism));
  }
  for (const auto& drive : drives())
    tally.drives.push_back({drive->mechanism().name, drive->highest_duty(), drive->driven_seconds()});
  for (const auto& pulsed : pulsed())
    tally.pulsed.push_back(
        {pulsed->mechanism().name, pulsed->mechanism().swings(), pulsed->asked(in.lines->now())});
  tally.edges = late.edges();
  tally.edges_too_late = late.beyond();
  tally.late_99 = seconds(late.at_share(0.99));
  tally.late_worst = seconds(late.worst());
  tally.bound = seconds(in.bound);
  tally.stood_still = seconds(in.lines->stood_still());
  const PlayerConditions& player = in.lines->conditions();
  tally.conditions = fmt::format("{}; its sleeps end within {:.0f} us",
                                 player.words.empty() ? "real-time priority, memory locked" : player.words,
                                 1e-3 * static_cast<double>(player.wake_ns));
  if (const std::int64_t missed = in.lines->missed_reports(); missed > 0)
    tally.conditions += fmt::format("; {} edges are missing in the record", missed);
  if (const std::int64_t codes = in.lines->codes_read(); codes > 0)
    tally.conditions += fmt::format("; {} analogue codes", codes);
  if (const std::int64_t codes = in.lines->codes_left_out(); codes > 0)
    tally.conditions +=
        fmt::format("; {} more were left out: the converter is slower than what was asked", codes);
  if (in.options.trace != nullptr) in.options.trace->end(in.lines->now() + in.lines->stood_still());
  in.guardian.reset();
  in.kernel.reset();
}

const LiveTally& LiveBench::tally() const {
  return inside_->tally;
}

const PlayerConditions& LiveBench::conditions() const {
  return inside_->lines->conditions();
}

void LiveBench::trace_event(TraceEvent event) {
  event.at += inside_->lines->stood_still();
  if (inside_->options.trace != nullptr && !inside_->closed) inside_->options.trace->event(event);
}

TimedLines& LiveBench::lines() {
  if (!inside_->closed) inside_->lines->catch_up();
  return *inside_->lines;
}

const TimedLines& LiveBench::lines() const {
  return *inside_->lines;
}

void LiveBench::noted(const MotionNote& note) {
  if (note.kind == MotionNote::Kind::faulted && inside_->tally.fault.empty())
    inside_->tally.fault = note.text;
  trace_event(trace_event_of(note, name_of(note.mechanism)));
}

void LiveBench::stopped(Tick at, const Trip& trip) {
  if (trip.cause == Trip::Cause::motion_failed) return;  // noted already
  if (inside_->tally.fault.empty()) inside_->tally.fault = trip.what;
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
  if (bench_.inside_->lines->has_trouble()) return 0;
  return std::min(next_look_, next_beat_);
}

void LiveBench::Supervisor::act(Lines& lines, std::span<const Reading>) {
  if (lines.now() >= next_beat_) beat(lines);
  if (lines.now() >= next_look_ || bench_.inside_->lines->has_trouble()) {
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

void LiveBench::Supervisor::look() {
  Inside& in = *bench_.inside_;
  if (in.guardian_gone.exchange(false)) {
    in.guardian->has_acted()
        ? bench_.fail(
              StopBy::cut,
              "the guardian had no sign of life from this program for 300 ms and put all lines at rest")
        : bench_.fail(StopBy::steepest_ramp, "the guardian process was ended: without it nothing moves");
  }
  if (!in.lines->has_trouble()) return;
  const LiveLines::Trouble trouble = in.lines->take_trouble();
  if (!trouble.gone.empty()) {
    bench_.fail(StopBy::cut, trouble.gone);
    return;
  }
  if (has_been_late_) return;  // it stops already: what comes now is counted
  has_been_late_ = true;
  const double ticks_a_us = bench_.rig().controller.timer_clock.base().to_double() / 1e6;
  std::string name;
  for (const LineSetup& line : in.lines->lines())
    if (line.id == trouble.line) name = line.name;
  // While an edge waits, its field stands still: past a full step the rotor may have lost it.
  std::vector<StepperMover*> doubtful;
  for (const auto& mover : bench_.movers()) {
    const double speed = std::abs(mover->stream().speed_at(in.lines->now()));
    const double full_step = static_cast<double>(steps_lost_at_once(mover->mechanism())) / 4.0;
    if (speed * static_cast<double>(trouble.late) / (1e6 * ticks_a_us) > full_step)
      doubtful.push_back(mover.get());
  }
  bench_.fail(StopBy::steepest_ramp,
              fmt::format("an edge of {} was {:.0f} us late, and the rig bears {:.0f} us "
                          "(controller.edge_lateness): this computer was busy with something else",
                          name, static_cast<double>(trouble.late) / ticks_a_us,
                          static_cast<double>(in.bound) / ticks_a_us));
  for (StepperMover* const mover : doubtful) mover->forget_position();
}

void LiveBench::fail(StopBy how, const std::string& why) {
  if (inside_->tally.fault.empty()) inside_->tally.fault = why;
  trace_event({lines().now(), "bench", why, TraceEvent::Kind::fault});
  stop(how, why);
  tell_fault(why);
}

}  // namespace cogstride
