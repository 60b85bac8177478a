#include "cogstride/board/coil_driver.hpp"

#include <array>
#include <span>

#include "cogstride/board/line_levels.hpp"
#include "cogstride/plan/excitation.hpp"

namespace cogstride {

CoilDriver::CoilDriver(const Mechanism& mechanism, MechanismId id)
    : name_(mechanism.name),
      id_(id),
      wiring_(std::get<CoilWiring>(mechanism.wiring)),
      stepping_(coil_stepping(mechanism)) {}

std::vector<LineSetup> CoilDriver::line_setups() const {
  using Use = LineSetup::Use;
  static constexpr std::array<const char*, 4> names = {".a_plus", ".a_minus", ".b_plus", ".b_minus"};
  std::vector<LineSetup> setups;
  for (std::size_t i = 0; i < names.size(); ++i)
    setups.push_back({line_id(wiring_.coils[i]),
                      name_ + names[i],
                      id_,
                      Use::level,
                      level_for(wiring_.coils[i], false),
                      0,
                      {}});
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

void CoilDriver::put_row(Lines& lines, Tick at, std::int64_t step) const {
  const std::uint8_t on = chip::coil_row(stepping_, static_cast<std::int32_t>(step & 7));
  std::array<Level, 4> levels{};
  for (std::size_t i = 0; i < levels.size(); ++i)
    levels[i] = {line_id(wiring_.coils[i]), level_for(wiring_.coils[i], (on >> i & 1U) != 0)};
  lines.put(at, levels);
}

void CoilDriver::put_enable(Lines& lines, Tick at, bool on) {
  if (on) {
    put_row(lines, at, put_);
  } else {
    std::array<Level, 4> levels{};
    for (std::size_t i = 0; i < levels.size(); ++i)
      levels[i] = {line_id(wiring_.coils[i]), level_for(wiring_.coils[i], false)};
    lines.put(at, levels);
  }
  if (!wiring_.enable) return;
  const std::array enable{Level{line_id(*wiring_.enable), level_for(*wiring_.enable, on)}};
  lines.put(at, enable);
}

void CoilDriver::forget_before(Tick at) {
  while (!rows_.empty() && rows_.front().at < at) {
    last_gone_ = rows_.front();
    rows_.pop_front();
  }
}

void CoilDriver::put_run(Lines& lines, FineTick start, const chip::PulseRun& run) {
  forget_before(lines.now());
  chip::PulsePlayer<chip::PulseRun> player(start);
  player.load(run);
  while (player.left() > 0) {
    player.advance();
    if (!player.makes_pulses()) continue;
    put_ += player.is_backwards() ? -1 : 1;
    put_row(lines, player.tick(), put_);
    rows_.push_back({player.tick(), put_});
  }
}

Withdrawn CoilDriver::withdraw(Lines& lines, Tick from) {
  (void)lines.withdraw(id_, from);
  while (!rows_.empty() && rows_.back().at >= from) rows_.pop_back();
  const Row last = rows_.empty() ? last_gone_ : rows_.back();
  put_ = last.step;
  Withdrawn left;
  left.steps = last.step;
  left.last_pulse = last.at;
  return left;
}

std::int64_t CoilDriver::step_at(Tick at) const {
  std::int64_t step = last_gone_.step;
  for (const Row& row : rows_) {
    if (row.at > at) break;
    step = row.step;
  }
  return step;
}

}  // namespace cogstride
