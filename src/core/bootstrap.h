// How sure the means of several pipelines are: paired resampling of what they all met.
#pragma once
#include <cstdint>
#include <vector>

namespace sprenn {

// `means` holds column after column (a score of a pipeline each), with a row for each of
// `units` that were met independently of each other: the mean of a case over its seeds.
// Every draw takes units with replacement, the same for all columns, and averages them;
// units are drawn whole (Davison and Hinkley 1997, 3.8: drawing within them as well counts
// what varies there twice).
//
// A few units vary less in a resample than they would if met anew. So each draw's distance
// from the mean is stretched by sqrt(n / (n - 1)), for the spread, and by
// sqrt((n - 1) / X), X chi-squared with n - 1 degrees of freedom, for not knowing the spread:
// means of normal units are then distributed as Student's t has it.
//
// Missing means (NaN) are left out, of their own column only. A column with less than two
// known ones varies in a way that nobody can know: its draws are NaN.
// Returns draw after draw, the value of every column in each.
std::vector<double> paired_bootstrap(const std::vector<double>& means, int units, int columns,
                                     int draws, std::uint64_t seed);

}  // namespace sprenn
