// Positions from the last run, and those of this one for the next, in a file (session/remembered.hpp).
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "cogstride/script/script.hpp"
#include "cogstride/session/remembered.hpp"

namespace cogstride {

class PositionMemory {
 public:
  /// @param path  of the file; empty: none, and nothing is done
  /// @throws Error when the file knows a mechanism that the rig has not, or the rig cannot be read
  PositionMemory(std::string path, const std::string& rig_file, const Rig& rig);

  /// Where the outputs stand, as far as the file can be believed before the switches have been read.
  [[nodiscard]] KnownPositions known() const;
  /// Takes over what can be believed; from then on the file says that something may move.
  void recall(Bench& bench);
  void keep(Bench& bench);
  /// What was taken over or not, a line each.
  [[nodiscard]] const std::vector<std::string>& notes() const { return notes_; }

 private:
  std::string path_;
  std::uint64_t rig_ = 0;
  std::optional<RememberedPositions> remembered_;
  std::vector<std::string> notes_;
};

}  // namespace cogstride
