// A drive on a bus is brought up by somebody who answers by what the simulated one really does.
#include <gtest/gtest.h>

#include <cmath>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/motion/bus/bus_drive_mover.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/session/proving.hpp"

namespace cogstride::prove_bus_test {
namespace {

class ByTheDrive final : public Bystander {
 public:
  void told(const std::string& words) override { heard += words + "\n"; }
  bool asked(Bench& bench, const std::string& question) override {
    heard += question + "\n";
    auto& simulated = dynamic_cast<SimulatedBench&>(bench);
    const double at = simulated.signal("warp_beam.made");
    const double went = at - last_;
    const bool is_held = simulated.mover_as<BusDriveMover>("warp_beam").link().is_driven();
    if (question.find("by hand") != std::string::npos) return !is_held;
    if (question.find("hold against") != std::string::npos) return is_held;
    if (question.find("by your watch") != std::string::npos) return true;
    last_ = at;
    if (question.find("go forwards") != std::string::npos) return went > 1.0;
    if (question.find("come back") != std::string::npos) return went < -1.0;
    if (question.find("Did it go 90 deg") != std::string::npos) return std::abs(went - 90.0) < 0.1;
    EXPECT_NE(question.find("at the mark again"), std::string::npos) << question;
    return true;
  }
  bool touches(Bench&, const PlaceSwitch&, bool, const std::function<bool()>&) override { return false; }
  void proved(const std::string& stage) override { stages.push_back(stage); }
  void turned_round(bool reversed) override {
    is_reversed = reversed;
    last_ = 0.0;  // another bench
  }

  std::string heard{};
  std::vector<std::string> stages{};
  bool is_reversed = false;

 private:
  double last_ = 0.0;
};

ProvingResult proved_on(ByTheDrive& bystander, const std::function<void(Mechanism&)>& actually) {
  const Rig rig = read_rig(COGSTRIDE_SOURCE_DIR "/demo/beams.rig.toml");
  Rig actual = rig_to_prove(rig, "warp_beam");
  actually(actual.mechanisms.front());
  return prove(
      rig, "warp_beam",
      [&](const Rig& opened) -> std::unique_ptr<Bench> {
        SimulatedBench::Options options;
        options.actual = actual;
        return std::make_unique<SimulatedBench>(opened, options);
      },
      bystander);
}

const std::vector<std::string> all{"brought up", "off",       "enable",       "forwards",
                                   "backwards",  "known way", "by the watch", "told off"};

TEST(ProveBus, ASoundDrivePassesAllItsStages) {
  ByTheDrive bystander;
  const ProvingResult result = proved_on(bystander, [](Mechanism&) {});
  EXPECT_EQ(result.failed, "") << result.look_at << bystander.heard;
  EXPECT_EQ(result.proven, all);
  EXPECT_EQ(bystander.stages, all);
  EXPECT_FALSE(result.reversed);
}

TEST(ProveBus, OneThatTurnsTheWrongWayIsTurnedRound) {
  ByTheDrive bystander;
  const ProvingResult result = proved_on(bystander, [](Mechanism& actual) { actual.reversed = true; });
  EXPECT_EQ(result.failed, "") << result.look_at << bystander.heard;
  EXPECT_TRUE(result.reversed);
  EXPECT_TRUE(bystander.is_reversed);
  EXPECT_EQ(result.proven, all);
}

TEST(ProveBus, AnotherOneThanTheRigMeansFailsAtOnceWithBothValues) {
  ByTheDrive bystander;
  ProvingResult result =
      proved_on(bystander, [](Mechanism& actual) { std::get<BusDrive>(actual.board).product = 25; });
  EXPECT_EQ(result.failed, "brought up");
  EXPECT_NE(result.look_at.find("its product is 25, and the rig says 24"), std::string::npos)
      << result.look_at;
  EXPECT_TRUE(result.proven.empty());
  result =
      proved_on(bystander, [](Mechanism& actual) { std::get<BusDrive>(actual.board).encoder_lines = 2048; });
  EXPECT_EQ(result.failed, "brought up");
  EXPECT_NE(result.look_at.find("608F:01"), std::string::npos) << result.look_at;
  EXPECT_NE(result.look_at.find("4096"), std::string::npos) << result.look_at;
}

}  // namespace
}  // namespace cogstride::prove_bus_test
