// brake feeder, coast feeder: no drive, at once.
#include "cogstride/motion/mover.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

class Let final : public Verb {
 public:
  Let(std::size_t mechanism, SlowsBy how) : mechanism_(mechanism), how_(how) {}
  [[nodiscard]] About about() const override { return {.mechanism = mechanism_}; }
  void foresee(const Statement&, Walk& walk) const override {
    walk.standing(mechanism_).spins = nullptr;
    walk.standing(mechanism_).duty = 0.0;
  }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    Mover& mover = stage.mover(mechanism_);
    able(mover.name(), mover.duties(), how_ == SlowsBy::braking ? "brake" : "coast").let(stage.lines, how_);
    return nullptr;
  }

 private:
  std::size_t mechanism_;
  SlowsBy how_;
};

std::unique_ptr<Verb> read(LineReader& reader, SlowsBy how) {
  return std::make_unique<Let>(reader.mechanism({LineReader::Moved::by_duty}), how);
}

}  // namespace

std::unique_ptr<Verb> read_brake(LineReader& reader) {
  return read(reader, SlowsBy::braking);
}

std::unique_ptr<Verb> read_coast(LineReader& reader) {
  return read(reader, SlowsBy::coasting);
}

}  // namespace cogstride
