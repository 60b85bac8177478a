// A new rig file for chosen kinds: every key with what it is, typical values where one is needed, and what
// may be left out as comments.
#pragma once

#include <string>
#include <vector>

namespace cogstride {

struct NewRigOrder {
  struct Mechanism {
    std::string name{};
    std::string motor{};  ///< a kind of motor
    std::string board{};  ///< a kind of board; empty: the first that can drive the motor
  };
  struct Part {
    std::string owner{};  ///< mechanism of a sensor; empty for a hand control
    std::string name{};
    std::string kind{};
  };
  std::string name{};
  std::vector<Mechanism> mechanisms{};
  std::vector<Part> sensors{};
  std::vector<Part> hands{};
};

/// The text of the file. It can be read, and nothing is wrong with it but what the maker has yet to put in.
/// @throws RangeError for a kind, mechanism or name that cannot be, with what can
[[nodiscard]] std::string new_rig_text(const NewRigOrder& order);

/// The text of a rig with those mechanisms, sensors and hand controls at its end, on lines and channels that
/// are free, and what of timers, counters and supplies they need and it has not. What stands there stays as
/// it is.
/// @param name  stands for the file in messages
/// @throws InputError when the text is no rig; RangeError as above, and for names that are taken
[[nodiscard]] std::string added_rig_text(const std::string& text, const std::string& name,
                                         const NewRigOrder& order);

}  // namespace cogstride
