#include "bootstrap.h"

#include <cmath>
#include <limits>

#include "random.h"

namespace sprenn {

namespace {

void add(const double* from, std::vector<double>& to) {
  double* sum = to.data();
  for (std::size_t i = 0; i < to.size(); ++i) sum[i] += from[i];
}

}  // namespace

std::vector<double> paired_bootstrap(const std::vector<double>& scores, int n_pipelines,
                                     const std::vector<int>& owner, int n_cases, int draws,
                                     std::uint64_t seed) {
  const auto rows = owner.size();
  const auto pipelines = static_cast<std::size_t>(n_pipelines);
  std::vector<std::vector<std::size_t>> of_case(static_cast<std::size_t>(n_cases));
  for (std::size_t row = 0; row < rows; ++row)
    of_case[static_cast<std::size_t>(owner[row])].push_back(row);

  // What is read together lies together. A missing score adds nothing and counts as
  // nothing, without a branch, so that the sums below run several at a time.
  std::vector<double> value(scores.size()), here(scores.size());
  bool all_here = true;
  for (std::size_t p = 0; p < pipelines; ++p)
    for (std::size_t row = 0; row < rows; ++row) {
      const double score = scores[p * rows + row];
      const bool missing = std::isnan(score);
      value[row * pipelines + p] = missing ? 0.0 : score;
      here[row * pipelines + p] = missing ? 0.0 : 1.0;
      if (missing) all_here = false;
    }

  Random random(seed);
  std::vector<double> out;
  out.reserve(static_cast<std::size_t>(draws) * pipelines);
  std::vector<double> total(pipelines), sum(pipelines), met(pipelines), cases_met(pipelines);
  for (int draw = 0; draw < draws; ++draw) {
    total.assign(pipelines, 0.0);
    cases_met.assign(pipelines, 0.0);
    for (int k = 0; k < n_cases; ++k) {
      const auto& mine = of_case[static_cast<std::size_t>(random.below(n_cases))];
      sum.assign(pipelines, 0.0);
      met.assign(pipelines, all_here ? static_cast<double>(mine.size()) : 0.0);
      for (std::size_t j = 0; j < mine.size(); ++j) {
        const std::size_t row = mine[static_cast<std::size_t>(random.below(static_cast<int>(mine.size())))];
        add(&value[row * pipelines], sum);
        if (!all_here) add(&here[row * pipelines], met);
      }
      for (std::size_t p = 0; p < pipelines; ++p) {
        if (met[p] == 0.0) continue;
        total[p] += sum[p] / met[p];
        cases_met[p] += 1.0;
      }
    }
    for (std::size_t p = 0; p < pipelines; ++p)
      out.push_back(cases_met[p] > 0.0 ? total[p] / cases_met[p]
                                       : std::numeric_limits<double>::quiet_NaN());
  }
  return out;
}

}  // namespace sprenn
