// Faults put into benches, and the cause that a rehearsal names for each: is it the one?
//
//   causes [WORDS]   prints injected fault, board, and cause named, of those cases whose words hold WORDS;
//   exit
//                    status 1 when fewer are right than is promised
//
// The bench is really built of another rig than the script was planned by, or something befalls it; what is
// named goes by the record of the run alone (bench/simulated/twins). Causes that no evidence tells apart
// count as one: a fault's row lists them all.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cstdio>
#include <functional>
#include <map>
#include <string>
#include <vector>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/plan/motor_estimates.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/rig/files/new_rig.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/script/script_player.hpp"

namespace cogstride::causes {
namespace {

using namespace literals;

constexpr double least_share_right = 0.9;

/// What a script was planned by and what is really there.
struct Bench {
  std::string what{};  ///< board, and how it is driven
  std::string script{};
  Rig said{};
  Rig actual{};
  std::vector<OutsideEvent> events{};
  std::map<std::string, OutputPosition> start{};

  [[nodiscard]] Mechanism& real() { return actual.mechanisms[0]; }
  [[nodiscard]] const Mechanism& real() const { return actual.mechanisms[0]; }
  void at(double seconds, std::string what_happens, bool on) {
    events.push_back(
        {ExactTime(Ratio(std::llround(seconds * 1e6), 1'000'000), units::s), std::move(what_happens), on});
  }
};

struct Fault {
  std::string name{};
  std::vector<std::string> causes{};  ///< any of them named first is right
  /// Puts it into a bench. @return whether that can have it
  std::function<bool(Bench&)> put{};
};

Rig rig_of(const char* motor, const char* board, std::vector<NewRigOrder::Part> sensors = {}) {
  NewRigOrder order;
  order.name = "Bench";
  order.mechanisms.push_back({"reel", motor, board});
  order.sensors = std::move(sensors);
  Rig rig = parse_rig(new_rig_text(order), "bench.rig.toml");
  // So that there is room between what is asked and what it bears.
  Mechanism& reel = rig.mechanisms[0];
  if (reel.is_movable_stepper()) {
    reel.limits.speed = {OutputKind::rotary, reel.limits.speed.base / Ratio(3)};
    reel.limits.acceleration = {OutputKind::rotary, reel.limits.acceleration.base / Ratio(3)};
    if (std::holds_alternative<CoilWiring>(reel.wiring)) {
      // Whole steps shake it: something has to take that away.
      reel.load.coulomb_friction = reel.load.stiction =
          Torque(0.15 * reel.stepper().holding_torque.base(), units::Nm);
      reel.load.inertia = reel.stepper().rotor_inertia * 2.0;
    }
    reel.limits.jerk = OutputJerk{OutputKind::rotary, reel.limits.acceleration.base * Ratio(20)};
  }
  if (reel.is_driven_by_duty()) reel.limits.current = 9_A;
  return rig;
}

/// A mechanism of the demo alone, that homes to a switch.
Rig homed_rig(const std::string& name) {
  Rig rig = read_rig(COGSTRIDE_SOURCE_DIR "/demo/bobbin.rig.toml");
  std::erase_if(rig.mechanisms, [&](const Mechanism& each) { return each.name != name; });
  rig.mechanisms[0].name = "reel";
  rig.mechanisms[0].follows.reset();
  rig.outputs.clear();
  rig.hands.clear();
  rig.bindings.clear();
  return rig;
}

std::vector<Bench> benches() {
  const std::string turns =
      "move reel by 400 deg\nwait 0.3 s\nmove reel by -650 deg\nwait 0.3 s\nmove reel by 340 deg\nwait 0.4 "
      "s\n";
  const std::string duties =
      "spin reel at 60 % for 1 s\nwait 0.3 s\nspin reel at -60 % for 1 s\nwait 0.4 s\n";
  const std::string speeds = "spin reel at 300 rpm for 1 s\nwait 0.3 s\n";
  std::vector<Bench> all;
  const auto add = [&](std::string what, const std::string& script, Rig rig) {
    all.push_back({std::move(what), script, rig, rig});
  };
  add("STEP/DIR", turns, rig_of("bipolar stepper", "STEP/DIR"));
  add("two-pulse", turns, rig_of("bipolar stepper", "two-pulse"));
  add("dual H-bridge", turns, rig_of("bipolar stepper", "dual H-bridge"));
  add("transistor array", turns, rig_of("unipolar stepper", "four-input transistor array"));
  add("servo by STEP/DIR", turns, rig_of("closed-loop servo", "STEP/DIR"));
  add("two-input H-bridge", duties, rig_of("brushed", "two-input H-bridge"));
  add("sign and magnitude", duties, rig_of("brushed", "sign-and-magnitude H-bridge"));
  add("four-channel board", duties, rig_of("brushed", "four-channel motor board"));
  add("two-input, speed held", speeds,
      rig_of("brushed", "two-input H-bridge", {{"reel", "turns", "encoder"}}));
  add("six gates, Hall set", speeds,
      rig_of("brushless", "six-gate inverter", {{"reel", "angle", "Hall set"}}));
  add("STEP/DIR, homed", "home reel\nmove reel to 40 mm\nwait 0.3 s\nmove reel to 5 mm\nwait 0.3 s\n",
      homed_rig("traverse"));
  add("array on a ring, homed", "home reel\nturn reel to 90 deg\nwait 0.3 s\n", homed_rig("creel"));
  add("hobby servo", "swing reel to 80 deg\nwait 0.3 s\nswing reel to 30 deg\nwait 0.3 s\n",
      rig_of("hobby servo", "pulse-width input"));
  add("speed controller", "arm reel\nthrottle reel to 50 % for 1 s\nwait 0.3 s\n",
      rig_of("brushless with speed controller", "pulse-width input"));
  for (Bench& bench : all)
    for (Rig* const rig : {&bench.said, &bench.actual}) {
      Mechanism& reel = rig->mechanisms[0];
      if (!reel.is_movable() && !reel.is_driven_by_duty()) continue;
      if (!reel.homing) reel.hard_ends.reset();
    }
  return all;
}

bool has_enable(const Mechanism& it) {
  return std::visit(
      [](const auto& wiring) {
        if constexpr (requires { wiring.enable; })
          return wiring.enable.has_value();
        else
          return false;
      },
      it.wiring);
}

template <class Wiring>
Wiring* wiring_of(Bench& bench) {
  return std::get_if<Wiring>(&bench.real().wiring);
}
template <class Kind>
Kind* sensor(Bench& bench) {
  for (Sensor& each : bench.real().sensors)
    if (auto* const found = std::get_if<Kind>(&each)) return found;
  return nullptr;
}

constexpr std::int64_t nowhere = 77;  // a line that nobody opens
void turn_over(DrivenLine& line) {
  line.active = line.active == ActiveLevel::high ? ActiveLevel::low : ActiveLevel::high;
}

double torque_of(const Mechanism& it) {
  if (const auto* const stepper = std::get_if<Stepper>(&it.motor)) return stepper->holding_torque.base();
  if (const auto* const servo = std::get_if<StepServo>(&it.motor)) return servo->peak_torque.base();
  if (const auto* const brushed = std::get_if<BrushedMotor>(&it.motor))
    return model_of(it).torque_per_ampere * it.supply.voltage.base() / brushed->resistance.base();
  if (const auto* const brushless = std::get_if<BrushlessMotor>(&it.motor))
    return brushless->back_emf_constant.base() * model_of(it).current_limit;
  return 0.0;
}

/// s: it moves then.
double under_way(const Bench& bench) {
  if (!bench.real().is_throttled()) return 0.4;
  double armed = 0.5;
  for (const auto& stage : std::get<PulseWidthInput>(bench.real().board).arming) armed += stage.lasts.base();
  return armed;
}

std::vector<Fault> faults() {
  const auto is_step_dir = [](const Bench& bench) {
    return std::holds_alternative<StepDirWiring>(bench.real().wiring);
  };
  std::vector<Fault> all;
  const auto add = [&](std::string name, std::vector<std::string> causes, std::function<bool(Bench&)> put) {
    all.push_back({std::move(name), std::move(causes), std::move(put)});
  };
  // Supplies.
  add("supply never on", {"supply"}, [](Bench& bench) {
    bench.at(0.0, bench.said.mechanisms[0].supply.name, false);
    return true;
  });
  add("supply gone under way", {"supply"}, [](Bench& bench) {
    bench.at(under_way(bench), bench.said.mechanisms[0].supply.name, false);
    return true;
  });
  add("a supply of much less voltage", {"supply voltage"}, [](Bench& bench) {
    const double share = bench.real().is_movable_stepper() ? 0.1 : 0.33;
    bench.real().supply.voltage = Voltage(share * bench.real().supply.voltage.base(), units::V);
    return !bench.real().is_throttled();
  });
  add("no common ground", {"pulse wire", "no current", "enable"}, [](Bench& bench) {
    bench.real().supply.ground_joined = false;
    for (Supply& supply : bench.actual.supplies) supply.ground_joined = false;
    return !inputs_of(bench.real().board).isolated;
  });
  // What switches a board off.
  add("ENABLE taken the other way round", {"enable", "no current"}, [](Bench& bench) {
    if (!has_enable(bench.real())) return false;
    std::visit(
        [](auto& board) {
          if constexpr (requires { board.enable_active; })
            board.enable_active =
                board.enable_active == ActiveLevel::high ? ActiveLevel::low : ActiveLevel::high;
        },
        bench.real().board);
    return true;
  });
  add("wire of ENABLE broken, board off without it", {"enable", "no current"}, [](Bench& bench) {
    if (!has_enable(bench.real())) return false;
    std::visit(
        [](auto& wiring) {
          if constexpr (requires { wiring.enable; }) wiring.enable->number = nowhere;
        },
        bench.real().wiring);
    std::visit(
        [](auto& board) {
          if constexpr (requires { board.enable_open; }) board.enable_open = OpenEnable::off;
        },
        bench.real().board);
    return true;
  });
  // Lines.
  add("wire of STEP broken", {"pulse wire"}, [&](Bench& bench) {
    if (auto* const wiring = wiring_of<StepDirWiring>(bench)) wiring->step.number = nowhere;
    return is_step_dir(bench) && (!bench.real().is_movable_stepper() ||
                                  bench.real().step_dir().form == StepDirBoard::Form::step_dir);
  });
  add("DIR taken the other way round", {"direction"}, [&](Bench& bench) {
    auto* const wiring = wiring_of<StepDirWiring>(bench);
    if (wiring == nullptr || bench.what == "two-pulse") return false;
    turn_over(wiring->dir);
    return true;
  });
  add("two pulse lines exchanged", {"direction"}, [&](Bench& bench) {
    if (bench.what != "two-pulse") return false;
    auto* const wiring = wiring_of<StepDirWiring>(bench);
    std::swap(wiring->step, wiring->dir);
    return true;
  });
  add("wires of both lines of a coil broken", {"coil lead"}, [](Bench& bench) {
    auto* const wiring = wiring_of<CoilWiring>(bench);
    if (wiring == nullptr) return false;
    wiring->coils[0].number = nowhere;
    wiring->coils[1].number = nowhere + 1;
    return true;
  });
  add("wire of one end of a coil broken", {"coil lead"}, [](Bench& bench) {
    auto* const wiring = wiring_of<CoilWiring>(bench);
    if (wiring == nullptr) return false;
    wiring->coils[2].number = nowhere;
    return true;
  });
  add("coil lines in the wrong order", {"coil order", "held"}, [](Bench& bench) {
    auto* const wiring = wiring_of<CoilWiring>(bench);
    if (wiring == nullptr) return false;
    std::swap(wiring->coils[1], wiring->coils[2]);
    wiring->terminals.clear();
    return true;
  });
  add("leads of one coil exchanged", {"direction"}, [](Bench& bench) {
    auto* const wiring = wiring_of<CoilWiring>(bench);
    if (wiring == nullptr) return false;
    std::swap(wiring->coils[2], wiring->coils[3]);
    wiring->terminals.clear();
    return true;
  });
  add("leads of the motor exchanged", {"direction"}, [](Bench& bench) {
    if (!bench.real().is_driven_by_duty()) return false;
    reverse(bench.real());
    if (auto* const encoder = sensor<Encoder>(bench)) std::swap(encoder->line_a, encoder->line_b);
    return true;
  });
  add("wire of a bridge's line broken", {"no current", "direction", "held"}, [](Bench& bench) {
    auto* const wiring = wiring_of<BridgeWiring>(bench);
    if (wiring == nullptr) return false;
    if (wiring->duty) {
      wiring->duty->number = nowhere;
    } else {
      wiring->input_a->number = nowhere;
      wiring->input_b->number = nowhere + 1;
    }
    return true;
  });
  add("lines of the encoder exchanged", {"encoder lines"}, [](Bench& bench) {
    auto* const encoder = sensor<Encoder>(bench);
    if (encoder == nullptr) return false;
    std::swap(encoder->line_a, encoder->line_b);
    return true;
  });
  add("wires of the encoder broken", {"encoder wire"}, [](Bench& bench) {
    auto* const encoder = sensor<Encoder>(bench);
    if (encoder == nullptr) return false;
    encoder->line_a = nowhere;
    encoder->line_b = nowhere + 1;
    return true;
  });
  add("encoder with half the lines", {"counts"}, [](Bench& bench) {
    auto* const encoder = sensor<Encoder>(bench);
    if (encoder == nullptr) return false;
    encoder->lines_per_turn /= 2;
    return true;
  });
  add("two lines of the Hall set exchanged", {"commutation", "held or commutation"}, [](Bench& bench) {
    auto* const halls = sensor<HallSet>(bench);
    if (halls == nullptr) return false;
    std::swap(halls->lines[0], halls->lines[1]);
    return true;
  });
  add("two phases exchanged", {"commutation", "held or commutation"}, [](Bench& bench) {
    auto* const gates = wiring_of<GateWiring>(bench);
    if (gates == nullptr) return false;
    std::swap(gates->gates[0], gates->gates[2]);
    std::swap(gates->gates[1], gates->gates[3]);
    return true;
  });
  add("wire of the pulses broken", {"pulse wire"}, [](Bench& bench) {
    if (!bench.real().takes_pulse_width()) return false;
    bench.at(0.0, "reel.signal", false);
    return true;
  });
  add("wire of the pulses broken under way", {"pulse wire"}, [](Bench& bench) {
    if (!bench.real().takes_pulse_width()) return false;
    bench.at(under_way(bench), "reel.signal", false);
    return true;
  });
  // Switches.
  const auto its_switch = [](Bench& bench) -> PlaceSwitch* {
    return bench.real().homing ? bench.real().home_switch() : nullptr;
  };
  add("switch that never acts", {"switch"}, [&](Bench& bench) {
    if (its_switch(bench) == nullptr) return false;
    bench.at(0.0, "reel." + its_switch(bench)->name, false);
    return true;
  });
  add("switch that always acts", {"switch"}, [&](Bench& bench) {
    if (its_switch(bench) == nullptr) return false;
    bench.at(0.0, "reel." + its_switch(bench)->name, true);
    return true;
  });
  add("wire of the switch broken", {"switch"}, [&](Bench& bench) {
    if (its_switch(bench) == nullptr) return false;
    its_switch(bench)->line = nowhere;
    return true;
  });
  add("switch inverted", {"switch"}, [&](Bench& bench) {
    if (its_switch(bench) == nullptr) return false;
    auto& active = its_switch(bench)->active;
    active = active == ActiveLevel::high ? ActiveLevel::low : ActiveLevel::high;
    return true;
  });
  add("a switch that bounces for longer than its debounce", {"bounce"}, [&](Bench& bench) {
    if (its_switch(bench) == nullptr) return false;
    its_switch(bench)->bounce = 60_ms;
    return true;
  });
  // Settings.
  for (const std::int64_t other : {1, 4, 16})
    add(fmt::format("{} microsteps for 8", other), {"microsteps"}, [other](Bench& bench) {
      if (!bench.real().is_movable_stepper()) return false;
      auto* const board = std::get_if<StepDirBoard>(&bench.real().board);
      if (board == nullptr) return false;
      board->microstep_switches.reset();  // they would say it again
      board->microsteps = other;
      return true;
    });
  add("half steps for full", {"microsteps"}, [](Bench& bench) {
    if (auto* const array = std::get_if<TransistorArray>(&bench.real().board))
      array->stepping = Stepping::full;
    else
      return false;
    bench.said.mechanisms[0].motor = bench.real().motor;
    std::get<Stepper>(bench.real().motor).full_steps *= 2;
    return true;
  });
  add("pulley of another size", {"train"}, [](Bench& bench) {
    if (!bench.real().is_movable()) return false;
    auto& stages = bench.real().train.stages;
    if (!stages.empty() && std::holds_alternative<Screw>(stages.back()))
      std::get<Screw>(stages.back()).lead = std::get<Screw>(stages.back()).lead * Ratio(10, 13);
    else
      stages.push_back(GearPair{20, 26});
    return true;
  });
  add("current set to a third", {"current setting"}, [&](Bench& bench) {
    auto* const board = std::get_if<StepDirBoard>(&bench.real().board);
    if (board == nullptr || !bench.real().is_movable_stepper()) return false;
    board->current_switches.reset();
    board->current = Current(board->current.base() / 3.0, units::A);
    bench.real().load.coulomb_friction = bench.real().load.stiction =
        Torque(0.4 * torque_of(bench.real()), units::Nm);
    bench.said.mechanisms[0].load = bench.real().load;
    return true;
  });
  add("a board that wants longer pulses", {"pulse width"}, [&](Bench& bench) {
    auto* const board = std::get_if<StepDirBoard>(&bench.real().board);
    if (board == nullptr) return false;
    board->shortest_high = 20_us;
    return true;
  });
  add("a board that wants DIR sooner", {"direction time"}, [&](Bench& bench) {
    auto* const board = std::get_if<StepDirBoard>(&bench.real().board);
    if (board == nullptr || bench.what == "two-pulse") return false;
    board->dir_steady_before = Time(2.0, units::ms);
    return true;
  });
  add("a board that wakes slowly", {"wake", "enable time"}, [&](Bench& bench) {
    auto* const board = std::get_if<StepDirBoard>(&bench.real().board);
    if (board == nullptr || !has_enable(bench.real())) return false;
    board->wake = Time(100.0, units::ms);
    return true;
  });
  add("pulses of other ends", {"end points", "held"}, [](Bench& bench) {
    auto* const board = std::get_if<PulseWidthInput>(&bench.real().board);
    if (board == nullptr || !bench.real().swings()) return false;
    board->shortest_pulse = board->shortest_pulse * 0.7;
    board->longest_pulse = board->longest_pulse * 1.2;
    return true;
  });
  add("a speed controller that arms otherwise", {"arming"}, [](Bench& bench) {
    auto* const board = std::get_if<PulseWidthInput>(&bench.real().board);
    if (board == nullptr || !bench.real().is_throttled()) return false;
    for (auto& stage : board->arming) stage.lasts = stage.lasts * 3.0;
    return true;
  });
  add("a slower servo", {"speed"}, [](Bench& bench) {
    auto* const servo = std::get_if<HobbyServo>(&bench.real().motor);
    if (servo == nullptr) return false;
    servo->speed = ExactAngularSpeed::from_base(servo->speed.base() / Ratio(8));
    return true;
  });
  // Loads.
  add("jams from the beginning", {"held", "held or commutation"}, [](Bench& bench) {
    bench.at(0.0, "reel.jam", true);
    return true;
  });
  add("jams under way", {"held"}, [](Bench& bench) {
    bench.at(under_way(bench), "reel.jam", true);
    return true;
  });
  add("friction of twice its torque", {"held", "held or commutation"}, [](Bench& bench) {
    const double torque = torque_of(bench.real());
    if (torque == 0.0) return false;
    bench.real().load.coulomb_friction = bench.real().load.stiction = Torque(2.0 * torque, units::Nm);
    return true;
  });
  add("friction near its torque", {"load", "held", "held or commutation", "coil order"}, [](Bench& bench) {
    const double torque = torque_of(bench.real());
    if (torque == 0.0) return false;
    const double share = bench.real().is_movable() ? 0.8 : 0.25;
    bench.real().load.coulomb_friction = bench.real().load.stiction = Torque(share * torque, units::Nm);
    return !bench.real().is_movable() || bench.real().is_movable_stepper();
  });
  add("an inertia of four hundred times", {"load", "coil order"}, [](Bench& bench) {
    if (!bench.real().is_movable_stepper()) return false;
    bench.real().load.inertia = bench.real().load.inertia * 400.0;
    return true;
  });
  add("a weight over its torque", {"load"}, [](Bench& bench) {
    const double torque = torque_of(bench.real());
    if (torque == 0.0) return false;
    bench.real().load.slackens = false;
    bench.real().load.steady_torque = Torque((bench.real().is_movable() ? 1.3 : 0.75) * torque, units::Nm);
    return !bench.real().has_six_gates() && bench.what != "two-input, speed held";
  });
  add("a hard end in its way", {"hard end"}, [](Bench& bench) {
    if (!bench.real().is_movable() || bench.real().homing) return false;
    bench.real().hard_ends =
        HardEnds{{OutputKind::rotary, Ratio(-900, 360)}, {OutputKind::rotary, Ratio(200, 360)}};
    return true;
  });
  add("its own hard end, by a start elsewhere", {"hard end"}, [](Bench& bench) {
    if (!bench.real().is_movable() || bench.real().homing) return false;
    const HardEnds ends{{OutputKind::rotary, Ratio(-900, 360)}, {OutputKind::rotary, Ratio(450, 360)}};
    bench.real().hard_ends = bench.said.mechanisms[0].hard_ends = ends;
    bench.start["reel"] = {OutputKind::rotary, Ratio(300, 360)};
    return true;
  });
  return all;
}

/// What a run of it names first, and its words.
struct Named {
  std::string cause{};
  std::string words{};
};

Named named_by(const Bench& bench) {
  const Script script = parse_script(bench.script, "x.moves", bench.said);
  SimulatedBench simulated(bench.said,
                           {.start_positions = bench.start, .actual = bench.actual, .events = bench.events});
  bool stopped = false;
  simulated.on_fault([&](const std::string&) { stopped = true; });
  ScriptPlayer player(script, simulated.rig(), simulated.cast());
  simulated.run(player, [&] { return player.has_ended() || stopped; });
  simulated.serve(0.3_s);
  const Verdict verdict = simulated.verdict();
  const MoverVerdict& reel = verdict.of("reel");
  Named named;
  if (verdict.is_sound()) return {"nothing wrong", {}};
  named.words = verdict.fault.empty() ? fmt::format("{}", fmt::join(reel.complaints, "; ")) : verdict.fault;
  if (!reel.causes.empty()) {
    named.cause = reel.causes[0].name;
    named.words += " => " + reel.causes[0].words;
  } else {
    named.cause = "none named";
  }
  return named;
}

int run(const std::string& wanted) {
  int tried = 0;
  int right = 0;
  int harmless = 0;
  for (const Bench& bench : benches()) {
    {
      const Named none = named_by(bench);
      if (none.cause != "nothing wrong") {
        fmt::print("FALSE ALARM  {:24} {}: {}\n", bench.what, none.cause, none.words);
        return 1;
      }
    }
    for (const Fault& fault : faults()) {
      if (!wanted.empty() && (bench.what + " " + fault.name).find(wanted) == std::string::npos) continue;
      Bench with = bench;
      if (!fault.put(with)) continue;
      Named named;
      try {
        named = named_by(with);
      } catch (const std::exception& error) {
        named = {"error", error.what()};
      }
      const bool is_right =
          std::find(fault.causes.begin(), fault.causes.end(), named.cause) != fault.causes.end();
      if (named.cause == "nothing wrong") {
        fmt::print("sound  {:24} {:44} does no harm\n", bench.what, fault.name);
        ++harmless;
        continue;
      }
      ++tried;
      right += is_right ? 1 : 0;
      fmt::print("{:6} {:24} {:44} named: {}\n", is_right ? "right" : "WRONG", bench.what, fault.name,
                 named.cause);
      if (!is_right || !wanted.empty()) fmt::print("         {}\n", named.words);
    }
  }
  fmt::print("\n{} of {} named rightly: {:.1f} %; {} did no harm\n", right, tried,
             100.0 * right / std::max(1, tried), harmless);
  return right >= least_share_right * tried ? 0 : 1;
}

}  // namespace
}  // namespace cogstride::causes

int main(int count, char** words) {
  try {
    return cogstride::causes::run(count > 1 ? words[1] : "");
  } catch (const std::exception& error) {
    std::fprintf(stderr, "%s\n", error.what());
    return 2;
  }
}
