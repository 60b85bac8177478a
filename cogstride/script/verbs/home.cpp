// home traverse
#include <fmt/format.h>

#include "cogstride/motion/mover.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

class Home final : public Verb {
 public:
  explicit Home(std::size_t mechanism) : mechanism_(mechanism) {}
  void foresee(const Statement&, Walk& walk) const override {
    require_rest(walk, mechanism_);
    walk.standing(mechanism_) = {true, walk.rig.mechanisms[mechanism_].homing->position, nullptr};
    walk.known.length.is_whole = false;
  }
  [[nodiscard]] About about() const override {
    return {.mechanism = mechanism_, .moves = true, .homes = true};
  }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    Mover& mover = stage.mover(mechanism_);
    return wait_for(able(mover.name(), mover.zeroed(), "be homed").home());
  }

 private:
  std::size_t mechanism_;
};

}  // namespace

std::unique_ptr<Verb> read_home(LineReader& reader) {
  const std::size_t place = reader.mechanism();
  const Mechanism& mechanism = reader.rig().mechanisms[place];
  if (!mechanism.homing)
    throw reader.wrong_statement(
        fmt::format("{} has nothing to home with: its rig has no homing table", mechanism.name));
  return std::make_unique<Home>(place);
}

}  // namespace cogstride
