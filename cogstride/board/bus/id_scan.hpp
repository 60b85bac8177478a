// Who is on a bus: every id is asked what it is, and whoever answers who it is.
//
//   IdScan scan(ticks_of_50_ms, ticks_of_1_ms);
//   while (!scan.has_ended()) {
//     if (const auto frame = scan.send(now)) ...   // out
//     ...                                          // scan.hear(frame) for each that comes in
//   }
//
// It knows no lines and no clock: it is told both.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "cogstride/board/bus/object_access.hpp"

namespace cogstride {

class IdScan {
 public:
  struct Found {
    int id = 0;
    std::uint32_t device_type = 0;  ///< 1000:00
    std::optional<std::int64_t> vendor{};
    std::optional<std::int64_t> product{};
    std::optional<std::int64_t> revision{};
    std::optional<std::int64_t> serial_number{};
    bool is_twice = false;  ///< two have answered with this id
    /// By its profile.
    [[nodiscard]] bool is_drive() const;
  };

  /// @param patience  ticks until one that has not answered is not there @param apart  from one question to
  /// the next
  IdScan(Tick patience, Tick apart);

  /// What is to go out now; nothing: it waits.
  [[nodiscard]] std::optional<Frame> send(Tick now);
  void hear(const Frame& frame);
  /// When it has something to send, if nothing comes in.
  [[nodiscard]] Tick next() const;
  [[nodiscard]] bool has_ended() const { return has_ended_; }
  /// Those that have answered, by their ids.
  [[nodiscard]] const std::vector<Found>& found() const { return found_; }

 private:
  void begin_next();
  void take();

  Tick patience_;
  Tick apart_;
  int asked_ = 0;        // the last id that was asked
  Tick sends_at_ = 0;    // the next question; behind the last one: how long is waited
  bool listens_ = true;  // to who is there at all
  std::size_t place_ = 0;
  std::optional<ObjectAccess> access_{};
  bool has_ended_ = false;
  std::vector<Found> found_{};
};

}  // namespace cogstride
