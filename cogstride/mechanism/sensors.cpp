#include "cogstride/mechanism/sensors.hpp"

namespace cogstride {

const std::string& name_of(const Sensor& sensor) {
  return std::visit([](const auto& kind) -> const std::string& { return kind.name; }, sensor);
}

}  // namespace cogstride
