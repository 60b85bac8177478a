// A statement with an amount that a hand says: a knob, an axis, the number of a device.
//
//   spin spindle at dial until stopped with dial from 300 rpm to 1800 rpm
//   throttle fan to dial                                        # the whole travel, in %
//   turn creel to station panel.station                         # the number itself
//   gear traverse to spindle by panel.pitch for each turn with panel.pitch each 0.01 mm
//
// What has no end of its own follows the hand as it is turned, until something else is ordered of what it
// moves, and stands where the hand stands at nothing; all else takes what the hand says when it begins.
#pragma once

#include <memory>
#include <span>

#include "cogstride/script/line_reader.hpp"
#include "cogstride/script/verbs/verb.hpp"

namespace cogstride {

/// @param read  of the verb that the line begins with
/// @return null: it names no hand. @throws Wrong
[[nodiscard]] std::unique_ptr<Verb> read_valued(const SourceLine& line, const Rig& rig,
                                                const PatternValues& values,
                                                std::span<const Stretch> stretches, const VerbWord& read);

}  // namespace cogstride
