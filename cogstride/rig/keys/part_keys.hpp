// Every key of a rig file that is a plain value, declared once. `Keys` is a visitor: the reader takes values
// from a file, the page lists keys, the writer puts values into a new file. A visitor has
//
// clang-format off
//   keys.key(name, field, KeyText)             amounts, whole numbers, words, texts, lists, switch tables
//   keys.line(name, DrivenLine, usual, about)  { line = 3, active = "low" }; an optional one may be left out
//   keys.sensed(name, SensedLine, about)       the same for a line that comes back
//   keys.enable(common, line, usual)           a line, or "tied", or "open"
//   keys.travel, keys.hard_ends, keys.place    two positions that belong together
// clang-format on
//
// What only makes sense of several keys together is checked by the reader.
#pragma once

#include "cogstride/rig/keys/key_text.hpp"

namespace cogstride {

template <class Keys>
void declare(Keys& keys, Controller& controller) {
  keys.key("timer_clock", controller.timer_clock, {"one tick of it is the unit of time on all lines", "MHz"});
  keys.key("top_step_rate", controller.top_step_rate,
           {"pulses a second that it makes with good timing", "kHz"});
  keys.key("logic_level", controller.logic_level, {"of its lines when high", "V"});
  keys.key("line_current", controller.line_current, {"that one line can give", "mA"});
  keys.key("all_lines_current", controller.all_lines_current, {"that all lines together can give", "mA"});
  keys.key("highest_input", controller.highest_input, {"voltage that a line stands", "V"});
  keys.key("input_threshold", controller.input_threshold, {"voltage that its inputs take for high", "V"});
  keys.key("at_boot", controller.at_boot, {"what its lines do until its program sets them"});
  keys.key("interval_resolution", controller.interval_resolution,
           {"to which its program times steps, as in whole milliseconds", "ms", "a tick"});
  keys.key("supply", controller.supply, {"name of the supply that feeds it"});
  keys.key("connector", controller.connector,
           a_line("its lines in the order of their pins; the wiring list follows it",
                  "the order of their numbers"));
  keys.key("edge_lateness", controller.edge_lateness,
           {"that an edge on live lines may have; past it everything stops on a ramp", "us", "100 us"});
}

template <class Keys>
void declare(Keys& keys, GpioChip& chip) {
  keys.key("chip", chip.chip, {"its name under /dev, or its label"});
  keys.key("first_line", chip.first_line,
           {"number in this rig of its line 0", "", "0", Sign::any, 0, most_lines});
  keys.key("lines", chip.lines, {"how many it has", "", nullptr, Sign::any, 1, most_lines});
}

template <class Keys>
void declare(Keys& keys, PwmChip& chip) {
  keys.key("chip", chip.chip, {"its name under /sys/class/pwm, or its device's"});
  keys.key("lines", chip.lines,
           {"that its channels drive, in the order of `channels`", "", nullptr, Sign::any, 0, most_lines});
  keys.key("channels", chip.channels, {"their numbers on the chip", "", "0, 1, 2 ...", Sign::any, 0, 63});
}

template <class Keys>
void declare(Keys& keys, CounterChip& chip) {
  keys.key("chip", chip.chip, {"its name under /sys/bus/counter/devices, or what it calls itself"});
  keys.key("lines", chip.lines,
           {"line A of each encoder that it counts, in the order of `channels`", "", nullptr, Sign::any, 0,
            most_lines});
  keys.key("channels", chip.channels, {"their counts on the chip", "", "0, 1, 2 ...", Sign::any, 0, 63});
}

template <class Keys>
void declare(Keys& keys, Heartbeat& heartbeat) {
  keys.key("line", heartbeat.line, a_line("output line"));
  keys.key("period", heartbeat.period, {"of a whole beat, up and down", "ms"});
}

template <class Keys>
void declare(Keys& keys, SmallChip& chip) {
  keys.key("kind", chip.kind, {"what its program is made for"});
  keys.key("flash_bytes", chip.flash_bytes, {"for its program", "", nullptr, Sign::any, 1024, 4'194'304});
  keys.key("ram_bytes", chip.ram_bytes, {"for what changes", "", nullptr, Sign::any, 128, 1'048'576});
  keys.key("compiler_name", chip.compiler_name, {"by which its compiler knows it"});
  keys.key("serial_baud", chip.serial_baud,
           {"bits a second, at which it says where it stands", "", "57600", Sign::any, 300, 2'000'000});
}

template <class Keys>
void declare(Keys& keys, ChipLink& link) {
  keys.key("port", link.port, {"its serial port, or \"tcp:HOST:PORT\""});
  keys.key("delay", link.delay, {"that the line may add to what its bytes take", "ms", "5 ms"});
  keys.key("silence", link.silence,
           {"of this computer, after which the chip brakes by itself", "ms", "100 ms"});
}

template <class Keys>
void declare(Keys& keys, FieldBus& bus) {
  keys.key("interface", bus.interface_name,
           {"the operating system's name of it, for live lines", "", "can0"});
  keys.key("bit_rate", bus.bit_rate, {"bits a second", "", "500000", Sign::any, 10'000, 1'000'000});
  keys.key(
      "cycle", bus.cycle,
      {"of commands and of what drives tell; what several are told comes in force together", "ms", "10 ms"});
  keys.key("heartbeat", bus.heartbeat,
           {"how often this computer says that it lives, and each drive does", "ms", "100 ms"});
  keys.key("silence", bus.silence,
           {"of this computer or of a drive, after which the other one brakes", "ms", "300 ms"});
  keys.key("id", bus.id, {"of this computer, which no drive has", "", "127", Sign::any, 1, 127});
}

template <class Keys>
void declare(Keys& keys, TimerUnit& timer) {
  keys.key("width", timer.width, {"bits", "", nullptr, Sign::any, 8, 64});
  keys.key("prescaler", timer.prescaler, {"timer clocks a count", "", "1", Sign::any, 1, 65'536});
  keys.key("channels", timer.channels, {"compare outputs", "", "0", Sign::any, 0, 64});
  keys.key("pairs", timer.pairs, {"complementary outputs, each with its partner", "", "0", Sign::any, 0, 16});
}

template <class Keys>
void declare(Keys& keys, AnalogueInputs& analogue) {
  keys.key("channels", analogue.channels, {"how many there are", "", nullptr, Sign::any, 1, 64});
  keys.key("bits", analogue.bits, {"of a code", "", nullptr, Sign::any, 1, 32});
  keys.key("full_scale", analogue.full_scale, {"voltage of the highest code", "V"});
  keys.key("sample_time", analogue.sample_time, {"of one code", "us"});
  keys.key("noise", analogue.noise, {"rms", "mV", "0", Sign::not_negative});
  keys.key("chip", analogue.chip,
           {"for live lines: the converter's name under /sys/bus/iio/devices, or what it calls itself"});
}

template <class Keys>
void declare(Keys& keys, QuadratureCounters& counters) {
  keys.key("count", counters.count, {"how many there are", "", nullptr, Sign::any, 1, 64});
  keys.key("top_rate", counters.top_rate, {"counts a second that one keeps up with, four to a line", "kHz"});
}

template <class Keys>
void declare(Keys& keys, Supply& supply) {
  keys.key("voltage", supply.voltage, {"at its terminals", "V"});
  keys.key("current", supply.current, {"that it can give", "A"});
  keys.key("resistance", supply.resistance, {"inside it", "mohm", "0", Sign::not_negative});
  keys.key("capacitance", supply.capacitance, {"at its terminals, of boards too", "uF"});
  keys.key("clamp_voltage", supply.clamp_voltage, {"at which a clamp takes what motors pump back", "V"});
  keys.key("clamp_resistance", supply.clamp_resistance, {"of the clamp", "ohm"});
  keys.key("charge", supply.charge, {"of a battery, full", "A h"});
  keys.key("runs_for", supply.runs_for, {"that it is wanted to feed all that it feeds: to be checked", "h"});
  keys.key("fed_by", supply.fed_by, {"of a regulator: the supply at its input"});
  keys.key("efficiency", supply.efficiency,
           {"of a regulator that switches; one without takes the current that it gives", "%"});
  keys.key("lowest_supply", supply.lowest_supply, {"voltage at a regulator's input", "V"});
  keys.key("highest_supply", supply.highest_supply, {"voltage at a regulator's input", "V"});
  keys.key("ground_joined", supply.ground_joined, {"true when its ground is joined with the controller's"});
  keys.key("power_good_line", supply.power_good_line, a_line("input line that tells that it is up"));
}

template <class Keys>
void declare(Keys& keys, BetweenPart& part) {
  keys.key("output_level", part.output_level, {"high level that it gives to boards", "V"});
  keys.key("input_threshold", part.input_threshold, {"voltage that it takes for high", "V"});
  keys.key("input_current", part.input_current, {"that a line must give it", "mA"});
  keys.key("output_current", part.output_current, {"that it gives to a board's input", "mA"});
  keys.key("top_rate", part.top_rate, {"level changes a second that it passes", "kHz"});
}

template <class Keys>
void declare(Keys& keys, MotorHeat& heat) {
  keys.key("thermal_resistance", heat.thermal_resistance, {"windings to air", "K/W"});
  keys.key("heat_capacity", heat.heat_capacity, {"of the motor", "J/K"});
  keys.key("highest_rise", heat.highest_rise, {"that the windings stand over the air", "K"});
  keys.key("highest_deg_c", heat.highest_deg_c,
           {"temperature that the windings stand; said with highest_rise, the lesser counts", "", nullptr,
            Sign::any, 40, 400});
}

template <class Keys>
void declare(Keys& keys, Stepper& motor) {
  const bool bipolar = motor.phases == Stepper::Phases::bipolar;
  keys.key("full_steps", motor.full_steps, {"a turn; a multiple of 4", "", nullptr, Sign::any, 4, 100'000});
  keys.key("leads", motor.leads,
           {bipolar ? "4, 6 or 8" : "5, 6 or 8", "", bipolar ? "4" : "5", Sign::any, 4, 8});
  keys.key("wires", motor.wires,
           {"colours of the leads: A+, (tap or half ends,) A-, then B the same; of 5 the taps last", "",
            "not shown"});
  if (bipolar)
    keys.key("halves", motor.halves,
             {"of 6 or 8 leads, what of each coil is used; the amounts below are then those of one half", "",
              "whole"});
  keys.key("rated_current", motor.rated_current, {"direct current of a coil, taken as the sine's peak", "A"});
  keys.key("resistance", motor.resistance, {"of a coil", "ohm"});
  keys.key("inductance", motor.inductance, {"of a coil", "mH"});
  keys.key("holding_torque", motor.holding_torque, {"both phases at rated current", "N m"});
  keys.key("detent_torque", motor.detent_torque, {"peak, without current", "N m", "0", Sign::not_negative});
  keys.key("rotor_inertia", motor.rotor_inertia, {"", "kg m2"});
  keys.key("rated_voltage", motor.rated_voltage,
           {"at a coil with rated current: said twice, to be checked", "V"});
  keys.key("step_angle", motor.step_angle, {"of a full step: said twice, to be checked", "deg"});
  declare(keys, motor.heat);
}

template <class Keys>
void declare(Keys& keys, BrushedMotor& motor) {
  keys.key("rated_voltage", motor.rated_voltage, {"", "V"});
  keys.key("resistance", motor.resistance, {"of its winding and brushes", "ohm"});
  keys.key("inductance", motor.inductance, {"", "mH"});
  keys.key("torque_constant", motor.torque_constant,
           {"which is its back-EMF constant in V s/rad too", "N m/A"});
  keys.key("rotor_inertia", motor.rotor_inertia, {"", "kg m2"});
  keys.key("rated_current", motor.rated_current, {"that it stands for ever", "A"});
  declare(keys, motor.heat);
}

template <class Keys>
void declare(Keys& keys, BrushlessMotor& motor) {
  keys.key("pole_pairs", motor.pole_pairs, {"electrical turns a turn", "", nullptr, Sign::any, 1, 100});
  keys.key("magnets", motor.magnets,
           {"of its rotor, counted: said twice, to be checked", "", nullptr, Sign::any, 1, 400});
  keys.key("back_emf", motor.back_emf, {"shape over a turn", "", "sine"});
  keys.key("back_emf_constant", motor.back_emf_constant, {"peak, line to line, by shaft speed", "V s/rad"});
  keys.key("resistance", motor.resistance, {"line to line", "ohm"});
  keys.key("inductance", motor.inductance, {"line to line, mean over an electrical turn", "mH"});
  keys.key(
      "saliency", motor.saliency,
      {"by which its inductance swings to each side as the shaft is turned", "%", "0 %", Sign::not_negative});
  keys.key("cogging_torque", motor.cogging_torque, {"peak", "N m", "0 N m", Sign::not_negative});
  keys.key(
      "cogging_per_turn", motor.cogging_per_turn,
      {"how often a turn: least common multiple of its slots and its poles", "", "0", Sign::any, 0, 10'000});
  keys.key("rotor_inertia", motor.rotor_inertia, {"", "kg m2"});
  keys.key("rated_current", motor.rated_current, {"peak of a phase, that it stands for ever", "A"});
  declare(keys, motor.heat);
}

template <class Keys>
void declare(Keys& keys, ThrottledMotor& motor) {
  keys.key("rated_voltage", motor.rated_voltage, {"of its speed controller", "V"});
  keys.key("current", motor.current, {"at full throttle, at its speed", "A"});
  keys.key("idle_current", motor.idle_current,
           {"of it, what bearings and electronics take at any speed; the rest goes with the third power of "
            "the speed",
            "A", "0 A", Sign::not_negative});
  keys.key("surge_current", motor.surge_current, {"that it takes at full throttle from a standstill", "A"});
  keys.key("top_speed", motor.top_speed, {"at full throttle", "rpm"});
  keys.key("start_throttle", motor.start_throttle,
           {"below it nothing turns", "%", "0 %", Sign::not_negative});
  keys.key("lag", motor.lag, {"time constant from throttle to speed", "s", "0 s", Sign::not_negative});
  keys.key("efficiency", motor.efficiency, {"share of the power it takes that does not warm it", "%"});
  declare(keys, motor.heat);
}

template <class Keys>
void declare(Keys& keys, HobbyServo& motor) {
  keys.key("range", motor.range, {"between its measured end points", "deg"});
  keys.key("speed", motor.speed, {"that it turns with", "deg/s"});
  keys.key("dead_band", motor.dead_band,
           {"change of pulse width that it does not follow", "us", "0 us", Sign::not_negative});
  keys.key(
      "lag", motor.lag,
      {"time constant with which it comes to its speed and to its place", "ms", "20 ms", Sign::positive});
  keys.key("rated_voltage", motor.rated_voltage, {"", "V"});
  keys.key("stall_current", motor.stall_current, {"held fast", "A"});
  keys.key("idle_current", motor.idle_current, {"at rest", "A", "0 A", Sign::not_negative});
  declare(keys, motor.heat);
}

template <class Keys>
void declare(Keys& keys, AirTemperature& air) {
  keys.key("air_deg_c", air.deg_c, {"temperature of the air around it", "", "25", Sign::any, -40, 85});
}

template <class Keys>
void declare(Keys& keys, StepServo& motor) {
  keys.key("steps_per_turn", motor.steps_per_turn, {"as it is set", "", nullptr, Sign::any, 1, 10'000'000});
  keys.key("rated_torque", motor.rated_torque, {"for ever", "N m"});
  keys.key("peak_torque", motor.peak_torque, {"for a ramp", "N m"});
  keys.key("rotor_inertia", motor.rotor_inertia, {"", "kg m2"});
  keys.key("top_speed", motor.top_speed, {"", "rpm"});
  keys.key("current", motor.current, {"from its supply at rated torque and top speed", "A"});
  keys.key("bandwidth", motor.bandwidth, {"of its own position loop", "Hz", "40 Hz"});
}

template <class Keys>
void declare(Keys& keys, BoardInputs& inputs) {
  keys.key("input_resistance", inputs.resistance, {"in series in an input", "ohm"});
  keys.key("input_drop", inputs.drop, {"of an input's light-emitting diode", "V", "0 V", Sign::not_negative});
  keys.key("input_threshold", inputs.threshold, {"voltage that an input takes for high", "V"});
  keys.key("isolated", inputs.isolated, {"true when its inputs need no common ground", "", "false"});
  keys.key("external_pull", inputs.external_pull, {"level that its own resistors give to an open input"});
}

template <class Keys>
void declare(Keys& keys, BoardStage& stage) {
  keys.key("lowest_supply", stage.lowest_supply, {"voltage that it works with", "V"});
  keys.key("highest_supply", stage.highest_supply, {"voltage that it stands", "V"});
  keys.key("highest_current", stage.highest_current, {"of one output, for ever", "A"});
  keys.key("drop", stage.drop,
           {"voltage lost in its output stage, whatever the current", "V", "0 V", Sign::not_negative});
  keys.key("stage_resistance", stage.resistance,
           {"of its transistors, in the way of the current", "ohm", "0 ohm", Sign::not_negative});
  keys.key("board_thermal_resistance", stage.thermal_resistance, {"output stage to air", "K/W"});
  keys.key("board_heat_capacity", stage.heat_capacity, {"of the output stage and its heat sink", "J/K"});
  keys.key("board_highest_rise", stage.highest_rise, {"that the output stage stands over the air", "K"});
  keys.key("board_highest_deg_c", stage.highest_deg_c,
           {"temperature that it stands; said with board_highest_rise, the lesser counts", "", nullptr,
            Sign::any, 40, 400});
}

template <class Keys, class BoardKind>
void declare_enable(Keys& keys, BoardKind& board, const char* usual) {
  keys.key("enable_active", board.enable_active, {"level of ENABLE that switches it on", "", usual});
  keys.key("enable_open", board.enable_open, {"what it does when ENABLE is left open"});
}

template <class Keys>
void declare(Keys& keys, StepDirBoard& board) {
  const bool step_dir = board.form == StepDirBoard::Form::step_dir;
  keys.key("microstep_settings", board.microstep_settings,
           {"list of what can be set", "", "those of microsteps_by_switch", Sign::any, 1, 256});
  keys.key("microsteps", board.microsteps, {"a full step, as set", "", nullptr, Sign::any, 1, 256});
  keys.key("microsteps_by_switch", board.microsteps_by_switch,
           {"switch or select-line positions (1 is on) and what they set: { 100 = 8, 010 = 16 }", "", "none",
            Sign::any, 1, 256});
  keys.key("microstep_switches", board.microstep_switches, {"positions as they are set, such as \"100\""});
  keys.key("current", board.current,
           {"a winding, sine peak, as set; not for a servo", "A", "needed for a stepper"});
  keys.key("current_by_switch", board.current_by_switch,
           {"switch positions and the current they set", "A", "none"});
  keys.key("current_switches", board.current_switches, {"positions as they are set"});
  keys.key("current_levels", board.current_levels,
           {"between none and full, that its microsteps are made of", "", nullptr, Sign::any, 1, 32'767});
  keys.key("step_edge", board.step_edge, {"edge of a pulse that steps", "", "rising"});
  keys.key("shortest_high", board.shortest_high, {"of a pulse", "us"});
  keys.key("shortest_low", board.shortest_low, {"between pulses", "us"});
  keys.key("dir_steady_before", board.dir_steady_before,
           {step_dir ? "how long DIR must stand before a step edge"
                     : "how long the other line must rest before a step edge",
            "us", nullptr, Sign::not_negative});
  keys.key("dir_steady_after", board.dir_steady_after, {"and after it", "us", nullptr, Sign::not_negative});
  declare_enable(keys, board, "low");
  keys.key("wake", board.wake,
           {"from ENABLE to the first step that counts", "ms", "0 ms", Sign::not_negative});
  keys.key("chopper_off_time", board.chopper_off_time,
           {"of its current control", "us", "0 us", Sign::not_negative});
  declare(keys, board.inputs);
  declare(keys, board.stage);
}

template <class Keys>
void declare(Keys& keys, TransistorArray& board) {
  keys.key("stepping", board.stepping, {"how the coils are switched", "", "full"});
  keys.key(
      "terminals", board.terminals,
      {"coil end that each output feeds, in connector order: said twice, to be checked", "", "not checked"});
  declare(keys, board.inputs);
  declare(keys, board.stage);
}

template <class Keys>
void declare(Keys& keys, DualHBridge& board) {
  keys.key("stepping", board.stepping, {"how the coils are switched", "", "full"});
  keys.key("terminals", board.terminals,
           {"coil end that each input belongs to, in connector order: said twice, to be checked", "",
            "not checked"});
  keys.key("current_limit", board.current_limit, {"of a winding, where it has current control", "A"});
  declare_enable(keys, board, "high");
  declare(keys, board.inputs);
  declare(keys, board.stage);
}

template <class Keys>
void declare(Keys& keys, HBridge& board) {
  if (board.form == HBridge::Form::four_channel) {
    keys.key("board_name", board.board_name, {"of the board that several mechanisms share"});
    keys.key("channel", board.channel, {"of that board", "", nullptr, Sign::any, 1, 4});
  }
  keys.key("current_limit", board.current_limit, {"that it keeps by itself", "A"});
  keys.key("highest_pwm", board.highest_pwm, {"frequency that it follows", "kHz"});
  keys.key("dead_time", board.dead_time,
           {"that it keeps between the two transistors of a half", "ns", "0", Sign::not_negative});
  declare_enable(keys, board, "high");
  declare(keys, board.inputs);
  declare(keys, board.stage);
}

inline constexpr std::array<const char*, 6> gate_names = {"a_high", "a_low",  "b_high",
                                                          "b_low",  "c_high", "c_low"};

template <class Keys>
void declare(Keys& keys, SixGateInverter& board) {
  for (std::size_t i = 0; i < gate_names.size(); ++i) {
    const std::string name = std::string(gate_names[i]) + "_active";
    keys.key(name.c_str(), board.gate_active[i],
             {i == 0 ? "level of this gate input that turns its transistor on; so the next five" : "the same",
              "", "high"});
  }
  keys.key("dead_time", board.dead_time, {"that it needs between the two transistors of a leg", "ns"});
  keys.key("locks_legs", board.locks_legs,
           {"true when its own logic never turns both of a leg on", "", "false"});
  keys.key("bootstrap_holds", board.bootstrap_holds,
           {"how long a high side stays on before the capacitor that feeds its gate is empty", "ms",
            "it is fed for ever"});
  keys.key("bootstrap_refresh", board.bootstrap_refresh,
           {"how long its leg stands at ground until that capacitor is full again", "us", "0 us",
            Sign::not_negative});
  keys.key("current_limit", board.current_limit, {"of a phase", "A"});
  keys.key("highest_pwm", board.highest_pwm, {"frequency that it follows", "kHz"});
  declare_enable(keys, board, "high");
  declare(keys, board.inputs);
  declare(keys, board.stage);
}

template <class Keys>
void declare(Keys& keys, PulseWidthInput& board) {
  keys.key("shortest_pulse", board.shortest_pulse, {"measured: angle 0, or no throttle", "ms"});
  keys.key("longest_pulse", board.longest_pulse, {"measured: the whole swing, or full throttle", "ms"});
  keys.key(
      "centre_pulse", board.centre_pulse,
      {"measured: the middle of the swing; of a speed controller no throttle, and below it turns backwards",
       "ms", "a servo's lies half-way; a speed controller then turns one way"});
  keys.key("frame_rate", board.frame_rate, {"pulses a second", "Hz"});
  keys.key("arming", board.arming,
           {"pulses before it obeys: [{ pulse = \"1 ms\", lasts = \"2 s\" }]", "ms", "none"});
  declare(keys, board.inputs);
  declare(keys, board.stage);
}

template <class Keys>
void declare(Keys& keys, BusDrive& board) {
  keys.key("vendor", board.vendor,
           {"number of its maker, by its identity (1018:01)", "", "any", Sign::any, 0, 0xffff'ffff});
  keys.key("product", board.product,
           {"number of its kind, by its identity (1018:02)", "", "any", Sign::any, 0, 0xffff'ffff});
  keys.key("encoder_lines", board.encoder_lines,
           {"of the encoder at its motor, a turn; four counts each", "", nullptr, Sign::any, 1, 16'777'216});
  keys.key("supply_current", board.supply_current, {"that it may take from its supply", "A"});
  keys.key("supply_current_set_at", board.supply_current_set_at,
           {"its object where that is set; index and part in hexadecimal digits", "A",
            "not set: it has no such limit"});
  keys.key("supply_current_told", board.supply_current_told,
           {"its object that tells the current from its supply", "A", "not told"});
  keys.key("applied_voltage_told", board.applied_voltage_told,
           {"its object that tells the voltage that it gives its motor", "V", "not told"});
  keys.key("temperature_told", board.temperature_told,
           {"its object that tells its temperature: K over 0 degrees C", "K", "not told"});
  keys.key("settings", board.settings, {"whatever else is to be set, such as a brake", "", "none"});
  declare(keys, board.stage);
}

template <class Keys>
void declare(Keys& keys, BusWiring& wiring) {
  keys.key("id", wiring.id, {"of the drive on the controller's bus", "", nullptr, Sign::any, 1, 127});
}

template <class Keys>
void declare(Keys& keys, CommonWiring& common) {
  keys.sensed("fault", common.fault, "output of the board: it has switched itself off");
  keys.sensed("in_position", common.in_position, "output of a servo: it stands where it was asked to");
  keys.key("through", common.through, {"name of a part that these lines go through", "", "wired directly"});
  keys.key("timer", common.timer, {"name of the controller's timer that makes these pulses or duties"});
}

inline ActiveLevel step_rest_opposite(const StepDirBoard& board) {
  return board.step_edge == StepEdge::rising ? ActiveLevel::high : ActiveLevel::low;
}

template <class Keys>
void declare(Keys& keys, StepDirWiring& wiring, CommonWiring& common, const StepDirBoard& board) {
  const bool step_dir = board.form == StepDirBoard::Form::step_dir;
  keys.line(step_dir ? "step" : "forward", wiring.step, step_rest_opposite(board),
            "a pulse a step; `active` is the level of the pulse, usually what makes the step edge its first");
  keys.line(step_dir ? "dir" : "backward", wiring.dir,
            step_dir ? ActiveLevel::high : step_rest_opposite(board),
            step_dir ? "`active` means forwards" : "the same for steps backwards");
  keys.enable(common, wiring.enable, board.enable_active);
  keys.line("sleep", wiring.sleep, ActiveLevel::low, "puts the board to sleep");
  keys.line("reset", wiring.reset, ActiveLevel::low, "resets the board");
  keys.lines("microstep_select", wiring.microstep_select,
             "lines that set the microsteps, in the order of the positions of microsteps_by_switch");
  keys.key("pulse_width", wiring.pulse_width, {"of a pulse", "us", "the longer of the board's two"});
  keys.key("dir_steady_before", wiring.dir_steady_before,
           {"that the controller keeps", "us", "the board's", Sign::not_negative});
  keys.key("dir_steady_after", wiring.dir_steady_after,
           {"that the controller keeps", "us", "the board's", Sign::not_negative});
  declare(keys, common);
}

inline constexpr std::array<const char*, 4> coil_names = {"a_plus", "a_minus", "b_plus", "b_minus"};

template <class Keys>
void declare(Keys& keys, CoilWiring& wiring, CommonWiring& common, bool has_enable,
             ActiveLevel enable_active) {
  for (std::size_t i = 0; i < coil_names.size(); ++i)
    keys.line(coil_names[i], wiring.coils[i], ActiveLevel::high,
              i == 0 ? "line that puts current through this end of a coil; so the next three" : "the same");
  if (has_enable) keys.enable(common, wiring.enable, enable_active);
  keys.key(
      "terminals", wiring.terminals,
      a_line("lines at the board's inputs in connector order: said twice, to be checked", "not checked"));
  declare(keys, common);
}

template <class Keys>
void declare(Keys& keys, BridgeWiring& wiring, CommonWiring& common, const HBridge& board) {
  using Form = HBridge::Form;
  if (board.form == Form::sign_magnitude) {
    keys.needed_line("sign", wiring.sign, ActiveLevel::high, "`active` means forwards");
  } else {
    const bool duty_here = board.form == Form::two_input;
    keys.needed_line("input_a", wiring.input_a, ActiveLevel::high,
                     duty_here ? "carries the duty forwards" : "direction");
    keys.needed_line("input_b", wiring.input_b, ActiveLevel::high,
                     duty_here ? "carries the duty backwards" : "direction");
  }
  if (board.form != Form::two_input)
    keys.needed_line("duty", wiring.duty, ActiveLevel::high, "carries the duty");
  keys.enable(common, wiring.enable, board.enable_active);
  keys.key("pwm_frequency", wiring.pwm_frequency, {"of the duty", "kHz"});
  keys.key("alignment", wiring.alignment, {"of the duty in its period", "", "edge"});
  keys.key("decay", wiring.decay,
           {"of the current in the part of a period without drive: slow shorts the motor, fast lets it go",
            "", board.form == Form::four_channel ? "fast" : "slow"});
  declare(keys, common);
}

template <class Keys>
void declare(Keys& keys, GateWiring& wiring, CommonWiring& common, const SixGateInverter& board) {
  for (std::size_t i = 0; i < gate_names.size(); ++i)
    keys.line(gate_names[i], wiring.gates[i], board.gate_active[i],
              i == 0 ? "line to this gate input; so the next five" : "the same");
  keys.enable(common, wiring.enable, board.enable_active);
  keys.key("pwm_frequency", wiring.pwm_frequency, {"of the duty", "kHz"});
  keys.key("alignment", wiring.alignment, {"of the duty in its period", "", "centre"});
  keys.key("dead_time", wiring.dead_time,
           {"that the controller keeps", "ns", "the board's", Sign::not_negative});
  keys.key(
      "switched", wiring.switched,
      {"side whose transistor the duty switches; the other one that carries current stays on", "", "high"});
  keys.key("complementary", wiring.complementary,
           {"true when in the rest of a period the other transistor of that leg carries the current, not its "
            "diode: the motor can then be braked",
            "", "false"});
  keys.key(
      "commutated_by", wiring.commutated_by,
      {"what says when the next row is due: what tells the rotor's angle, or time alone; live lines know "
       "time alone",
       "", "sensors"});
  declare(keys, common);
}

template <class Keys>
void declare(Keys& keys, PulseWidthWiring& wiring, CommonWiring& common) {
  keys.line("pulse", wiring.pulse, ActiveLevel::high, "its width is the message");
  declare(keys, common);
}

template <class Keys>
void declare(Keys& keys, Load& load) {
  keys.key("inertia", load.inertia, {"all that turns, the rotor included", "kg m2"});
  keys.key("most_inertia", load.most_inertia, {"where it grows, as on a bobbin", "kg m2"});
  keys.key("coulomb_friction", load.coulomb_friction, {"", "N m", "0 N m", Sign::not_negative});
  keys.key("viscous_friction", load.viscous_friction, {"", "N m s", "0 N m s", Sign::not_negative});
  keys.key("stiction", load.stiction, {"to break loose", "N m", "the Coulomb friction", Sign::not_negative});
  keys.key("friction_spread", load.friction_spread,
           {"rms, by which Coulomb friction and stiction differ from place to place of the shaft", "%", "0 %",
            Sign::not_negative});
  keys.key("steady_torque", load.steady_torque, {"of weight or tension", "N m", "0 N m", Sign::not_negative});
  keys.key("slackens", load.slackens,
           {"true when the steady torque is that of a yarn, which never turns the motor back", "", "false"});
  keys.key("carried_mass", load.carried_mass,
           {"that a linear output takes along, not in `inertia`", "kg", "0 kg", Sign::not_negative});
  keys.key("rise", load.rise, {"of its way: 90 deg lifts the carried mass", "deg", "0 deg", Sign::any});
  keys.key("screw_efficiency", load.screw_efficiency, {"lifting the carried mass", "%", "100 %"});
  keys.key(
      "backlash", load.backlash,
      {"play of the train, at the output; not rehearsed", "position", "none", Sign::positive, 0, 0, true});
}

/// What of the limits a kind of motor has.
struct LimitKeys {
  bool speed = true;
  bool acceleration_needed = false;
  bool travel_needed = false;
  const char* duty = nullptr;  ///< "duty" or "throttle", or nothing for motors that step
};
[[nodiscard]] inline LimitKeys limit_keys(const Motor& motor) {
  if (std::holds_alternative<ThrottledMotor>(motor)) return {false, false, false, "throttle"};
  if (std::holds_alternative<HobbyServo>(motor)) return {true, false, true, nullptr};
  if (std::holds_alternative<BrushedMotor>(motor) || std::holds_alternative<BrushlessMotor>(motor))
    return {true, false, false, "duty"};
  return {true, true, false, nullptr};
}

template <class Keys>
void declare(Keys& keys, Limits& limits, std::optional<HardEnds>& hard_ends, const Motor& motor) {
  const LimitKeys has = limit_keys(motor);
  if (has.speed) {
    keys.travel(limits, has.travel_needed);
    keys.hard_ends(hard_ends);
    keys.key("speed", limits.speed, {"top speed of the output", "speed"});
    keys.key("acceleration", limits.acceleration,
             {"of the output", "acceleration", has.acceleration_needed ? nullptr : "what the current gives"});
    keys.key("jerk", limits.jerk, {"of the output", "jerk"});
    keys.key("start_speed", limits.start_speed,
             {"reached and left at once, without a ramp; at most `speed`", "speed", "0"});
    keys.key("forwards", limits.forwards,
             {"which way round a position grows, seen from where you stand", "", "clockwise"});
    keys.key("stations", limits.stations,
             {"places evenly spaced over the turn or the travel; number k of N is exact", "", nullptr,
              Sign::any, 2, 1'000'000});
    keys.key("current", limits.current, {"that the motor is given at the most", "A"});
  }
  if (has.duty == nullptr) return;
  const std::string lowest = std::string("lowest_") + has.duty;
  const std::string highest = std::string("highest_") + has.duty;
  keys.key(lowest.c_str(), limits.lowest_duty, {"that it is asked to turn with", "%"});
  keys.key(highest.c_str(), limits.highest_duty, {"that it is given at the most", "%"});
  keys.key("full_ramp", limits.full_ramp,
           {"from none to full duty or throttle, at the fastest", "s", "0.2 s"});
  if (!has.speed) return;
  keys.key("reversal_pause", limits.reversal_pause,
           {"without drive, before it is reversed by duty alone", "s"});
  keys.key("slows_by", limits.slows_by,
           {"what the bridge does without drive", "", "coasting, where a line can let it go"});
}

template <class Keys>
void declare(Keys& keys, Homing& homing) {
  keys.key("sensor", homing.sensor, {"name of a switch or an encoder of this mechanism"});
  keys.key("goes_to", homing.goes_to,
           {"of an encoder: its index, or the hard end at which it stops counting"});
  keys.key("then_index_of", homing.then_index_of,
           {"encoder whose index, the next one beyond the switch, gives the zero"});
  keys.key("index_at", homing.index_at,
           {"where that index, or the sensor's, comes", "position", "0", Sign::any});
  keys.key("speed", homing.speed, {"on the way to it; at most `limits.speed`", "speed"});
  keys.key("slow_speed", homing.slow_speed, {"for the edge that counts; at most `speed`", "speed"});
  keys.key("position", homing.position,
           {"where to stand afterwards; inside the travel", "position", nullptr, Sign::any});
}

template <class Keys>
void declare(Keys& keys, Leading& leading) {
  keys.key("leader", leading.leader, {"name of the mechanism that is followed"});
  keys.key("by", leading.by, {"way of this output, exact ...", "position", nullptr, Sign::any});
  keys.key("for_each", leading.for_each,
           {"... for so much of the leader's", "position", "1 turn", Sign::positive, 0, 0, true});
  keys.key("place", leading.place,
           {"what its encoder counts, or where it is told to be", "",
            "counted where the leader has an encoder and takes no steps"});
}

template <class Keys>
void declare(Keys& keys, Following& follows) {
  declare(keys, follows.first);
  keys.key("compensated", follows.compensated,
           {"true: it is where its leader is now, by the speed of its counts; false: it stays so far behind "
            "that it never goes beyond what was counted",
            "", "true"});
  keys.key(
      "may_fall_behind", follows.may_fall_behind,
      {"way by which its limits may hold it up; it catches up", "position", "falling behind stops both"});
}

template <class Keys>
void declare(Keys& keys, Proven& proven) {
  keys.key("stages", proven.stages, {"seen to be right on the real bench; `cogstride prove` writes it"});
  keys.key("parts", proven.parts, {"mark of the parts it was seen with"});
}

template <class Keys>
void declare(Keys& keys, SensorFeed& feed) {
  keys.key("supply", feed.supply, {"name of the supply that feeds it"});
  keys.key("lowest_supply", feed.lowest, {"voltage that it works with", "V"});
  keys.key("highest_supply", feed.highest, {"voltage that it stands", "V"});
  keys.key("output_level", feed.output_level, {"voltage of its output when high", "V"});
}

template <class Keys>
void declare_contact(Keys& keys, std::optional<Contact>& contact, std::optional<Pull>& pull,
                     std::optional<Time>& bounce, std::optional<Time>& debounce,
                     std::vector<std::string>& cuts) {
  keys.key("contact", contact, {"at rest"});
  keys.key("internal_pull", pull,
           {"resistor inside the controller that holds its line", "", "as the chip stands"});
  keys.key("bounce", bounce, {"of its contact, at the longest", "ms"});
  keys.key("debounce", debounce, {"for which the controller wants it steady", "ms"});
  keys.key("cuts", cuts, {"supplies that it switches off without software", "", "none"});
}

template <class Keys>
void declare(Keys& keys, PlaceSwitch& place_switch) {
  keys.key("line", place_switch.line, a_line("input line"));
  keys.key("active", place_switch.active, {"level of its line when it acts", "", "high"});
  keys.place(place_switch);
  keys.key("end", place_switch.end, {"of the travel at which it stands: said twice, to be checked"});
  keys.key("noise", place_switch.noise, {"rms, of where an edge comes", "position", "0", Sign::not_negative});
  declare_contact(keys, place_switch.contact, place_switch.internal_pull, place_switch.bounce,
                  place_switch.debounce, place_switch.cuts);
  declare(keys, place_switch.feed);
}

template <class Keys>
void declare(Keys& keys, Encoder& encoder) {
  keys.key("line_a", encoder.line_a, a_line("input line"));
  keys.key("line_b", encoder.line_b, a_line("input line"));
  keys.key("line_index", encoder.line_index, a_line("input line of a pulse a turn"));
  keys.key("lines_per_turn", encoder.lines_per_turn,
           {"of the shaft it sits on; four counts each", "", nullptr, Sign::any, 1, 1'000'000});
  keys.key("after_stages", encoder.after_stages,
           {"stages of the train between the motor shaft and the encoder's", "", "0, on the motor", Sign::any,
            0, 100});
  keys.key("counts_backwards", encoder.counts_backwards,
           {"true when it counts down while `lines` says forwards", "", "false"});
  keys.key("eccentricity", encoder.eccentricity,
           {"error of place that comes back once a turn of its shaft", "deg", "0", Sign::not_negative});
  keys.key("line_error", encoder.line_error,
           {"rms, of the place of single edges", "deg", "0", Sign::not_negative});
  keys.key("filter", encoder.filter, {"shorter pulses on its lines are taken for disturbances", "us"});
  declare(keys, encoder.feed);
}

template <class Keys>
void declare(Keys& keys, HallSet& halls) {
  keys.key("line_1", halls.lines[0], a_line("input line"));
  keys.key("line_2", halls.lines[1], a_line("input line"));
  keys.key("line_3", halls.lines[2], a_line("input line"));
  keys.key("spacing", halls.spacing, {"electrical: 60 or 120 deg", "deg"});
  keys.key(
      "stands_at", halls.stands_at,
      {"electrical, a multiple of 60 deg: that they stand further on than usual (docs/rig.md says what is)",
       "deg", "0 deg", Sign::any});
  keys.key("inverted", halls.inverted,
           {"true when their lines are low where they would be high", "", "false"});
  keys.key("placement_error", halls.placement_error,
           {"electrical, rms, of the place of single edges", "deg", "0 deg", Sign::not_negative});
  declare(keys, halls.feed);
}

template <class Keys>
void declare(Keys& keys, Shunt& shunt) {
  keys.key("channel", shunt.channel, {"analogue input", "", nullptr, Sign::any, 0, 63});
  keys.key("resistance", shunt.resistance, {"", "mohm"});
  keys.key("gain", shunt.gain, {"of the amplifier behind it", "", "1", Sign::any, 1, 100'000});
  keys.key("at_no_current", shunt.at_no_current,
           {"output of that amplifier; above 0 V, currents of both senses can be told", "V", "0 V",
            Sign::not_negative});
}

template <class Keys>
void declare(Keys& keys, TerminalVoltages& terminals) {
  keys.key("channel_a", terminals.channels[0],
           {"analogue input of terminal A", "", nullptr, Sign::any, 0, 63});
  keys.key("channel_b", terminals.channels[1], {"of terminal B", "", nullptr, Sign::any, 0, 63});
  keys.key("channel_c", terminals.channels[2], {"of terminal C", "", nullptr, Sign::any, 0, 63});
  keys.key("upper", terminals.upper, {"resistor from a terminal to its input", "kohm"});
  keys.key("lower", terminals.lower, {"resistor from that input to ground", "kohm"});
}

template <class Keys>
void declare(Keys& keys, TemperatureProbe& probe) {
  keys.key("channel", probe.channel, {"analogue input", "", nullptr, Sign::any, 0, 63});
  keys.key("at_0_deg_c", probe.at_0_deg_c, {"its voltage at 0 degrees C", "mV", nullptr, Sign::any});
  keys.key("per_kelvin", probe.per_kelvin, {"that a kelvin adds", "mV", nullptr, Sign::any});
  keys.key("on_motor", probe.on_motor, {"false when it sits on the board", "", "true"});
}

template <class Keys>
void declare(Keys& keys, Stops& stops) {
  keys.key("emergency", stops.emergency, {"when an emergency stop is pressed", "", "cut"});
  keys.key("fault", stops.fault, {"when a board, a supply or a motion fails", "", "steepest ramp"});
  keys.key("limit_switch", stops.limit_switch,
           {"when a switch at an end acts outside homing", "", "steepest ramp"});
  keys.key("interrupt", stops.interrupt, {"when the program is told to end", "", "steepest ramp"});
  keys.key("end", stops.end, {"when a script ends while something still turns", "", "steepest ramp"});
}

template <class Keys>
void declare(Keys& keys, Shaft& shaft) {
  keys.key("speed", shaft.speed, {"its highest, of what is followed", "rpm"});
  keys.key("acceleration", shaft.acceleration,
           {"of a master speed; left out, it changes at once", "turn/s2"});
}

template <class Keys>
void declare(Keys& keys, WheeledPair& pair) {
  keys.key("left", pair.left, {"name of the mechanism that turns the left wheel, seen in the way it goes"});
  keys.key("right", pair.right, {"name of the mechanism that turns the right wheel"});
  keys.key("left_wheel", pair.left_wheel, {"diameter, measured under its load", "mm"});
  keys.key("right_wheel", pair.right_wheel, {"diameter, measured under its load", "mm"});
  keys.key("track", pair.track, {"between the places where the two wheels touch the floor", "mm"});
}

template <class Keys>
void declare(Keys& keys, PlainOutput& output) {
  keys.key("line", output.line.number, a_line("output line"));
  keys.key("active", output.line.active, {"level that switches it on", "", "high"});
  keys.key("external_pull", output.line.external_pull,
           {"level that a resistor keeps while the controller boots"});
  keys.key("current", output.current, {"that it takes from its line", "mA"});
  keys.key("timer", output.timer, {"name of the controller's timer that fades it"});
  keys.key("pwm_frequency", output.pwm_frequency, {"that it is faded with", "Hz"});
}

}  // namespace cogstride
