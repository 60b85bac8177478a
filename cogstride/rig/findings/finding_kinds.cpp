#include <fmt/format.h>

#include "cogstride/quantity/text.hpp"
#include "cogstride/rig/findings/findings.hpp"

namespace cogstride {

const std::vector<FindingKind>& finding_kinds() {
  static const std::vector<FindingKind> kinds = {
      {"line-used-twice", Severity::error, "one line of the controller has two uses",
       "Two boards then hear the same pulses, or a sensor and an output fight over one wire. Such a rig "
       "is refused.",
       "every line number stands once in the rig"},
      {"enable-inverted", Severity::error, "the controller switches the board off when it means on",
       "Boards differ: some are on when ENABLE is low, some when it is high. With the wrong polarity the "
       "board holds the "
       "motor while nothing moves, and lets go of it whenever it should step.",
       "lines.enable.active = board.enable_active"},
      {"enable-left-open", Severity::error, "ENABLE is left open on a board that is off then",
       "Some boards run with ENABLE open, others wait for a level that never comes: everything looks "
       "right and nothing moves.",
       "lines.enable = \"open\" needs board.enable_open = \"on\""},
      {"coil-order", Severity::error, "coil lines in connector order instead of coil order",
       "The four inputs of a board stand in an order of their own. Switched in the order of the "
       "connector, the coils pull the rotor to and fro: it hums, shakes, or goes one way only. The "
       "order is said twice, by coil end and by terminal, and the two are compared.",
       "lines.terminals[i] is the line of the coil end board.terminals[i]"},
      {"line-overloaded", Severity::error, "a board's input takes more current than a line gives",
       "An input with a light-emitting diode is a load. A line that is asked for too much sags, and its "
       "level is not seen, or "
       "the controller is harmed.",
       "(controller.logic_level - board.input_drop) / board.input_resistance <= controller.line_current; the "
       "sum of all <= controller.all_lines_current"},
      {"level-too-low", Severity::error, "the controller's high level is too low for the board's inputs",
       "A 3.3 V controller may not reach what a 5 V input takes for high. It works on the desk and fails "
       "when it is warm.",
       "controller.logic_level >= board.input_threshold"},
      {"input-over-voltage", Severity::error, "a sensor puts out more volts than a line stands",
       "A sensor fed with 5 V or more may put that on a 3.3 V input. It may live for an evening.",
       "sensor.output_level <= controller.highest_input"},
      {"divider-over-range", Severity::error, "a divider gives more than its analogue input reads",
       "Terminals swing from ground to the supply, and to its clamp when a motor pumps it up. Beyond full "
       "scale all voltages look alike, and the input may be harmed.",
       "supply.clamp_voltage (or its voltage) x lower / (upper + lower) <= controller.analogue.full_scale"},
      {"sensor-supply", Severity::error, "a sensor is fed outside the range it works with",
       "With too few volts it never switches, or switches with every tremor; with too many it fails.",
       "sensor.lowest_supply <= supply.voltage <= sensor.highest_supply"},
      {"grounds-apart", Severity::error, "no common ground where nothing isolates",
       "A level is a voltage against ground. Without a joined ground the board sees anything or "
       "nothing, and the current finds its way back through a signal line.",
       "supply.ground_joined, or board.isolated, or an isolator in lines.through"},
      {"line-floats", Severity::error, "a line is not held off while the controller boots",
       "From power-up until the program runs, a line does what the controller's chip does: it floats, "
       "or lies at a level that may mean on. Motors then twitch or run before anyone is ready.",
       "where controller.at_boot = \"floating\", every line that switches something has external_pull, or "
       "the "
       "board has it, at the level that means off; else at_boot is that level"},
      {"too-few-channels", Severity::error, "too few timer channels, counters or analogue inputs",
       "Each duty, each pulse train, each encoder and each reading takes a channel of its own. What is "
       "shared in silence moves two things at a time.",
       "what timers, counters and analogue inputs are asked for <= what the controller has"},
      {"fed-by-controller", Severity::warning, "a motor is fed from the supply that feeds the controller",
       "A motor that starts pulls the supply down, and the controller starts anew in mid-move; one that "
       "brakes pushes it up.",
       "the supply of a mechanism is not controller.supply"},
      {"supply-over-board", Severity::error, "the supply has more volts than the board stands",
       "The board fails at once, or at the first hard stop, when the motor pumps the supply up.",
       "supply.voltage <= board.highest_supply"},
      {"supply-too-low", Severity::error, "the supply has too few volts for the board or the motor",
       "Below its lowest supply a board switches itself off. With fewer volts than its resistance takes, a "
       "winding never "
       "reaches its current and the motor is weak at any speed.",
       "supply.voltage >= board.lowest_supply, supply.voltage - board.drop >= board.current x "
       "motor.resistance; without current control at least half the rated current"},
      {"supply-too-small", Severity::error, "the supply gives less than all its motors can take together",
       "When everything runs at once the supply sags or cuts out, and positions are lost. A current-chopping "
       "board draws "
       "what its windings turn into heat and work, which is less than their current.",
       "sum over motors of (current^2 x resistance + torque x top shaft speed) / voltage <= supply.current"},
      {"coil-overdriven", Severity::error,
       "too many volts for a coil through a board without current control",
       "A transistor array or a plain bridge puts the whole supply on the coil; only its resistance "
       "limits the current.",
       "(supply.voltage - board.drop) / resistance <= motor.rated_current, within 5 %"},
      {"current-over-rating", Severity::error, "the board is set to more current than the motor is rated for",
       "The motor runs hotter than its maker allows, and its magnets may weaken.",
       "board.current <= motor.rated_current"},
      {"board-over-current", Severity::error, "more current is asked of a board's output than it gives",
       "An output stage beyond its current switches itself off in mid-move, or for good.",
       "board.current, or limits.current, <= board.highest_current"},
      {"load-stalls", Severity::error, "at the set current the motor cannot even hold its friction",
       "The motor hums and does not move, whatever the speed: what its windings give at this current is used "
       "up by friction.",
       "holding torque at board.current > load.coulomb_friction + detent"},
      {"switch-setting-unknown", Severity::error, "a switch setting that the board does not have",
       "The switches of a board offer a few settings. A rig with another one was written for another "
       "board, and is refused.",
       "board.microsteps is in microstep_settings; switches are a row of their table"},
      {"switches-disagree", Severity::error, "the switches set something else than is declared",
       "Eight microsteps in the file and sixteen on the switches: every move goes half as far.",
       "microsteps_by_switch[microstep_switches] = microsteps, current_by_switch[current_switches] = "
       "current; "
       "select lines have a row for microsteps"},
      {"step-angle-disagrees", Severity::error, "steps per turn and step angle do not fit each other",
       "One of the two is wrong, and a full turn will not be one.",
       "motor.full_steps x motor.step_angle = 360 deg"},
      {"winding-disagrees", Severity::warning, "rated voltage, current and resistance do not fit each other",
       "Ohm's law holds for a winding at rest. When the three disagree by more than a tenth, one of them was "
       "read from another "
       "motor's label.",
       "motor.rated_voltage = motor.rated_current x motor.resistance, within 10 %"},
      {"steps-mixed", Severity::error, "full and half steps mixed up: a turn becomes two, or half of one",
       "A full-step motor of 24 steps has 48 half steps a turn. Counted one way and switched the other, "
       "the shaft turns twice as far, or half.",
       "steps_per_turn = full_steps, x 2 for half steps, x microsteps on a STEP/DIR board"},
      {"ratio-as-sold", Severity::note, "the ratio as sold is not that of the teeth",
       "Gearboxes are sold under rounded ratios. The teeth are the truth, and Cog Stride counts with them; a "
       "sketch that "
       "counts with the label drifts a little every turn.",
       "error a turn = 360 deg x (sold - teeth) / teeth; it adds up to a step, then to a degree"},
      {"ratio-disagrees", Severity::error, "the ratio as sold is another one than that of the teeth",
       "A tooth miscounted, a stage left out, or the two numbers changed over: everything then moves by "
       "another "
       "amount than asked, the same each time.",
       "|sold - teeth| / teeth <= 2 %, of the gear pairs alone"},
      {"interval-too-coarse", Severity::warning,
       "step intervals in whole milliseconds make only a few speeds",
       "A program that waits in whole milliseconds can step each 3 ms or each 4 ms and nothing between. "
       "At 287 steps a second that is wrong by a seventh.",
       "1 / (step rate at limits.speed) within 1 % of a whole number of controller.interval_resolution"},
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
      {"dead-time-too-short", Severity::error, "the dead time is shorter than the board needs",
       "While one transistor of a leg is still turning off, the other must not turn on: both together "
       "short the supply.",
       "lines.dead_time >= board.dead_time, unless board.locks_legs"},
      {"bootstrap-empties", Severity::error, "a high side's gate runs empty before it is refreshed",
       "The capacitor that feeds it is filled while its leg stands at ground, at the least once a period of "
       "the duty. Empty, the high side goes off by itself, and the motor loses torque or stands.",
       "board.bootstrap_holds >= 1 / lines.pwm_frequency; board.bootstrap_refresh <= a tenth of that period"},
      {"both-gates-on", Severity::error, "both transistors of a leg can be on together",
       "The supply is then shorted through the two. A gate line of the wrong polarity does it at "
       "power-up; two lines switched one after the other do it now and then.",
       "lines.GATE.active = board.GATE_active for all six, and a timer with complementary pairs, unless "
       "board.locks_legs"},
      {"pulse-rate-beyond-controller", Severity::error,
       "top speed takes more pulses a second than the controller makes",
       "The motor would go slower than asked, and nobody would say so. Cog Stride refuses such a move "
       "instead.",
       "limits.speed x steps a unit <= controller.top_step_rate"},
      {"timer-off-frequency", Severity::error, "a timer cannot make the frequency that is asked for",
       "A timer divides its clock by whole numbers and counts to its width. A servo frame of 20 ms does "
       "not fit into 16 bits at 48 MHz without a prescaler.",
       "clock / (prescaler x counts), halved when centre-aligned, within 1 %; counts <= 2^width"},
      {"pwm-too-coarse", Severity::warning, "the duty, or the pulse, goes in coarse steps",
       "A fast PWM on a slow clock has few counts in its period. The motor then knows a few speeds "
       "only, a servo a few angles.",
       "256 counts a period or more; for a servo, a count not longer than its dead band"},
      {"pwm-audible", Severity::warning, "the PWM frequency can be heard",
       "Below about 18 kHz the winding sings.", "lines.pwm_frequency >= 18 kHz"},
      {"pwm-too-fast", Severity::error, "the PWM is faster than the board follows",
       "Edges that come before the last ones are through are lost, or heat the transistors.",
       "lines.pwm_frequency <= board.highest_pwm"},
      {"encoder-too-fast", Severity::error, "the encoder counts faster than the controller's counter",
       "Counts are lost, and only at speed: at a creep everything is right.",
       "4 x lines_per_turn x shaft turns a second at limits.speed <= controller.counters.top_rate"},
      {"start-above-pull-in", Severity::error, "the start speed is more than the motor can jump to",
       "Started above its pull-in rate a stepper hums and stays where it is.",
       "limits.start_speed <= 2 sqrt(torque / (teeth x inertia)), as an output speed"},
      {"acceleration-beyond-torque", Severity::error, "the acceleration is more than the torque gives",
       "A torque that is applied as a step takes the rotor past its place. By the equal-area rule about "
       "0.725 of the pull-out "
       "torque can be used; beyond it steps are lost on the ramp.",
       "inertia x acceleration <= s (torque at top speed - detent) - friction, with s = 0.725, less when the "
       "start speed is jumped to; for other motors (torque left at top speed) / inertia. A limit on jerk may "
       "end a ramp before its acceleration is reached: then sqrt(jerk x change of speed) counts"},
      {"speed-beyond-torque", Severity::error,
       "at top speed the windings give less torque than friction takes",
       "The faster a stepper turns, the less time its current has to rise against inductance and back-EMF.",
       "k min(I, V/Z - k w R/Z^2) > friction at w, Z^2 = R^2 + (p w L)^2; brushed and brushless V - R T/k - "
       "k w > 0; a servo's own top speed"},
      {"ripple-over-limit", Severity::warning, "the current of each period rises over the board's limit",
       "In each period the current rises while the motor is driven and falls in the rest. A motor of little "
       "inductance at a low "
       "frequency draws peaks that a board's own limit cuts short, though the mean is far below it: it then "
       "turns slower than its duty says.",
       "the current of a period at top speed, as it rises and falls through R and L; about mean + V T d (1 - "
       "d) "
       "/ 2 L <= board.current_limit"},
      {"on-resonance", Severity::warning,
       "a working speed steps the motor at the frequency of its own oscillation",
       "Whole and half steps shake the rotor at the rate they come. At the natural frequency of its "
       "oscillation "
       "about a place of rest "
       "the shaking builds up until steps are lost, though the motor runs well below and above.",
       "with fewer than 4 microsteps: full steps a second within 15 % of sqrt(teeth x torque / inertia) / 2 "
       "pi"},
      {"homing-overruns", Severity::error, "homing cannot stop between the switch and the hard end",
       "At homing speed the way to stop is longer than the way that is left behind the switch.",
       "homing.speed^2 / (2 acceleration), and over a link the steps of 2.5 ms at homing.speed and two more, "
       "< way from acts_at to the hard end"},
      {"switch-in-travel", Severity::error, "a switch lies inside the travel",
       "Every move across it looks like the end of the way.", "acts_at outside limits.travel"},
      {"switch-out-of-reach", Severity::error, "a switch lies beyond the hard end",
       "The mechanism runs into its stop before the switch ever acts.", "acts_at inside limits.hard_ends"},
      {"broken-wire-unseen", Severity::warning, "a normally open switch whose broken wire goes unseen",
       "A stop that hangs on a contact which closes is dead when its wire breaks, and nobody notices "
       "until it is needed.",
       "contact = \"normally closed\" for lever switches, reeds and an emergency stop"},
      {"contact-inverted", Severity::error,
       "a contact acts at rest, or never, as its line is pulled and read",
       "The switch works, its line works, and the program takes released for pressed: homing ends where it "
       "begins, or "
       "an emergency stop is on for ever.",
       "acting level: normally open, the other level than the pull's; normally closed, the pull's"},
      {"channel-used-twice", Severity::error, "one channel of a board drives two mechanisms",
       "Two motors on one output turn together, and one program does not know of the other.",
       "board.board_name and board.channel are each mechanism's own"},
      {"wheels-differ", Severity::warning, "the two wheels of a cart are of grossly different size",
       "A cart on two sizes of wheel drives an arc where it is told to go straight, as it is told of in the "
       "rig: mostly "
       "a radius was written for a diameter.",
       "the larger of pair.left_wheel and right_wheel <= 1.2 x the smaller"},
      {"shunt-over-range", Severity::error,
       "a shunt gives more volts than its input reads at the current that it is for",
       "The converter then tells its highest code, whatever flows: the current is held back too late, or not "
       "at all.",
       "at_no_current + limits.current x resistance x gain <= analogue.full_scale"},
      {"volts-over-motor", Severity::warning, "a brushed motor is given more volts than it is rated for",
       "It turns faster than its brushes are made for, and each start takes so much more current.",
       "supply.voltage x limits.highest_duty <= 1.15 x motor.rated_voltage"},
      {"stall-over-board", Severity::warning,
       "held fast a motor takes more than twice what its board gives, and nothing limits it",
       "A jam, or each start under load, is then for the board to survive.",
       "supply.voltage x limits.highest_duty / (motor.resistance + board.stage_resistance) <= 2 x "
       "board.highest_current, "
       "without a current_limit or a shunt with limits.current"},
      {"last-level-stays", Severity::warning,
       "nothing cuts the power when the program and its guardian are both gone",
       "On live lines a small process of its own, the guardian, puts all lines at rest when the program "
       "dies. "
       "When both die at once, or the computer hangs, no software is left: the lines keep their last levels, "
       "and "
       "what was driven goes on. Only a circuit outside the computer ends that.",
       "[controller.heartbeat], or for each motor an emergency stop whose `cuts` has its supply"},
      {"no-emergency-stop", Severity::note, "nobody can stop it but the program",
       "What moves needs somebody who can stop it when the program, the computer or the maker errs. A plug "
       "within "
       "reach is one.",
       "a hand control of kind \"emergency stop\""},
      {"stop-cuts-nothing", Severity::note, "the emergency stop takes no motor's supply away",
       "A stop that only tells the program depends on the program. Its contact in the motors' supply does "
       "not.",
       "hand.cuts names a supply that feeds a motor"},
      {"knob-over-range", Severity::error, "a knob gives more volts than its analogue input reads",
       "A knob between ground and 5 V at an input that reads up to 3.3 V is at full scale from two thirds of "
       "its "
       "travel on, and the input may be harmed.",
       "hand.highest <= controller.analogue.full_scale"},
      {"timer-too-narrow", Severity::warning, "a timer comes round before the slowest step is over",
       "Steps that a timer spaces by its compare value are made too early, all of those that take longer "
       "than the "
       "timer counts: the start of a ramp, and the slow approach to a switch.",
       "2^width x prescaler / timer_clock >= the longest of 1 / start_speed, sqrt(2 / acceleration) without "
       "one "
       "(with a jerk (6 / jerk)^(1/3)), and 1 / homing.slow_speed, in steps"},
      {"homing-by-duty", Severity::error, "a homing table for what takes no steps",
       "Homing counts steps from the place where a switch acts. A motor that is driven by duty, or a servo "
       "by the "
       "width of a pulse, has none to count.",
       "homing only where the motor steps"},
      {"poles-disagree", Severity::error, "magnets and pole pairs do not fit each other",
       "Two magnets are a pair. With the magnets given as pairs, a motor is taken to turn half as fast as it "
       "does, "
       "and its field is stepped twice as far.",
       "motor.magnets = 2 motor.pole_pairs"},
      {"end-disagrees", Severity::error, "a switch stands at the other end than its places say",
       "Where it acts and where it releases tell from which side it is approached. At the wrong end homing "
       "runs away "
       "from it, and a limit switch stops nothing.",
       "end = \"low\": acts_at < releases_at; \"high\": the other way round"},
      {"battery-too-small", Severity::warning, "the battery is empty before the time that is wanted",
       "A battery gives its charge once. By what its motors can take together this is the shortest that it "
       "lasts.",
       "supply.charge / (what all it feeds takes together) >= supply.runs_for"},
      {"bounce-over-debounce", Severity::error, "a contact bounces longer than the controller waits",
       "One push is then seen as several: a home edge is taken at the wrong one, a key nudges twice.",
       "bounce <= debounce"},
      {"bound-twice", Severity::error, "one control is bound twice",
       "A press would order both at once, and which of them comes last is chance.",
       "each binding.control once"},
      {"heard-by-another", Severity::error,
       "two devices are heard on one port, by one name, or at one address",
       "What comes in is read once: one of the two would hear a part of it, and the other the rest.",
       "each device.port, input_device.called, and bus_sensor.bus with its address once"},
      {"bus-too-fast", Severity::error, "a two-wire bus is faster than a sensor on it stands",
       "It misses bits then, and answers with what nobody said, or not at all.",
       "bus_sensor.bus_speed <= bus_sensor.top_bus_speed"},
      {"events-missed", Severity::warning, "a sensor tells of two events before the first one is read",
       "A register holds one event. Its interrupt is noticed within 5 ms, and a read takes 36 bits of the "
       "bus.",
       "bus_sensor.least_between >= 5 ms + 36 / bus_sensor.bus_speed"},
      {"hold-without-end", Severity::warning, "a hold is latched, and nobody's hand ends it",
       "A hold lives on being said again, so that it ends with whoever holds it. Latched, the program says "
       "it "
       "again by itself.",
       "latched with orders that go on by themselves alone"},
      {"start-duty-too-high", Severity::error,
       "it breaks loose only above the lowest duty or throttle it is asked for",
       "Friction at rest is more than friction in motion. At a small duty the motor hums and does not "
       "start, though it would go on turning with less.",
       "(drop + R (stiction + steady_torque) / k) / supply.voltage <= limits.lowest_duty; "
       "motor.start_throttle <= limits.lowest_throttle"},
      {"reversal-too-soon", Severity::error, "the pause before reversing is shorter than the spin-down",
       "Reversed while it still turns, a motor adds its back-EMF to the supply: the current is twice "
       "that of a stalled motor.",
       "limits.reversal_pause >= J/B ln(1 + B w / T), with k^2/R added to B where the bridge brakes"},
      {"servo-beyond-ends", Severity::error, "a servo is asked beyond its measured end points",
       "It leans on its stop with its stall current until something gives way.",
       "limits.travel inside 0 deg to motor.range"},
      {"servo-gives-up", Severity::error,
       "friction pushes a closed-loop servo farther off than it bears, each time that it turns round",
       "A servo that is too far behind its steps switches its motor off and tells of a fault, in mid-move.",
       "0.27 x 2 x load.coulomb_friction / (inertia x (2 pi motor.bandwidth)^2) <= a quarter of a turn"},
      {"follower-too-slow", Severity::error,
       "at the leader's top speed the follower would be asked for more than its own",
       "It falls behind, and what was to be wound evenly is not.",
       "leader's limits.speed x follows.by / follows.for_each <= limits.speed"},
      {"leader-counts-coarse", Severity::warning,
       "a count of the leader is more than a full step of the follower",
       "The follower is told of its leader in jumps: it shivers, or goes by a speed that it has to guess.",
       "follows.by / follows.for_each / counts of the leader <= a full step of the motor"},
      {"follower-has-play", Severity::warning,
       "the play of the train is lost each time that the follower turns round",
       "What is commanded is right to the step; what the output makes is off by the play after each "
       "reversal. "
       "Rehearsals do not make it.",
       "load.backlash x steps <= 1, for a mechanism that follows"},
      {"winding-too-hot", Severity::error, "standing still with its current on, the winding gets too hot",
       "A stepper is hottest where it does nothing: both windings carry current all the time.",
       "rise = current^2 x resistance x thermal_resistance; minutes until highest_rise from heat_capacity"},
      {"board-too-hot", Severity::error, "carrying its current for ever, the output stage gets too hot",
       "A board switches itself off when it is hot, in mid-move, and an hour later it works again.",
       "rise = (current x drop + current^2 x stage_resistance) x board_thermal_resistance <= "
       "board_highest_rise"},
      {"braking-energy", Severity::error, "braking pumps the supply up beyond what a board stands",
       "A motor that is slowed is a generator. What its motion holds goes into the capacitors of the "
       "supply, which rise until a clamp takes it or a board gives way.",
       "without a clamp sqrt(V^2 + 2 E / C) <= the lowest board.highest_supply; with one, "
       "clamp_voltage^2 / clamp_resistance >= braking power and clamp_voltage <= highest_supply"},
      {"link-too-fast", Severity::warning, "the line to the chip brings bytes faster than it takes them",
       "A small chip keeps two or three bytes until its program looks at them, and steps come first. What it "
       "loses is said again, so that nothing moves wrong; but the line carries less, and an axis may brake.",
       "10 bits / controller.small_chip.serial_baud >= 160 cycles of timer_clock x axes of steps"},
      {"bus-missing", Severity::error, "a drive is on a bus, and the controller has none",
       "Nobody would tell the drive anything.", "[controller.bus]"},
      {"bus-id-twice", Severity::error, "two on the bus have the same id",
       "Both answer to it, and both turn. New drives all come with the same id: it is changed with one drive "
       "alone on the bus.",
       "each lines.id once, and none of them controller.bus.id"},
      {"bus-busy", Severity::warning, "the bus is busy for most of its time",
       "Each cycle the drives are told where to be, and tell how they are. What goes wrong is said again, "
       "and emergencies come beside: a bus without room for them is late when it matters.",
       "bits of a cycle (135 a frame of eight bytes at the most) / bit_rate / cycle <= 60 %"},
      {"heartbeat-too-slow", Severity::warning, "a drive goes on for too long when this program is gone",
       "A program that has died says nothing, and a drive notices that by the heartbeat that does not come. "
       "Until then it does what it was told last.",
       "silence >= 2 x heartbeat, and <= 1 s; speed x silence + speed^2 / 2 a <= way to the hard end"},
      {"drive-above-motor", Severity::error, "a drive is allowed more than its motor stands, or can",
       "A drive gives what it is told it may. A limit above the motor's is none, and a speed above what its "
       "supply gives against the back-EMF is never reached.",
       "limits.current <= 2 x motor.rated_current; back_emf_constant x motor speed <= supply.voltage"},
      {"drive-above-supply", Severity::error, "a drive may take more than its supply gives",
       "The supply sags or switches itself off, and the drive with it, in mid-move.",
       "board.supply_current <= supply.current"},
      {"drives-above-supply", Severity::note, "together the drives of a supply may take more than it gives",
       "As long as they do not all speed up at once, it does not matter.",
       "sum of board.supply_current <= supply.current"},
      {"chip-pin", Severity::error, "a line is on a pin that cannot do what it is for",
       "A small chip has a few pins with something behind them: the outputs of its timer's compares make "
       "STEP edges on "
       "their tick, whatever the program does just then; coils have to change in one write, so they are on "
       "one port; "
       "one pin is the serial line's.",
       "export: STEP on B1 or B2 and high for a pulse, four coil ends on one port, nothing on D1"},
      {"chip-timer", Severity::error, "more axes of steps than the chip's timer has compares",
       "Each axis takes a compare of the one 16-bit timer that all of them share.",
       "export: axes of steps <= compare outputs of a 16-bit timer, two at the most"},
      {"chip-rate", Severity::error, "a motion has more steps, or more runs, a second than the chip makes",
       "Each step takes an interrupt, and each run of them the main program's time to put it. Of two axes at "
       "once "
       "one waits for the other.",
       "export: steps/s <= 64000 of one axis at 16 MHz, 30000 of each of two; 15 runs in no less than 15 x "
       "188 us"},
      {"chip-serial", Severity::error, "the chip's clock cannot be divided into its serial line's rate",
       "A serial line is understood as long as both ends agree on the length of a bit to some percent.",
       "export: serial_baud is within 2.5 % of timer_clock / 8 / a whole number"},
      {"chip-needs-host", Severity::error, "a statement takes a planner, and the chip has none",
       "A small chip plays back what was worked out ahead. What depends on a place that is not known then, "
       "or "
       "changes what is under way, has to be planned as it happens, by a computer.",
       "export: every statement homes, waits for an input, or can be played back from where all stand by "
       "then"},
      {"chip-memory", Severity::error, "the script takes more than the chip can hold",
       "Each motion lies in flash as runs of twelve bytes, each step of the script as four more.",
       "export: flash foretold <= flash_bytes, RAM and stack <= ram_bytes; steps of the script <= 8000, "
       "motions without a "
       "pause between them <= 255"},
      {"chip-not-rehearsed", Severity::error, "the rehearsal of what is to be exported fails",
       "What is exported is what the simulated bench has put on its lines. Where that ended with a fault "
       "there is "
       "nothing to be played.",
       "export: the rehearsal ends without a fault"},
      {"chip-left-out", Severity::note, "something moves that the chip's program leaves at rest",
       "The program that is made drives axes of steps and switches outputs. Motors by duty, brushless ones "
       "and servos "
       "are for a program of your own, with the same headers.",
       "export: every mechanism that moves is an axis of steps"},
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
