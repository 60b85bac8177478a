// A rig that was put together in a program: what no rig file could say is told, in the words of a file's
// errors.
#include "cogstride/rig/validate.hpp"

#include <gtest/gtest.h>

#include <functional>

#include "cogstride/bench/simulated/simulated_bench.hpp"
#include "cogstride/quantity/literals.hpp"
#include "cogstride/rig/files/new_rig.hpp"
#include "cogstride/rig/files/read_rig.hpp"
#include "cogstride/rig/findings/findings.hpp"
#include "support/demo_rig.hpp"

namespace cogstride::validate_test {
namespace {

using namespace literals;
using testing_support::demo_rig;

std::string told(const Rig& rig) {
  try {
    validate(rig);
    return "";
  } catch (const RangeError& error) {
    return error.what();
  }
}

/// The words of an error of the file, from its part on: "mechanism.traverse.board: ...".
std::string told_of_file(const std::string& line, const std::string& with) {
  std::string text = read_text_file(testing_support::demo_rig_path);
  const std::size_t at = text.find(line);
  EXPECT_NE(at, std::string::npos) << line;
  text.replace(at, line.size(), with);
  try {
    (void)parse_rig(text, "x.rig.toml");
    return "";
  } catch (const InputError& error) {
    return error.diagnostics().front().message;
  }
}

Mechanism& part(Rig& rig, const char* name) {
  for (Mechanism& mechanism : rig.mechanisms)
    if (mechanism.name == name) return mechanism;
  throw RangeError(name);
}

TEST(Validate, TakesEveryRigThatWasRead) {
  for (const char* const name : {"bobbin", "cart", "skein", "warping"})
    EXPECT_EQ(told(read_rig(std::string(COGSTRIDE_SOURCE_DIR) + "/demo/" + name + ".rig.toml")), "") << name;
}

TEST(Validate, TellsWhatOneInCodeCouldHoldAndNoFileCan) {
  struct Case {
    std::function<void(Rig&)> change;
    std::string says;
  };
  const auto stepper = [](Rig& rig) -> Stepper& { return part(rig, "traverse").stepper(); };
  const std::vector<Case> cases = {
      {[](Rig& rig) { part(rig, "traverse").step_dir().microsteps = 0; },
       "mechanism.traverse.board: microsteps: found 0; expected a whole number from 1 to"},
      {[&](Rig& rig) { stepper(rig).full_steps = 0; },
       "mechanism.traverse.motor: full_steps: found 0; expected a whole number from"},
      {[&](Rig& rig) { stepper(rig).full_steps = 202; },
       "full_steps: found 202; a two-phase stepper has a multiple of 4"},
      {[](Rig& rig) { rig.controller.timer_clock = ExactFrequency(); },
       "controller: timer_clock: found 0 MHz"},
      {[](Rig& rig) { part(rig, "traverse").step_dir_lines().step.number = -3; },
       "mechanism.traverse.lines: step: line: found -3; expected a whole number from 0 to 1023"},
      {[](Rig& rig) { part(rig, "traverse").step_dir_lines().dir.number = 70'000; },
       "dir: line: found 70000"},
      {[](Rig& rig) {
         rig.controller.pwm_chips = {{"bench", "pwmchip0", {70'000}, {0}}};
       },
       "controller.pwm.bench: lines: found 70000; expected a whole number from 0 to 1023"},
      {[](Rig& rig) { rig.mechanisms[1].name = "traverse"; }, "mechanism: two are called traverse"},
      {[](Rig& rig) { rig.mechanisms[1].name = "my creel"; }, "mechanism: the name 'my creel' cannot be had"},
      {[](Rig& rig) { part(rig, "traverse").load.inertia = Inertia(); },
       "mechanism.traverse.load: inertia: found 0 kg m2"},
      {[&](Rig& rig) { stepper(rig).inductance = Inductance(); },
       "mechanism.traverse.motor: inductance: found 0 mH"},
      {[](Rig& rig) { part(rig, "feeder").load.viscous_friction = ViscousFriction::from_base(-1e-5); },
       "mechanism.feeder.load: viscous_friction: found"},
      {[](Rig& rig) {
         part(rig, "traverse").limits.speed = OutputSpeed(ExactAngularSpeed(10, units::deg_per_s));
       },
       "mechanism.traverse.limits: speed: found 10 deg/s; expected one in mm/s"},
      {[](Rig& rig) {
         std::swap(part(rig, "traverse").limits.travel_from, part(rig, "traverse").limits.travel_to);
       },
       "mechanism.traverse.limits: travel: from 118 mm to 0 mm: the first must be the lower"},
      {[](Rig& rig) { part(rig, "traverse").homing->sensor = "gaet"; },
       "sensor: found \"gaet\"; this mechanism has gate, far"},
      {[](Rig& rig) { part(rig, "feeder").board = part(rig, "creel").board; },
       "cannot drive a brushed motor; boards that can"},
      {[](Rig& rig) { part(rig, "feeder").common.timer = "dutty"; },
       "mechanism.feeder.lines.timer: found \"dutty\""},
      {[](Rig& rig) { std::get<BridgeWiring>(part(rig, "feeder").wiring).input_a.reset(); },
       "input_a is missing; expected a line"},
  };
  for (const Case& each : cases) {
    Rig rig = demo_rig();
    each.change(rig);
    const std::string words = told(rig);
    EXPECT_NE(words.find(each.says), std::string::npos) << each.says << "\nand said was: " << words;
    EXPECT_THROW(SimulatedBench{rig}, RangeError) << each.says;
    EXPECT_THROW(SimulatedBench(demo_rig(), {.actual = rig}), RangeError) << each.says;
    EXPECT_THROW((void)inspect_rig(rig), RangeError) << each.says;
  }
}

TEST(Validate, TellsAllInOneGoAndInTheWordsOfAFile) {
  Rig rig = demo_rig();
  part(rig, "traverse").step_dir().microsteps = 6;
  part(rig, "traverse").limits.start_speed = OutputSpeed(70_mm_per_s);
  rig.controller.counters->count = 0;
  const std::string all = told(rig);
  for (const auto& [line, with] : {std::pair{"microsteps = 8\n", "microsteps = 6\n"},
                                   std::pair{"start_speed = \"4 mm/s\"", "start_speed = \"70 mm/s\""},
                                   std::pair{"count = 2\n", "count = 0\n"}}) {
    const std::string words = told_of_file(line, with);
    EXPECT_FALSE(words.empty());
    EXPECT_NE(all.find(words), std::string::npos) << words << "\nof the file, and of the rig:\n" << all;
  }
}

TEST(Validate, TakesAnyRigThatNewWrites) {
  for (const char* const motor :
       {"bipolar stepper, STEP/DIR", "unipolar stepper, four-input transistor array",
        "brushed, two-input H-bridge", "hobby servo, pulse-width input"}) {
    const std::string words = motor;
    const std::size_t comma = words.find(", ");
    const Rig rig =
        parse_rig(new_rig_text({.name = "Shed",
                                .mechanisms = {{"it", words.substr(0, comma), words.substr(comma + 2)}}}),
                  "shed");
    EXPECT_EQ(told(rig), "") << motor;
  }
}

}  // namespace
}  // namespace cogstride::validate_test
