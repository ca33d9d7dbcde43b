// Maps that steer an engine, computed from a picture in OKLab.
#pragma once
#include <vector>

#include "plane.h"

namespace sprenn {

// Broad outlines from 0 to 1: the strongest colour gradient over three scales.
Plane soft_edges(const Picture& oklab);

// Connected regions of nearly one colour. `label` counts from 0, row by row;
// `size` is in pixels, `mean` in OKLab.
struct Areas {
  int width = 0;
  int height = 0;
  std::vector<int> label;
  std::vector<int> size;
  std::vector<float> mean[3];
};

// Colours in a few groups, their connected regions, and regions smaller than
// `smallest` (a share of the picture) given to the neighbour nearest in colour.
Areas find_areas(const Picture& oklab, int colours, double smallest);

// The regions painted flat in their mean colours.
Picture paint_areas(const Areas& areas);

}  // namespace sprenn
