// hold traverse, release traverse: outputs on or off while it stands; of a pulse width: no pulse any more.
#include "cogstride/motion/mover.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

class Hold final : public Verb {
 public:
  explicit Hold(std::size_t mechanism) : mechanism_(mechanism) {}
  void foresee(const Statement&, Walk&) const override {}
  [[nodiscard]] About about() const override { return {.mechanism = mechanism_}; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    stage.mover(mechanism_).hold(stage.lines);
    return nullptr;
  }

 private:
  std::size_t mechanism_;
};

class Release final : public Verb {
 public:
  explicit Release(std::size_t mechanism) : mechanism_(mechanism) {}
  void foresee(const Statement&, Walk& walk) const override {
    if (walk.rig.mechanisms[mechanism_].takes_pulse_width()) {
      walk.standing(mechanism_) = {};
    } else {
      require_rest(walk, mechanism_);
    }
  }
  [[nodiscard]] About about() const override { return {.mechanism = mechanism_}; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    stage.mover(mechanism_).release(stage.lines);
    return nullptr;
  }

 private:
  std::size_t mechanism_;
};

}  // namespace

std::unique_ptr<Verb> read_hold(LineReader& reader) {
  using Moved = LineReader::Moved;
  return std::make_unique<Hold>(reader.mechanism({Moved::by_steps, Moved::on_bus}));
}

std::unique_ptr<Verb> read_release(LineReader& reader) {
  using Moved = LineReader::Moved;
  return std::make_unique<Release>(
      reader.mechanism({Moved::by_steps, Moved::swings, Moved::throttled, Moved::on_bus}));
}

}  // namespace cogstride
