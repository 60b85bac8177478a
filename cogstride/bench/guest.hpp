// A mover of a program's own.
#pragma once

#include <functional>
#include <memory>
#include <string>

#include "cogstride/lines/events.hpp"

namespace cogstride {

class Mover;
class Twin;
struct Controller;
struct TwinSetup;

/// A mover that no rig knows, brought along by the program that opens a bench. Its lines are its own.
struct Guest {
  std::string name{};
  std::function<std::unique_ptr<Mover>(MechanismId, const Controller&)> mover{};
  /// Its other side on a simulated bench; nothing: it has none.
  std::function<std::unique_ptr<Twin>(Mover&, const TwinSetup&)> twin{};
};

}  // namespace cogstride
