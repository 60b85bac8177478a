#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/board/line_levels.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>

#include "cogstride/bench/bench_inputs.hpp"
#include "cogstride/bench/bench_loop.hpp"
#include "cogstride/bench/kinds.hpp"
#include "cogstride/bench/simulated/device_stand_ins.hpp"
#include "cogstride/bench/simulated/paced_lines.hpp"
#include "cogstride/bench/simulated/simulated_lines.hpp"
#include "cogstride/bench/simulated/twins/twins.hpp"
#include "cogstride/bench/simulated/world_events.hpp"
#include "cogstride/lines/checked_lines.hpp"
#include "cogstride/lines/late_lines.hpp"
#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/motion/bus/drive_link.hpp"
#include "cogstride/motion/output_switch.hpp"
#include "cogstride/plan/link_figures.hpp"
#include "cogstride/plant/brushed_plant.hpp"
#include "cogstride/plant/brushless_plant.hpp"
#include "cogstride/plant/pulse_plant.hpp"
#include "cogstride/plant/stepped_plant.hpp"
#include "cogstride/rig/figures/derive.hpp"
#include "cogstride/rig/validate.hpp"

namespace cogstride {
namespace {

/// Where an output stands at power-up when nobody says: in the middle of its travel, else at 0.
double start_position(const Mechanism& mechanism, const std::map<std::string, OutputPosition>& given) {
  const auto found = given.find(mechanism.name);
  if (found != given.end()) {
    require_kind(mechanism, found->second.kind);
    return found->second.base.to_double();
  }
  if (!mechanism.homing || !mechanism.limits.travel_from || !mechanism.limits.travel_to) return 0.0;
  return ((mechanism.limits.travel_from->base + mechanism.limits.travel_to->base) / Ratio(2)).to_double();
}

/// What a board makes of switches as they are set and of lines that never change: its own tables say its
/// microsteps and its current; an ENABLE that nobody drives is open; asleep or in reset it does nothing, and
/// its select lines say its microsteps by its own table.
Mechanism as_its_lines_stand(Mechanism mechanism, const SimulatedLines& lines) {
  const auto is_open = [&](const DrivenLine& line) {
    return std::any_of(lines.lines().begin(), lines.lines().end(),
                       [&](const LineSetup& one) { return one.id == line_id(line); });
  };
  std::visit(
      [&](auto& any) {
        if constexpr (requires { any.enable; }) {
          if (!any.enable || is_open(*any.enable)) return;
          any.enable.reset();
          mechanism.common.enable = EnableUse::open;
        }
      },
      mechanism.wiring);
  auto* const board = std::get_if<StepDirBoard>(&mechanism.board);
  auto* const wiring = std::get_if<StepDirWiring>(&mechanism.wiring);
  if (board == nullptr || wiring == nullptr) return mechanism;
  const auto acts = [&](const DrivenLine& line) {
    for (const LineSetup& one : lines.lines())
      if (one.id == line_id(line)) return lines.level(one.id) == (line.active == ActiveLevel::high);
    return false;  // nobody drives it
  };
  if ((wiring->sleep && acts(*wiring->sleep)) || (wiring->reset && acts(*wiring->reset))) {
    wiring->enable.reset();
    mechanism.common.enable = EnableUse::open;
    board->enable_open = OpenEnable::off;
  }
  std::string positions = board->microstep_switches.value_or("");
  if (!wiring->microstep_select.empty()) positions.clear();
  for (const DrivenLine& line : wiring->microstep_select) positions += acts(line) ? '1' : '0';
  const auto current = board->current_by_switch.find(board->current_switches.value_or(""));
  if (current != board->current_by_switch.end()) board->current = current->second;
  const auto row = board->microsteps_by_switch.find(positions);
  if (row != board->microsteps_by_switch.end()) board->microsteps = row->second;
  return mechanism;
}

ShaftPlant::Setup plant_setup(const Mechanism& mechanism, const SimulatedBench::Options& options,
                              ExactFrequency clock, const WorldEvents& world, const Rig& actual) {
  ShaftPlant::Setup setup;
  setup.clock = clock;
  setup.seed = options.seed;
  setup.start_position = start_position(mechanism, options.start_positions);
  setup.coarsest_step = options.coarsest_step.base().to_double();
  setup.events = world.of_mechanism(mechanism.name);
  setup.cut_by = switches_that_cut(actual, mechanism.supply);
  const auto& threshold = inputs_of(mechanism.board).threshold;
  setup.is_deaf = (!is_isolated(actual, mechanism) && !mechanism.supply.ground_joined.value_or(true)) ||
                  (threshold && high_level_at_board(actual, mechanism) < *threshold);
  return setup;
}

}  // namespace

/// Last of all who act: what the lines have cut by themselves, planning has cut by now, or it does not know.
class SimulatedBench::SelfCut final : public Participant {
 public:
  explicit SelfCut(SimulatedBench& bench) : bench_(bench) {}
  [[nodiscard]] Tick next_act() const override { return bench_.lines_->have_cut() ? 0 : never; }
  void act(Lines& lines, std::span<const Reading>) override {
    if (!bench_.lines_->have_cut()) return;
    const std::string why = "a stop acted, and all lines were put at rest";
    bench_.stop(StopBy::cut, why, FaultCode::controller);
    bench_.stopped(lines.now(), {Trip::Cause::emergency_stop, {}, why});
    bench_.tell_fault(why);
  }

