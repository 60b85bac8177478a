// switch lamp on
#include "cogstride/motion/output_switch.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

class Switch final : public Verb {
 public:
  Switch(std::size_t output, bool on) : output_(output), on_(on) {}
  void foresee(const Statement&, Walk&) const override {}
  [[nodiscard]] bool can_be_played_back() const override { return true; }
  [[nodiscard]] std::string told_of(const Rig& rig) const override { return rig.outputs[output_].name; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    stage.cast.outputs[output_]->set(stage.lines, on_);
    return nullptr;
  }

 private:
  std::size_t output_;  // its place in the rig
  bool on_;
};

}  // namespace

std::unique_ptr<Verb> read_switch(LineReader& reader) {
  const std::size_t output = reader.output();
  return std::make_unique<Switch>(output, reader.on_or_off());
}

}  // namespace cogstride
