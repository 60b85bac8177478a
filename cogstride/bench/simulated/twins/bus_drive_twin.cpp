// Drives on a bus, with their motors.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "cogstride/bench/simulated/twins/twins.hpp"
#include "cogstride/motion/bus/bus_drive_mover.hpp"
#include "cogstride/plant/bus/bus_drive_plant.hpp"
#include "cogstride/rig/figures/figure_rows.hpp"

namespace cogstride {
namespace {

class BusDriveTwin final : public Twin {
 public:
  BusDriveTwin(const BusDriveMover& mover, const TwinSetup& setup)
      : mover_(mover), plant_(*setup.mechanism, setup.plant) {}

  [[nodiscard]] Plant* plant() override { return &plant_; }
  [[nodiscard]] ShaftPlant* shaft() override { return &plant_; }
  [[nodiscard]] BusNode* node() override { return &plant_; }

  [[nodiscard]] std::vector<TracedSignal> signals() const override {
    const OutputKind kind = output_kind(mover_.mechanism().train);
    return {{"made", std::string(display_unit(kind, 0))},
            {"speed", std::string(speed_unit(kind))},
            {"current", "A"},
            {"supply", "V"},
            {"motor_rise", "K"},
            {"board_rise", "K"}};
  }
  void sample(std::span<double> values) const override {
    const OutputKind kind = output_kind(mover_.mechanism().train);
    values[0] = display_units_per_base(kind) * plant_.position();
    values[1] = speed_units_per_base(kind) * plant_.speed();
    values[2] = plant_.current();
    values[3] = plant_.supply_voltage();
    values[4] = shown_rise(heat(), plant_.motor_rise());
    values[5] = is_known(stage()) ? plant_.board_rise() : std::numeric_limits<double>::quiet_NaN();
  }
  [[nodiscard]] bool wants_looks() const override { return true; }
  void look() override { plant_.pass(); }

  void judge(MoverVerdict& verdict, Tick now, double) const override {
    const Mechanism& mechanism = mover_.mechanism();
    const OutputKind kind = output_kind(mechanism.train);
    const double scale = display_units_per_base(kind);
    const double made = scale * plant_.way();
    const double wanted = mover_.wanted(now).position.to_double() - static_cast<double>(mover_.zero());
    const double asked = scale * wanted / mover_.counts_per_base();
    const double speed = speed_units_per_base(kind) * plant_.speed();
    const char* const state = to_text(plant_.node().state());
    verdict.sum = fmt::format("ends at {:.4g} {}, {}; its drive is {}", made, display_unit(kind, 0),
                              turning_words(speed, speed_unit(kind)), state);
    const auto& limit = mechanism.limits.current;
    const auto& board = std::get<BusDrive>(mechanism.board);
    verdict.rows.insert(
        verdict.rows.begin(),
        {{"current",
          fmt::format("{:.3g} A of the motor at the most{}, {:.3g} A from the supply; the rig allows "
                      "{:.3g} A",
                      plant_.highest_current(), limit ? fmt::format(" (of {:.3g} A)", limit->base()) : "",
                      plant_.highest_supply_current(), board.supply_current.base())},
         {"heat", fmt::format("{}, {}", rise_words("motor", plant_.highest_motor_rise(), is_known(heat())),
                              rise_words("drive", plant_.highest_board_rise(), is_known(stage())))},
         {"supply", fmt::format("{:.4g} to {:.4g} V", plant_.lowest_supply(), plant_.highest_supply())},
         {"lag", fmt::format("{:.3g} {} at the most", scale * plant_.highest_lag() / mover_.counts_per_base(),
                             display_unit(kind, 0))}});
    verdict.add("made", made, std::string(display_unit(kind, 0)));
    verdict.add("speed", speed, std::string(speed_unit(kind)));
    verdict.add("highest_current", plant_.highest_current(), "A");
    verdict.add("highest_supply_current", plant_.highest_supply_current(), "A");
    verdict.add("highest_supply", plant_.highest_supply(), "V");
    verdict.add("lowest_supply", plant_.lowest_supply(), "V");
    if (is_known(heat())) verdict.add("motor_rise", plant_.highest_motor_rise(), "K");
    if (is_known(stage())) verdict.add("board_rise", plant_.highest_board_rise(), "K");
    verdict.looked_at.push_back("where it stands against where it was told to be");
    const double off = made - asked;
    verdict.add("off", off, std::string(display_unit(kind, 0)));
    const double spare = scale * spare_counts / mover_.counts_per_base();
    if (mover_.link().is_driven() && mover_.has_ended() && plant_.speed() == 0.0 && std::abs(off) > spare)
      verdict.complaints.push_back(fmt::format("it was told to stand at {:.5g} {}, and stands at {:.5g} {}",
                                               asked, display_unit(kind, 0), made, display_unit(kind, 0)));
    verdict.looked_at.push_back("whether it is at rest where it is not driven");
    if (!mover_.link().is_driven() && std::abs(speed) > least_told)
      verdict.complaints.push_back(
          fmt::format("nothing drives it, and it turns at {:.3g} {}", speed, speed_unit(kind)));
    hold_heat_against(verdict, mechanism, heat(), plant_.highest_motor_rise());
    hold_heat_against(verdict, mechanism, stage(), plant_.highest_board_rise());
    hold_against(verdict, "supply", plant_.highest_supply(),
                 base_of(stage_of(mechanism.board).highest_supply), [&](double most) {
                   return fmt::format(
                       "the supply was pumped up to {:.4g} V, and the drive stands {:.4g} V "
                       "(board.highest_supply)",
                       plant_.highest_supply(), most);
                 });
  }

 private:
  static constexpr double spare_counts = 10.0;
  static constexpr double least_told = 0.5;  // rpm or mm/s: less is a creep
  [[nodiscard]] MotorHeat heat() const { return drive_motor_figures(mover_.mechanism()).heat; }
  [[nodiscard]] const BoardStage& stage() const { return stage_of(mover_.mechanism().board); }

  const BusDriveMover& mover_;
  BusDrivePlant plant_;
};

}  // namespace

std::unique_ptr<Twin> bus_drive_twin(Mover& mover, const TwinSetup& setup) {
  return std::make_unique<BusDriveTwin>(*as<BusDriveMover>(mover), setup);
}

}  // namespace cogstride
