// hold traverse, release traverse: outputs on or off while it stands; of a pulse width: no pulse any more.
#include "cogstride/motion/mover.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

class Hold final : public Verb {
 public:
  void foresee(const Rig&, const Statement&, Foreseen&) const override {}
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    stage.mover().hold(stage.lines);
    return nullptr;
  }
};

class Release final : public Verb {
 public:
  void foresee(const Rig& rig, const Statement& statement, Foreseen& known) const override {
    if (rig.mechanisms[statement.mechanism].takes_pulse_width()) {
      known.standing[statement.mechanism] = {};
    } else {
      require_rest(rig, statement, known);
    }
  }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    stage.mover().release(stage.lines);
    return nullptr;
  }
};

}  // namespace

std::unique_ptr<Verb> read_hold(LineReader& reader, Statement& statement) {
  statement.mechanism = reader.mechanism();
  return std::make_unique<Hold>();
}

std::unique_ptr<Verb> read_release(LineReader& reader, Statement& statement) {
  using Moved = LineReader::Moved;
  statement.mechanism = reader.mechanism({Moved::by_steps, Moved::swings, Moved::throttled});
  return std::make_unique<Release>();
}

}  // namespace cogstride
