#include "cogstride/mechanism/wiring.hpp"

#include <gtest/gtest.h>

#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/quantity/literals.hpp"

namespace cogstride::wiring_test {
namespace {

using namespace literals;

std::vector<std::string> uses_of(const BoardWiring& wiring, bool timed_only = false) {
  std::vector<std::string> uses;
  for (const BoardLine& line : board_lines(wiring))
    if (line.timed || !timed_only) uses.push_back(line.use);
  return uses;
}

using Words = std::vector<std::string>;

TEST(BoardLines, NameWhatIsWiredAndNothingElse) {
  EXPECT_EQ(uses_of(StepDirWiring{}), (Words{"step", "dir"}));
  StepDirWiring all;
  all.enable = DrivenLine{2};
  all.sleep = DrivenLine{3};
  all.reset = DrivenLine{4};
  all.microstep_select = {{5}, {6}};
  EXPECT_EQ(uses_of(all),
            (Words{"step", "dir", "enable", "sleep", "reset", "microstep select 1", "microstep select 2"}));
  EXPECT_EQ(uses_of(CoilWiring{}), (Words{"a_plus", "a_minus", "b_plus", "b_minus"}));
  EXPECT_EQ(uses_of(GateWiring{}), (Words{"a_high", "a_low", "b_high", "b_low", "c_high", "c_low"}));
  EXPECT_EQ(uses_of(PulseWidthWiring{}), Words{"pulse"});
}

TEST(BoardLines, ThatCarryPulsesOrDutiesNeedATimer) {
  EXPECT_EQ(uses_of(StepDirWiring{}, true), Words{"step"});
  EXPECT_EQ(uses_of(CoilWiring{}, true), Words{});
  EXPECT_EQ(uses_of(GateWiring{}, true).size(), 6u);
  BridgeWiring two_inputs;
  two_inputs.input_a = DrivenLine{0};
  two_inputs.input_b = DrivenLine{1};
  EXPECT_EQ(uses_of(two_inputs, true), (Words{"input_a", "input_b"}));
  BridgeWiring channel = two_inputs;
  channel.duty = DrivenLine{2};
  EXPECT_EQ(uses_of(channel, true), (Words{"input_a", "input_b"})) << "so that it brakes between";
  channel.decay = Decay::fast;
  EXPECT_EQ(uses_of(channel, true), Words{"duty"}) << "direction lines only stand";
  two_inputs.enable = DrivenLine{2};
  two_inputs.decay = Decay::fast;
  EXPECT_EQ(uses_of(two_inputs, true), Words{"enable"}) << "what lets the motor go";
  BridgeWiring sign;
  sign.sign = DrivenLine{0};
  sign.duty = DrivenLine{1};
  EXPECT_EQ(uses_of(sign), (Words{"sign", "duty"}));
  EXPECT_EQ(uses_of(sign, true), Words{"duty"});
  sign.enable = DrivenLine{2};
  sign.decay = Decay::fast;
  EXPECT_EQ(uses_of(sign, true), Words{"enable"});
}

TEST(LeadNames, AreThoseOfTheNumberOfLeads) {
  for (const std::int64_t leads : {4, 5, 6, 8})
    EXPECT_EQ(lead_names(leads).size(), static_cast<std::size_t>(leads));
  EXPECT_EQ(lead_names(6)[1], "A tap");
  EXPECT_THROW((void)lead_names(7), RangeError);
}

TEST(ToothedDrive, MovesItsPitchATooth) {
  const Train cart{{GearPair{12, 36}, ToothedDrive{20, 2_mm}}};
  EXPECT_EQ(output_kind(cart), OutputKind::linear);
  EXPECT_EQ(motor_turns_per_base(cart), Ratio(3) / Ratio(40, 1000)) << "three turns for 40 mm";
  EXPECT_THROW((void)motor_turns_per_base({{ToothedDrive{20, 2_mm}, Belt{1, 1}}}), RangeError);
  EXPECT_THROW((void)motor_turns_per_base({{ToothedDrive{20, 0_mm}}}), RangeError);
}

TEST(Mechanism, AskedForAPartOfAnotherKindSaysSo) {
  Mechanism fan{.name = "fan"};
  fan.motor = ThrottledMotor{};
  fan.board = PulseWidthInput{};
  fan.wiring = PulseWidthWiring{};
  EXPECT_FALSE(fan.is_movable_stepper());
  EXPECT_THROW((void)fan.stepper(), RangeError);
  EXPECT_THROW((void)fan.step_dir(), RangeError);
  EXPECT_THROW((void)fan.step_dir_lines(), RangeError);
  EXPECT_THROW(require_movable_stepper(fan), RangeError);
  EXPECT_EQ(steps_per_motor_turn(fan), 0);
  EXPECT_EQ(steps_per_base(fan), Ratio(0));
  EXPECT_EQ(kind_name(fan.motor), "brushless with speed controller");
  EXPECT_EQ(fan.home_switch(), nullptr);
  fan.homing = Homing{.sensor = "flag"};
  EXPECT_THROW((void)fan.home_switch(), RangeError) << "homing without its switch";
}

TEST(Mechanism, ReversedTwiceIsAsItWas) {
  Mechanism spindle{.name = "spindle"};
  spindle.motor = BrushlessMotor{};
  SixGateInverter board;
  board.gate_active[4] = ActiveLevel::low;  // c high alone is active low
  spindle.board = board;
  GateWiring wiring;
  for (std::size_t i = 0; i < 6; ++i)
    wiring.gates[i] = {static_cast<std::int64_t>(10 + i), board.gate_active[i], {}};
  spindle.wiring = wiring;
  spindle.sensors = {Encoder{.lines_per_turn = 500}};
  reverse(spindle);
  const auto& gates = std::get<GateWiring>(spindle.wiring).gates;
  EXPECT_EQ(gates[2].number, 14) << "phases B and C change places";
  for (std::size_t i = 0; i < 6; ++i)
    EXPECT_EQ(gates[i].active, std::get<SixGateInverter>(spindle.board).gate_active[i])
        << "each keeps its polarity";
  EXPECT_TRUE(std::get<Encoder>(spindle.sensors[0]).counts_backwards);
  reverse(spindle);
  for (std::size_t i = 0; i < 6; ++i)
    EXPECT_EQ(std::get<GateWiring>(spindle.wiring).gates[i].number, 10 + static_cast<int>(i));
  EXPECT_FALSE(std::get<Encoder>(spindle.sensors[0]).counts_backwards);
}

TEST(Mechanism, StepsATurnAreThoseOfTheBoard) {
  Mechanism creel{.name = "creel"};
  creel.stepper().full_steps = 24;
  creel.board = TransistorArray{.stepping = Stepping::full};
  EXPECT_EQ(steps_per_motor_turn(creel), 24);
  creel.board = TransistorArray{.stepping = Stepping::wave};
  EXPECT_EQ(steps_per_motor_turn(creel), 24);
  creel.board = DualHBridge{.stepping = Stepping::half};
  EXPECT_EQ(steps_per_motor_turn(creel), 48);
  creel.board = StepDirBoard{.microsteps = 16};
  EXPECT_EQ(steps_per_motor_turn(creel), 384);
  creel.motor = StepServo{.steps_per_turn = 4000};
  EXPECT_EQ(steps_per_motor_turn(creel), 4000) << "as it is set, whatever the board";
}

}  // namespace
}  // namespace cogstride::wiring_test
