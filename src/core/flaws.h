// Defects that a picture shows by itself.
#pragma once
#include "plane.h"

namespace sprenn {

// Depth of the plain grey, black or white bars at the four edges, as a share
// of the height (top, bottom) or width (left, right).
struct Bars {
  double top = 0.0;
  double bottom = 0.0;
  double left = 0.0;
  double right = 0.0;
};
Bars find_bars(const Picture& oklab);

// Root mean square distance of all colours from their mean, in OKLab.
double colour_spread(const Picture& oklab);

// A picture shrunk so far that grain and compression noise are gone.
Picture coarse_copy(const Picture& oklab);

// The mean distance of two pictures' colours, place by place, in OKLab.
double mean_difference(const Picture& a, const Picture& b);

}  // namespace sprenn
