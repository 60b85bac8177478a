#include "cogstride/study/results/scatter_result.hpp"

#include <algorithm>
#include <cmath>

namespace cogstride {
namespace {

std::vector<double> errors_of(const ScatterResult& result) {
  std::vector<double> errors;
  for (const HomingTrial& trial : result.trials)
    if (trial.fault.empty()) errors.push_back(trial.error);
  return errors;
}

}  // namespace

std::size_t ScatterResult::failures() const {
  return trials.size() - errors_of(*this).size();
}

double ScatterResult::mean() const {
  const std::vector<double> errors = errors_of(*this);
  double sum = 0.0;
  for (const double error : errors) sum += error;
  return errors.empty() ? 0.0 : sum / static_cast<double>(errors.size());
}

double ScatterResult::rms() const {
  const std::vector<double> errors = errors_of(*this);
  const double middle = mean();
  double sum = 0.0;
  for (const double error : errors) sum += (error - middle) * (error - middle);
  return errors.empty() ? 0.0 : std::sqrt(sum / static_cast<double>(errors.size()));
}

double ScatterResult::spread() const {
  const std::vector<double> errors = errors_of(*this);
  if (errors.empty()) return 0.0;
  const auto [least, most] = std::minmax_element(errors.begin(), errors.end());
  return *most - *least;
}

}  // namespace cogstride
