// What the input lines of a bench say: switches, keys, supplies, faults, each steady for as long as the rig
// wants it steady.
//
//   Inputs inputs{{{LineId{4}, true, 0, "traverse.far"}}};
//   inputs.acts(LineId{4});        // nothing until it has been read once
//
// Lines are read once at the start, and from then on their edges are followed.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "cogstride/motion/participant.hpp"

namespace cogstride {

class Inputs final : public Participant {
 public:
  struct Input {
    LineId line{};
    bool active_high = true;
    Tick steady_for = 0;    ///< that it acts counts when it has stood so long
    Tick released_for = 0;  ///< and that it does not
    std::string name{};     ///< "traverse.far", "pedal", "main"
  };

  explicit Inputs(std::vector<Input> inputs);

  /// Whether it acts (is pressed, is up), once that is known.
  [[nodiscard]] std::optional<bool> acts(LineId line) const;
  /// When it last changed to what it is now; `never` before it was read.
  [[nodiscard]] Tick since(LineId line) const;
  [[nodiscard]] const std::vector<Input>& all() const { return inputs_; }
  /// The input of that name; null when there is none.
  [[nodiscard]] const Input* find(const std::string& name) const;
  /// All of them have been read.
  [[nodiscard]] bool are_known() const;
  /// The lines were cut: what had been asked of them is asked again.
  void read_again() { asked_ = false; }

  [[nodiscard]] Tick next_act() const override;
  void act(Lines& lines, std::span<const Reading> readings) override;

 private:
  struct State {
    std::optional<bool> acts{};
    Tick since = never;
    bool raw = false;
    Tick steady_at = never;  // when the raw level will have stood long enough
  };
  [[nodiscard]] std::size_t place_of(LineId line) const;

  std::vector<Input> inputs_;
  std::vector<State> states_;
  bool asked_ = false;
};

}  // namespace cogstride
