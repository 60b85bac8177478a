// jog traverse with back and on at 5 mm/s past limits until done is on
#include <fmt/format.h>

#include "cogstride/motion/inputs.hpp"
#include "cogstride/motion/jogging.hpp"
#include "cogstride/motion/mover.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/order_reader.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

class Jog final : public Verb {
 public:
  struct Keys {
    AwaitedLine back{};
    AwaitedLine on{};
    AwaitedLine ends{};
  };
  Jog(std::size_t mechanism, Keys keys, OutputSpeed speed, bool past_limits)
      : mechanism_(mechanism), keys_(std::move(keys)), speed_(speed), past_limits_(past_limits) {}
  void foresee(const Statement&, Walk& walk) const override {
    require_homed(walk, mechanism_);
    walk.standing(mechanism_).at.reset();
    walk.known.length.is_whole = false;
  }
  [[nodiscard]] About about() const override { return {.mechanism = mechanism_, .moves = true}; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    return std::make_unique<ByKeys>(*stage.cast.inputs, keys_,
                                    Jogging(stage.mover(mechanism_), speed_, past_limits_));
  }

 private:
  class ByKeys final : public Doing {
   public:
    ByKeys(const Inputs& inputs, const Keys& keys, Jogging jogging)
        : inputs_(inputs), keys_(keys), jogging_(jogging) {}
    [[nodiscard]] bool is_over(Tick now) const override { return ends() && jogging_.stands(now); }
    [[nodiscard]] Tick wakes_at() const override { return jogging_.would_change(way()) ? 0 : never; }
    void act(Lines& lines) override { jogging_.want(lines, way()); }

   private:
    [[nodiscard]] bool ends() const { return inputs_.acts(keys_.ends.line) == keys_.ends.acts; }
    /// +1, -1, or 0: the way that the keys ask for; none while both or neither are held, and at the end.
    [[nodiscard]] int way() const {
      if (ends()) return 0;
      const bool back = inputs_.acts(keys_.back.line).value_or(false);
      const bool on = inputs_.acts(keys_.on.line).value_or(false);
      return on == back ? 0 : on ? 1 : -1;
    }

    const Inputs& inputs_;
    const Keys& keys_;
    Jogging jogging_;
  };

  std::size_t mechanism_;
  Keys keys_;
  OutputSpeed speed_;
  bool past_limits_;
};

}  // namespace

std::unique_ptr<Verb> read_jog(LineReader& reader) {
  const std::size_t place = reader.mechanism();
  const Mechanism& mechanism = reader.rig().mechanisms[place];
  Jog::Keys keys;
  reader.expect("with");
  keys.back = reader.input();
  reader.expect("and");
  keys.on = reader.input();
  OutputSpeed speed = mechanism.homing ? mechanism.homing->speed : mechanism.limits.speed;
  if (reader.take("at")) speed = OrderReader(reader, place).speed("a speed such as 5 mm/s", true);
  const bool past_limits = reader.take("past");
  if (past_limits) {
    reader.expect("limits");
    if (!mechanism.hard_ends)
      throw reader.wrong_statement(fmt::format(
          "{} has no hard_ends in its rig: nobody knows how far it may go past its limits", mechanism.name));
  }
  reader.expect("until");
  keys.ends = reader.input();
  reader.expect("is");
  keys.ends.acts = reader.on_or_off();
  return std::make_unique<Jog>(place, std::move(keys), speed, past_limits);
}

}  // namespace cogstride
