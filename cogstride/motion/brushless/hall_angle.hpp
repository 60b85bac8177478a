// The sector of a brushless motor by its three Hall sensors: every edge of their lines says the next one.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <span>
#include <string>

#include "cogstride/chip/six_step.hpp"
#include "cogstride/lines/lines.hpp"
#include "cogstride/mechanism/mechanism.hpp"
#include "cogstride/motion/brushless/rotor_angle.hpp"

namespace cogstride {

class HallAngle final : public RotorAngle {
 public:
  HallAngle(const HallSet& halls, const chip::SixStepTable& table) : halls_(halls), table_(table) {}

  /// Asks for the levels of its lines as they are now.
  void ask(Lines& lines) const;
  /// Takes what was read. @return whether its code is another now
  bool take(std::span<const Reading> readings);
  /// Nothing is known of it any more.
  void forget();

  [[nodiscard]] bool is_known() const override { return sector_ >= 0; }
  [[nodiscard]] int sector(Tick) const override { return sector_; }
  /// Its last code cannot be, or jumped over one.
  [[nodiscard]] std::string fault() const override;
  [[nodiscard]] std::int64_t count() const override { return count_; }
  [[nodiscard]] Tick counted_at() const override { return counted_at_; }

 private:
  static constexpr int not_known = -2;
  static constexpr int cannot_be = -1;

  HallSet halls_;
  chip::SixStepTable table_;
  std::array<std::optional<bool>, 3> levels_{};
  int sector_ = not_known;
  int code_ = 0;
  bool has_jumped_ = false;
  std::int64_t count_ = 0;
  Tick counted_at_ = 0;
};

}  // namespace cogstride
