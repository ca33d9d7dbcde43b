// A part of the reference looked for by itself.
#pragma once
#include "orientation.h"
#include "plane.h"

namespace sprenn {

struct Watched {
  double agreement = 0.0;  // of contour directions, at the best place nearby
  double x = 0.0;          // where that is, from where it was, in long edges
  double y = 0.0;
  double colour = 0.0;  // difference of the mean colours there, OKLab
};

// `region` is 1 where the part lies, of any size; it is looked for within
// `reach` long edges.
Watched watch_region(const std::vector<Field>& take, const std::vector<Field>& reference,
                     const Picture& take_oklab, const Picture& reference_oklab, const Plane& region,
                     double reach);

}  // namespace sprenn
