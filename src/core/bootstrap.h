// Paired hierarchical bootstrap of the mean score of several pipelines.
#pragma once
#include <cstdint>
#include <vector>

namespace sprenn {

// `scores` holds pipeline after pipeline; `owner` says for each of the shared
// rows (one case and seed each) which case it belongs to, 0 .. n_cases - 1.
// Every draw takes cases with replacement, then rows within each drawn case
// with replacement, and uses the same rows for all pipelines. A case's rows are
// averaged before cases are, so that every case counts alike.
// Missing scores (NaN) are left out of the mean of their case, and a case
// without any out of its pipeline's mean.
// Returns draw after draw, the mean of every pipeline in each.
std::vector<double> paired_bootstrap(const std::vector<double>& scores, int n_pipelines,
                                     const std::vector<int>& owner, int n_cases, int draws,
                                     std::uint64_t seed);

}  // namespace sprenn
