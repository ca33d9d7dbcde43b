// Whether what was made inside a mask belongs to what lies around it.
#pragma once
#include "plane.h"

namespace sprenn {

// Detail just inside a mask's edge as a share of that just outside, along stretches of the
// edge: the median. 1 alike, near 0 flat, smeared or blurred, far above 1 noise. `texture`
// is the share of the fine detail inside that is noise: 0 contours, 1 every pixel by itself.
struct Fill {
  double detail = 1.0;
  double noise = 0.0;
};
Fill fill_detail(const Picture& take, const Plane& mask);

// How surely the part inside a mask repeats what lies outside: the best correlation of
// the detail in a tile of it with a tile outside, straight or mirrored, the median over tiles.
double repeated_inside(const Picture& take, const Plane& mask);

// The mean difference of two pictures inside a mask, that in its most changed tenth, and how
// far the take's colours lie from their mean there, all in OKLab.
struct Change {
  double mean = 0.0;
  double most = 0.0;
  double spread = 0.0;
};
Change change_inside(const Picture& take, const Picture& reference, const Plane& mask);

// Outside a mask: the largest mean difference over places of about a fiftieth of the long edge.
double strongest_spot(const Plane& difference);

}  // namespace sprenn
