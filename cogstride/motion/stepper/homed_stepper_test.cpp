// A stepper that finds its zero, measures its travel and is held against an encoder, alone on scripted lines:
// its switches and counts follow the steps that went out.
#include <gtest/gtest.h>

#include <cmath>
#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "cogstride/motion/inputs.hpp"
#include "cogstride/motion/stepper/stepper_mover.hpp"
#include "cogstride/quantity/literals.hpp"
#include "support/demo_rig.hpp"
#include "support/on_script.hpp"

namespace cogstride::homed_stepper_test {
namespace {

using namespace literals;
using testing_support::demo_rig;
using testing_support::OnScript;

constexpr Tick second = 48'000'000;

/// A switch: its line, and when it acts.
struct Contact {
  LineId line{};
  std::function<bool(double place)> acts{};
  bool high = false;
};

/// The mechanism at the other end: where it stands by its steps, and what its switches say of that.
class Output final : public Participant {
 public:
  Output(OnScript& on, LineId step, double start, double steps_per_unit, std::vector<Contact> contacts)
      : on_(on), step_(step), start_(start), steps_per_unit_(steps_per_unit), contacts_(std::move(contacts)) {
    for (Contact& each : contacts_) {
      each.high = each.acts(place());
      on_.lines.player.says(static_cast<SourceId>(each.line), each.high ? 1 : 0);
    }
    on_.loop.add(*this);
  }
  [[nodiscard]] double place() const {
    const auto& steps = on_.lines.player.steps;
    const auto made = steps.find(step_);
    return start_ + (made == steps.end() ? 0.0 : static_cast<double>(made->second - lost) / steps_per_unit_);
  }
  std::int64_t lost = 0;  ///< steps that it did not follow
  std::function<void(double place)> on_look{};

  [[nodiscard]] Tick next_act() const override { return next_; }
  void act(Lines& lines, std::span<const Reading>) override {
    if (lines.now() < next_) return;
    next_ = lines.now() + 4'800;
    for (Contact& each : contacts_) {
      const bool high = each.acts(place());
      if (high != each.high) on_.lines.player.edge(lines.now(), each.line, high);
      each.high = high;
    }
    if (on_look) on_look(place());
  }

 private:
  OnScript& on_;
  LineId step_;
  double start_;
  double steps_per_unit_;
  std::vector<Contact> contacts_;
  Tick next_ = 0;
};

std::vector<LineSetup> with_inputs(const Mover& mover, const std::vector<LineId>& inputs) {
  std::vector<LineSetup> all = mover.line_setups();
  for (const LineId line : inputs) {
    LineSetup input;
    input.id = line;
    input.name = "input " + std::to_string(static_cast<int>(line));
    input.use = LineSetup::Use::input;
    input.source = static_cast<SourceId>(line);
    all.push_back(input);
  }
  return all;
}

constexpr LineId gate{3};
constexpr LineId far{4};

/// The demo's traverse: its gate below -0.992 mm, its lever from 119.5 mm on.
struct Traverse {
  explicit Traverse(
      double stands_at, std::function<bool(double)> gate_acts = [](double mm) { return mm <= -0.992; },
      double far_at = 119.5, Rig on_rig = demo_rig())
      : rig(std::move(on_rig)),
        output(on, LineId{0}, stands_at, 800.0 / 3.0,
               {{gate, std::move(gate_acts)}, {far, [far_at](double mm) { return mm >= far_at; }}}) {
    on.loop.add(inputs);
    mover.watch(inputs);
    on.loop.add(mover);
    mover.log().on_note([this](const MotionNote& note) { notes.push_back(note.text); });
  }
  void until_it_ends() {
    EXPECT_TRUE(on.run_until([&] { return mover.has_ended(); }));
  }
  [[nodiscard]] bool has_note(const std::string& part) const {
    for (const std::string& each : notes)
      if (each.find(part) != std::string::npos) return true;
    return false;
  }

