#include "cogstride/bench/simulated/simulated_bench.hpp"

#include <fmt/format.h>

#include <cmath>
#include <limits>

#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/plan/motor_estimates.hpp"
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

constexpr double degrees_per_radian = 180.0 / pi;

/// In which its angle, or its share of full speed, is shown.
std::string unit_of_pulse(const Mechanism& mechanism) {
  return mechanism.swings() ? std::string(display_unit(output_kind(mechanism.train), 0)) : std::string("%");
}

/// Of a share of the swing or of full speed.
double units_per_share(const Mechanism& mechanism) {
  if (!mechanism.swings()) return 100.0;
  const OutputPosition swing = range_of(mechanism);
  return swing.base.to_double() * display_units_per_base(swing.kind);
}

}  // namespace

std::size_t SimulatedBench::first_signal(const Rig& rig, const Mechanism& mechanism) {
  if (!mechanism.moves()) require_movable(mechanism);
  std::size_t signals = 0;
  bool is_found = false;
  const auto pass = [&](std::size_t each, const auto& is_one) {
    for (const Mechanism& other : rig.mechanisms) {
      if (is_found || !is_one(other)) continue;
      is_found = other.name == mechanism.name;
      signals += is_found ? 0 : each;
    }
  };
  pass(signals_per_mechanism, [](const Mechanism& other) { return other.is_movable(); });
  pass(signals_per_drive, [](const Mechanism& other) { return other.is_driven_by_duty(); });
  pass(signals_per_pulse, [](const Mechanism& other) { return other.takes_pulse_width(); });
  pass(signals_per_brushless, [](const Mechanism& other) { return other.has_six_gates(); });
  return signals;
}

std::size_t SimulatedBench::first_signal(const Rig& rig, const WheeledPair& pair) {
  std::size_t signals = 0;
  for (const Mechanism& mechanism : rig.mechanisms) {
    if (mechanism.is_movable()) signals += signals_per_mechanism;
    if (mechanism.is_driven_by_duty()) signals += signals_per_drive;
    if (mechanism.takes_pulse_width()) signals += signals_per_pulse;
    if (mechanism.has_six_gates()) signals += signals_per_brushless;
  }
  const WheeledPair& found = pair_named(rig, pair.name);
  return signals + signals_per_pair * static_cast<std::size_t>(&found - rig.pairs.data());
}

SimulatedBench::SimulatedBench(Rig rig) : SimulatedBench(std::move(rig), Options{}) {}

SimulatedBench::SimulatedBench(Rig rig, Options options)
    : Bench(std::move(rig)),
      options_(std::move(options)),
      teller_(options_.events, this->rig().controller.timer_clock,
              [this](Tick at, const OutsideEvent& event) {
                trace_event({at, "outside", to_text(event), TraceEvent::Kind::outside});
              }) {
  if (options_.actual) validate(*options_.actual);
  for (const auto& [name, position] : options_.start_positions) (void)mechanism_named(this->rig(), name);
  open_lines();
  make_plants();
  begin_trace();
}

