#include "foresight.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace sprenn {

namespace {

// How likely each pair of a spread and a scale is, summed up to each (spreads fastest).
std::vector<double> summed_likelihoods(double squares, std::size_t contrasts, double variance,
                                       const SpreadGrid& grid) {
  std::vector<double> fit;
  fit.reserve(grid.spreads.size() * grid.scales.size());
  for (double scale : grid.scales) {
    for (std::size_t s = 0; s < grid.spreads.size(); ++s) {
      const double total = grid.spreads[s] * grid.spreads[s] + variance * scale;
      const double density = -0.5 * (contrasts * std::log(total) + squares / total);
      fit.push_back(density + grid.log_prior[s]);
    }
  }
  const double most = *std::max_element(fit.begin(), fit.end());
  double sum = 0;
  for (double& value : fit) {
    sum += std::exp(value - most);
    value = sum;
  }
  return fit;
}

}  // namespace

double foreseen_chance(const std::vector<double>& means, double variance, const SpreadGrid& grid,
                       const std::vector<double>& normal, const std::vector<double>& even,
                       double within) {
  const std::size_t pipelines = means.size();
  const std::size_t draws = even.size();
  const double squares = std::inner_product(means.begin(), means.end(), means.begin(), 0.0);
  const std::vector<double> likely = summed_likelihoods(squares, pipelines - 1, variance, grid);
  const std::size_t best = std::max_element(means.begin(), means.end()) - means.begin();
  std::size_t close = 0;
  for (std::size_t d = 0; d < draws; ++d) {
    const auto at = std::upper_bound(likely.begin(), likely.end(), even[d] * likely.back());
    const std::size_t cell = std::min<std::size_t>(at - likely.begin(), likely.size() - 1);
    const double spread = grid.spreads[cell % grid.spreads.size()];
    const double luck = variance * grid.scales[cell / grid.spreads.size()];
    const double kept = 1 / (1 + luck / (spread * spread));
    const double deviation = std::sqrt(luck * kept);
    const double* own = normal.data() + d * pipelines;
    const auto worth = [&](std::size_t j) { return means[j] * kept + deviation * own[j]; };
    double top = worth(0);
    for (std::size_t j = 1; j < pipelines; ++j)
      top = std::max(top, worth(j));
    if (worth(best) >= top - within)
      ++close;
  }
  return static_cast<double>(close) / draws;
}

}  // namespace sprenn
