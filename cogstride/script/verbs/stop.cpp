// stop; stop feeder in 2 s; stop cart
#include <algorithm>

#include "cogstride/motion/mover.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/order_reader.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

class Stopping final : public Doing {
 public:
  explicit Stopping(std::vector<Mover*> movers) : movers_(std::move(movers)) {}
  [[nodiscard]] bool is_over(Tick) const override {
    return std::all_of(movers_.begin(), movers_.end(), [](const Mover* mover) { return mover->stands(); });
  }

 private:
  std::vector<Mover*> movers_;
};

class Stop final : public Verb {
 public:
  Stop(std::size_t mechanism, bool has_duty, std::optional<ExactTime> in)
      : mechanism_(mechanism), has_duty_(has_duty), in_(in) {}
  void foresee(const Statement&, Walk& walk) const override {
    if (has_duty_) walk.known.length.seconds += foresee_duty(walk, mechanism_, 0.0, in_);
    for (std::size_t i = 0; i < walk.known.standing.size(); ++i) {
      if (mechanism_ != About::everything && mechanism_ != i) continue;
      walk.standing(i).spins = nullptr;
      walk.standing(i).follows = nullptr;
      walk.standing(i).duty = 0.0;
    }
  }
  [[nodiscard]] About about() const override { return {.mechanism = mechanism_}; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    std::vector<Mover*> stopped = stopped_by(stage);
    for (Mover* const mover : stopped) {
      Duties* const duties = mover->duties();
      if (duties != nullptr && has_duty_) {
        duties->stop(stage.lines, in_);
      } else {
        mover->stop(stage.lines, Braking::on_a_ramp);
      }
    }
    return std::make_unique<Stopping>(std::move(stopped));
  }

 private:
  /// The one that is named, in any case; without a name everything that is on its way or driven, carts first.
  [[nodiscard]] std::vector<Mover*> stopped_by(const Stage& stage) const {
    if (mechanism_ != About::everything) return {&stage.mover(mechanism_).answers_for()};
    std::vector<Mover*> found;
    for (const auto* const all : {&stage.cast.carts, &stage.cast.mechanisms, &stage.cast.shafts})
      for (Mover* const mover : *all)
        if (mover != nullptr && (!mover->has_ended() || mover->is_driven(stage.lines.now())))
          found.push_back(mover);
    return found;
  }

  std::size_t mechanism_;
  bool has_duty_;
  std::optional<ExactTime> in_;
};

class StopMaster final : public Verb {
 public:
  explicit StopMaster(std::size_t shaft) : shaft_(shaft) {}
  void foresee(const Statement&, Walk&) const override {}
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    Mover* const master = stage.cast.shafts[shaft_];
    (void)able(master->name(), master->speeds(), "be stopped: another machine turns it");
    master->stop(stage.lines, Braking::on_a_ramp);
    return std::make_unique<Stopping>(std::vector{master});
  }

 private:
  std::size_t shaft_;
};

class StopCart final : public Verb {
 public:
  explicit StopCart(std::size_t pair) : pair_(pair) {}
  void foresee(const Statement&, Walk&) const override {}
  [[nodiscard]] About about() const override { return {.pair = pair_}; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    Mover* const cart = stage.cast.carts[pair_];
    cart->stop(stage.lines, Braking::on_a_ramp);
    return std::make_unique<Stopping>(std::vector{cart});
  }

 private:
  std::size_t pair_;
};

}  // namespace

std::unique_ptr<Verb> read_stop(LineReader& reader) {
  using Moved = LineReader::Moved;
  if (reader.at_end()) return std::make_unique<Stop>(About::everything, false, std::nullopt);
  if (reader.comes_a_shaft()) return std::make_unique<StopMaster>(reader.shaft());
  if (reader.comes_a_pair()) return std::make_unique<StopCart>(reader.pair());
  const std::size_t place = reader.mechanism(
      {Moved::by_steps, Moved::by_duty, Moved::swings, Moved::throttled, Moved::six_step, Moved::on_bus});
  const Mechanism& mechanism = reader.rig().mechanisms[place];
  const bool has_duty = mechanism.is_driven_by_duty() || mechanism.is_throttled();
  return std::make_unique<Stop>(place, has_duty, has_duty ? OrderReader(reader, place).ramp() : std::nullopt);
}

}  // namespace cogstride
