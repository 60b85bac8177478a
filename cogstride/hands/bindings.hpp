// The controls of a rig give orders: keys and pedals by what their lines say, knobs by their voltages,
// encoder wheels by their clicks; keys of a terminal by their letters.
//
// A control that acts when it is first seen, or while everything is stopped, does nothing before it has been
// let go (a knob: before it has stood at nothing), so that nothing moves by switching on or by clearing.
// Clicks of a wheel that was turned then are forgotten.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "cogstride/bench/bench.hpp"
#include "cogstride/chip/quadrature.hpp"
#include "cogstride/motion/devices/amounts.hpp"
#include "cogstride/motion/participant.hpp"
#include "cogstride/session/operation.hpp"

namespace cogstride {

class Bindings final : public Participant {
 public:
  /// Both must outlive it. @param tell  told, in words, of what was not done, from the bench's thread
  /// @throws RangeError, with the binding, when an order of one can never be carried out
  Bindings(Bench& bench, Operation& operation, std::function<void(const std::string&)> tell);

  /// A key of a terminal is pressed. @throws RangeError when no binding is of it, nor of anything else
  void press(char key, const std::string& by);

  [[nodiscard]] Tick next_act() const override;
  void act(Lines& lines, std::span<const Reading> readings) override;

 private:
  struct Contact {
    const Binding* binding = nullptr;
    LineId line{};
    bool is_on = false;       // as it counts
    bool was_pressed = true;  // until it has been seen let go, nothing is
    bool holds = false;       // its order is a hold, and said again
    Tick again = never;
  };
  /// One knob of a value, or one axis of a stick or a pad.
  struct Axis {
    std::function<std::optional<double>()> share{};  // of its travel, once it is known
    TravelAmount amount;
  };
  struct Turned {
    const Binding* binding = nullptr;
    std::vector<Axis> axes{};
    std::vector<double> told{};  // shares; none: it has not stood at nothing yet
    Tick next = 0;
    Tick again = never;  // of one that holds
  };
  /// An encoder wheel.
  struct Wheel {
    explicit Wheel(const std::string& of_a_click) : each(of_a_click) {}
    const Binding* binding = nullptr;
    LineId a{};
    LineId b{};
    int way = 1;  // of its clicks, as they count
    chip::QuadratureDecoder decoder;
    bool is_known = false;
    bool on_is_high = true;
    bool a_is_on = false;
    bool b_is_on = false;
    std::int64_t counted = 0;  // clicks that orders were given for
    UnitAmount each;
    std::optional<std::pair<double, double>> range{};  // that clicks add up in
    double amount = 0.0;                               // where they have come to
    Tick next = 0;
  };
  [[nodiscard]] static Axis axis_of(Bench& bench, const Binding& binding, const std::string& knob,
                                    const std::string& first, const std::string& last);
  void order(const Binding& binding, const std::string& line, const std::string& by, bool* holds);
  void order(const Binding& binding, const std::string& line, Contact* contact) {
    order(binding, line, binding.control, contact == nullptr ? nullptr : &contact->holds);
  }
  void press(Contact& contact);
  void let_go(Contact& contact);
  void look_at(Contact& contact, Tick now);
  void look_at(Turned& turned, Tick now);
  void read(Wheel& wheel, std::span<const Reading> readings);
  void look_at(Wheel& wheel, Tick now);
  /// What a device says, and something is bound to it. What it holds ends with its repeats, or with what
  /// lets it go; what came while everything was stopped does nothing before it has not been said for a while.
  struct Heard {
    const Binding* binding = nullptr;
    const SaidControl* control = nullptr;
    const Binding* begins = nullptr;  // what it ends, where it lets something go
    std::string by{};
    bool is_on = false;
    bool is_let_go = false;          // in words; else its repeats alone hold
    bool waits_for_silence = false;  // it was said while all was stopped
    Tick last = -never / 2;
    Tick again = never;  // of what is held until it is let go
    Tick ends = never;
  };
  void look_for_clearing();
  void hear(const HeardControls::Hearing& hearing, const std::string& by);
  [[nodiscard]] Heard* heard_of(const Binding* binding);
  void press(Heard& heard, Tick now);
  void let_go(Heard& heard);
  void look_at(Heard& heard, Tick now);
  [[nodiscard]] static Wheel wheel_of(const Binding& binding, const HandControl& hand);
  void check(const Binding& binding) const;

  Bench& bench_;
  Operation& operation_;
  std::function<void(const std::string&)> tell_;
  std::vector<Contact> contacts_{};
  std::vector<Turned> turned_{};
  std::vector<Wheel> wheels_{};
  std::vector<Heard> heard_{};  // by the place of their controls
  std::shared_ptr<Bench::Listener> listener_{};
  std::map<const Binding*, bool> latched_{};  // keys of a terminal that are on
  Tick again_after_ = 0;
  Tick between_values_ = 0;
  Tick hold_lasts_ = 0;
  std::int64_t cleared_ = 0;  // how often all was, when last looked at
  double ticks_per_second_ = 0.0;
};

}  // namespace cogstride
