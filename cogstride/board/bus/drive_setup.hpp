// Brings a drive on a bus up: is it the one that is meant, its defaults, what the rig wants of it, each value
// read back, its process data, its watch over our heartbeat; and once it takes part, all of it once more, as
// it is in force then.
//
//   DriveSetup setup(wants, ticks_of_100_ms);
//   while (!setup.has_ended()) {
//     if (const auto frame = setup.send(now)) lines.put(at, bus, *frame, owner);
//     ...                                          // setup.hear(frame, now) for each that comes in
//   }
//   setup.fault();                                 // "" when it is up
//
// It knows no lines and no clock: it is told both.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "cogstride/board/bus/bus_services.hpp"
#include "cogstride/board/bus/process_data.hpp"

namespace cogstride {

struct DriveWants {
  int id = 1;
  std::optional<std::int64_t> vendor{};  ///< nothing: any
  std::optional<std::int64_t> product{};
  std::vector<ObjectValue> settings{};  ///< in this order, each read back
  std::vector<ProcessData> data{};
};

class DriveSetup {
 public:
  enum class Stage : std::uint8_t {
    looks,     ///< who it is
    restores,  ///< its defaults
    begins,    ///< anew, with them
    sets,      ///< what is wanted
    starts,    ///< to take part
    confirms,  ///< what is in force
    up,
    failed
  };
  struct Times {
    Tick patience = 0;   ///< until a question is put again
    Tick beginning = 0;  ///< that it may take until it is there again after a reset
  };

  DriveSetup(DriveWants wants, Times times);

  [[nodiscard]] Stage stage() const { return stage_; }
  [[nodiscard]] bool is_up() const { return stage_ == Stage::up; }
  [[nodiscard]] bool has_ended() const { return stage_ == Stage::up || stage_ == Stage::failed; }
  /// What is wrong, with the object and both values; "" as long as nothing is.
  [[nodiscard]] const std::string& fault() const { return fault_; }
  /// What it has taken otherwise, by less than a hundredth: it rounds.
  [[nodiscard]] const std::vector<std::string>& rounded() const { return rounded_; }

  /// What is to go out now; nothing: it waits.
  [[nodiscard]] std::optional<Frame> send(Tick now);
  /// When it wants to be asked again, if nothing comes in.
  [[nodiscard]] Tick next() const;
  void hear(const Frame& frame, Tick now);

 private:
  void go_to(Stage stage, Tick now);
  void take(const ObjectAccess::Result& result, Tick now);
  void count_answer(const Frame& frame);
  void identify(const ObjectAccess::Result& result);
  void compare(const ObjectAccess::Result& result);
  void fail(std::string why);
  [[nodiscard]] std::vector<ObjectValue>::const_iterator wanted_of(const BusObject& object) const;
  [[nodiscard]] bool counts(const ObjectValue& setting) const;

  DriveWants wants_;
  Times times_;
  ObjectAccess access_;
  Stage stage_ = Stage::looks;
  bool has_begun_ = false;
  std::optional<Frame> control_{};  // of its node, to go out first
  Tick waits_until_ = never;        // for it to be there again
  std::vector<std::string> rounded_{};
  std::map<std::uint32_t, int> awaited_{};  // answers to who it is, by what was asked
  int surplus_ = 0;                         // of them
  std::string refused_{};                   // a setting
  std::string fault_{};
};

}  // namespace cogstride
