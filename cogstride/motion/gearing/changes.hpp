// What may change while one mechanism follows another, in amounts of its output; each is noted in its log.
#pragma once

#include "cogstride/mechanism/output.hpp"
#include "cogstride/motion/mover.hpp"

namespace cogstride {

/// What it follows by, now. @throws RangeError when it cannot follow, or follows nothing
[[nodiscard]] Follow& followed_by(Mover& follower);

/// Against its leaders, from now on.
/// @throws RangeError as above, or when it does not move so, or the way is too fine to be kept
void nudge(Mover& follower, const OutputPosition& by, Tick now);

/// Other ends for one that goes to and fro, from the next layer on.
/// @throws RangeError as above, or when it does not go to and fro, or cannot between these
void change_ends(Mover& follower, const OutputPosition& from, const OutputPosition& to, Tick now);

}  // namespace cogstride
