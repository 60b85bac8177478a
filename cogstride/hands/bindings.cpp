#include "cogstride/hands/bindings.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/mechanism/ticks.hpp"
#include "cogstride/motion/inputs.hpp"
#include "cogstride/motion/knob.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/script/source_line.hpp"

namespace cogstride {
namespace {

constexpr double hardly = 0.004;  // by which it has to differ to be told again

bool is_hold(const std::string& order) {
  return order.starts_with("jog ");
}

bool is_stop(const Binding& binding) {
  return binding.on && binding.on->starts_with("stop");
}

/// "stop creel", of what a hold jogs.
std::string stop_of(const std::string& order) {
  const SourceLine words = split_words(1, order);
  return words.words.size() < 2 ? std::string() : fmt::format("stop {}", words.words[1].text);
}

bool is_share(const Bench& bench, const std::string& control) {
  for (const SaidControl& each : bench.heard().controls())
    if (each.name == control) return each.says == SaidControl::Says::share;
  return false;
}

/// Of a knob of the rig, or an axis of a device.
std::function<std::optional<double>()> share_of(Bench& bench, const std::string& control) {
  if (is_share(bench, control))
    return [&heard = bench.heard(), place = bench.heard().place_of(control)] { return heard.share(place); };
  return [&knob = bench.knob(control)] { return knob.known_share(); };
}

}  // namespace

Bindings::Axis Bindings::axis_of(Bench& bench, const Binding& binding, const std::string& knob,
                                 const std::string& first, const std::string& last) {
  try {
    return {share_of(bench, knob), TravelAmount(first, last)};
  } catch (const RangeError& error) {
    throw RangeError(fmt::format("binding.{}: {}", binding.name, error.what()));
  }
}

Bindings::Wheel Bindings::wheel_of(const Binding& binding, const HandControl& hand) {
  Wheel wheel(*binding.each);
  wheel.binding = &binding;
  wheel.a = static_cast<LineId>(*hand.line);
  wheel.b = static_cast<LineId>(*hand.line_b);
  wheel.way = hand.reversed ? -1 : 1;
  // An edge in each click counts it: what goes to and fro over it leaves nothing behind.
  wheel.decoder = chip::QuadratureDecoder(static_cast<std::uint8_t>(4 / hand.edges_per_click));
  if (!binding.from) return wheel;
  const UnitAmount from(*binding.from);
  const UnitAmount to(*binding.to);
  if (from.unit() != wheel.each.unit() || to.unit() != wheel.each.unit())
    throw RangeError(fmt::format("binding.{}: {} a click, from {} to {}: all in one unit", binding.name,
                                 *binding.each, *binding.from, *binding.to));
  wheel.range = std::minmax(from.each(), to.each());
  wheel.amount = from.each();
  return wheel;
}

Bindings::Bindings(Bench& bench, Operation& operation, std::function<void(const std::string&)> tell)
    : bench_(bench), operation_(operation), tell_(std::move(tell)) {
  const ExactFrequency clock = bench.rig().controller.timer_clock;
  between_values_ = ticks_at_least(ExactTime::from_base({1, 20}), clock);
  ticks_per_second_ = clock.base().to_double();
  hold_lasts_ = std::llround(bench.rig().operating.hold_lasts.in(units::s)*ticks_per_second_);
  again_after_ = hold_lasts_ / 3;
  const auto bound_to = [&](const std::string& control) -> const Binding* {
    for (const Binding& binding : bench.rig().bindings)
      if (binding.control == control && !is_share(bench, control)) return &binding;
    return nullptr;
  };
  for (const SaidControl& control : bench.heard().controls()) {
    Heard heard;
    heard.binding = bound_to(control.name);
    heard.control = &control;
    if (control.releases) heard.begins = bound_to(*control.releases);
    heard.is_let_go = control.held_at_most || control.says == SaidControl::Says::hold;
    heard_.push_back(std::move(heard));
  }
  listener_ = std::make_shared<Bench::Listener>(
      [this](const HeardControls::Hearing& hearing, const std::string& by) { hear(hearing, by); });
  bench.on_heard(listener_);
  for (const Binding& binding : bench.rig().bindings) {
    check(binding);
    const bool is_axis = is_share(bench, binding.control);
    const HandControl* hand = nullptr;
    for (const HandControl& each : bench.rig().hands)
      if (each.name == binding.control) hand = &each;
    if (hand != nullptr && binding.each) {
      wheels_.push_back(wheel_of(binding, *hand));
    } else if (is_axis || (hand != nullptr && binding.value)) {
      Turned turned;
      turned.binding = &binding;
      turned.axes.push_back(axis_of(bench, binding, binding.control, *binding.from, *binding.to));
      if (binding.also)
        turned.axes.push_back(axis_of(bench, binding, *binding.also, *binding.other_from, *binding.other_to));
      turned_.push_back(std::move(turned));
    } else if (hand != nullptr) {
      contacts_.push_back({&binding, static_cast<LineId>(*hand->line)});
    }
  }
}

void Bindings::check(const Binding& binding) const {
  const auto look = [&](const char* key, const std::optional<std::string>& order) {
    if (!order) return;
    std::string line = *order;
    if (binding.to) line = with_amount(line, "VALUE", *binding.to);
    if (binding.each) line = with_amount(line, "VALUE", *binding.each);
    if (!binding.to && !binding.each) line = with_amount(line, "VALUE", "1");
    if (binding.other_to) line = with_amount(line, "OTHER", *binding.other_to);
    const std::string why = operation_.why_never(line);
    if (!why.empty()) throw RangeError(fmt::format("binding.{}.{}: {}: {}", binding.name, key, *order, why));
  };
  look("on", binding.on);
  look("off", binding.off);
  look("value", binding.value);
}

void Bindings::order(const Binding& binding, const std::string& line, const std::string& by, bool* holds) {
  operation_.take(line, by, [this, line, control = binding.control, holds](const Operation::Answer& answer) {
    if (answer.kind == Operation::Answer::Kind::refused) {
      if (holds != nullptr) *holds = false;  // not said again before it has been let go
      tell_(fmt::format("{}: {}: {}", control, line, answer.words));
    } else if (answer.kind == Operation::Answer::Kind::faulted) {
      tell_(fmt::format("{}: {}: fault: {}", control, line, answer.words));
    }
  });
}

/// What was held or turned up through a stop and its clearing waits until it is let go, however short both
/// were.
void Bindings::look_for_clearing() {
  if (std::exchange(cleared_, operation_.times_cleared()) == operation_.times_cleared()) return;
  for (Contact& contact : contacts_) contact.holds = false;
  for (Turned& turned : turned_) turned.told.clear();
  for (Heard& heard : heard_) {
    heard.is_on = false;
    heard.waits_for_silence = true;
  }
}

void Bindings::press(Contact& contact) {
  const Binding& binding = *contact.binding;
  contact.is_on = true;
  if (!binding.on) return;
  contact.holds = is_hold(*binding.on);
  order(binding, *binding.on, &contact);
}

void Bindings::let_go(Contact& contact) {
  const Binding& binding = *contact.binding;
  const bool held = std::exchange(contact.holds, false);
  contact.is_on = false;
  if (binding.off)
    order(binding, *binding.off, nullptr);
  else if (held)
    order(binding, stop_of(*binding.on), nullptr);
}

void Bindings::look_at(Contact& contact, Tick now) {
  const std::optional<bool> acts = bench_.inputs().acts(contact.line);
  if (!acts) return;
  const bool begins = *acts && !contact.was_pressed;
  const bool ends = !*acts && contact.was_pressed;
  contact.was_pressed = *acts;
  if (contact.binding->latched) {
    if (begins && operation_.is_stopped()) return;
    if (begins) contact.is_on ? let_go(contact) : press(contact);
  } else if (begins) {
    press(contact);
  } else if (ends && contact.is_on) {
    let_go(contact);
  }
  if (begins || ends) contact.again = contact.holds ? now + again_after_ : never;
  if (contact.holds && now >= contact.again) {
    contact.again = now + again_after_;
    order(*contact.binding, *contact.binding->on, &contact);
  }
}

void Bindings::look_at(Turned& turned, Tick now) {
  if (now < turned.next) return;
  turned.next = now + between_values_;
  std::vector<double> shares;
  for (const Axis& axis : turned.axes) {
    const std::optional<double> share = axis.share();
    if (!share) return;
    shares.push_back(TravelAmount::is_nothing(*share) ? 0.0 : *share);
  }
  const auto stands_at_nothing = [](const std::vector<double>& all) {
    return std::all_of(all.begin(), all.end(), [](double share) { return share == 0.0; });
  };
  const bool is_nothing = stands_at_nothing(shares);
  if (operation_.is_stopped()) turned.told.clear();
  if (turned.told.empty()) {
    if (is_nothing && !operation_.is_stopped()) turned.told = shares;
    return;
  }
  const Binding& binding = *turned.binding;
  const bool was_nothing = stands_at_nothing(turned.told);
  bool differs = is_nothing != was_nothing;
  for (std::size_t i = 0; i < shares.size(); ++i)
    differs = differs || std::abs(shares[i] - turned.told[i]) >= hardly ||
              (shares[i] == 0.0) != (turned.told[i] == 0.0);
  // What is held is said again as long as it is turned up.
  const bool holds = is_hold(*binding.value) && !is_nothing && now >= turned.again;
  if (!differs && !holds) return;
  turned.told = shares;
  turned.again = now + again_after_;
  if (is_nothing) {
    if (!was_nothing) order(binding, binding.off ? *binding.off : stop_of(*binding.value), nullptr);
    return;
  }
  std::string line = *binding.value;
  for (std::size_t i = 0; i < shares.size(); ++i) {
    line = with_amount(line, i == 0 ? "VALUE" : "OTHER", turned.axes[i].amount.text(shares[i]));
  }
  order(binding, line, nullptr);
}

void Bindings::read(Wheel& wheel, std::span<const Reading> readings) {
  for (const Reading& reading : readings) {
    const bool is_a = reading.source == static_cast<SourceId>(wheel.a);
    if (!is_a && reading.source != static_cast<SourceId>(wheel.b)) continue;
    (is_a ? wheel.a_is_on : wheel.b_is_on) = (reading.raw != 0) == wheel.on_is_high;
    if (wheel.is_known) (void)wheel.decoder.take(wheel.a_is_on, wheel.b_is_on);
  }
  const std::optional<bool> a = bench_.inputs().acts(wheel.a);
  const std::optional<bool> b = bench_.inputs().acts(wheel.b);
  if (wheel.is_known || !a || !b) return;
  wheel.is_known = true;
  // A click is counted half-way through it: tracks that are alike at rest count as on there.
  wheel.on_is_high = *a || *b;
  wheel.a_is_on = *a == wheel.on_is_high;
  wheel.b_is_on = *b == wheel.on_is_high;
  wheel.decoder.begin(wheel.a_is_on, wheel.b_is_on);
}

/// What it was turned by since the last order, in one.
void Bindings::look_at(Wheel& wheel, Tick now) {
  const std::int64_t clicks = (wheel.decoder.count() - wheel.counted) * wheel.way;
  if (operation_.is_stopped()) wheel.counted = wheel.decoder.count();
  if (clicks == 0 || operation_.is_stopped() || now < wheel.next) return;
  wheel.next = now + between_values_;
  wheel.counted = wheel.decoder.count();
  double amount = static_cast<double>(clicks) * wheel.each.each();
  if (wheel.range) {
    const double before = wheel.amount;
    amount = wheel.amount = std::clamp(before + amount, wheel.range->first, wheel.range->second);
    if (amount == before) return;
  }
  order(*wheel.binding, with_amount(*wheel.binding->value, "VALUE", wheel.each.of(amount)), nullptr);
}

void Bindings::press(char key, const std::string& by) {
  const std::string control = fmt::format("key {}", key);
  const Binding* found = nullptr;
  for (const Binding& binding : bench_.rig().bindings)
    if (binding.control == control || (found == nullptr && binding.control == "anything else"))
      found = &binding;
  if (found == nullptr) throw RangeError(fmt::format("key {} is bound to nothing", key));
  bool& is_on = latched_[found];
  const bool lets_go = found->latched && is_on;
  is_on = !lets_go;
  const std::optional<std::string>& line = lets_go ? found->off : found->on;
  if (!line) return;
  operation_.take(*line, by, [this, line = *line](const Operation::Answer& answer) {
    if (answer.kind == Operation::Answer::Kind::refused) tell_(fmt::format("{}: {}", line, answer.words));
  });
}

Bindings::Heard* Bindings::heard_of(const Binding* binding) {
  for (Heard& heard : heard_)
    if (heard.binding == binding && binding != nullptr) return &heard;
  return nullptr;
}

void Bindings::hear(const HeardControls::Hearing& hearing, const std::string& by) {
  Heard& heard = heard_[hearing.place];
  const Tick now = std::llround(bench_.now().in(units::s)*ticks_per_second_);
  look_for_clearing();
  heard.by = by;
  const bool was_silent = now - heard.last >= hold_lasts_;
  heard.last = now;
  if (Heard* const begun = heard_of(heard.begins); begun != nullptr && begun->is_on) let_go(*begun);
  if (heard.binding == nullptr) return;
  if (hearing.is_let_go) {
    heard.waits_for_silence = false;
    if (heard.is_on && !heard.binding->latched) let_go(heard);
    return;
  }
  if (operation_.is_stopped()) heard.waits_for_silence = true;
  if (heard.waits_for_silence && !was_silent && !is_stop(*heard.binding)) return;
  heard.waits_for_silence = false;
  if (!hearing.number) return press(heard, now);
  std::string amount = fmt::format("{}", *hearing.number);
  if (heard.binding->each)
    amount = UnitAmount(*heard.binding->each).text(static_cast<double>(*hearing.number));
  order(*heard.binding, with_amount(*heard.binding->value, "VALUE", amount), by, nullptr);
}

void Bindings::press(Heard& heard, Tick now) {
  const Binding& binding = *heard.binding;
  if (binding.latched && heard.is_on) return let_go(heard);
  const bool holds = binding.on && is_hold(*binding.on);
  const bool was_on = std::exchange(heard.is_on, true);
  if (heard.is_let_go) {
    if (holds) heard.again = now + again_after_;
    const std::optional<Time>& at_most = heard.control->held_at_most;
    heard.ends = at_most ? now + std::llround(at_most->in(units::s)*ticks_per_second_) : never;
  } else if (binding.off && !binding.latched) {
    heard.ends = now + hold_lasts_;  // it is held as long as it comes again
    if (was_on && !holds) return;
  }
  if (binding.on) order(binding, *binding.on, heard.by, &heard.is_on);
}

void Bindings::let_go(Heard& heard) {
  const Binding& binding = *heard.binding;
  heard.is_on = false;
  heard.again = heard.ends = never;
  if (binding.off)
    order(binding, *binding.off, heard.by, nullptr);
  else if (binding.on && is_hold(*binding.on))
    order(binding, stop_of(*binding.on), heard.by, nullptr);
}

/// Says again what is held until it is let go, and ends what no release ended.
void Bindings::look_at(Heard& heard, Tick now) {
  if (!heard.is_on) {
    heard.again = heard.ends = never;
  } else if (now >= heard.ends) {
    if (heard.is_let_go)
      tell_(fmt::format("{}: was not let go in {:.3g} s", heard.binding->control,
                        heard.control->held_at_most->in(units::s)));
    let_go(heard);
  } else if (now >= heard.again) {
    heard.again = now + again_after_;
    order(*heard.binding, *heard.binding->on, heard.by, &heard.is_on);
  }
}

Tick Bindings::next_act() const {
  Tick next = never;
  for (const Heard& heard : heard_) next = std::min({next, heard.again, heard.ends});
  for (const Contact& contact : contacts_) {
    if (contact.holds) next = std::min(next, contact.again);
    // Steady for long enough only after its edge has been read.
    const std::optional<bool> acts = bench_.inputs().acts(contact.line);
    if (acts && *acts != contact.was_pressed) return 0;
  }
  for (const Turned& turned : turned_) next = std::min(next, turned.next);
  for (const Wheel& wheel : wheels_) {
    if (!wheel.is_known && bench_.inputs().acts(wheel.a) && bench_.inputs().acts(wheel.b)) return 0;
    if (wheel.decoder.count() != wheel.counted) next = std::min(next, wheel.next);
  }
  return next;
}

void Bindings::act(Lines& lines, std::span<const Reading> readings) {
  look_for_clearing();
  for (Wheel& wheel : wheels_) {
    read(wheel, readings);
    look_at(wheel, lines.now());
  }
  for (Contact& contact : contacts_) look_at(contact, lines.now());
  for (Turned& turned : turned_) look_at(turned, lines.now());
  for (Heard& heard : heard_) look_at(heard, lines.now());
}

}  // namespace cogstride
