#include <fmt/format.h>

#include "cogstride/quantity/text.hpp"
#include "cogstride/rig/findings.hpp"

namespace cogstride {

const std::vector<FindingKind>& finding_kinds() {
  static const std::vector<FindingKind> kinds = {
      {"enable-inverted", Severity::error, "the controller switches the board off when it means on",
       "Boards differ: some are on when ENABLE is low, some when it is high. With the wrong polarity the "
       "board holds the "
       "motor while nothing moves, and lets go of it whenever it should step.",
       "lines.enable.active = board.enable_active"},
      {"pulse-too-short", Severity::error, "STEP pulses are shorter than the board's inputs need",
       "An input needs its level to stand for a while before it is seen. Shorter pulses are missed, some or "
       "all of them, and "
       "the motor goes less far than asked. The same happens between pulses at top speed.",
       "lines.pulse_width >= board.shortest_high, and 1 / (top step rate) - pulse_width >= "
       "board.shortest_low (the two change "
       "places when STEP is active low)"},
      {"dir-too-near", Severity::error, "DIR changes nearer to a step than the board allows",
       "The board looks at DIR when STEP comes. When DIR has not stood long enough, the first step after "
       "turning round goes "
       "the old way, and every turn-round costs two steps of position.",
       "lines.dir_steady_before >= board.dir_steady_before, lines.dir_steady_after >= "
       "board.dir_steady_after"},
      {"pulse-rate-beyond-controller", Severity::error,
       "top speed takes more pulses a second than the controller makes",
       "The motor would go slower than asked, and nobody would say so. Cog Stride refuses such a move "
       "instead.",
       "limits.speed x steps a unit <= controller.top_step_rate"},
      {"line-overloaded", Severity::error, "a board's input takes more current than a line gives",
       "An input with a light-emitting diode is a load. A line that is asked for too much sags, and its "
       "level is not seen, or "
       "the controller is harmed.",
       "(controller.logic_level - board.input_drop) / board.input_resistance <= controller.line_current"},
      {"level-too-low", Severity::error, "the controller's high level is too low for the board's inputs",
       "A 3.3 V controller may not reach what a 5 V input takes for high. It works on the desk and fails "
       "when it is warm.",
       "controller.logic_level >= board.input_threshold"},
      {"supply-over-board", Severity::error, "the supply has more volts than the board stands",
       "The board fails at once, or at the first hard stop, when the motor pumps the supply up.",
       "supply.voltage <= board.highest_supply"},
      {"supply-too-low", Severity::error, "the supply has too few volts for the board or the motor",
       "Below its lowest supply a board switches itself off. With fewer volts than its resistance takes, a "
       "winding never "
       "reaches its current and the motor is weak at any speed.",
       "supply.voltage >= board.lowest_supply, supply.voltage - board.drop >= board.current x "
       "motor.resistance"},
      {"supply-too-small", Severity::error, "the supply gives less than all its motors can take together",
       "When everything runs at once the supply sags or cuts out, and positions are lost. A current-chopping "
       "board draws "
       "what its windings turn into heat and work, which is less than their current.",
       "sum over motors of (current^2 x resistance + torque x top shaft speed) / voltage <= supply.current"},
      {"current-over-rating", Severity::error, "the board is set to more current than the motor is rated for",
       "The motor runs hotter than its maker allows, and its magnets may weaken.",
       "board.current <= motor.rated_current"},
      {"load-stalls", Severity::error, "at the set current the motor cannot even hold its friction",
       "The motor hums and does not move, whatever the speed: what its windings give at this current is used "
       "up by friction.",
       "holding torque at board.current > load.coulomb_friction + detent"},
      {"step-angle-disagrees", Severity::error, "steps per turn and step angle do not fit each other",
       "One of the two is wrong, and a full turn will not be one.",
       "motor.full_steps x motor.step_angle = 360 deg"},
      {"winding-disagrees", Severity::warning, "rated voltage, current and resistance do not fit each other",
       "Ohm's law holds for a winding at rest. When the three disagree by more than a tenth, one of them was "
       "read from another "
       "motor's label.",
       "motor.rated_voltage = motor.rated_current x motor.resistance, within 10 %"},
      {"ratio-as-sold", Severity::note, "the ratio as sold is not that of the teeth",
       "Gearboxes are sold under rounded ratios. The teeth are the truth, and Cog Stride counts with them; a "
       "sketch that "
       "counts with the label drifts a little every turn.",
       "error a turn = 360 deg x (sold - teeth) / teeth; it adds up to a step, then to a degree"},
      {"start-above-pull-in", Severity::error, "the start speed is more than the motor can jump to",
       "Started above its pull-in rate a stepper hums and stays where it is.",
       "limits.start_speed <= 2 sqrt(torque / (teeth x inertia)), as an output speed"},
      {"acceleration-beyond-torque", Severity::error, "the acceleration is more than the torque gives",
       "A torque that is applied as a step swings the rotor past its place. By the equal-area rule about "
       "0.725 of the pull-out "
       "torque can be used; beyond it steps are lost on the ramp.",
       "inertia x acceleration <= s (torque at top speed - detent) - friction, with s = 0.725, less when the "
       "start speed is jumped to"},
      {"speed-beyond-torque", Severity::error,
       "at top speed the windings give less torque than friction takes",
       "The faster a stepper turns, the less time its current has to rise against inductance and back-EMF.",
       "k min(I, V/Z - k w R/Z^2) > friction at w, Z^2 = R^2 + (p w L)^2"},
      {"on-resonance", Severity::warning, "a working speed steps the motor at the frequency of its own swing",
       "Whole and half steps shake the rotor at the rate they come. At the natural frequency of its swing "
       "about a place of rest "
       "the shaking builds up until steps are lost, though the motor runs well below and above.",
       "with fewer than 4 microsteps: full steps a second within 15 % of sqrt(teeth x torque / inertia) / 2 "
       "pi"},
      {"homing-overruns", Severity::error, "homing cannot stop between the gate and the hard end",
       "At homing speed the way to stop is longer than the way that is left behind the gate.",
       "homing.speed^2 / (2 acceleration) < way from blocks_at to the hard end"},
      {"gate-in-travel", Severity::error, "the gate lies inside the travel",
       "Every move across it looks like the end of the way.", "blocks_at outside limits.travel"},
      {"gate-out-of-reach", Severity::error, "the gate lies beyond the hard end",
       "The mechanism runs into its stop before the gate is ever blocked.",
       "blocks_at inside limits.hard_ends"},
      {"winding-too-hot", Severity::error, "standing still with its current on, the winding gets too hot",
       "A stepper is hottest where it does nothing: both windings carry current all the time.",
       "rise = current^2 x resistance x thermal_resistance; minutes until highest_rise from heat_capacity"},
  };
  return kinds;
}

const FindingKind& finding_kind(const std::string& code) {
  std::vector<std::string> codes;
  for (const FindingKind& kind : finding_kinds()) {
    if (kind.code == code) return kind;
    codes.push_back(kind.code);
  }
  const std::string near = nearest_word(code, codes);
  throw RangeError(
      fmt::format("'{}' is not the code of a finding{}", code,
                  near.empty() ? "; cogstride explain lists them" : fmt::format("; did you mean {}?", near)));
}

std::string to_text(Severity severity) {
  return severity == Severity::error ? "error" : (severity == Severity::warning ? "warning" : "note");
}

}  // namespace cogstride
