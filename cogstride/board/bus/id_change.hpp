// Gives the only device on a bus another id, by the layer setting services of CiA 305: whoever listens takes
// it, so that nobody else may be there. The device keeps it, and is begun anew with it.
//
//   IdChange change(11, 12, {ticks_of_500_ms, ticks_of_3_s});   // send(), hear() as those of DriveSetup
#pragma once

#include <cstdint>
#include <optional>
#include <string>

#include "cogstride/lines/lines.hpp"

namespace cogstride {

/// Ids of its frames: what it is told, and answers.
inline constexpr std::uint32_t setting_request_id = 0x7e5;
inline constexpr std::uint32_t setting_answer_id = 0x7e4;
enum class SettingCommand : std::uint8_t { switch_all = 0x04, set_id = 0x11, store = 0x17 };

class IdChange {
 public:
  struct Times {
    Tick patience = 0;   ///< for an answer
    Tick beginning = 0;  ///< until it is there again
  };
  /// @throws RangeError when an id is none (1 to 127), or it is the one that it has
  IdChange(int from, int to, Times times);

  /// What is to go out now; nothing: it waits.
  [[nodiscard]] std::optional<Frame> send(Tick now);
  void hear(const Frame& frame);
  [[nodiscard]] Tick next() const;
  [[nodiscard]] bool has_ended() const { return stage_ == Stage::done || stage_ == Stage::failed; }
  /// Why it has not got it; "" when it has, or is about to.
  [[nodiscard]] const std::string& fault() const { return fault_; }

 private:
  enum class Stage : std::uint8_t { listens, sets, stores, ends, begins, leaves, done, failed };
  void fail(std::string why);
  void answered(std::uint8_t command, std::uint8_t error);

  int from_;
  int to_;
  Times times_;
  Stage stage_ = Stage::listens;
  Tick waits_until_ = never;
  std::string fault_{};
};

}  // namespace cogstride
