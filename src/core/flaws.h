// Defects that a picture shows by itself.
#pragma once
#include <vector>

#include "plane.h"

namespace sprenn {

// The bars at one edge, as a share of the height or width: how deep a plain strip is that
// ends in a straight step (0 without one), and where all such steps lie, plain or not.
struct Bar {
  double depth = 0.0;
  std::vector<double> steps;
};
struct Bars {
  Bar top;
  Bar bottom;
  Bar left;
  Bar right;
};
Bars find_bars(const Picture& oklab);

// Root mean square distance of all colours from their mean, in OKLab.
double colour_spread(const Picture& oklab);

// A picture shrunk so far that grain and compression noise are gone.
Picture coarse_copy(const Picture& oklab);

// The mean distance of two pictures' colours, place by place, in OKLab.
double mean_difference(const Picture& a, const Picture& b);

}  // namespace sprenn
