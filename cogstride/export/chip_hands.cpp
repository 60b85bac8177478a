#include "cogstride/export/chip_hands.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "cogstride/motion/devices/amounts.hpp"
#include "cogstride/plan/knob.hpp"
#include "cogstride/plan/move.hpp"
#include "cogstride/script/verbs/order_reader.hpp"

namespace cogstride {
namespace {

/// Why a chip does not do it.
struct NotThere {
  std::string why;
};

constexpr int highest_code = 4 * 1023;

class HandsReader {
 public:
  HandsReader(const Rig& rig, const std::vector<std::size_t>& axes) : rig_(rig), axes_(axes) {}

  ChipHands read() {
    for (const Binding& binding : rig_.bindings) {
      try {
        take(binding);
      } catch (const NotThere& not_there) {
        hands_.left.push_back({&binding, not_there.why});
      } catch (const Wrong& wrong) {
        hands_.left.push_back({&binding, wrong.message});
      } catch (const Error& error) {
        hands_.left.push_back({&binding, error.what()});
      }
    }
    return std::move(hands_);
  }

 private:
  void take(const Binding& binding) {
    if (binding.control == "anything else" || binding.control.starts_with("key "))
      throw NotThere{"a chip has no terminal"};
    const auto hand = std::find_if(rig_.hands.begin(), rig_.hands.end(),
                                   [&](const HandControl& each) { return each.name == binding.control; });
    if (hand == rig_.hands.end()) throw NotThere{"it is no key or knob of the rig's own"};
    if (hand->kind == HandControl::Kind::knob) return take_knob(binding, *hand);
    if (hand->kind == HandControl::Kind::wheel) throw NotThere{"the chip's part counts no clicks of a wheel"};
    ChipKey key;
    key.hand = &*hand;
    if (binding.on) key.on = act(*binding.on);
    if (binding.off) key.off = act(*binding.off);
    key.latched = binding.latched;
    hands_.keys.push_back(std::move(key));
  }

