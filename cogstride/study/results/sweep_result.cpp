#include "cogstride/study/results/sweep_result.hpp"

#include <algorithm>

namespace cogstride {

const ModeTrial* ModeCurve::worst() const {
  const ModeTrial* worst = nullptr;
  for (const ModeTrial& trial : trials)
    if (trial.holds && (worst == nullptr || trial.oscillation > worst->oscillation)) worst = &trial;
  return worst;
}

std::size_t ModeCurve::losses() const {
  return static_cast<std::size_t>(
      std::count_if(trials.begin(), trials.end(), [](const ModeTrial& trial) { return !trial.holds; }));
}

}  // namespace cogstride
