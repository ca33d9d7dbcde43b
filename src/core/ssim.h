// Structural similarity of luma, the yardstick that people ask for.
#pragma once
#include <vector>

#include "plane.h"

namespace sprenn {

// What one picture brings to the comparison: for each octave its luma, and its
// local means and mean squares in a Gaussian window of 11 x 11 px (sigma 1.5),
// where the window fits.
struct Octave {
  Plane luma;
  Plane mean;
  Plane square;
};
using Octaves = std::vector<Octave>;

// Luma from 0 to 1. First shrunk by a whole factor, so that its short edge comes
// near 256 px, as the authors of the measure do; `as_it_is` leaves that out.
Octaves octaves_of(const Plane& luma, bool as_it_is = false);

struct Similarity {
  double single = 0.0;  // SSIM (Wang et al. 2004), K1 0.01, K2 0.03, mean of the map
  double multi = 0.0;   // over up to five octaves (Wang, Simoncelli and Bovik 2003)
};
Similarity similarity_of(const Octaves& a, const Octaves& b);

}  // namespace sprenn
