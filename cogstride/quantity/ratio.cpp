#include "cogstride/quantity/ratio.hpp"

namespace cogstride {

std::string to_text(Ratio value) {
  std::string text = std::to_string(value.numerator());
  if (!value.is_whole()) text += "/" + std::to_string(value.denominator());
  return text;
}

}  // namespace cogstride
