// Bringing a mechanism up. The bystander answers by what the simulated mechanism really does; what is wrong
// is wrong on the bench, not in the answers.
#include "cogstride/session/proving.hpp"

#include <gtest/gtest.h>

#include <cmath>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/inside.hpp"

namespace cogstride::proving_test {
namespace {

using namespace literals;
using testing_support::demo_rig;

class HonestBystander final : public Bystander {
 public:
  explicit HonestBystander(std::string mechanism) : mechanism_(std::move(mechanism)) {}

  void told(const std::string& words) override { heard += words + "\n"; }
  bool asked(Bench& bench, const std::string& question) override {
    heard += question + "\n";
    auto& simulated = dynamic_cast<SimulatedBench&>(bench);
    const SteppedPlant& plant = simulated.plant(mechanism_);
    const Mechanism& mechanism = bench.rig().mechanisms.front();
    const double moved = (plant.position() - last_) * steps_per_base(mechanism).to_double();
    const double full_step = static_cast<double>(plant.microsteps_per_period()) / 4.0;
    const bool has_current = std::abs(plant.current_a()) + std::abs(plant.current_b()) > 0.05;
    if (question.find("easy with") != std::string::npos) return true;
    if (question.find("turn the shaft by hand") != std::string::npos) return !has_current;
    if (question.find("hold against") != std::string::npos) return has_current;
    if (question.find("acts now") != std::string::npos) return false;
    if (question.find("by your watch") != std::string::npos) {
      const double says = std::stod(question.substr(question.find("take ") + 5));
      watched += 1;
      return std::abs(says - (bench.now().in(units::s)-answered_at_ - 0.3) * watch_runs) < 0.5;
    }
    answered_at_ = bench.now().in(units::s);
    last_ = plant.position();
    if (question.find("four steps of one size") != std::string::npos) {
      way_ = moved;
      return std::abs(moved) > 0.9 * full_step;
    }
    if (question.find("go forwards") != std::string::npos) return (moved != 0.0 ? moved : way_) > 0.0;
    if (question.find("come back") != std::string::npos) return moved < -0.9 * full_step;
    if (question.find("Did it go") != std::string::npos) {
      const double asked = output_kind(mechanism.train) == OutputKind::linear ? 0.006 : 0.25;
      return std::abs(moved / steps_per_base(mechanism).to_double() / asked - 1.0) < 0.02;
    }
    EXPECT_NE(question.find("at the mark again"), std::string::npos) << question;
    return true;
  }
  bool touches(Bench& bench, const PlaceSwitch& place_switch, bool acts,
               const std::function<bool()>& is_so) override {
    auto& simulated = dynamic_cast<SimulatedBench&>(bench);
    // The finger is on the switch itself, whatever line it is wired to.
    PlaceSwitch touched = place_switch;
    if (is_on_line) touched.line = *is_on_line;
    simulated.touch(mechanism_, touched, acts);
    for (int i = 0; i < 50 && !is_so(); ++i) bench.serve(10_ms);
    return is_so();
  }
  void proved(const std::string& stage) override { stages.push_back(stage); }
  void turned_round(bool reversed) override {
    ++times_turned;
    is_reversed = reversed;
    last_ = 0.0;  // another bench
  }

  std::string heard{};
  std::vector<std::string> stages{};
  int times_turned = 0;
  bool is_reversed = false;
  std::optional<std::int64_t> is_on_line{};
  double watch_runs = 1.0;  // as fast as the bench's clock
  int watched = 0;

