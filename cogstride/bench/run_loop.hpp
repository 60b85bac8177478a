// The run of a bench: lets time pass from one wish to the next and hands everyone what was read.
#pragma once

#include <functional>
#include <vector>

#include "cogstride/lines/lines.hpp"
#include "cogstride/motion/participant.hpp"

namespace cogstride {

class RunLoop {
 public:
  explicit RunLoop(TimedLines& lines) : lines_(lines) {}

  /// Takes part until removed; must live as long.
  void add(Participant& participant) { participants_.push_back(&participant); }
  void remove(Participant& participant);

  /// Runs until `finished` says so or `until` has come. @return whether it was finished
  bool run(Tick until, const std::function<bool()>& finished);

 private:
  void act_on(std::span<const Reading> readings);

  TimedLines& lines_;
  std::vector<Participant*> participants_;
  std::vector<Reading> readings_;
};

}  // namespace cogstride
