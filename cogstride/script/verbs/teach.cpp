// teach traverse far limit
#include <fmt/format.h>

#include "cogstride/motion/mover.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

class Teach final : public Verb {
 public:
  void foresee(const Rig& rig, const Statement& statement, Foreseen& known) const override {
    require_homed(rig, statement, known);
  }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    Mover& mover = stage.mover();
    const OutputPosition to = able(mover.name(), mover.zeroed(), "be taught").teach_far_limit();
    stage.taught.push_back({stage.statement.mechanism, *mover.parts()->limits.travel_from, to});
    return nullptr;
  }
};

}  // namespace

std::unique_ptr<Verb> read_teach(LineReader& reader, Statement& statement) {
  statement.mechanism = reader.mechanism();
  reader.expect("far");
  reader.expect("limit");
  const Mechanism& mechanism = reader.rig().mechanisms[statement.mechanism];
  if (!mechanism.limits.travel_to)
    throw reader.wrong_statement(fmt::format("{} is endless: it has no far limit", mechanism.name));
  return std::make_unique<Teach>();
}

}  // namespace cogstride
