// Positions kept in a file from one run to the next, so that not every start needs a homing.
//
//   remember positions: 1
//   rig: 5f1d8c02a7b3e946
//   standing: yes
//   traverse: 117/1000 m
//   sum: 90b1c6de70a2f385
//
// While anything may move the file says `standing: no`; the positions are written when all is at rest. It is
// written beside, flushed and put in place of the old one, and its last line sums up the rest: a power cut at
// any byte leaves the old file, the new one, or one that nobody believes.
//
// A position is believed only for the very rig it was written for, and when every switch of the mechanism
// says what it should say there. A stepper is left standing on a whole electrical period, where its board
// comes up by itself: in between it would jump to one.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "cogstride/bench/bench.hpp"

namespace cogstride {

struct RememberedPositions {
  std::uint64_t rig = 0;  ///< of the rig's text: fingerprint()
  bool standing = false;
  std::map<std::string, OutputPosition> positions{};  ///< by mechanism
};

[[nodiscard]] std::string to_text(const RememberedPositions& remembered);
/// @throws Error when anything in it is not as it was written
[[nodiscard]] RememberedPositions parse_remembered(std::string_view text);
/// Replaces the file, whole or not at all, and waits until it is on the disk. @throws Error when it cannot
void write_remembered(const std::string& path, const RememberedPositions& remembered);

/// Takes over what can be believed; lets the bench run until its switches have been read.
/// @return what was taken over or not, a line for each mechanism
std::vector<std::string> recall_positions(Bench& bench, const RememberedPositions& remembered,
                                          std::uint64_t rig);
/// Brings everything to stand on whole electrical periods, and says where. @throws MotionFault when it cannot
/// @param notes  takes a line for each that was moved for that
[[nodiscard]] RememberedPositions park_positions(Bench& bench, std::uint64_t rig,
                                                 std::vector<std::string>& notes);

}  // namespace cogstride
