#include "cogstride/board/coil_driver.hpp"

#include <array>
#include <span>

#include "cogstride/board/line_levels.hpp"
#include "cogstride/plan/excitation.hpp"

namespace cogstride {
namespace {

constexpr std::int32_t rows_in_a_turn = 8;  // twice over, where a turn has four

}  // namespace

CoilDriver::CoilDriver(const Mechanism& mechanism, MechanismId id, Tick rows_come_later)
    : name_(mechanism.name),
      id_(id),
      wiring_(std::get<CoilWiring>(mechanism.wiring)),
      stepping_(coil_stepping(mechanism)),
      rows_come_later_(rows_come_later) {}

std::vector<LineSetup> CoilDriver::line_setups() const {
  using Use = LineSetup::Use;
  static constexpr std::array<const char*, 4> names = {".a_plus", ".a_minus", ".b_plus", ".b_minus"};
  std::vector<LineSetup> setups;
  for (std::size_t i = 0; i < names.size(); ++i)
    setups.push_back({line_id(wiring_.coils[i]),
                      name_ + names[i],
                      id_,
                      Use::rows,
                      level_for(wiring_.coils[i], false),
                      0,
                      {}});
  for (const DrivenLine& coil : wiring_.coils) setups.front().rows.lines.push_back(line_id(coil));
  for (std::int32_t step = 0; step < rows_in_a_turn; ++step)
    setups.front().rows.cycle.push_back(chip::coil_row(stepping_, step));
  if (wiring_.enable)
    setups.push_back({line_id(*wiring_.enable),
                      name_ + ".enable",
                      id_,
                      Use::level,
                      level_for(*wiring_.enable, false),
                      0,
                      {}});
  return setups;
}

void CoilDriver::put_coils(Lines& lines, Tick at, std::uint8_t on) const {
  std::array<Level, 4> levels{};
  for (std::size_t i = 0; i < levels.size(); ++i)
    levels[i] = {line_id(wiring_.coils[i]), level_for(wiring_.coils[i], (on >> i & 1U) != 0)};
  lines.put(at, levels);
}

void CoilDriver::put_enable(Lines& lines, Tick at, bool on) {
  const auto place = static_cast<std::int32_t>(put_ & (rows_in_a_turn - 1));
  put_coils(lines, at, on ? chip::coil_row(stepping_, place) : 0);
  if (!wiring_.enable) return;
  const std::array enable{Level{line_id(*wiring_.enable), level_for(*wiring_.enable, on)}};
  lines.put(at, enable);
}

void CoilDriver::put_run(Lines& lines, FineTick start, const chip::PulseRun& run,
                         std::optional<StopOn> stop) {
  lines.put({start.tick + rows_come_later_, start.fraction}, step_line(), std::span(&run, 1), stop);
  if ((run.flags & chip::run_silent) != 0) return;
  put_ += (run.flags & chip::run_backwards) != 0 ? -std::int64_t{run.steps} : std::int64_t{run.steps};
}

Withdrawn CoilDriver::withdraw(Lines& lines, Tick from) {
  const Withdrawn left = lines.withdraw(id_, from);
  put_ = left.steps;
  return left;
}

}  // namespace cogstride