 private:
  SimulatedBench& bench_;
};

SimulatedBench::~SimulatedBench() = default;

std::vector<OutsideEvent> SimulatedBench::events_not_come() const {
  return teller_->not_come();
}
std::vector<Participant*> SimulatedBench::surroundings() {
  std::vector<Participant*> all{teller_.get()};
  for (const auto& device : stand_ins_) all.push_back(device.get());
  return all;
}
TimedLines& SimulatedBench::lines() {
  return *checked_;
}
const TimedLines& SimulatedBench::lines() const {
  return *checked_;
}
Twin& SimulatedBench::twin_of(MechanismId id) const {
  return *twins_[static_cast<std::size_t>(id)];
}

SimulatedBench::SimulatedBench(Rig rig) : SimulatedBench(std::move(rig), Options{}) {}

SimulatedBench::SimulatedBench(Rig rig, Options options)
    : Bench(std::move(rig), options.guests),
      options_(std::move(options)),
      teller_(std::make_unique<EventTeller>(
          options_.events, this->rig().controller.timer_clock, [this](Tick at, const OutsideEvent& event) {
            trace_event({at, "outside", to_text(event), TraceEvent::Kind::outside});
          })) {
  if (options_.actual) validate(*options_.actual);
  for (const auto& [name, position] : options_.start_positions) {
    const Mechanism& one = mechanism_named(options_.actual ? *options_.actual : this->rig(), name);
    if (!one.hard_ends ||
        (one.hard_ends->from.base <= position.base && position.base <= one.hard_ends->to.base))
      continue;
    throw RangeError(fmt::format("{} cannot stand at {}: its hard ends are at {} and {}", name,
                                 to_text(position), to_text(one.hard_ends->from),
                                 to_text(one.hard_ends->to)));
  }
  stand_ins_ =
      device_stand_ins(this->rig(), options_.events,
                       {[this](const std::string& words) { hear(words, words.substr(0, words.find('.'))); },
                        [this](const std::string& device, const std::string& text) {
                          trace_event({lines().now(), device, text, TraceEvent::Kind::outside});
                        }});
  open_lines();
  make_twins();
  for (const auto& mover : movers()) made_signals_.push_back(twin_of(mover->id()).signals().size());
  begin_trace();
  self_cut_ = std::make_unique<SelfCut>(*this);
  loop().add(*self_cut_);
}

void SimulatedBench::make_twins() {
  const Rig& actual = options_.actual ? *options_.actual : rig();
  const WorldEvents world = world_events(rig(), actual, options_.events);
  const auto add = [&](std::unique_ptr<Twin> twin) {
    twins_.push_back(std::move(twin));
    if (Plant* const plant = twins_.back()->plant()) lines_->attach(*plant);
    if (BusNode* const node = twins_.back()->node()) lines_->attach(the_bus, *node);
  };
  const std::size_t first_guest = movers().size() - options_.guests.size();
  for (std::size_t i = 0; i < movers().size(); ++i) {
    Mover& mover = *movers()[i];
    TwinSetup setup;
    setup.lines = lines_.get();
    if (i >= first_guest) {
      const Guest& guest = options_.guests[i - first_guest];
      setup.plant.clock = rig().controller.timer_clock;
      setup.plant.seed = options_.seed;
      add(guest.twin ? guest.twin(mover, setup) : std::make_unique<Twin>());
    } else if (const Mechanism* const declared = mover.parts()) {
      const auto kind = std::find_if(kinds_of_movers().begin(), kinds_of_movers().end(),
                                     [&](const KindOfMover& each) { return each.has(*declared); });
      as_wired_.push_back(as_its_lines_stand(mechanism_named(actual, declared->name), *lines_));
      setup.mechanism = &as_wired_.back();
      setup.plant = plant_setup(*setup.mechanism, options_, rig().controller.timer_clock, world, actual);
      setup.is_averaged = is_averaged(*declared);
      add(kind->twin(mover, setup));
    } else if (find_shaft(rig(), mover.name()) != nullptr) {
      setup.plant.clock = rig().controller.timer_clock;
      setup.plant.seed = options_.seed;
      const auto turned = world.by_shaft.find(mover.name());
      const bool is_turned = turned != world.by_shaft.end();
      add(make_shaft_twin(mover, setup, is_turned ? turned->second : std::vector<TurnedAt>{}));
    } else {
      const WheeledPair& pair = pair_named(actual, mover.name());
      add(make_cart_twin(mover, pair, twin_of(this->mover(pair.left).id()),
                         twin_of(this->mover(pair.right).id())));
    }
  }
  if (std::any_of(twins_.begin(), twins_.end(), [](const auto& twin) { return twin->wants_looks(); }))
    lines_->look_each(ticks(Time(1e-3, units::s)), [this](Tick) { look_at_twins(); });
  surroundings_ = std::make_unique<Surroundings>(world.levels, world.changes, world.supplies, world.voltages);
  lines_->attach(*surroundings_);
}

bool SimulatedBench::is_averaged(const Mechanism& mechanism) const {
  const auto* const bridge = std::get_if<HBridge>(&mechanism.board);
  return options_.average_pwm && bridge != nullptr && !bridge->current_limit && bridge->dead_time == Time() &&
         std::get<BridgeWiring>(mechanism.wiring).decay == Decay::slow;
}

void SimulatedBench::open_lines() {
  SimulatedLines::Setup setup;
  setup.lines = line_setups();
  setup.counters = encoder_counters(rig(), moved());
  const Controller& controller = (options_.actual ? *options_.actual : rig()).controller;
  if (controller.counters && Ratio(0) < controller.counters->top_rate.base())
    for (CounterSetup& counter : setup.counters)
      counter.least_between = static_cast<Tick>(
          (rig().controller.timer_clock.base() / controller.counters->top_rate.base()).to_double());
  for (const auto& output : outputs()) {
    if (const std::optional<PwmSetup> pwm = output->pwm_setup()) setup.pwm.push_back(*pwm);
  }
  for (const auto& mover : movers()) {
    for (LoopSetup& loop : mover->loop_setups()) setup.loops.push_back(std::move(loop));
    for (const GearSetup& gear : mover->gear_setups()) setup.gears.push_back(gear);
    for (PwmSetup& pwm : mover->pwm_setups()) {
      pwm.averaged = mover->parts() != nullptr && is_averaged(*mover->parts());
      setup.pwm.push_back(pwm);
    }
    if (mover->parts() == nullptr || !mover->parts()->moves()) continue;
    for (const AdcSetup& adc : analogue_inputs(rig(), *mover->parts())) setup.adc.push_back(adc);
  }
  for (const HandControl& hand : rig().hands)
    if (hand.channel && rig().controller.analogue)
      setup.adc.push_back(analogue_input(*rig().controller.analogue, *hand.channel));
  setup.buses = bus_setups();
  setup.lead = ticks_at_least(options_.lead, rig().controller.timer_clock);
  setup.horizon = horizon_ticks(options_.horizon, rig().controller.timer_clock);
  const bool has_link = controller.small_chip && controller.link;
  setup.brakes_at_edges = has_link;
  Tick reads = 0;
  if (has_link) {
    const LinkFigures figures = link_figures(controller);
    setup.lead = figures.lead;
    setup.horizon = figures.horizon;
    reads = figures.reads;
  }
  setup.ticks_per_second = controller.timer_clock.base().to_double();
  setup.seed = options_.seed;
  setup.cuts = cut_on_inputs();
  CheckedLines::Setup checks{setup.lines, setup.pwm,
                             [this](SourceId source) { return lines_->answers(source); }};
  checks.loops = setup.loops;
  checks.buses = setup.buses;
  lines_ = std::make_unique<SimulatedLines>(std::move(setup));
  TimedLines* inner = lines_.get();
  if (has_link) {
    late_ = std::make_unique<LateLines>(checks.lines, reads, *inner);
    inner = late_.get();
  }
  if (options_.at_wall_clock) {
    paced_ = std::make_unique<PacedLines>(*inner, rig().controller.timer_clock.base().to_double());
    inner = paced_.get();
  }
  checked_ = std::make_unique<CheckedLines>(std::move(checks), *inner);
  checked_->tell(options_.watch);
}

void SimulatedBench::begin_trace() {
  if (options_.trace == nullptr) return;
  TraceLayout layout;
  layout.rig = rig().name;
  const Ratio clock = rig().controller.timer_clock.base();
  layout.ticks_per_second_numerator = clock.numerator();
  layout.ticks_per_second_denominator = clock.denominator();
  for (const LineSetup& line : lines_->lines())
    layout.lines.push_back({line.id, line.name, lines_->level(line.id)});
  layout.signals = signals();
  layout.sample_period =
      std::max<Tick>(1, ticks_at_least(options_.sample_period, rig().controller.timer_clock));
  samples_.resize(layout.signals.size());
  options_.trace->begin(layout);
  lines_->on_edge([this](Tick at, LineId line, bool high) { options_.trace->edge(at, line, high); });
  lines_->look_each(layout.sample_period, [this](Tick at) { look(at); });
}

void SimulatedBench::noted(const MotionNote& note) {
  twin_of(note.mechanism).noted(note);
  if (note.kind == MotionNote::Kind::faulted) {
    noted_fault_ = note.text;
    twin_of(note.mechanism).has_faulted();
  }
  if (note.kind == MotionNote::Kind::faulted && fault_.empty()) fault_ = note.text;
  trace_event(trace_event_of(note, name_of(note.mechanism)));
}

void SimulatedBench::stopped(Tick at, const Trip& trip) {
  if (trip.cause == Trip::Cause::motion_failed && trip.what == noted_fault_) return;
  if (fault_.empty()) fault_ = trip.what;
  trace_event({at, "bench", trip.what, TraceEvent::Kind::fault});
}

void SimulatedBench::look_at_twins() const {
  for (const auto& twin : twins_) twin->look();
}

std::vector<TracedSignal> SimulatedBench::signals() const {
  std::vector<TracedSignal> all;
  for (const auto& mover : movers())
    for (const auto& signals : {signals_of(*mover), twin_of(mover->id()).signals()})
      for (const TracedSignal& signal : signals)
        all.push_back({mover->name() + "." + signal.name, signal.unit});
  return all;
}

void SimulatedBench::sample_signals(Tick at, std::span<double> values) const {
  look_at_twins();
  for (const auto& mover : movers()) {
    const Twin& twin = twin_of(mover->id());
    const std::size_t made = made_signals_[static_cast<std::size_t>(mover->id())];
    values = sample_signals_of(*mover, at, values);
    twin.sample(values.first(made));
    values = values.subspan(made);
  }
}

const CartPose& SimulatedBench::cart_pose(const std::string& name) const {
  (void)pair_named(rig(), name);
  auto& twin = static_cast<CartTwin&>(twin_of(mover(name).id()));
  twin.look();
  return twin.pose();
}

void SimulatedBench::look(Tick at) {
  sample_signals(at, samples_);
  options_.trace->sample(at, samples_);
}

void SimulatedBench::trace_event(TraceEvent event) {
  if (options_.trace != nullptr) options_.trace->event(event);
}

void SimulatedBench::close() {
  if (is_closed()) return;
  end_all();
  if (options_.trace == nullptr) return;
  options_.trace->end(lines_->now());
  options_.trace = nullptr;
  lines_->on_edge({});
  lines_->look_each(never, {});
}

Plant& SimulatedBench::plant_of(const std::string& name, bool (Mechanism::*is_one)() const,
                                const char* what) const {
  if (!(mechanism_named(rig(), name).*is_one)()) throw RangeError(fmt::format("{}: {}", name, what));
  return *twin_of(mover(name).id()).plant();
}

const SimulatedLines& SimulatedBench::simulated_lines() const {
  return *lines_;
}

const SteppedPlant& SimulatedBench::plant(const std::string& name) const {
  return static_cast<const SteppedPlant&>(plant_of(name, &Mechanism::is_movable, "takes no steps"));
}

const BrushedPlant& SimulatedBench::brushed_plant(const std::string& name) const {
  return static_cast<const BrushedPlant&>(
      plant_of(name, &Mechanism::is_driven_by_duty, "is not driven by duty"));
}

const BrushlessPlant& SimulatedBench::brushless_plant(const std::string& name) const {
  return static_cast<const BrushlessPlant&>(
      plant_of(name, &Mechanism::has_six_gates, "is no bare brushless motor"));
}

const PulsePlant& SimulatedBench::pulsed_plant(const std::string& name) const {
  return static_cast<const PulsePlant&>(
      plant_of(name, &Mechanism::takes_pulse_width, "takes no pulse width"));
}

void SimulatedBench::touch(const std::string& mechanism, const PlaceSwitch& place_switch,
                           std::optional<bool> acts) {
  ShaftPlant* const shaft = twin_of(mover(mechanism).id()).shaft();
  if (shaft == nullptr) throw RangeError(fmt::format("{}: has no switches", mechanism));
  shaft->befall({0, ShaftPlant::PlantEvent::Kind::contact, static_cast<LineId>(place_switch.line), acts});
}

Verdict SimulatedBench::verdict() const {
  Verdict run;
  run.seconds = now().in(units::s);
  run.fault = fault_;
  const Tick now = lines_->now();
  for (const auto& mover : movers()) {
    MoverVerdict verdict = mover->came_to(now);
    twin_of(mover->id()).judge(verdict, now, run.seconds);
    if (const Mechanism* const parts = mover->parts(); parts != nullptr && parts->common.through)
      verdict.not_looked_at.push_back(
          fmt::format("how quickly {} passes levels on: that is not simulated (part.{}.top_rate)",
                      *parts->common.through, *parts->common.through));
    run.movers.push_back(std::move(verdict));
  }
  return run;
}

}  // namespace cogstride