void SimulatedBench::make_plants() {
  const Rig& actual = options_.actual ? *options_.actual : rig();
  const WorldEvents world = world_events(rig(), actual, options_.events);
  for (const auto& mover : movers()) {
    const Mechanism& mechanism = mechanism_named(actual, mover->mechanism().name);
    const ShaftPlant::Setup setup = plant_setup(mechanism, world, actual);
    if (mechanism.is_movable_stepper()) {
      plants_.push_back(std::make_unique<StepperPlant>(mechanism, setup));
    } else {
      plants_.push_back(std::make_unique<StepServoPlant>(mechanism, setup));
    }
    lines_->attach(*plants_.back());
  }
  for (const auto& drive : drives()) {
    const Mechanism& mechanism = mechanism_named(actual, drive->mechanism().name);
    ShaftPlant::Setup setup = plant_setup(mechanism, world, actual);
    if (is_averaged(drive->mechanism())) setup.coarsest_step = BrushedPlant::longest_averaged_step;
    brushed_.push_back(std::make_unique<BrushedPlant>(mechanism, setup));
    lines_->attach(*brushed_.back());
  }
  for (const auto& pulsed : pulsed()) {
    const Mechanism& mechanism = mechanism_named(actual, pulsed->mechanism().name);
    const ShaftPlant::Setup setup = plant_setup(mechanism, world, actual);
    if (mechanism.swings()) {
      const double share = setup.start_position / range_of(mechanism).base.to_double();
      pulse_plants_.push_back(std::make_unique<HobbyServoPlant>(mechanism, setup, share));
    } else {
      pulse_plants_.push_back(std::make_unique<ThrottledPlant>(mechanism, setup));
    }
    lines_->attach(*pulse_plants_.back());
  }
  for (const auto& six_step : six_steps()) {
    const Mechanism& mechanism = mechanism_named(actual, six_step->mechanism().name);
    brushless_.push_back(std::make_unique<BrushlessPlant>(mechanism, plant_setup(mechanism, world, actual)));
    lines_->attach(*brushless_.back());
  }
  for (const WheeledPair& pair : actual.pairs) {
    Cart cart;
    cart.pair = pair;
    cart.left = &brushed_plant(pair.left);
    cart.right = &brushed_plant(pair.right);
    cart.rolled_left = cart.left->position() * rolled_per_turn(pair.left_wheel);
    cart.rolled_right = cart.right->position() * rolled_per_turn(pair.right_wheel);
    carts_.push_back(cart);
  }
  if (!carts_.empty()) lines_->look_each(ticks(Time(1e-3, units::s)), [this](Tick) { roll_carts(); });
  whole_turns_.assign(plants_.size(), 0.0);
  zero_found_.assign(plants_.size(), false);
  surroundings_ = std::make_unique<Surroundings>(world.levels, world.changes, world.supplies, world.voltages);
  lines_->attach(*surroundings_);
}

bool SimulatedBench::is_averaged(const Mechanism& mechanism) const {
  const auto& bridge = std::get<HBridge>(mechanism.board);
  return options_.average_pwm && !bridge.current_limit && bridge.dead_time == Time() &&
         std::get<BridgeWiring>(mechanism.wiring).decay == Decay::slow;
}

ShaftPlant::Setup SimulatedBench::plant_setup(const Mechanism& mechanism, const WorldEvents& world,
                                              const Rig& actual) const {
  ShaftPlant::Setup setup;
  setup.clock = rig().controller.timer_clock;
  setup.seed = options_.seed;
  setup.start_position = start_position(mechanism, options_.start_positions);
  setup.coarsest_step = options_.coarsest_step.base().to_double();
  setup.events = world.of_mechanism(mechanism.name);
  setup.cut_by = switches_that_cut(actual, mechanism.supply.name);
  return setup;
}

