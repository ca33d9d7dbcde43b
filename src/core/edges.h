// Thin outlines, how far it is to the nearest, and which of them two pictures share.
#pragma once
#include <vector>

#include "plane.h"

namespace sprenn {

// Thin outlines: 1 on an edge, 0 elsewhere. Gradient of lightness, smoothed by
// `sigma`, thinned across its direction, followed from strong pixels along
// weaker ones (Canny 1986); both thresholds come from the picture's own gradients.
Plane thin_edges(const Plane& lightness, float sigma = 1.2f);

// Distance in pixels from each pixel to the nearest that is not 0, exact up to `reach`;
// `kNowhere` where there is none so near.
constexpr float kNowhere = 1e6f;
Plane distance_to(const Plane& marked, int reach);

// Connected parts of what is above a half (neighbours of eight), the heaviest
// first: the box around each in pixels and the weight that lies in it.
struct Region {
  int left, top, right, bottom;
  double weight;
};
std::vector<Region> regions_of(const Plane& marked, const Plane& weight);

struct Edges {
  Plane thin;
  Plane distance;
  std::vector<int> pixels;  // where the outlines are, row by row
};
Edges edges_of(const Plane& lightness);

// How much of each one's outlines lies within about two pixels of the other's:
// the harmonic mean of both shares, 0 to 1.
double edge_agreement(const Edges& a, const Edges& b, Weighting& weight);

// Outlines of `a` with none of `b` within four pixels, where most are so for a
// stretch: as a share of all of `a`, as a map, and as their largest regions.
struct Unmatched {
  double share = 0.0;
  Plane map;
  std::vector<Region> regions;
};
Unmatched unmatched_edges(const Edges& a, const Edges& b, const Plane* weight);

}  // namespace sprenn
