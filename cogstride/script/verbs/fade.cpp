// fade lamp to 30 % in 2 s
#include <fmt/format.h>

#include "cogstride/motion/output_switch.hpp"
#include "cogstride/quantity/text.hpp"
#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/order_reader.hpp"
#include "cogstride/script/verbs/verbs.hpp"

namespace cogstride {
namespace {

class Fade final : public Verb {
 public:
  Fade(std::size_t output, double share, ExactTime in) : output_(output), share_(share), in_(in) {}
  void foresee(const Statement&, Walk&) const override {}
  [[nodiscard]] std::string told_of(const Rig& rig) const override { return rig.outputs[output_].name; }
  [[nodiscard]] About about() const override { return {.faded = output_}; }
  [[nodiscard]] bool goes_on_until_stopped() const override { return true; }
  [[nodiscard]] std::unique_ptr<Doing> begin(const Stage& stage) const override {
    stage.cast.outputs[output_]->fade(stage.lines, share_, stage.ticks(in_));
    return nullptr;
  }

 private:
  std::size_t output_;
  double share_;  // of full duty
  ExactTime in_;
};

}  // namespace

std::unique_ptr<Verb> read_fade(LineReader& reader) {
  const std::size_t place = reader.output();
  const PlainOutput& output = reader.rig().outputs[place];
  if (!output.timer && output.pwm_frequency && OutputSwitch::most_edges.base() < output.pwm_frequency->base())
    throw reader.wrong_statement(
        fmt::format("{} has no timer: its line is switched edge by edge, up to {}, and its pwm_frequency is "
                    "{}; give it a "
                    "timer (output.{}.timer) or a lower one",
                    output.name, to_text(OutputSwitch::most_edges, "Hz"),
                    to_text(*output.pwm_frequency, "Hz"), output.name));
  reader.expect("to");
  const double share = OrderReader::share(reader, "a share such as 30 %", 0);
  const ExactTime in = reader.take("in") ? reader.time("a time such as 2 s") : ExactTime();
  return std::make_unique<Fade>(place, share, in);
}

}  // namespace cogstride
