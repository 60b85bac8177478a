// The verbs that are objects of their own, a file each.
#pragma once

#include "cogstride/script/verbs/verb.hpp"

namespace cogstride {

std::unique_ptr<Verb> read_arm(LineReader& reader, Statement& statement);
std::unique_ptr<Verb> read_brake(LineReader& reader, Statement& statement);
std::unique_ptr<Verb> read_coast(LineReader& reader, Statement& statement);
std::unique_ptr<Verb> read_hold(LineReader& reader, Statement& statement);
std::unique_ptr<Verb> read_release(LineReader& reader, Statement& statement);
std::unique_ptr<Verb> read_switch(LineReader& reader, Statement& statement);
std::unique_ptr<Verb> read_teach(LineReader& reader, Statement& statement);
std::unique_ptr<Verb> read_wait(LineReader& reader, Statement& statement);

inline constexpr VerbWord arm_verb{"arm", read_arm};
inline constexpr VerbWord brake_verb{"brake", read_brake};
inline constexpr VerbWord coast_verb{"coast", read_coast};
inline constexpr VerbWord hold_verb{"hold", read_hold};
inline constexpr VerbWord release_verb{"release", read_release};
inline constexpr VerbWord switch_verb{"switch", read_switch};
inline constexpr VerbWord teach_verb{"teach", read_teach};
inline constexpr VerbWord wait_verb{"wait", read_wait};

}  // namespace cogstride