void SimulatedBench::open_lines() {
  SimulatedLines::Setup setup;
  setup.lines = line_setups();
  setup.counters = encoder_counters(rig(), moved());
  for (const auto& output : outputs()) {
    if (const std::optional<PwmSetup> pwm = output->pwm_setup()) setup.pwm.push_back(*pwm);
  }
  for (const auto& drive : drives()) {
    setup.pwm.push_back(drive->driver().pwm_setup());
    setup.pwm.back().averaged = is_averaged(drive->mechanism());
    for (const AdcSetup& adc : analogue_inputs(rig(), drive->mechanism())) setup.adc.push_back(adc);
  }
  for (const auto& pulsed : pulsed()) setup.pwm.push_back(pulsed->driver().pwm_setup());
  for (const auto& six_step : six_steps()) {
    setup.pwm.push_back(six_step->driver().pwm_setup());
    for (const AdcSetup& adc : analogue_inputs(rig(), six_step->mechanism())) setup.adc.push_back(adc);
  }
  for (const HandControl& hand : rig().hands)
    if (hand.channel && rig().controller.analogue)
      setup.adc.push_back(analogue_input(*rig().controller.analogue, *hand.channel));
  setup.lead = ticks_at_least(options_.lead, rig().controller.timer_clock);
  setup.seed = options_.seed;
  lines_ = std::make_unique<SimulatedLines>(std::move(setup));
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
  for (const auto& mover : movers()) {
    const Mechanism& mechanism = mover->mechanism();
    const OutputKind kind = output_kind(mechanism.train);
    const std::string position_unit(display_unit(kind, 0));
    layout.signals.push_back({mechanism.name + ".asked", position_unit});
    layout.signals.push_back({mechanism.name + ".made", position_unit});
    layout.signals.push_back({mechanism.name + ".speed", std::string(display_unit(kind, 1))});
    layout.signals.push_back({mechanism.name + ".phase_a", "A"});
    layout.signals.push_back({mechanism.name + ".phase_b", "A"});
  }
  for (const auto& drive : drives()) {
    const Mechanism& mechanism = drive->mechanism();
    const OutputKind kind = output_kind(mechanism.train);
    layout.signals.push_back({mechanism.name + ".duty", "%"});
    layout.signals.push_back({mechanism.name + ".made", std::string(display_unit(kind, 0))});
    layout.signals.push_back({mechanism.name + ".speed", kind == OutputKind::rotary ? "rpm" : "mm/s"});
    layout.signals.push_back({mechanism.name + ".current", "A"});
    layout.signals.push_back({mechanism.name + ".supply", "V"});
    layout.signals.push_back({mechanism.name + ".motor_rise", "K"});
    layout.signals.push_back({mechanism.name + ".wanted_speed", kind == OutputKind::rotary ? "rpm" : "mm/s"});
  }
  for (const auto& pulsed : pulsed()) {
    const Mechanism& mechanism = pulsed->mechanism();
    const std::string unit = unit_of_pulse(mechanism);
    layout.signals.push_back({mechanism.name + ".asked", unit});
    layout.signals.push_back({mechanism.name + (mechanism.swings() ? ".made" : ".speed"), unit});
    layout.signals.push_back({mechanism.name + ".current", "A"});
    layout.signals.push_back({mechanism.name + ".power", "W"});
    layout.signals.push_back({mechanism.name + ".motor_rise", "K"});
  }
  for (const auto& six_step : six_steps()) {
    const Mechanism& mechanism = six_step->mechanism();
    const OutputKind kind = output_kind(mechanism.train);
    const std::string speed = kind == OutputKind::rotary ? "rpm" : "mm/s";
    layout.signals.push_back({mechanism.name + ".duty", "%"});
    layout.signals.push_back({mechanism.name + ".made", std::string(display_unit(kind, 0))});
    layout.signals.push_back({mechanism.name + ".speed", speed});
    layout.signals.push_back({mechanism.name + ".wanted_speed", speed});
    for (const char* const phase : {"a", "b", "c"})
      layout.signals.push_back({mechanism.name + ".phase_" + phase, "A"});
    layout.signals.push_back({mechanism.name + ".supply", "V"});
    layout.signals.push_back({mechanism.name + ".motor_rise", "K"});
  }
  for (const WheeledPair& pair : rig().pairs) {
    for (const char* const whose : {"", "thinks_"}) {
      layout.signals.push_back({pair.name + "." + whose + "x", "mm"});
      layout.signals.push_back({pair.name + "." + whose + "y", "mm"});
      layout.signals.push_back({pair.name + "." + whose + "heading", "deg"});
    }
    layout.signals.push_back({pair.name + ".pace", "%"});
  }
  layout.sample_period =
      std::max<Tick>(1, ticks_at_least(options_.sample_period, rig().controller.timer_clock));
  samples_.resize(layout.signals.size());
  options_.trace->begin(layout);
  lines_->on_edge([this](Tick at, LineId line, bool high) { options_.trace->edge(at, line, high); });
  lines_->look_each(layout.sample_period, [this](Tick at) { look(at); });
}