 private:
  double answered_at_ = 0.0;
  std::string mechanism_;
  double last_ = 0.0;
  double way_ = 0.0;
};

/// Proves a mechanism on a bench that is as `change` makes it.
ProvingResult proved_on(const Rig& rig, const std::string& name, HonestBystander& bystander,
                        const std::function<void(Mechanism&)>& change = {},
                        const std::vector<std::string>& before = {}) {
  Rig actual = rig_to_prove(rig, name);
  actual.outputs.clear();  // a wire on the wrong line goes where the lamp was
  if (change) change(actual.mechanisms.front());
  const OpenBench open = [&](const Rig& opened) -> std::unique_ptr<Bench> {
    SimulatedBench::Options options;
    options.actual = actual;
    options.start_positions[name] = {output_kind(actual.mechanisms.front().train), Ratio(0)};
    return std::make_unique<SimulatedBench>(opened, options);
  };
  return prove(rig, name, open, bystander, before);
}

bool has(const std::string& text, const char* part) {
  return text.find(part) != std::string::npos;
}

Rig with_a_scale() {
  Rig rig = demo_rig();
  rig.mechanisms[0].sensors.emplace_back(testing_support::scale_on_the_screw());
  return rig;
}

TEST(Proving, ASoundMechanismPassesAllItsStages) {
  const Rig rig = with_a_scale();
  HonestBystander bystander("traverse");
  const ProvingResult result = proved_on(rig, "traverse", bystander);
  EXPECT_EQ(result.failed, "") << result.look_at;
  EXPECT_EQ(result.proven, proving_stages(rig.mechanisms[0]));
  EXPECT_EQ(bystander.stages, result.proven);
  EXPECT_EQ(result.proven.front(), "coil pairs");
  EXPECT_TRUE(has(bystander.heard, "A+ (black) on A- (green)")) << bystander.heard;
  EXPECT_TRUE(has(bystander.heard, "each 1.8 deg of the motor shaft, 0.03 mm of the output"))
      << bystander.heard;
  EXPECT_FALSE(result.reversed);
}

TEST(Proving, CoilsThatTheControllerSwitchesAreProvenToo) {
  Rig rig = demo_rig();
  // On the far side of the ring, away from its reed.
  std::get<PlaceSwitch>(rig.mechanisms[1].sensors[0]).window_from = 170_deg;
  std::get<PlaceSwitch>(rig.mechanisms[1].sensors[0]).window_to = 190_deg;
  HonestBystander bystander("creel");
  const ProvingResult result = proved_on(rig, "creel", bystander);
  EXPECT_EQ(result.failed, "") << result.look_at;
  EXPECT_EQ(result.proven, proving_stages(rig.mechanisms[1]));
}

TEST(Proving, AMotorThatTurnsTheWrongWayIsTurnedRoundInTheOnePlace) {
  HonestBystander bystander("traverse");
  const ProvingResult result = proved_on(with_a_scale(), "traverse", bystander, [](Mechanism& actual) {
    reverse(actual);  // coil A is plugged in the other way round; its encoder turns with it
  });
  EXPECT_EQ(result.failed, "") << result.failed << result.look_at;
  EXPECT_EQ(bystander.times_turned, 1);
  EXPECT_TRUE(bystander.is_reversed);
  EXPECT_TRUE(result.reversed);
}

struct Wrong {
  const char* what;
  std::function<void(Mechanism&)> change;
  const char* failed;
  const char* look_at;
};

TEST(Proving, EachFaultStopsAtItsStageAndSaysWhatToLookAt) {
  const std::vector<Wrong> faults = {
      {"ENABLE acts on the other level",
       [](Mechanism& actual) { actual.step_dir().enable_active = ActiveLevel::high; }, "rest levels",
       "active level of ENABLE"},
      {"no current is set",
       [](Mechanism& actual) {
         actual.step_dir().current_switches.reset();
         actual.step_dir().current = Current(1e-6, units::A);
       },
       "enable", "current setting"},
      {"STEP goes nowhere", [](Mechanism& actual) { actual.step_dir_lines().step.number = 39; },
       "single steps", "coil"},
      {"DIR goes nowhere", [](Mechanism& actual) { actual.step_dir_lines().dir.number = 39; }, "forwards",
       "wire of DIR"},
      {"the switches are set to 16",
       [](Mechanism& actual) {
         actual.step_dir().microstep_switches.reset();
         actual.step_dir().microsteps = 16;
       },
       "known way", "half as far, twice of it"},
      {"A and B of the scale are swapped",
       [](Mechanism& actual) {
         auto& scale = std::get<Encoder>(actual.sensors.back());
         std::swap(scale.line_a, scale.line_b);
       },
       "encoder scale", "counts the other way"},
      {"the scale has 400 lines",
       [](Mechanism& actual) { std::get<Encoder>(actual.sensors.back()).lines_per_turn = 400; },
       "encoder scale", "lines_per_turn"},
      {"the gate is of the other polarity",
       [](Mechanism& actual) { std::get<PlaceSwitch>(actual.sensors[0]).active = ActiveLevel::low; },
       "switch gate", "it acts while nothing touches it"},
  };
  for (const Wrong& fault : faults) {
    SCOPED_TRACE(fault.what);
    HonestBystander bystander("traverse");
    const ProvingResult result = proved_on(with_a_scale(), "traverse", bystander, fault.change);
    EXPECT_EQ(result.failed, fault.failed) << result.look_at;
    EXPECT_TRUE(has(result.look_at, fault.look_at)) << result.look_at;
    const auto all = proving_stages(with_a_scale().mechanisms[0]);
    ASSERT_LT(result.proven.size(), all.size());
    for (std::size_t i = 0; i < result.proven.size(); ++i) EXPECT_EQ(result.proven[i], all[i]);
  }
}

// Its clock is divided by two: every way takes twice the time.
TEST(Proving, AClockOfAnotherRateIsSeenByTheWatch) {
  HonestBystander bystander("traverse");
  bystander.watch_runs = 2.0;
  const ProvingResult result = proved_on(with_a_scale(), "traverse", bystander);
  EXPECT_EQ(result.failed, "by the watch");
  EXPECT_TRUE(has(result.look_at, "controller.timer_clock")) << result.look_at;
  EXPECT_EQ(bystander.watched, 1);
}

TEST(Proving, SaysNothingOfEnableToABoardWithoutOne) {
  HonestBystander bystander("creel");
  const ProvingResult result = proved_on(demo_rig(), "creel", bystander, [](Mechanism& actual) {
    actual.supply.voltage = Voltage(1e-3, units::V);
  });
  EXPECT_EQ(result.failed, "enable");
  EXPECT_FALSE(has(result.look_at, "ENABLE")) << result.look_at;
  EXPECT_TRUE(has(result.look_at, "four coil lines")) << result.look_at;
}

TEST(Proving, ASwitchThatIsNotSeenFails) {
  HonestBystander bystander("traverse");
  bystander.is_on_line = 40;  // no contact is there: the finger presses what is not wired
  const ProvingResult result = proved_on(with_a_scale(), "traverse", bystander);
  EXPECT_EQ(result.failed, "switch gate");
  EXPECT_TRUE(has(result.look_at, "nothing was seen: its line 3 stays low")) << result.look_at;
}

TEST(Proving, AnEmergencyStopThatIsPressedIsTheReason) {
  Rig rig = with_a_scale();
  HonestBystander bystander("traverse");
  const OpenBench open = [&](const Rig& opened) -> std::unique_ptr<Bench> {
    SimulatedBench::Options options;
    options.events = {{0_s, "halt", true}};
    return std::make_unique<SimulatedBench>(opened, options);
  };
  const ProvingResult result = prove(rig, "traverse", open, bystander);
  EXPECT_EQ(result.failed, "enable");
  EXPECT_TRUE(has(result.look_at, "the emergency stop halt (line 38) is pressed")) << result.look_at;
}

TEST(Proving, WhatWasProvenBeforeIsNotAskedAgain) {
  const Rig rig = with_a_scale();
  std::vector<std::string> before = proving_stages(rig.mechanisms[0]);
  before.pop_back();  // all but the far switch
  HonestBystander bystander("traverse");
  const ProvingResult result = proved_on(rig, "traverse", bystander, {}, before);
  EXPECT_EQ(result.failed, "") << result.look_at;
  EXPECT_EQ(bystander.stages, (std::vector<std::string>{"switch far"}));
  EXPECT_EQ(bystander.heard, "");
}

TEST(Proving, RefusesWhatCannotBeMovedSoFar) {
  HonestBystander bystander("fan");
  EXPECT_THROW((void)proved_on(demo_rig(), "fan", bystander), RangeError);
  EXPECT_THROW((void)proved_on(demo_rig(), "travers", bystander), RangeError);
}

}  // namespace
}  // namespace cogstride::proving_test
