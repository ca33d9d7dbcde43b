// What resembles what inside a picture, whatever its palette.
#pragma once
#include <vector>

#include "plane.h"

namespace sprenn {

// Ranks of the colour distances between all pairs of 16 x 16 patches (mean and
// spread of OKLab), the mean taken off: two pictures' vectors have Spearman's
// correlation as their cosine. Empty where all patches are alike.
std::vector<float> layout_ranks(const Picture& oklab);

// Rank correlation of two layouts, 0 where either is empty. `weight` (of any
// size) leaves out the pairs with a patch that is mostly 0 there.
double layout_agreement(const std::vector<float>& a, const std::vector<float>& b,
                        Weighting& weight);

}  // namespace sprenn