void SimulatedBench::noted(const MotionNote& note) {
  // Until the zero is found nobody knows where it stands, so nothing can have been lost.
  if (note.kind == MotionNote::Kind::home_edge) {
    plants_[static_cast<std::size_t>(note.mechanism)]->count_losses_from_here();
    zero_found_[static_cast<std::size_t>(note.mechanism)] = true;
  }
  if (note.kind == MotionNote::Kind::done && note.text == "home") {
    const auto place = static_cast<std::size_t>(note.mechanism);
    const Mechanism& mechanism = movers()[place]->mechanism();
    const bool on_a_ring =
        !mechanism.limits.travel_from && output_kind(mechanism.train) == OutputKind::rotary;
    if (on_a_ring)
      whole_turns_[place] =
          std::round(plants_[place]->position() - mechanism.homing->position.base.to_double());
  }
  if (note.kind == MotionNote::Kind::faulted) noted_fault_ = note.text;
  if (note.kind == MotionNote::Kind::faulted && fault_.empty()) fault_ = note.text;
  trace_event(trace_event_of(note, name_of(note.mechanism)));
}

void SimulatedBench::stopped(Tick at, const Trip& trip) {
  if (trip.cause == Trip::Cause::motion_failed && trip.what == noted_fault_) return;
  if (fault_.empty()) fault_ = trip.what;
  trace_event({at, "bench", trip.what, TraceEvent::Kind::fault});
}

/// Steps that are out on the lines, backwards ones negative.
std::int64_t SimulatedBench::steps_out(const StepperMover& mover) const {
  const StepDriver& driver = mover.stream().driver();
  const std::vector<LineId> step_lines = driver.step_lines();
  if (step_lines.empty()) return driver.row_at(lines_->now());
  std::int64_t steps = 0;
  for (const LineId line : step_lines) steps += lines_->steps_made(line);
  return steps;
}

void SimulatedBench::roll_carts() {
  for (Cart& cart : carts_) {
    const double left = cart.left->position() * rolled_per_turn(cart.pair.left_wheel);
    const double right = cart.right->position() * rolled_per_turn(cart.pair.right_wheel);
    cart.pose = cart.pose.rolled(left - cart.rolled_left, right - cart.rolled_right, cart.pair.track.base());
    cart.rolled_left = left;
    cart.rolled_right = right;
  }
}

const CartPose& SimulatedBench::cart_pose(const std::string& name) {
  roll_carts();
  return carts_[static_cast<std::size_t>(&pair_named(rig(), name) - rig().pairs.data())].pose;
}

