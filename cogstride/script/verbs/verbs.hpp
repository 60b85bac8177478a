// The verbs of the language, a file each.
#pragma once

#include "cogstride/script/verbs/verb.hpp"

namespace cogstride {

std::unique_ptr<Verb> read_arm(LineReader& reader);
std::unique_ptr<Verb> read_brake(LineReader& reader);
std::unique_ptr<Verb> read_coast(LineReader& reader);
std::unique_ptr<Verb> read_drive(LineReader& reader);
std::unique_ptr<Verb> read_fade(LineReader& reader);
std::unique_ptr<Verb> read_faster(LineReader& reader);
std::unique_ptr<Verb> read_gear(LineReader& reader);
std::unique_ptr<Verb> read_change(LineReader& reader);
std::unique_ptr<Verb> read_nudge(LineReader& reader);
std::unique_ptr<Verb> read_leave(LineReader& reader);
std::unique_ptr<Verb> read_let(LineReader& reader);
std::unique_ptr<Verb> read_hold(LineReader& reader);
std::unique_ptr<Verb> read_home(LineReader& reader);
std::unique_ptr<Verb> read_jog(LineReader& reader);
std::unique_ptr<Verb> read_measure(LineReader& reader);
std::unique_ptr<Verb> read_move(LineReader& reader);
std::unique_ptr<Verb> read_pull(LineReader& reader);
std::unique_ptr<Verb> read_ready(LineReader& reader);
std::unique_ptr<Verb> read_release(LineReader& reader);
std::unique_ptr<Verb> read_reverse(LineReader& reader);
std::unique_ptr<Verb> read_slower(LineReader& reader);
std::unique_ptr<Verb> read_spin(LineReader& reader);
std::unique_ptr<Verb> read_stop(LineReader& reader);
std::unique_ptr<Verb> read_swing(LineReader& reader);
std::unique_ptr<Verb> read_switch(LineReader& reader);
std::unique_ptr<Verb> read_teach(LineReader& reader);
std::unique_ptr<Verb> read_throttle(LineReader& reader);
std::unique_ptr<Verb> read_turn(LineReader& reader);
std::unique_ptr<Verb> read_print(LineReader& reader);
std::unique_ptr<Verb> read_all(LineReader& reader);
std::unique_ptr<Verb> read_wait(LineReader& reader);
/// What can be waited for: "pedal is on", "panel.station is heard", "traverse passes 60 mm".
/// @param has_longest  "for at most 10 s" may follow
std::unique_ptr<Verb> read_happening(LineReader& reader, bool has_longest);
/// "0.5 s"
std::unique_ptr<Verb> read_pause(LineReader& reader);
std::unique_ptr<Block> read_after(LineReader& reader);
std::unique_ptr<Block> read_when(LineReader& reader);
std::unique_ptr<Block> read_whichever(LineReader& reader);
std::unique_ptr<Block> read_arrive(LineReader& reader);
std::unique_ptr<Block> read_in_order(LineReader& reader);
std::unique_ptr<Block> read_repeat(LineReader& reader);
std::unique_ptr<Block> read_start(LineReader& reader);
std::unique_ptr<Block> read_with(LineReader& reader);

}  // namespace cogstride
