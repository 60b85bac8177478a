// A project of someone else's, that found Cog Stride installed.
#include <cogstride/cogstride.hpp>
#include <iostream>

using namespace cogstride::literals;

int main(int, char** words) {
  const cogstride::Rig rig = cogstride::read_rig(words[1]);
  const auto plan = cogstride::plan_move(rig.mechanisms.at(0), rig.controller, 0_mm, {.to = 85_mm});
  std::cout << plan.to_step << "\n";
  return plan.to_step == 22'667 ? 0 : 1;
}