void SimulatedBench::look(Tick at) {
  roll_carts();
  for (std::size_t i = 0; i < plants_.size(); ++i) {
    const StepperMover& mover = *movers()[i];
    const Mechanism& mechanism = mover.mechanism();
    const SteppedPlant& plant = *plants_[i];
    const double scale = display_units_per_base(output_kind(mechanism.train));
    double asked = std::numeric_limits<double>::quiet_NaN();
    if (mover.origin()) {
      const std::int64_t steps = steps_out(mover) - *mover.origin();
      asked = scale * static_cast<double>(steps) / steps_per_base(mechanism).to_double();
    }
    double* const out = samples_.data() + i * signals_per_mechanism;
    out[0] = asked;
    out[1] = scale * (plant.position() - whole_turns_[i]);
    out[2] = scale * plant.speed();
    out[3] = plant.current_a();
    out[4] = plant.current_b();
  }
  double* out = samples_.data() + plants_.size() * signals_per_mechanism;
  for (std::size_t i = 0; i < brushed_.size(); ++i, out += signals_per_drive) {
    const DutyMover& drive = *drives()[i];
    const BrushedPlant& plant = *brushed_[i];
    const OutputKind kind = output_kind(drive.mechanism().train);
    out[0] = 100.0 * drive.duty(at);
    out[1] = display_units_per_base(kind) * plant.position();
    out[2] = (kind == OutputKind::rotary ? 60.0 : 1000.0) * plant.speed();
    out[3] = plant.current();
    out[4] = plant.supply_voltage();
    out[5] = plant.motor_rise();
    out[6] = drive.holds_speed()
                 ? (kind == OutputKind::rotary ? 60.0 : 1000.0) * drive.speed_hold().wanted_speed(at)
                 : std::numeric_limits<double>::quiet_NaN();
  }
  for (std::size_t i = 0; i < pulse_plants_.size(); ++i, out += signals_per_pulse) {
    const PulsePlant& plant = *pulse_plants_[i];
    const double scale = units_per_share(pulsed()[i]->mechanism());
    out[0] = scale * pulsed()[i]->asked(at).value_or(std::numeric_limits<double>::quiet_NaN());
    out[1] = scale * (pulsed()[i]->mechanism().swings() ? plant.position() : plant.speed());
    out[2] = plant.current();
    out[3] = plant.power();
    out[4] = plant.rise();
  }
  for (std::size_t i = 0; i < brushless_.size(); ++i, out += signals_per_brushless) {
    const SixStepMover& mover = *six_steps()[i];
    const BrushlessPlant& plant = *brushless_[i];
    const OutputKind kind = output_kind(mover.mechanism().train);
    const double speed = kind == OutputKind::rotary ? 60.0 : 1000.0;
    out[0] = 100.0 * mover.duty();
    out[1] = display_units_per_base(kind) * plant.position();
    out[2] = speed * plant.speed();
    out[3] = speed * mover.wanted_speed(at);
    for (std::size_t phase = 0; phase < 3; ++phase) out[4 + phase] = plant.current(phase);
    out[7] = plant.supply_voltage();
    out[8] = plant.motor_rise();
  }
  for (std::size_t i = 0; i < carts_.size(); ++i, out += signals_per_pair) {
    const CartPose& thinks = pairs()[i]->thinks();
    std::size_t next = 0;
    for (const CartPose& pose : {carts_[i].pose, thinks}) {
      out[next++] = 1e3 * pose.x;
      out[next++] = 1e3 * pose.y;
      out[next++] = pose.heading * degrees_per_radian;
    }
    out[next] = 100.0 * pairs()[i]->pace();
  }
  options_.trace->sample(at, samples_);
}

void SimulatedBench::trace_event(TraceEvent event) {
  if (options_.trace != nullptr) options_.trace->event(event);
}

void SimulatedBench::close() {
  if (closed_) return;
  closed_ = true;
  end_all();
  if (options_.trace == nullptr) return;
  options_.trace->end(lines_->now());
  options_.trace = nullptr;
  lines_->on_edge({});
  lines_->look_each(never, {});
}

const SteppedPlant& SimulatedBench::plant(const std::string& name) {
  return *plants_[static_cast<std::size_t>(mover(name).stream().driver().id())];
}

const BrushedPlant& SimulatedBench::brushed_plant(const std::string& name) {
  return *brushed_[static_cast<std::size_t>(duty_mover(name).driver().id()) - movers().size()];
}

const BrushlessPlant& SimulatedBench::brushless_plant(const std::string& name) {
  for (std::size_t i = 0; i < brushless_.size(); ++i)
    if (six_steps()[i]->mechanism().name == name) return *brushless_[i];
  (void)mechanism_named(rig(), name);
  throw RangeError(fmt::format("{}: is no bare brushless motor", name));
}

BrushlessTally SimulatedBench::brushless_tally(std::size_t i) const {
  const BrushlessPlant& plant = *brushless_[i];
  const Mechanism& mechanism = six_steps()[i]->mechanism();
  const bool turns = output_kind(mechanism.train) == OutputKind::rotary;
  BrushlessTally tally;
  tally.name = mechanism.name;
  tally.speed_unit = turns ? "rpm" : "mm/s";
  tally.speed = (turns ? 60.0 : 1000.0) * plant.speed();
  tally.highest_speed = (turns ? 60.0 : 1000.0) * plant.highest_speed();
  tally.highest_current = plant.highest_current();
  tally.sustained_current = plant.sustained_current();
  tally.highest_supply = plant.highest_supply();
  tally.motor_rise = plant.highest_motor_rise();
  if (mechanism.limits.current) tally.current_limit = mechanism.limits.current->base();
  if (const auto rise = std::get<BrushlessMotor>(mechanism.motor).heat.highest_rise)
    tally.motor_stands = rise->base();
  tally.times_empty = plant.times_empty();
  if (plant.destroyed_at()) {
    tally.destroyed_at =
        static_cast<double>(*plant.destroyed_at()) / rig().controller.timer_clock.base().to_double();
    const auto& gates = std::get<GateWiring>(mechanism.wiring).gates;
    tally.destroyed_by = fmt::format("lines {} and {}", gates[2 * plant.destroyed_leg()].number,
                                     gates[2 * plant.destroyed_leg() + 1].number);
  }
  return tally;
}

