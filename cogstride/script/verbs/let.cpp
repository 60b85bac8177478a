// brake feeder, coast feeder: no drive, at once.
#include "cogstride/motion/mover.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

class Let final : public Verb {
 public:
  explicit Let(SlowsBy how) : how_(how) {}
  void foresee(const Rig&, const Statement& statement, Foreseen& known) const override {
    known.standing[statement.mechanism].spins = nullptr;
    known.standing[statement.mechanism].duty = 0.0;
  }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    Mover& mover = stage.mover();
    able(mover.name(), mover.duties(), how_ == SlowsBy::braking ? "brake" : "coast").let(stage.lines, how_);
    return nullptr;
  }

 private:
  SlowsBy how_;
};

std::unique_ptr<Verb> read(LineReader& reader, Statement& statement, SlowsBy how) {
  statement.mechanism = reader.mechanism({LineReader::Moved::by_duty});
  return std::make_unique<Let>(how);
}

}  // namespace

std::unique_ptr<Verb> read_brake(LineReader& reader, Statement& statement) {
  return read(reader, statement, SlowsBy::braking);
}

std::unique_ptr<Verb> read_coast(LineReader& reader, Statement& statement) {
  return read(reader, statement, SlowsBy::coasting);
}

}  // namespace cogstride
