// teach traverse far limit
#include <fmt/format.h>

#include "cogstride/motion/mover.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

class Teach final : public Verb {
 public:
  explicit Teach(std::size_t mechanism) : mechanism_(mechanism) {}
  void foresee(const Statement&, Walk& walk) const override { require_homed(walk, mechanism_); }
  [[nodiscard]] About about() const override { return {.mechanism = mechanism_}; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    Mover& mover = stage.mover(mechanism_);
    const OutputPosition to = able(mover.name(), mover.zeroed(), "be taught").teach_far_limit();
    stage.taught.push_back({mechanism_, *mover.parts()->limits.travel_from, to});
    return nullptr;
  }

 private:
  std::size_t mechanism_;
};

}  // namespace

std::unique_ptr<Verb> read_teach(LineReader& reader) {
  const std::size_t place = reader.mechanism();
  reader.expect("far");
  reader.expect("limit");
  const Mechanism& mechanism = reader.rig().mechanisms[place];
  if (!mechanism.limits.travel_to)
    throw reader.wrong_statement(fmt::format("{} is endless: it has no far limit", mechanism.name));
  return std::make_unique<Teach>(place);
}

}  // namespace cogstride