const PulsePlant& SimulatedBench::pulsed_plant(const std::string& name) {
  for (std::size_t i = 0; i < pulse_plants_.size(); ++i)
    if (pulsed()[i]->mechanism().name == name) return *pulse_plants_[i];
  (void)mechanism_named(rig(), name);
  throw RangeError(fmt::format("{}: takes no pulse width", name));
}

PulseTally SimulatedBench::pulse_tally(std::size_t i) const {
  const PulseWidthMover& mover = *pulsed()[i];
  const PulsePlant& plant = *pulse_plants_[i];
  const Mechanism& mechanism = mover.mechanism();
  const double scale = units_per_share(mechanism);
  PulseTally tally;
  tally.name = mechanism.name;
  tally.unit = unit_of_pulse(mechanism);
  tally.swings = mechanism.swings();
  if (const auto asked = mover.asked(lines_->now())) tally.asked = scale * *asked;
  tally.made = scale * (tally.swings ? plant.position() : plant.speed());
  tally.highest_current = plant.highest_current();
  tally.mean_current = plant.charge() / std::max(1e-9, now().in(units::s));
  tally.energy = plant.charge() * mechanism.supply.voltage.base();
  tally.rise = plant.highest_rise();
  tally.longest_stall = plant.longest_stall();
  const MotorHeat* heat = nullptr;
  if (const auto* const servo = std::get_if<HobbyServo>(&mechanism.motor)) {
    heat = &servo->heat;
    const PulseScale pulses(mechanism);
    const double steepest =
        std::min(std::abs(pulses.seconds_per_share(0.0)), std::abs(pulses.seconds_per_share(1.0)));
    const double count =
        static_cast<double>(mover.driver().grain()) / rig().controller.timer_clock.base().to_double();
    tally.spare = scale * (servo->dead_band.base() + count) / steepest;
  } else {
    heat = &std::get<ThrottledMotor>(mechanism.motor).heat;
    tally.too_soon = dynamic_cast<const ThrottledPlant&>(plant).too_soon();
  }
  if (heat->highest_rise) tally.stands = heat->highest_rise->base();
  if (plant.too_warm_at() != never)
    tally.too_warm_at =
        static_cast<double>(plant.too_warm_at()) / rig().controller.timer_clock.base().to_double();
  if (heat->thermal_resistance && heat->heat_capacity)
    tally.rest = heat->thermal_resistance->base() * heat->heat_capacity->base() * std::log(2.0);
  return tally;
}

BrushedTally SimulatedBench::tally_of(std::size_t i) const {
  const DutyMover& drive = *drives()[i];
  const BrushedPlant& plant = *brushed_[i];
  const Mechanism& mechanism = drive.mechanism();
  const OutputKind kind = output_kind(mechanism.train);
  BrushedTally tally;
  tally.name = mechanism.name;
  tally.unit = display_unit(kind, 0);
  tally.speed_unit = kind == OutputKind::rotary ? "rpm" : "mm/s";
  tally.made = display_units_per_base(kind) * plant.position();
  tally.speed = (kind == OutputKind::rotary ? 60.0 : 1000.0) * plant.speed();
  tally.duty = drive.duty(lines_->now());
  tally.highest_current = plant.highest_current();
  tally.mean_current = plant.charge() / std::max(1e-9, now().in(units::s));
  tally.sustained_current = plant.sustained_current();
  tally.driven_still = plant.driven_still();
  tally.still_current = plant.still_current();
  tally.start_duty = start_duty(model_of(mechanism));
  tally.highest_supply = plant.highest_supply();
  tally.motor_rise = plant.highest_motor_rise();
  tally.board_rise = plant.highest_board_rise();
  tally.times_limited = plant.times_limited();
  if (mechanism.limits.current) tally.current_limit = mechanism.limits.current->base();
  if (const auto rise = std::get<BrushedMotor>(mechanism.motor).heat.highest_rise)
    tally.motor_stands = rise->base();
  if (const auto rise = stage_of(mechanism.board).highest_rise) tally.board_stands = rise->base();
  if (const auto volts = stage_of(mechanism.board).highest_supply) tally.board_volts = volts->base();
  return tally;
}

