// What a verdict would say about simulated outcomes: the sampling behind foreseen_chances().
#pragma once

#include <cstddef>
#include <vector>

namespace sprenn {

// Where the spread of pipelines' true worths may lie, and the scale of luck's variance, each with
// how likely a spread is beforehand (the logarithm).
struct SpreadGrid {
  std::vector<double> spreads;
  std::vector<double> log_prior;
  std::vector<double> scales;
};

// The chance that the pipeline of the highest mean is worth no less than the best less `within`.
// `means` are the pipelines', less what all share, each with luck of `variance`. `normal` has a
// standard normal number a draw and pipeline (pipelines fastest), `even` one between 0 and 1 a
// draw.
double foreseen_chance(const std::vector<double>& means, double variance, const SpreadGrid& grid,
                       const std::vector<double>& normal, const std::vector<double>& even,
                       double within);

}  // namespace sprenn