  Rig rig;
  StepperMover mover{rig.mechanisms[0], MechanismId{0}, rig.controller};
  OnScript on{with_inputs(mover, {gate, far})};
  Inputs inputs{{{gate, true, 0, 0, "traverse.gate"}, {far, true, 240'000, 240'000, "traverse.far"}}};
  std::vector<std::string> notes{};
  Output output;
};

TEST(HomedStepper, FindsItsGateFromWhereverItStands) {
  for (const double from : {3.0, 59.0, 118.0, -0.995, -2.0}) {
    Traverse it(from);
    EXPECT_FALSE(it.mover.knows_zero());
    EXPECT_THROW((void)it.mover.move(it.on.front(), {.to = 10_mm}), RangeError)
        << "nobody knows where it stands";
    auto home = it.mover.home();
    it.until_it_ends();
    EXPECT_EQ(home->status, MotionStatus::done) << from << ": " << home->fault;
    EXPECT_NEAR(it.output.place(), 0.0, 0.01) << from;
    EXPECT_EQ(it.mover.position(it.on.now()), OutputPosition(0_mm));
    EXPECT_TRUE(it.has_note("home edge"));
    it.mover.move(it.on.front(), {.to = 40_mm});
    it.until_it_ends();
    EXPECT_NEAR(it.output.place(), 40.0, 0.01);
  }
}

TEST(HomedStepper, SaysWhyItFindsNone) {
  const auto fault_with = [](double from, const std::function<bool(double)>& acts) {
    Traverse it(from, acts);
    auto home = it.mover.home();
    it.until_it_ends();
    EXPECT_EQ(home->status, MotionStatus::faulted);
    EXPECT_FALSE(it.mover.position(it.on.now()));
    return home->fault;
  };
  EXPECT_NE(fault_with(30.0, [](double) { return false; }).find("gate"), std::string::npos)
      << "it never acts";
  EXPECT_NE(fault_with(30.0, [](double) { return true; }).find("gate"), std::string::npos)
      << "it acts for ever";
}

TEST(HomedStepper, MeasuresItsTravelByItsOtherSwitch) {
  Traverse it(20.0);
  it.mover.home();
  it.until_it_ends();
  auto measure = it.mover.measure();
  it.until_it_ends();
  EXPECT_EQ(measure->status, MotionStatus::done) << measure->fault;
  ASSERT_TRUE(it.mover.measured_travel());
  EXPECT_NEAR(1e3 * it.mover.measured_travel()->base.to_double(), 119.5 + 0.992, 0.05);

  Traverse moved(
      20.0, [](double mm) { return mm <= -0.992; }, 118.4);
  moved.mover.home();
  moved.until_it_ends();
  auto other = moved.mover.measure();
  moved.until_it_ends();
  EXPECT_EQ(other->status, MotionStatus::faulted);
  EXPECT_NE(other->fault.find("and the rig says 120.492 mm"), std::string::npos) << other->fault;
}

TEST(HomedStepper, ItsHomingIsTakenBackOrHalted) {
  Traverse it(59.0);
  auto home = it.mover.home();
  it.on.run_to(second);
  EXPECT_TRUE(it.mover.is_homing());
  it.mover.cancel(it.on.front(), *home, Braking::on_a_ramp);
  it.until_it_ends();
  EXPECT_EQ(home->status, MotionStatus::cancelled);
  EXPECT_FALSE(it.mover.is_homing());
  auto again = it.mover.home();
  it.on.run_to(it.on.now() + second / 2);
  it.mover.halt(it.on.front(), {FaultCode::stopped, "the lid is open"});
  it.until_it_ends();
  EXPECT_EQ(again->status, MotionStatus::faulted);
  it.mover.believe(OutputPosition(40_mm));
  EXPECT_EQ(it.mover.position(it.on.now()), OutputPosition(40_mm));
}

/// A ring with a reed of 5 degrees.
TEST(HomedStepper, ARingFindsItsWindowFromInsideAndFromBothSides) {
  const Rig rig = demo_rig();
  const Mechanism& creel = mechanism_named(rig, "creel");
  const double steps_per_degree = steps_per_base(creel).to_double() / 360.0;
  for (const double from : {0.5, -1.5, 40.0, -30.0, 180.0}) {
    StepperMover mover(creel, MechanismId{0}, rig.controller);
    const auto& wiring = std::get<CoilWiring>(creel.wiring);
    OnScript on(with_inputs(mover, {LineId{12}}));
    Inputs inputs{{{LineId{12}, true, 192'000, 192'000, "creel.station"}}};
    Output output(
        on, static_cast<LineId>(wiring.coils[0].number), from, steps_per_degree,
        {{LineId{12}, [](double degrees) { return std::abs(std::remainder(degrees, 360.0)) <= 2.5; }}});
    on.loop.add(inputs);
    mover.watch(inputs);
    on.loop.add(mover);
    auto home = mover.home();
    EXPECT_TRUE(on.run_until([&] { return mover.has_ended(); }));
    EXPECT_EQ(home->status, MotionStatus::done) << from << ": " << home->fault;
    EXPECT_NEAR(std::remainder(output.place(), 360.0), 0.0, 0.7) << from;
  }
}

TEST(HomedStepper, IsHeldAgainstItsEncoder) {
  Rig rig = demo_rig();
  rig.mechanisms[0].homing.reset();
  rig.mechanisms[0].sensors = {testing_support::scale_on_the_screw()};
  StepperMover mover(rig.mechanisms[0], MechanismId{0}, rig.controller);
  OnScript on(mover);
  Output output(on, LineId{0}, 0.0, 800.0 / 3.0, {});
  output.on_look = [&](double mm) {
    on.lines.player.says(counter_source(41), static_cast<std::int64_t>(std::floor(mm / 0.004)));
    on.lines.player.says(counter_edge_source(41), on.now());
  };
  const std::vector<std::unique_ptr<CountCheck>> checks = mover.count_checks({}, rig.controller.timer_clock);
  ASSERT_EQ(checks.size(), 1u);
  std::string loss;
  checks[0]->on_loss([&](const std::string& why) { loss = why; });
  on.loop.add(*checks[0]);
  on.loop.add(mover);
  mover.move(on.front(), {.to = 50_mm});
  EXPECT_TRUE(on.run_until([&] { return mover.has_ended(); }));
  on.run_to(on.now() + second / 5);
  EXPECT_EQ(loss, "");
  const std::optional<Measured> measured = checks[0]->measured();
  ASSERT_TRUE(measured);
  EXPECT_NEAR(static_cast<double>(measured->count), 12'500.0, 2.0);
  output.lost = 200;  // 0.75 mm
  mover.move(on.front(), {.to = 60_mm});
  on.run_until([&] { return mover.has_ended() || !loss.empty(); });
  on.run_to(on.now() + second / 5);
  EXPECT_NE(loss.find("scale"), std::string::npos) << loss;
}

}  // namespace
}  // namespace cogstride::homed_stepper_test