void SimulatedBench::touch(const std::string& mechanism, const PlaceSwitch& place_switch,
                           std::optional<bool> acts) {
  ShaftPlant& plant = *plants_[static_cast<std::size_t>(mover(mechanism).stream().driver().id())];
  plant.befall({0, ShaftPlant::PlantEvent::Kind::contact, static_cast<LineId>(place_switch.line), acts});
}

RunTally SimulatedBench::tally() const {
  RunTally run;
  run.seconds = now().in(units::s);
  run.fault = fault_;
  for (std::size_t i = 0; i < plants_.size(); ++i) {
    const StepperMover& mover = *movers()[i];
    const Mechanism& mechanism = mover.mechanism();
    const SteppedPlant& plant = *plants_[i];
    const StepDirReceiver::Counts& counts = plant.counts();
    const OutputKind kind = output_kind(mechanism.train);
    const double scale = display_units_per_base(kind);
    MechanismTally tally;
    tally.name = mechanism.name;
    tally.unit = display_unit(kind, 0);
    if (const auto asked = mover.position(lines_->now())) tally.asked = scale * asked->base.to_double();
    tally.made = scale * (plant.position() - whole_turns_[i]);
    tally.net_steps = steps_out(mover);
    tally.pulses = counts.pulses;
    tally.missed_off = counts.missed_off;
    tally.missed_waking = counts.missed_waking;
    tally.missed_short = counts.missed_short;
    tally.wrong_direction = counts.wrong_direction;
    tally.shortest_step_level = counts.shortest;
    if (const auto* const board = std::get_if<StepDirBoard>(&mechanism.board)) {
      tally.enable_wanted = board->enable_active == ActiveLevel::low ? "low" : "high";
      tally.shortest_allowed = std::max(board->shortest_high, board->shortest_low).base();
    }
    tally.full_step = scale * static_cast<double>(plant.microsteps_per_period()) / 4.0 /
                      std::abs(steps_per_base(mechanism).to_double());
    tally.microsteps_per_period = plant.microsteps_per_period();
    tally.counts_losses = !mechanism.homing || zero_found_[i] || mover.origin();
    if (tally.counts_losses) {
      tally.lost_microsteps = plant.lost_microsteps();
      for (const SteppedPlant::Slip& slip : plant.slips())
        tally.losses.push_back({slip.at, slip.step_rate, slip.microsteps});
    }
    run.mechanisms.push_back(std::move(tally));
  }
  for (std::size_t i = 0; i < brushed_.size(); ++i) run.drives.push_back(tally_of(i));
  for (std::size_t i = 0; i < pulse_plants_.size(); ++i) run.pulsed.push_back(pulse_tally(i));
  for (std::size_t i = 0; i < brushless_.size(); ++i) run.brushless.push_back(brushless_tally(i));
  for (std::size_t i = 0; i < carts_.size(); ++i) {
    const auto pose = [](const CartPose& from) {
      return PairTally::Pose{1e3 * from.x, 1e3 * from.y, from.heading * degrees_per_radian};
    };
    const WheeledPair& pair = carts_[i].pair;
    run.pairs.push_back({pair.name, pair.left, pair.right, pose(pairs()[i]->thinks()), pose(carts_[i].pose),
                         pairs()[i]->slowest_pace()});
  }
  return run;
}

}  // namespace cogstride
