// faster creel by 5 deg/s; slower feeder by 5 %; reverse feeder in 1 s
#include <fmt/format.h>

#include <cmath>

#include "cogstride/motion/mover.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/order_reader.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

/// @throws RangeError unless it goes on spinning meanwhile
void require_spinning(const Walk& walk, std::size_t mechanism) {
  if (walk.standing(mechanism).spins != nullptr) return;
  const Mechanism& one = walk.rig.mechanisms[mechanism];
  throw RangeError(
      one.is_throttled()
          ? fmt::format("{} has no throttle here: only 'throttle {} to ...' without 'for' goes on meanwhile",
                        one.name, one.name)
          : fmt::format("{} does not spin here: only 'spin ... until stopped' goes on meanwhile", one.name));
}

class ChangeSpeed final : public Verb {
 public:
  ChangeSpeed(std::size_t mechanism, OutputSpeed by, bool by_encoder)
      : mechanism_(mechanism), by_(by), by_encoder_(by_encoder) {}
  void foresee(const Statement&, Walk& walk) const override {
    require_spinning(walk, mechanism_);
    const Mechanism& mechanism = walk.rig.mechanisms[mechanism_];
    if (mechanism.is_driven_by_duty() && !walk.standing(mechanism_).is_held)
      throw RangeError(fmt::format("{} is given a duty here: change it by one, such as 5 %", mechanism.name));
  }
  [[nodiscard]] About about() const override { return {.mechanism = mechanism_, .by_encoder = by_encoder_}; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    Mover& mover = stage.mover(mechanism_);
    able(mover.name(), mover.speeds(), "hold a speed").change_speed(stage.lines, by_);
    return nullptr;
  }

 private:
  std::size_t mechanism_;
  OutputSpeed by_;
  bool by_encoder_;
};

/// The duty of one whose duty is known, its sign the way it turns.
class ChangeDuty final : public Verb {
 public:
  ChangeDuty(std::size_t mechanism, Fraction by) : mechanism_(mechanism), by_(by) {}
  void foresee(const Statement&, Walk& walk) const override {
    require_spinning(walk, mechanism_);
    const std::string& name = walk.rig.mechanisms[mechanism_].name;
    const Standing& standing = walk.standing(mechanism_);
    if (standing.is_held)
      throw RangeError(fmt::format("{} is held at a speed here: change it by one, such as 20 rpm", name));
    const double to = std::abs(standing.duty) + by_.base();
    if (to <= 0.0)
      throw RangeError(fmt::format("{}: of its duty nothing would be left; stop it instead", name));
    (void)foresee_duty(walk, mechanism_, std::copysign(to, standing.duty), {});
  }
  [[nodiscard]] About about() const override { return {.mechanism = mechanism_}; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    Mover& mover = stage.mover(mechanism_);
    able(mover.name(), mover.duties(), "be driven by duty").change(stage.lines, by_);
    return nullptr;
  }

 private:
  std::size_t mechanism_;
  Fraction by_;
};

class Reverse final : public Verb {
 public:
  Reverse(std::size_t mechanism, std::optional<ExactTime> in) : mechanism_(mechanism), in_(in) {}
  void foresee(const Statement&, Walk& walk) const override {
    require_spinning(walk, mechanism_);
    const Mechanism& mechanism = walk.rig.mechanisms[mechanism_];
    const Standing& standing = walk.standing(mechanism_);
    if (!mechanism.is_driven_by_duty() && !mechanism.is_throttled()) return;
    if (!standing.is_held) {
      (void)foresee_duty(walk, mechanism_, -standing.duty, in_);
    } else if (in_) {
      throw RangeError(
          fmt::format("{} is held at a speed here: its limits say how fast it reverses, so leave 'in' out",
                      mechanism.name));
    }
  }
  [[nodiscard]] About about() const override { return {.mechanism = mechanism_}; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    Mover& mover = stage.mover(mechanism_);
    if (Duties* const duties = mover.duties()) {
      duties->reverse(stage.lines, in_);
    } else {
      able(mover.name(), mover.speeds(), "hold a speed").reverse_speed(stage.lines);
    }
    return nullptr;
  }

 private:
  std::size_t mechanism_;
  std::optional<ExactTime> in_;
};

std::size_t read_one_that_spins(LineReader& reader) {
  using Moved = LineReader::Moved;
  return reader.mechanism(
      {Moved::by_steps, Moved::by_duty, Moved::throttled, Moved::six_step, Moved::on_bus});
}

std::unique_ptr<Verb> read_speed_change(LineReader& reader, bool slower) {
  const std::size_t place = read_one_that_spins(reader);
  const Mechanism& mechanism = reader.rig().mechanisms[place];
  reader.expect("by");
  OrderReader order(reader, place);
  if (mechanism.is_throttled() || (mechanism.is_driven_by_duty() && reader.comes_a_share())) {
    const double share = order.share("a share of full duty such as 5 %", 0);
    if (share == 0.0) throw reader.wrong_statement("a share above 0; faster and slower say which way");
    return std::make_unique<ChangeDuty>(place, Fraction::from_base(slower ? -share : share));
  }
  OutputSpeed by = order.speed("a speed such as 5 deg/s", false);
  if (by.base <= Ratio(0)) throw reader.wrong_statement("a speed above 0; faster and slower say which way");
  if (slower) by.base = -by.base;
  return std::make_unique<ChangeSpeed>(place, by, mechanism.is_driven_by_duty());
}

}  // namespace

std::unique_ptr<Verb> read_faster(LineReader& reader) {
  return read_speed_change(reader, false);
}

std::unique_ptr<Verb> read_slower(LineReader& reader) {
  return read_speed_change(reader, true);
}

std::unique_ptr<Verb> read_reverse(LineReader& reader) {
  const std::size_t place = read_one_that_spins(reader);
  const Mechanism& mechanism = reader.rig().mechanisms[place];
  const bool has_duty = mechanism.is_driven_by_duty() || mechanism.is_throttled();
  return std::make_unique<Reverse>(place, has_duty ? OrderReader(reader, place).ramp() : std::nullopt);
}

}  // namespace cogstride
