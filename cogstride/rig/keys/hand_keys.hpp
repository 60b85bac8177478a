// Keys of what hands are: controls, their bindings, devices beside the lines, and how a rig is operated by
// them; declared as those of part_keys.hpp are.
#pragma once

#include "cogstride/rig/keys/part_keys.hpp"

namespace cogstride {

template <class Keys>
void declare(Keys& keys, HandControl& hand) {
  if (hand.kind == HandControl::Kind::wheel) {
    keys.key("line_a", hand.line, a_line("input line of its track A"));
    keys.key("line_b", hand.line_b, a_line("of its track B"));
    keys.key("edges_per_click", hand.edges_per_click,
             {"of both tracks, from one rest to the next: 1, 2 or 4", "", "4", Sign::any, 1, 4});
    keys.key("reversed", hand.reversed, {"true when B leads A, turned forwards", "", "false"});
    keys.key("internal_pull", hand.internal_pull,
             {"resistors inside the controller that hold its lines", "", "as the chip stands"});
    keys.key("bounce", hand.bounce, {"of its contacts, at the longest", "ms"});
    return;
  }
  keys.key("line", hand.line, a_line("input line of a contact"));
  keys.key("channel", hand.channel, {"analogue input of a knob", "", nullptr, Sign::any, 0, 63});
  if (hand.kind == HandControl::Kind::knob) {
    keys.key("lowest", hand.lowest, {"its voltage at one end", "V", nullptr, Sign::not_negative});
    keys.key("highest", hand.highest, {"its voltage at the other", "V"});
    keys.key("centre", hand.centre, {"of a stick: its voltage where it springs back to", "V"});
    keys.key("dead_band", hand.dead_band,
             {"to each side of the centre", "mV", "that of the noise", Sign::not_negative});
    keys.key("reversed", hand.reversed, {"true when its share falls as its voltage rises", "", "false"});
  }
  keys.key("active", hand.active, {"level of its line when it is pressed", "", "low"});
  declare_contact(keys, hand.contact, hand.internal_pull, hand.bounce, hand.debounce, hand.cuts);
}

template <class Keys>
void declare(Keys& keys, ByHand& by_hand) {
  keys.key("speed", by_hand.speed, {"of an order by hand that says none", "speed"});
  keys.key("acceleration", by_hand.acceleration, {"the same", "acceleration"});
  keys.key("nudge", by_hand.nudge, {"way of one press", "position"});
}

template <class Keys>
void declare(Keys& keys, Operating& operating) {
  keys.key("hold_lasts", operating.hold_lasts,
           {"a hold that is not said again for so long comes to rest", "s", "0.3 s"});
  keys.key("when_lost", operating.when_lost,
           {"what becomes of what a way in holds that is gone", "", "rest"});
  keys.key("listen", operating.listen, {"address and port for orders by a socket, such as 127.0.0.1:7440"});
  keys.key("token", operating.token,
           {"what one who comes in by the socket says first; left out, one is made at each start"});
  keys.key("look_without_token", operating.look_without_token,
           {"true when one may see how things are without it", "", "false"});
}

template <class Keys>
void declare(Keys& keys, Binding& binding) {
  keys.key("control", binding.control,
           {"a hand of this rig, `key x` of the terminal, or `anything else`: all other keys there"});
  keys.key("on", binding.on, {"order when it is pressed, such as `jog creel on at 20 deg/s`"});
  keys.key("off", binding.off, {"order when it is let go; of a value, where that is nothing"});
  keys.key("latched", binding.latched, {"true when the next press lets it go", "", "false"});
  keys.key(
      "value", binding.value,
      {"of a knob or a wheel: order with VALUE in it, such as `spin spindle at VALUE`, when it is turned"});
  keys.key("from", binding.from,
           {"of a knob: amount just above nothing, such as 60 rpm; of a wheel: what VALUE begins with"});
  keys.key("to", binding.to, {"amount at the end of its travel; of a wheel: the most of it"});
  keys.key("each", binding.each,
           {"of a wheel: amount of a click (with `from` and `to` clicks add up); of a device: amount of one "
            "of its "
            "number"});
  keys.key("also", binding.also, {"a second knob, for the word OTHER in `value`: a stick's other axis"});
  keys.key("other_from", binding.other_from, {"the same as `from`, of that"});
  keys.key("other_to", binding.other_to, {"the same as `to`, of that"});
}

template <class Keys>
void declare(Keys& keys, PageControl& control) {
  keys.key("label", control.label, {"what stands on it; left out, its name"});
  keys.key("of", control.of, {"name of a mechanism, a cart or an output: what of it is shown"});
  keys.key("shows", control.shows,
           {"of it: drawing, place, speed, share, hold, nudge, stations, home, settings, gearing, switch", "",
            "all that makes sense"});
  keys.key("from", control.from, {"amount that its slider begins with, such as 10 mm"});
  keys.key("to", control.to, {"amount that its slider ends with"});
  keys.key("on", control.on,
           {"of a control of its own: order when it is pressed, such as `play wind.moves`"});
  keys.key("off", control.off, {"order when it is let go"});
  keys.key("latched", control.latched, {"true when the next press lets it go", "", "false"});
  keys.key("value", control.value,
           {"order with VALUE in it, such as `fade lamp to VALUE`, of a slider from `from` to `to`"});
}

template <class Keys>
void declare(Keys& keys, Device& device) {
  keys.key("port", device.port, {"serial port or pseudo-terminal that it speaks on, such as /dev/ttyS0"});
  keys.key("baud", device.baud, {"bits a second", "", "as the port stands", Sign::any, 50, 4'000'000});
  keys.key("ends_with", device.ends_with,
           {"bytes that end a text of it, such as \"\\r\\n\" or \"\\u00ff\": a byte of 255"});
  keys.key("ends_after", device.ends_after, {"a silence that ends a text of it", "ms"});
}

template <class Keys>
void declare(Keys& keys, DeviceMessage& message) {
  keys.key("text", message.text, {"what it says, with the word NUMBER where digits stand"});
  keys.key("fewest_digits", message.fewest_digits, {"of the number", "", "1", Sign::any, 1, 18});
  keys.key("most_digits", message.most_digits, {"of the number", "", "9", Sign::any, 1, 18});
  keys.key("negative", message.negative, {"true when a minus may stand before them", "", "false"});
  keys.key("lowest", message.lowest,
           {"number that it says", "", "0", Sign::any, -1'000'000'000, 1'000'000'000});
  keys.key("highest", message.highest,
           {"number that it says", "", "999999999", Sign::any, -1'000'000'000, 1'000'000'000});
  keys.key("inverted", message.inverted, {"true when lowest + highest - the number is meant", "", "false"});
  keys.key("again_after", message.again_after,
           {"the same text sooner than that is the last one, heard twice", "ms", "0 ms", Sign::not_negative});
  keys.key("releases", message.releases, {"message of this device that begins what this one ends"});
  keys.key("held_at_most", message.held_at_most,
           {"of one that another releases: what it holds ends by then, should that be lost", "s"});
}

template <class Keys>
void declare(Keys& keys, DeviceReply& reply) {
  keys.key("text", reply.text, {"all that it is told, its end too, with the word NUMBER, or STATE, in it"});
  keys.key("of", reply.of, {"name of a mechanism or a cart"});
  keys.key("says", reply.says, {"of it", "", "place"});
  keys.key("each", reply.each, {"of a place or a speed: amount that one of the number is, such as 0.01 mm"});
  keys.key("fewest_digits", reply.fewest_digits, {"of the number", "", "1", Sign::any, 1, 18});
  keys.key("every", reply.every, {"it is told at the soonest, when it has changed", "s", "0.2 s"});
  keys.key("moving", reply.moving, {"word for STATE while it does something", "", "moving"});
  keys.key("resting", reply.resting, {"while it does nothing", "", "resting"});
  keys.key("stopped", reply.stopped, {"while everything is stopped", "", "stopped"});
}

template <class Keys>
void declare(Keys& keys, InputDevice& device) {
  keys.key("called", device.called, {"as it calls itself: `cogstride operate RIG --learn` lists them"});
  keys.key("exclusive", device.exclusive, {"true when nobody else is to hear it meanwhile", "", "false"});
}

template <class Keys>
void declare(Keys& keys, InputKey& key) {
  keys.key("code", key.code, {"the kernel's name of it, such as BTN_SOUTH or KEY_PLAYPAUSE"});
}

template <class Keys>
void declare(Keys& keys, InputAxis& axis) {
  keys.key("code", axis.code, {"the kernel's name of it, such as ABS_Y"});
  keys.key("centred", axis.centred, {"false when it does not spring back to its middle", "", "true"});
  keys.key("reversed", axis.reversed, {"true when its share falls as it says more", "", "false"});
  keys.key("dead_zone", axis.dead_zone,
           {"of its travel, that is taken for its middle", "%", "as the device says", Sign::not_negative});
}

template <class Keys>
void declare(Keys& keys, InputWheel& wheel) {
  keys.key("code", wheel.code, {"the kernel's name of it, such as REL_DIAL"});
  keys.key("reversed", wheel.reversed, {"true when it is turned forwards by what is below 0", "", "false"});
}

template <class Keys>
void declare(Keys& keys, Remote& remote) {
  keys.key("line", remote.line, a_line("input line of its receiver"));
  keys.key("active", remote.active, {"level of the line during a mark", "", "low"});
  keys.key("internal_pull", remote.internal_pull,
           {"resistor inside the controller that holds its line", "", "as the chip stands"});
  keys.key("output_level", remote.output_level, {"of the receiver, when it is high", "V"});
  keys.key("coding", remote.coding, {"how its keys are told apart", "", "pulse distance"});
  keys.key("held_timing", remote.held_timing,
           {"us, of a learned one: the frame that says that a key is held on", "", "none: its own again",
            Sign::any, 1, 1'000'000});
  keys.key("held_for", remote.held_for,
           {"a key is let go when nothing of it has come for so long", "s", "0.25 s"});
}

template <class Keys>
void declare(Keys& keys, RemoteKey& key) {
  keys.key("code", key.code,
           {"of pulse distance: its 32 bits, such as 0xe916fb04; the first that comes is the lowest", "",
            nullptr, Sign::any, 0, 0xffffffff});
  keys.key("timing", key.timing,
           {"us, of a learned one: marks and gaps in turn (`cogstride operate RIG --learn`)", "", "none",
            Sign::any, 1, 1'000'000});
  keys.key("other_timing", key.other_timing,
           {"us, of one that says it in two ways, in turn", "", "none", Sign::any, 1, 1'000'000});
}

template <class Keys>
void declare(Keys& keys, BusSensor& sensor) {
  keys.key("bus", sensor.bus, {"two-wire bus that it is on, such as /dev/i2c-1"});
  keys.key("address", sensor.address, {"on the bus, seven bits", "", nullptr, Sign::any, 0, 127});
  keys.key("bus_speed", sensor.bus_speed, {"as the bus is set", "kHz", "100 kHz"});
  keys.key("top_bus_speed", sensor.top_bus_speed, {"that the sensor stands", "kHz"});
  keys.key("line", sensor.line, a_line("input line of its interrupt"));
  keys.key("active", sensor.active, {"level of the line when something has happened", "", "low"});
  keys.key("internal_pull", sensor.internal_pull,
           {"resistor inside the controller that holds its line", "", "as the chip stands"});
  keys.key("output_level", sensor.output_level, {"of its line and its bus, when they are high", "V"});
  keys.key("reads", sensor.reads, {"register that says what has happened", "", nullptr, Sign::any, 0, 255});
  keys.key("least_between", sensor.least_between,
           {"two events, as it tells them at the soonest", "ms", "0 ms: not known", Sign::not_negative});
  keys.key("again_after", sensor.again_after,
           {"the same event sooner than that is the last one, told twice", "ms", "0 ms", Sign::not_negative});
}

template <class Keys>
void declare(Keys& keys, SensorSetting& setting) {
  keys.key("at", setting.at, {"register that is written at the start", "", nullptr, Sign::any, 0, 255});
  keys.key("value", setting.value, {"what is written", "", nullptr, Sign::any, 0, 255});
}

template <class Keys>
void declare(Keys& keys, SensorEvent& event) {
  keys.key("value", event.value, {"of the register that is read", "", nullptr, Sign::any, 0, 255});
}

}  // namespace cogstride