  void take_knob(const Binding& binding, const HandControl& hand) {
    if (!binding.value || !binding.from || !binding.to || binding.also)
      throw NotThere{"the chip's part takes one knob's travel, from an amount to another"};
    if (hand.centre) throw NotThere{"the chip's part knows no stick with a centre"};
    if (!rig_.controller.analogue) throw NotThere{"its controller has no analogue inputs"};
    ChipKnob knob;
    knob.hand = &hand;
    knob.text = *binding.value;
    const std::string first = with_amount(*binding.value, "VALUE", *binding.from);
    const std::string last = with_amount(*binding.value, "VALUE", *binding.to);
    if (binding.value->starts_with("set ")) {
      knob.does = ChipKnob::Does::usual_speed;
      knob.from = usual(first, knob.axis);
      knob.to = usual(last, knob.axis);
    } else {
      const ChipAct a = act(first);
      const ChipAct b = act(last);
      knob.axis = a.axis;
      if (a.does == ChipAct::Does::spin) {
        knob.does = ChipKnob::Does::spin;
        knob.from = a.steps * a.speed;
        knob.to = b.steps * b.speed;
        if ((knob.from < 0) != (knob.to < 0)) throw NotThere{"from one way to the other"};
      } else if (a.does == ChipAct::Does::go_to) {
        knob.does = ChipKnob::Does::place;
        knob.from = a.steps;
        knob.to = b.steps;
      } else {
        throw NotThere{"the chip's part sets speeds and places by a knob"};
      }
    }
    if (std::abs(knob.to - knob.from) > 65'535 || std::abs(knob.to) > 65'535 * 16'384LL)
      throw NotThere{"the chip's part takes 65535 steps of a knob's travel at the most"};
    codes(hand, knob);
    hands_.knobs.push_back(std::move(knob));
  }

  /// Codes at which its share begins, ends and counts as turned: as the host has them.
  void codes(const HandControl& hand, ChipKnob& knob) const {
    const AnalogueInputs& analogue = *rig_.controller.analogue;
    const KnobScale scale(hand, analogue);
    const auto share = [&](int code, double last) {
      const int own = hand.reversed ? highest_code - code : code;
      return scale.share(static_cast<double>(own) / (4.0 * 1024.0) * analogue.full_scale.base(), last);
    };
    const double far = 9.0;
    while (knob.low < highest_code && TravelAmount::is_nothing(share(knob.low + 1, far))) ++knob.low;
    knob.high = knob.low + 1;
    while (knob.high < highest_code && share(knob.high, far) < 1.0) ++knob.high;
    const int middle = (knob.low + knob.high) / 2;
    const double there = share(middle, far);
    while (knob.still < 250 && share(middle + knob.still + 1, there) == there) ++knob.still;
  }

  [[nodiscard]] std::size_t axis_of(std::size_t mechanism) const {
    const auto axis = std::find(axes_.begin(), axes_.end(), mechanism);
    if (axis == axes_.end())
      throw NotThere{fmt::format("the program does not move {}", rig_.mechanisms[mechanism].name)};
    return static_cast<std::size_t>(axis - axes_.begin());
  }
  [[nodiscard]] std::int64_t steps(std::size_t mechanism, const OutputPosition& way) const {
    return (way.base * steps_per_base(rig_.mechanisms[mechanism])).rounded();
  }
  /// Steps/s, whatever its sign.
  [[nodiscard]] std::int64_t rate(std::size_t mechanism, const OutputSpeed& speed) const {
    const Mechanism& moved = rig_.mechanisms[mechanism];
    const RampLimits limits = ramp_limits(moved, rig_.controller, speed);
    return std::max<std::int64_t>(1, std::llround(limits.speed));
  }

  std::int64_t usual(const std::string& text, std::size_t& axis) const {
    const SourceLine words = split_words(1, text);
    const PatternValues none;
    LineReader reader(words, rig_, none);
    reader.expect("set");
    const std::size_t mechanism = reader.mechanism();
    if (!reader.take("speed")) throw NotThere{"the chip's part sets the speed by a knob"};
    const OutputSpeed speed = OrderReader(reader, mechanism).speed("a speed such as 20 mm/s", true);
    reader.expect_end();
    axis = axis_of(mechanism);
    return rate(mechanism, speed);
  }

  ChipAct act(const std::string& text) const {
    using Does = ChipAct::Does;
    const SourceLine words = split_words(1, text);
    const PatternValues none;
    LineReader reader(words, rig_, none);
    ChipAct act;
    act.text = text;
    const std::string verb(reader.word("an order").text);
    const auto of_axis = [&] {
      const std::size_t mechanism = reader.mechanism();
      act.axis = axis_of(mechanism);
      return mechanism;
    };
    const auto speed_of = [&](std::size_t mechanism) {
      return rate(mechanism, OrderReader(reader, mechanism).speed("a speed such as 5 mm/s", true));
    };
    if (verb == "jog") {
      act.does = Does::hold;
      const std::size_t mechanism = of_axis();
      act.steps = reader.take("on") ? 1 : -1;
      if (act.steps < 0) reader.expect("back");
      if (reader.take("at")) act.speed = speed_of(mechanism);
    } else if (verb == "nudge") {
      act.does = Does::nudge;
      const std::size_t mechanism = of_axis();
      const bool is_back = reader.next_is("back");
      if (is_back || reader.next_is("on")) {
        (void)reader.word("on or back");
        const std::optional<OutputPosition>& own = rig_.mechanisms[mechanism].by_hand.nudge;
        if (!own) throw NotThere{"the rig does not say by how much"};
        act.steps = (is_back ? -1 : 1) * steps(mechanism, *own);
      } else {
        reader.expect("by");
        act.steps = steps(mechanism, OrderReader(reader, mechanism).position("a way such as 0.5 mm"));
      }
    } else if (verb == "move" || verb == "turn") {
      const std::size_t mechanism = of_axis();
      act.does = reader.take("by") ? Does::nudge : Does::go_to;
      if (act.does == Does::go_to) reader.expect("to");
      act.steps = steps(mechanism, OrderReader(reader, mechanism).position("a place such as 5 mm"));
      if (act.does == Does::go_to && reader.take("at")) act.speed = speed_of(mechanism);
    } else if (verb == "spin") {
      act.does = Does::spin;
      const std::size_t mechanism = of_axis();
      reader.expect("at");
      const OutputSpeed speed = OrderReader(reader, mechanism).speed("a speed such as 60 rpm", false);
      act.steps = speed.base < Ratio(0) ? -1 : 1;
      act.speed = rate(mechanism, {speed.kind, speed.base < Ratio(0) ? Ratio(0) - speed.base : speed.base});
      reader.expect("until");
      reader.expect("stopped");
    } else if (verb == "home") {
      act.does = Does::home;
      if (!rig_.mechanisms[of_axis()].homing) throw NotThere{"nothing homes it"};
    } else if (verb == "stop") {
      act.does = reader.take("everything") ? Does::rest_all : Does::rest;
      if (act.does == Does::rest) (void)of_axis();
    } else if (verb == "clear") {
      act.does = Does::clear;
    } else if (verb == "switch") {
      act.does = Does::put;
      act.output = reader.output();
      act.on = reader.on_or_off();
    } else {
      throw NotThere{fmt::format("'{}' by a hand takes a planner", verb)};
    }
    reader.expect_end();
    if (act.steps > INT32_MAX || act.steps < INT32_MIN) throw NotThere{"it goes farther than 2^31 steps"};
    return act;
  }

  const Rig& rig_;
  const std::vector<std::size_t>& axes_;
  ChipHands hands_{};
};

}  // namespace

ChipHands chip_hands(const Rig& rig, const std::vector<std::size_t>& axes) {
  return HandsReader(rig, axes).read();
}

}  // namespace cogstride
